// The turntable: the whole work as bodies in their woods, turned with the hand, its parts lifted apart and picked.
const PAPER = 0xf1e9da,
  TINTS = { lit: 0xd2481c, ply: 0xd9bd83, "": 0xefe6d2 };
const TURN_PER_PX = 0.008,
  SPIN_PER_S = 0.35,
  LIFT = 5;

export function turning(panel) {
  const { element } = panel;
  let table = null;

  const slot = () => document.getElementById("dress-slot");

  async function sync() {
    const mesh = slot()?.dataset.mesh;
    if (!mesh) {
      table?.leave();
      table = null;
      element.toggleAttribute("data-turning", false);
      return;
    }
    if (table?.url === mesh) return;
    table?.leave();
    table = { url: mesh, leave() {} };
    element.toggleAttribute("data-turning", true);
    const own = table;
    if (!document.createElement("canvas").getContext("webgl2")) {
      still(own);
      return;
    }
    const [three, data] = await Promise.all([
      import("../vendor/three/three.module.js"),
      fetch(mesh).then((answer) => answer.arrayBuffer()),
    ]);
    if (table === own) build(own, three, data);
  }

  // Where the browser has no WebGL the picture of the result stands in its place.
  function still(own) {
    const box = document.createElement("div");
    box.className = "turntable";
    box.innerHTML =
      `<img alt="The picture of the result" src="${slot().dataset.still}">` +
      "<p class='hint'>This browser has no WebGL: the picture stands still.</p>";
    element.append(box);
    own.leave = () => box.remove();
  }

  function build(own, THREE, data) {
    const { bodies, head } = read(data);
    const box = document.createElement("div");
    box.className = "turntable";
    box.innerHTML =
      '<canvas aria-label="The work on a turntable. Arrow keys turn it."></canvas>' +
      '<div class="turns"><button type="button" data-spin aria-pressed="false"><kbd>␣</kbd> turn</button>' +
      '<label>lift apart <input type="range" min="0" max="100" value="0" aria-label="Lift the parts apart"></label>' +
      '<button type="button" data-front>from the front</button></div>';
    element.append(box);
    const canvas = box.querySelector("canvas");
    const renderer = new THREE.WebGLRenderer({ canvas, antialias: fast() });
    // colours go through as they are: turning them to linear light and back takes a software renderer half its time
    THREE.ColorManagement.enabled = false;
    renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    renderer.setClearColor(PAPER);
    const scene = new THREE.Scene();
    const lamp = new THREE.Vector3();
    const work = new THREE.Group();
    scene.add(work);
    const size = Math.hypot(head.width_mm, head.height_mm);
    const camera = new THREE.PerspectiveCamera(32, 1, size / 50, size * 8);
    const materials = woodMaterials(THREE, panel.scene.woods, lamp, () => draw());
    const levels = [...new Set(bodies.map((b) => b.floor))].sort((a, b) => a - b);
    const meshes = bodies.map((body) => {
      const mesh = new THREE.Mesh(geometry(THREE, body, head), materials(body));
      mesh.userData = body;
      mesh.userData.level = levels.indexOf(body.floor);
      work.add(mesh);
      return mesh;
    });
    const lit = materials(null);
    let yaw = -0.5,
      pitch = 0.55,
      near = 1,
      lift = 0,
      spin = false,
      asked = 0,
      last = 0,
      press = null;

    function draw() {
      if (!asked) asked = requestAnimationFrame(frame);
    }

    function frame(now) {
      asked = 0;
      if (spin) yaw += (SPIN_PER_S * Math.min(now - last, 100)) / 1000;
      last = now;
      // the deeper parts come to lie, the farther they are drawn apart
      for (const mesh of meshes) mesh.position.z = lift * LIFT * head.depth_mm * (mesh.userData.level / levels.length);
      const far = (size / near) * (1.24 + 0.6 * lift);
      const middle = (head.depth_mm * (1 + lift * LIFT)) / 2;
      camera.position.set(
        far * Math.sin(yaw) * Math.cos(pitch),
        far * Math.sin(pitch),
        middle + far * Math.cos(yaw) * Math.cos(pitch),
      );
      camera.lookAt(0, 0, middle);
      lamp.set(camera.position.x - 0.5 * far, camera.position.y + 0.7 * far, camera.position.z + 0.3 * far).normalize();
      renderer.render(scene, camera);
      box.dataset.frames = Number(box.dataset.frames ?? 0) + 1;
      if (spin) draw();
    }

    function fit() {
      const { width, height } = canvas.getBoundingClientRect();
      if (!width || !height) return;
      renderer.setPixelRatio(Math.min(window.devicePixelRatio || 1, 2));
      renderer.setSize(width, height, false);
      camera.aspect = width / height;
      camera.updateProjectionMatrix();
      draw();
    }

    function show() {
      for (const mesh of meshes)
        mesh.material = panel.chosen.has(mesh.userData.piece) ? lit : materials(mesh.userData);
      draw();
    }

    function pick(event) {
      const at = canvas.getBoundingClientRect();
      const place = new THREE.Vector2(
        ((event.clientX - at.left) / at.width) * 2 - 1,
        1 - ((event.clientY - at.top) / at.height) * 2,
      );
      const ray = new THREE.Raycaster();
      ray.setFromCamera(place, camera);
      const hit = ray.intersectObjects(meshes, false)[0];
      panel.choose(hit?.object.userData.piece ? [hit.object.userData.piece] : []);
    }

    function spun(on) {
      spin = on;
      box.querySelector("[data-spin]").setAttribute("aria-pressed", on);
      last = performance.now();
      draw();
    }

    canvas.addEventListener("pointerdown", (event) => {
      event.stopPropagation();
      canvas.setPointerCapture(event.pointerId);
      press = { x: event.clientX, y: event.clientY, yaw, pitch, moved: false };
      element.focus({ preventScroll: true });
    });
    canvas.addEventListener("pointermove", (event) => {
      if (!press) return;
      event.stopPropagation();
      const dx = event.clientX - press.x,
        dy = event.clientY - press.y;
      press.moved ||= Math.hypot(dx, dy) > 4;
      if (!press.moved) return;
      yaw = press.yaw - dx * TURN_PER_PX;
      pitch = Math.min(1.5, Math.max(-1.5, press.pitch + dy * TURN_PER_PX));
      draw();
    });
    canvas.addEventListener("pointerup", (event) => {
      event.stopPropagation();
      if (press && !press.moved) pick(event);
      press = null;
    });
    canvas.addEventListener("pointercancel", () => {
      press = null;
    });
    canvas.addEventListener(
      "wheel",
      (event) => {
        event.preventDefault();
        event.stopPropagation();
        near = Math.min(6, Math.max(0.5, near * Math.exp(-event.deltaY * 0.0012)));
        draw();
      },
      { passive: false },
    );
    box.querySelector("input").addEventListener("input", ({ target }) => {
      lift = target.value / 100;
      draw();
    });
    box.querySelector("[data-spin]").addEventListener("click", () => spun(!spin));
    box.querySelector("[data-front]").addEventListener("click", () => {
      spun(false);
      [yaw, pitch, near] = [0, 0, 1];
      draw();
    });
    function keys(event) {
      if (document.activeElement !== element) return;
      const way = { ArrowLeft: [0.12, 0], ArrowRight: [-0.12, 0], ArrowUp: [0, -0.1], ArrowDown: [0, 0.1] }[event.key];
      if (event.code === "Space") spun(!spin);
      else if (way && !event.altKey) {
        yaw += way[0];
        pitch = Math.min(1.5, Math.max(-1.5, pitch + way[1]));
        draw();
      } else return;
      event.preventDefault();
      event.stopImmediatePropagation();
    }
    document.addEventListener("keydown", keys, { capture: true });
    element.addEventListener("panel:chosen", show);
    const watch = new ResizeObserver(fit);
    watch.observe(element);
    fit();
    show();
    box.dataset.volume = bodies.reduce((sum, body) => sum + volume(body), 0).toFixed(1);
    box.dataset.ready = "yes";
    own.leave = () => {
      cancelAnimationFrame(asked);
      spin = false;
      watch.disconnect();
      document.removeEventListener("keydown", keys, { capture: true });
      element.removeEventListener("panel:chosen", show);
      for (const mesh of meshes) mesh.geometry.dispose();
      renderer.dispose();
      box.remove();
    };
  }

  document.body.addEventListener("htmx:afterSettle", sync);
  sync();
}

