// The turntable: the whole work as bodies in their woods, turned with the hand, its parts lifted apart and picked.
const PAPER = 0xf1e9da,
  TINTS = { ply: 0xd9bd83, "": 0xefe6d2 };
const TURN_PER_PX = 0.008,
  SPIN_PER_S = 0.35,
  LIFT = 5,
  PARTS_PER_S = 2.2,
  LONGEST_PLAY_S = 24;

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
      '<button type="button" data-play aria-pressed="false"><kbd>P</kbd> put together</button>' +
      (head.sanded?.length
        ? '<button type="button" data-sanded aria-pressed="false"><kbd>Y</kbd> sanded</button>'
        : "") +
      '<label>lift apart <input type="range" min="0" max="100" value="0" aria-label="Lift the parts apart"></label>' +
      '<button type="button" data-front>from the front</button></div>';
    element.append(box);
    const canvas = box.querySelector("canvas");
    const quick = fast();
    const renderer = new THREE.WebGLRenderer({ canvas, antialias: quick });
    // colours go through as they are: turning them to linear light and back takes a software renderer half its time
    THREE.ColorManagement.enabled = false;
    renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    renderer.setClearColor(PAPER);
    const scene = new THREE.Scene();
    const lamp = new THREE.Vector3();
    const work = new THREE.Group();
    scene.add(work);
    const [wide, high, deep] = head.space?.box ?? [head.width_mm, head.height_mm, head.depth_mm];
    const size = Math.hypot(wide, high, head.space ? deep : 0);
    const camera = new THREE.PerspectiveCamera(32, 1, size / 50, size * 8);
    const apart = { value: 0 },
      played = { value: ALL };
    const levels = [...new Set(head.bodies.map((b) => b.floor))].sort((a, b) => a - b);
    const walls = wallsOf(head.bodies);
    for (const body of head.bodies) {
      body.lift = body.pose ? inScene(body.lift) : [0, 0, levels.indexOf(body.floor) / levels.length];
      shape(body, head, walls);
    }
    const shared = { lamp: { value: lamp }, apart, played, reach: { value: 0.5 * size } };
    const groups = grouped(THREE, bodies, panel.scene.woods, shared, quick, draw);
    for (const mesh of groups) work.add(mesh);
    const rims = bodies.some((b) => b.rim) ? rimmed(THREE, bodies, shared) : null;
    if (rims) work.add(rims);
    const smooth = grouped(THREE, head.sanded ?? [], panel.scene.woods, shared, quick, draw);
    for (const mesh of smooth) {
      mesh.visible = false;
      work.add(mesh);
    }
    const last_part = Math.max(1, ...bodies.map((b) => b.order));
    let yaw = -0.5,
      pitch = 0.55,
      near = 1,
      lift = 0,
      spin = false,
      playing = false,
      sanded = false,
      asked = 0,
      last = 0,
      press = null;

    function draw() {
      if (!asked) asked = requestAnimationFrame(frame);
    }

    function frame(now) {
      asked = 0;
      if (spin) yaw += (SPIN_PER_S * Math.min(now - last, 100)) / 1000;
      if (playing) {
        const pace = Math.max(PARTS_PER_S, last_part / LONGEST_PLAY_S);
        played.value += (pace * Math.min(now - last, 100)) / 1000;
        if (played.value >= last_part) play(false);
      }
      last = now;
      // the deeper parts come to lie, the farther they are drawn apart
      apart.value = lift * (head.space?.apart ?? LIFT * head.depth_mm);
      // on a narrow screen the work is as wide as the screen
      const room = head.space ? 1.42 + 1.1 * lift : 1.24 + 0.6 * lift;
      const far = (size / near) * room * Math.max(1, 1.3 / camera.aspect);
      const middle = head.space ? 0 : (head.depth_mm * (1 + lift * LIFT)) / 2;
      camera.position.set(
        far * Math.sin(yaw) * Math.cos(pitch),
        far * Math.sin(pitch),
        middle + far * Math.cos(yaw) * Math.cos(pitch),
      );
      camera.lookAt(0, 0, middle);
      lamp.set(camera.position.x - 0.5 * far, camera.position.y + 0.7 * far, camera.position.z + 0.3 * far).normalize();
      // floors are seen only from behind, and walls between level pieces only when they are drawn apart: what would
      // cost and show nothing is left out
      const behind = head.space || camera.position.z < head.depth_mm + apart.value;
      for (const { geometry, userData } of groups)
        geometry.setDrawRange(0, behind ? Infinity : userData.counts[lift ? 1 : 0]);
      renderer.render(scene, camera);
      box.dataset.frames = Number(box.dataset.frames ?? 0) + 1;
      if (spin || playing) draw();
    }

    // Part after part comes to its place, in the order in which they are glued.
    function play(on) {
      playing = on;
      played.value = on ? 0 : ALL;
      if (on && !lift) showSanded(false);
      box.querySelector("[data-play]").setAttribute("aria-pressed", on);
      last = performance.now();
      draw();
    }

    // Before and after the steps of the slices are sanded away.
    function showSanded(on) {
      const button = box.querySelector("[data-sanded]");
      if (!button) return;
      sanded = on;
      button.setAttribute("aria-pressed", on);
      for (const mesh of smooth) mesh.visible = on;
      // only what was sliced is sanded
      for (const mesh of rims ? [...groups, rims] : groups) mesh.material.uniforms.stepped.value = on ? 0 : 1;
      draw();
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
      for (const mesh of [...groups, ...smooth]) {
        const marks = mesh.geometry.getAttribute("mark");
        for (const [body, first, count] of mesh.userData.ranges)
          marks.array.fill(body.piece && panel.chosen.has(body.piece) ? 1 : 0, first, first + count);
        marks.needsUpdate = true;
      }
      draw();
    }

    function pick(event) {
      const at = canvas.getBoundingClientRect();
      const there = new THREE.Vector3(
        ((event.clientX - at.left) / at.width) * 2 - 1,
        1 - ((event.clientY - at.top) / at.height) * 2,
        0.5,
      ).unproject(camera);
      const from = camera.position;
      const there_are = sanded ? [...bodies.filter((b) => !b.stepped), ...head.sanded] : bodies;
      const hit = nearest(there_are, from.toArray(), there.sub(from).normalize().toArray(), apart.value);
      panel.choose(hit?.piece ? [hit.piece] : []);
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
    box.querySelector("[data-play]").addEventListener("click", () => play(!playing));
    box.querySelector("[data-sanded]")?.addEventListener("click", () => showSanded(!sanded));
    box.querySelector("[data-front]").addEventListener("click", () => {
      spun(false);
      [yaw, pitch, near] = [0, 0, 1];
      draw();
    });
    function keys(event) {
      if (document.activeElement !== element) return;
      const way = { ArrowLeft: [0.12, 0], ArrowRight: [-0.12, 0], ArrowUp: [0, -0.1], ArrowDown: [0, 0.1] }[event.key];
      if (event.code === "Space") spun(!spin);
      else if (event.key === "p" && !event.ctrlKey && !event.metaKey) play(!playing);
      else if (event.key === "y" && head.sanded?.length && !event.ctrlKey && !event.metaKey) showSanded(!sanded);
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
      spin = playing = false;
      watch.disconnect();
      document.removeEventListener("keydown", keys, { capture: true });
      element.removeEventListener("panel:chosen", show);
      for (const mesh of [...groups, ...smooth]) mesh.geometry.dispose();
      rims?.geometry.dispose();
      renderer.dispose();
      box.remove();
    };
  }

  document.body.addEventListener("htmx:afterSettle", sync);
  sync();
}

// Whether a graphics card draws: smooth edges would cost a software renderer most of its time.
function fast() {
  const gl = document.createElement("canvas").getContext("webgl2");
  const names = gl.getExtension("WEBGL_debug_renderer_info");
  const name = gl.getParameter(names ? names.UNMASKED_RENDERER_WEBGL : gl.RENDERER);
  gl.getExtension("WEBGL_lose_context")?.loseContext();
  return !/swiftshader|llvmpipe|software|basic render/i.test(name);
}

// As `drawing/solid.py` packs it.
function read(data) {
  const view = new DataView(data);
  const size = view.getUint32(4, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 8, size)));
  let at = 8 + size;
  for (const body of head.bodies) {
    body.outer = body.rings.reduce((a, b) => a + b, 0);
    body.count = body.outer + body.inner;
    const xy = new Uint16Array(data, at, 2 * body.count);
    body.grid = xy;
    body.xy = Float32Array.from(xy, (v, i) => v * head.step_mm + (i % 2 ? head.top_mm : head.left_mm));
    at += 4 * body.count;
  }
  for (const body of head.bodies) {
    body.face = new Uint16Array(data.slice(at, at + 6 * body.triangles));
    at += 6 * body.triangles;
    body.tops = topsOf(body);
  }
  readSolids(data, head, at);
  return { bodies: [...head.bodies, ...(head.solids ?? [])], head };
}