// Whether a graphics card draws: smooth edges would cost a software renderer too much.
function fast() {
  return Boolean(document.createElement("canvas").getContext("webgl2", { failIfMajorPerformanceCaveat: true }));
}

// As `drawing/solid.py` packs it.
function read(data) {
  const view = new DataView(data);
  const size = view.getUint32(4, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 8, size)));
  let at = 8 + size;
  for (const body of head.bodies) {
    body.count = body.rings.reduce((a, b) => a + b, 0);
    const xy = new Uint16Array(data, at, 2 * body.count);
    body.xy = Float32Array.from(xy, (v, i) => v * head.step_mm + (i % 2 ? head.top_mm : head.left_mm));
    at += 4 * body.count;
  }
  for (const body of head.bodies) {
    body.face = new Uint16Array(data.slice(at, at + 6 * body.triangles));
    at += 6 * body.triangles;
  }
  return { bodies: head.bodies, head };
}

// Floor, top and walls, none sharing its corners with another, so that each has its own light; x to the right, y up, z
// towards whoever looks.
function geometry(THREE, body, head) {
  const n = body.count;
  const place = [],
    normal = [],
    uv = [];
  const turn = (body.grain * Math.PI) / 180,
    cos = Math.cos(turn),
    sin = Math.sin(turn);
  const corner = (i, z, nx, ny, nz) => {
    const x = body.xy[2 * i] - head.width_mm / 2,
      y = head.height_mm / 2 - body.xy[2 * i + 1];
    place.push(x, y, z);
    normal.push(nx, ny, nz);
    uv.push((cos * x + sin * y) / TILE_MM[0] + body.piece * 0.37, (cos * y - sin * x) / TILE_MM[1]);
    return place.length / 3 - 1;
  };
  for (let i = 0; i < n; i++) corner(i, body.floor, 0, 0, -1);
  for (let i = 0; i < n; i++) corner(i, body.top, 0, 0, 1);
  const faces = [];
  for (let i = 0; i < body.face.length; i += 3) {
    const [a, b, c] = body.face.subarray(i, i + 3);
    // the picture's y runs down: here it is turned up, and with it the way a face goes round
    faces.push(a, b, c, c + n, b + n, a + n);
  }
  let start = 0;
  for (const ring of body.rings) {
    for (let i = 0; i < ring; i++) {
      const a = start + i,
        b = start + ((i + 1) % ring);
      const dx = body.xy[2 * b] - body.xy[2 * a],
        dy = body.xy[2 * b + 1] - body.xy[2 * a + 1];
      const long = Math.hypot(dx, dy) || 1,
        out = [dy / long, dx / long, 0];
      const [p, q] = [corner(a, body.floor, ...out), corner(b, body.floor, ...out)];
      const [r, s] = [corner(a, body.top, ...out), corner(b, body.top, ...out)];
      faces.push(s, q, p, r, s, p);
    }
    start += ring;
  }
  body.faces = faces;
  body.place = place;
  const made = new THREE.BufferGeometry();
  made.setAttribute("position", new THREE.Float32BufferAttribute(place, 3));
  made.setAttribute("normal", new THREE.Float32BufferAttribute(normal, 3));
  made.setAttribute("uv", new THREE.Float32BufferAttribute(uv, 2));
  made.setIndex(faces);
  return made;
}