// Parts that are no prisms, and surfaces whose steps are sanded away.
function readSolids(data, head, at) {
  at += at % 4 ? 4 - (at % 4) : 0;
  const smooth = head.sanded ?? [];
  const stepped = new Set(smooth.map((body) => body.piece));
  for (const body of [...(head.solids ?? []), ...smooth]) {
    Object.assign(body, facets(body, new Float32Array(data.slice(at, at + 36 * body.triangles)), head));
    at += 36 * body.triangles;
    const same = body.lift ? body : head.bodies.find((b) => b.piece === body.piece);
    body.order = same?.order ?? 0;
    body.lift = inScene(same?.lift ?? [0, 0, 0]);
  }
  for (const body of head.bodies) body.stepped = stepped.has(body.piece);
}

// Triangles, each with its own light.
function facets(body, xyz, head) {
  const [place, normal, uv] = [[], [], []];
  const turn = (body.grain * Math.PI) / 180,
    [cos, sin] = [Math.cos(turn), Math.sin(turn)];
  for (let i = 0; i < xyz.length; i += 9) {
    const [a, b, c] = [0, 3, 6].map((n) => inScene([...xyz.subarray(i + n, i + n + 3)], head.space.middle));
    const out = cross([b[0] - a[0], b[1] - a[1], b[2] - a[2]], [c[0] - a[0], c[1] - a[1], c[2] - a[2]]);
    const long = Math.hypot(...out) || 1;
    for (const p of [a, b, c]) {
      place.push(...p);
      normal.push(out[0] / long, out[1] / long, out[2] / long);
      const [along, up] = [p[0] + p[2], p[1]];
      uv.push((cos * along + sin * up) / TILE_MM[0], (cos * up - sin * along) / TILE_MM[1]);
    }
  }
  const faces = Array.from({ length: place.length / 3 }, (_, i) => i);
  return { place, normal, uv, faces, parts: [faces, [], []] };
}

// A place of the work's space (x right, y to the back, z up) as the scene has it, or a way there.
function inScene([x, y, z], middle = [0, 0, 0]) {
  return [x - middle[0], z - middle[2], middle[1] - y];
}

const ALL = 1e9;
const ends = (grid, a, b) => `${grid[2 * a]},${grid[2 * a + 1]},${grid[2 * b]},${grid[2 * b + 1]}`;

// Every wall by its ends, with its body's floor and how low its top comes: what lies beside it runs the other way.
function wallsOf(bodies) {
  const walls = new Map();
  for (const { rings, grid, floor, tops } of bodies) {
    let start = 0;
    for (const ring of rings) {
      for (let i = 0; i < ring; i++) {
        const [a, b] = [start + i, start + ((i + 1) % ring)];
        walls.set(ends(grid, a, b), { floor, low: Math.min(tops[a], tops[b]) });
      }
      start += ring;
    }
  }
  return walls;
}

// Floor, top and walls, none sharing its corners with another, so that each has its own light; x to the right, y up, z
// towards whoever looks.
function shape(body, head, walls) {
  const n = body.count;
  const place = [],
    normal = [],
    uv = [];
  const turn = (body.grain * Math.PI) / 180,
    cos = Math.cos(turn),
    sin = Math.sin(turn);
  const { pose } = body;
  const turned = (x, y, z) => [0, 3, 6].map((r) => pose[r] * x + pose[r + 1] * y + pose[r + 2] * z);
  const corner = (i, z, nx, ny, nz) => {
    const x = body.xy[2 * i] - head.width_mm / 2,
      y = head.height_mm / 2 - body.xy[2 * i + 1];
    if (pose) {
      const at = turned(body.xy[2 * i], -body.xy[2 * i + 1], z);
      place.push(...inScene([at[0] + pose[9], at[1] + pose[10], at[2] + pose[11]], head.space.middle));
      normal.push(...inScene(turned(nx, ny, nz)));
    } else {
      place.push(x, y, z);
      normal.push(nx, ny, nz);
    }
    uv.push((cos * x + sin * y) / TILE_MM[0] + body.piece * 0.37, (cos * y - sin * x) / TILE_MM[1]);
    return place.length / 3 - 1;
  };
  const { tops } = body;
  const out = outwards(body);
  for (let i = 0; i < n; i++) corner(i, body.floor, 0, 0, -1);
  for (let i = 0; i < n; i++) {
    // a rounded edge leans outwards at its foot, and its light runs smoothly up to the flat top
    const [x, y, z] = body.edge && i < body.outer ? [0.8 * out[2 * i], 0.8 * out[2 * i + 1], 0.6] : leaning(body, i);
    corner(i, tops[i], x, y, z);
  }
  const faces = [],
    hidden = [],
    floor = [];
  for (let i = 0; i < body.face.length; i += 3) {
    const [a, b, c] = body.face.subarray(i, i + 3);
    // the picture's y runs down: here it is turned up, and with it the way a face goes round
    faces.push(c + n, b + n, a + n);
    floor.push(a, b, c);
  }
  let start = 0;
  for (const ring of body.rings) {
    for (let i = 0; i < ring; i++) {
      const a = start + i,
        b = start + ((i + 1) % ring);
      const dx = body.xy[2 * b] - body.xy[2 * a],
        dy = body.xy[2 * b + 1] - body.xy[2 * a + 1];
      const long = Math.hypot(dx, dy) || 1,
        side = [dy / long, dx / long, 0];
      const [p, q] = [corner(a, body.floor, ...side), corner(b, body.floor, ...side)];
      const [r, s] = [corner(a, tops[a], ...side), corner(b, tops[b], ...side)];
      const beside = walls.get(ends(body.grid, b, a));
      const covered = beside && beside.floor <= body.floor + 0.01 && beside.low >= Math.max(tops[a], tops[b]) - 0.01;
      (covered ? hidden : faces).push(s, q, p, r, s, p);
    }
    start += ring;
  }
  if (pose) {
    body.rim = [];
    let from = 0;
    for (const ring of body.rings) {
      for (let i = 0; i < ring; i++) {
        const [a, b] = [from + i, from + ((i + 1) % ring)];
        for (const k of [a, b, a + n, b + n]) body.rim.push(...place.slice(3 * k, 3 * k + 3));
        if (sharp(body.xy, from, ring, i)) for (const k of [a, a + n]) body.rim.push(...place.slice(3 * k, 3 * k + 3));
      }
      from += ring;
    }
  }
  const parts = pose ? [[...faces, ...floor], hidden, []] : [faces, hidden, floor];
  Object.assign(body, { faces: parts.flat(), parts, place, normal, uv });
}

// Whether an outline has a corner at a point.
function sharp(xy, from, ring, i) {
  const at = (k) => from + ((i + k + ring) % ring);
  const [a, b, c] = [at(-1), at(0), at(1)].map((k) => [xy[2 * k], xy[2 * k + 1]]);
  const [ux, uy, vx, vy] = [b[0] - a[0], b[1] - a[1], c[0] - b[0], c[1] - b[1]];
  return Math.abs(ux * vy - uy * vx) > 0.35 * Math.hypot(ux, uy) * Math.hypot(vx, vy);
}

// Edges of parts that stand: without them wood of one colour runs together.
function rimmed(THREE, bodies, shared) {
  const all = { place: [], lift: [], order: [], step: [] };
  for (const body of bodies) {
    if (!body.rim) continue;
    for (const v of body.rim) all.place.push(v);
    for (let i = 0; i < body.rim.length / 3; i++) {
      all.lift.push(...body.lift);
      all.order.push(body.order);
      all.step.push(body.stepped ? 1 : 0);
    }
  }
  const made = new THREE.BufferGeometry();
  made.setAttribute("position", new THREE.Float32BufferAttribute(all.place, 3));
  made.setAttribute("lift", new THREE.Float32BufferAttribute(all.lift, 3));
  made.setAttribute("order", new THREE.Float32BufferAttribute(all.order, 1));
  made.setAttribute("step", new THREE.Float32BufferAttribute(all.step, 1));
  const lines = new THREE.LineSegments(
    made,
    new THREE.ShaderMaterial({
      vertexShader: EDGES,
      fragmentShader: "void main() { gl_FragColor = vec4(0.13, 0.1, 0.08, 1.0); }",
      uniforms: { ...shared, stepped: { value: 1 } },
    }),
  );
  lines.frustumCulled = false;
  return lines;
}