const TILE_MM = [128, 64];

// Of a closed body: the sum of what lies between its faces and the origin.
function volume({ faces, place }) {
  let six = 0;
  const p = (i) => place.slice(3 * i, 3 * i + 3);
  for (let i = 0; i < faces.length; i += 3) {
    const [a, b, c] = [p(faces[i]), p(faces[i + 1]), p(faces[i + 2])];
    six +=
      a[0] * (b[1] * c[2] - b[2] * c[1]) + a[1] * (b[2] * c[0] - b[0] * c[2]) + a[2] * (b[0] * c[1] - b[1] * c[0]);
  }
  return six / 6;
}

// Light is worked out at the corners: whoever has no graphics card turns 500 pieces as well.
const CORNERS = `
  uniform vec3 lamp;
  varying vec2 at;
  varying float light;
  void main() {
    at = uv;
    light = 0.56 + 0.1 * normal.z + 0.46 * max(dot(normal, lamp), 0.0);
    gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  }`;
const POINTS = `
  uniform sampler2D wood;
  uniform vec3 tint;
  varying vec2 at;
  varying float light;
  void main() {
    gl_FragColor = vec4(texture2D(wood, at).rgb * tint * light, 1.0);
  }`;

function woodMaterials(THREE, woods, lamp, ready) {
  const made = new Map();
  const loader = new THREE.TextureLoader();
  const white = new THREE.DataTexture(new Uint8Array([255, 255, 255, 255]), 1, 1);
  white.needsUpdate = true;
  const material = (wood, tint) =>
    new THREE.ShaderMaterial({
      vertexShader: CORNERS,
      fragmentShader: POINTS,
      uniforms: { lamp: { value: lamp }, wood: { value: wood }, tint: { value: new THREE.Color(tint) } },
    });
  return (body) => {
    const code = !body ? "lit" : !body.piece ? "ply" : woods[body.wood] ? body.wood : "";
    if (!made.has(code)) {
      const wood = woods[code];
      made.set(code, material(wood ? loader.load(wood.tile, ready) : white, TINTS[code] ?? 0xffffff));
      if (wood) {
        const { value } = made.get(code).uniforms.wood;
        value.wrapS = value.wrapT = THREE.RepeatWrapping;
        value.minFilter = THREE.LinearMipmapNearestFilter;
      }
    }
    return made.get(code);
  };
}