// How far along its slope a point of a body lies, 0 at the high end, 1 at the low one.
function along({ slope: [x0, y0, x1, y1] }, x, y) {
  const wx = x1 - x0,
    wy = y1 - y0;
  return ((x - x0) * wx + (y - y0) * wy) / (wx * wx + wy * wy);
}

// The height of every point of a body's upper side.
function topsOf(body) {
  return Array.from({ length: body.count }, (_, i) => {
    let top = body.top;
    if (body.slope) {
      const share = Math.min(1, Math.max(0, along(body, body.xy[2 * i], body.xy[2 * i + 1])));
      top = Math.min(top, body.slope[4] + share * (body.slope[5] - body.slope[4]));
    }
    return body.edge && i < body.outer ? Math.max(top - body.edge, body.floor + LEAST_WALL_MM) : top;
  });
}

// Which way a top looks at a point: straight up, or leaning where it is carved.
function leaning(body, i) {
  if (!body.slope) return [0, 0, 1];
  const share = along(body, body.xy[2 * i], body.xy[2 * i + 1]);
  if (share < -0.01 || share > 1.01) return [0, 0, 1];
  const [x0, y0, x1, y1, high, low] = body.slope;
  const far = Math.hypot(x1 - x0, y1 - y0),
    fall = (high - low) / far,
    long = Math.hypot(1, fall);
  return [(fall * (x1 - x0)) / far / long, (-fall * (y1 - y0)) / far / long, 1 / long];
}

// For every point of the outline the way out of the body, between its two walls.
function outwards(body) {
  const out = new Float32Array(2 * body.outer);
  let start = 0;
  for (const ring of body.rings) {
    for (let i = 0; i < ring; i++) {
      const [a, b] = [start + ((i + ring - 1) % ring), start + ((i + 1) % ring)];
      const dx = body.xy[2 * b] - body.xy[2 * a],
        dy = body.xy[2 * b + 1] - body.xy[2 * a + 1];
      const long = Math.hypot(dx, dy) || 1;
      out[2 * (start + i)] = dy / long;
      out[2 * (start + i) + 1] = dx / long;
    }
    start += ring;
  }
  return out;
}

const LEAST_WALL_MM = 0.05;
const TILE_MM = [128, 64];

// All bodies of one wood are one mesh: whoever has no graphics card is slowed down most by their number.
function grouped(THREE, bodies, woods, shared, quick, ready) {
  const codes = new Map();
  for (const body of bodies) {
    const code = !body.piece ? "ply" : woods[body.wood] || body.role === "resin" ? body.wood : "";
    codes.set(code, [...(codes.get(code) ?? []), body]);
  }
  const material = woodMaterials(THREE, woods, shared, quick, ready);
  return [...codes].map(([code, own]) => {
    const all = { place: [], normal: [], uv: [], lift: [], order: [], step: [], tone: [] },
      index = [[], [], []],
      ranges = [];
    for (const body of own) {
      const first = all.order.length,
        count = body.place.length / 3;
      for (const name of ["place", "normal", "uv"]) for (const v of body[name]) all[name].push(v);
      for (let i = 0; i < count; i++) {
        all.lift.push(...body.lift);
        all.order.push(body.order);
        all.step.push(body.stepped ? 1 : 0);
        all.tone.push(body.tone ?? 1);
      }
      body.parts.forEach((part, n) => part.forEach((i) => index[n].push(first + i)));
      ranges.push([body, first, count]);
    }
    const made = new THREE.BufferGeometry();
    made.setAttribute("position", new THREE.Float32BufferAttribute(all.place, 3));
    made.setAttribute("normal", new THREE.Float32BufferAttribute(all.normal, 3));
    made.setAttribute("uv", new THREE.Float32BufferAttribute(all.uv, 2));
    made.setAttribute("lift", new THREE.Float32BufferAttribute(all.lift, 3));
    made.setAttribute("order", new THREE.Float32BufferAttribute(all.order, 1));
    made.setAttribute("step", new THREE.Float32BufferAttribute(all.step, 1));
    made.setAttribute("tone", new THREE.Float32BufferAttribute(all.tone, 1));
    made.setAttribute("mark", new THREE.Float32BufferAttribute(new Float32Array(all.order.length), 1));
    made.setIndex(index.flat());
    const mesh = new THREE.Mesh(made, material(code));
    mesh.userData.counts = [index[0].length, index[0].length + index[1].length];
    mesh.frustumCulled = false;
    // what mostly lies behind comes last: hidden points cost nothing then
    mesh.renderOrder = code === "ply" ? 1 : 0;
    mesh.userData.ranges = ranges;
    return mesh;
  });
}

// The body that a ray meets first (Moller and Trumbore, 1997), each as far apart as it is shown.
function nearest(bodies, from, way, apart) {
  let best = null,
    least = Infinity;
  for (const body of bodies) {
    const origin = from.map((v, i) => v - apart * body.lift[i]);
    const { place: p, faces } = body;
    for (let i = 0; i < faces.length; i += 3) {
      const [a, b, c] = [3 * faces[i], 3 * faces[i + 1], 3 * faces[i + 2]];
      const e1 = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]],
        e2 = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
      const h = cross(way, e2),
        det = dot(e1, h);
      if (Math.abs(det) < 1e-9) continue;
      const s = [origin[0] - p[a], origin[1] - p[a + 1], origin[2] - p[a + 2]],
        u = dot(s, h) / det;
      if (u < 0 || u > 1) continue;
      const q = cross(s, e1),
        v = dot(way, q) / det;
      if (v < 0 || u + v > 1) continue;
      const far = dot(e2, q) / det;
      if (far > 0 && far < least) {
        least = far;
        best = body;
      }
    }
  }
  return best;
}

const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];

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

// Where a corner comes to lie while parts are drawn apart or come to their places.
const COMING = `
  uniform float apart;
  uniform float played;
  uniform float reach;
  uniform float stepped;
  attribute vec3 lift;
  attribute float order;
  attribute float step;
  vec3 there() {
    // what is not down yet comes on its way, or is not to be seen
    float coming = clamp(order - played, 0.0, 1.0);
    vec3 way = length(lift) > 0.001 ? normalize(lift) : vec3(0.0, 0.0, 1.0);
    float gone = coming >= 1.0 || step > stepped + 0.5 ? 0.0 : 1.0;
    return (position + apart * lift + reach * coming * way) * gone;
  }`;
const EDGES =
  COMING +
  `
  void main() {
    gl_Position = projectionMatrix * modelViewMatrix * vec4(there(), 1.0);
    // a little nearer than the faces that they bound
    gl_Position.z -= 0.0001 * gl_Position.w;
  }`;

// Light is worked out at the corners: without a graphics card every point of the picture costs.
const CORNERS =
  COMING +
  `
  uniform vec3 lamp;
  attribute float mark;
  attribute float tone;
  varying vec2 at;
  varying float light;
  varying float lit;
  void main() {
    at = uv;
    lit = mark;
    light = tone * (0.56 + 0.1 * normal.z + 0.46 * max(dot(normal, lamp), 0.0));
    gl_Position = projectionMatrix * modelViewMatrix * vec4(there(), 1.0);
  }`;
const POINTS = `
  uniform sampler2D wood;
  uniform vec3 tint;
  varying vec2 at;
  varying float light;
  varying float lit;
  void main() {
    vec3 seen = lit > 0.5 ? vec3(0.82, 0.28, 0.11) : texture2D(wood, at).rgb * tint;
    gl_FragColor = vec4(seen * light, 1.0);
  }`;

function woodMaterials(THREE, woods, shared, quick, ready) {
  const loader = new THREE.TextureLoader();
  const white = new THREE.DataTexture(new Uint8Array([255, 255, 255, 255]), 1, 1);
  white.needsUpdate = true;
  return (code) => {
    const wood = woods[code] ? loader.load(woods[code].tile, ready) : white;
    if (woods[code]) {
      wood.wrapS = wood.wrapT = THREE.RepeatWrapping;
      wood.minFilter = quick ? THREE.LinearMipmapNearestFilter : THREE.NearestMipmapNearestFilter;
      if (!quick) wood.magFilter = THREE.NearestFilter;
    }
    return new THREE.ShaderMaterial({
      vertexShader: CORNERS,
      fragmentShader: POINTS,
      uniforms: {
        ...shared,
        stepped: { value: 1 },
        wood: { value: wood },
        // resin is told by its colour
        tint: { value: new THREE.Color(TINTS[code] ?? (code.startsWith("#") ? code : 0xffffff)) },
      },
    });
  };
}
