// The lamp over the picture of the result: its bead is drawn round the work, and lower towards the rim.
const RADIUS = 40,
  HIGHEST = 85,
  LOWEST = 8;
const SIDES = "right,upper right,top,upper left,left,lower left,bottom,lower right".split(",");

export function lamped(panel) {
  const { element } = panel;
  let turn = 135,
    high = 40,
    held = false,
    box = null;

  function lay() {
    const slot = document.getElementById("lamp");
    if (!slot) {
      box = null;
      return;
    }
    if (slot === box) return;
    box = slot;
    box.innerHTML =
      `<svg viewBox="-52 -52 104 104" width="104" height="104"><circle class="rim" r="${RADIUS}"/>` +
      `<circle class="ring" r="${RADIUS * 0.58}"/><path class="work" d="M-11-7H11V7H-11Z"/><path class="ray"/>` +
      '<g class="bead" tabindex="0" role="slider" aria-label="The lamp" aria-valuemin="0" aria-valuemax="359">' +
      '<circle class="hold" r="16"/><circle class="glow" r="9"/></g></svg><span></span>';
    hear(box.querySelector("svg"), box.querySelector(".bead"));
    draw();
  }

  function draw() {
    const far = (RADIUS * (HIGHEST - high)) / (HIGHEST - LOWEST),
      around = (turn * Math.PI) / 180;
    const x = far * Math.cos(around),
      y = -far * Math.sin(around);
    const bead = box.querySelector(".bead");
    bead.setAttribute("transform", `translate(${x.toFixed(1)} ${y.toFixed(1)})`);
    box.querySelector(".ray").setAttribute("d", `M${x.toFixed(1)} ${y.toFixed(1)}L0 0`);
    const side = SIDES[Math.round(turn / 45) % 8];
    const words = high > 75 ? "from overhead" : `${high < 25 ? "low, " : ""}from the ${side}`;
    bead.setAttribute("aria-valuenow", turn);
    bead.setAttribute("aria-valuetext", `${words}, ${high} degrees high`);
    box.querySelector("span").textContent = words;
  }

  function move(to, up) {
    turn = ((Math.round(to) % 360) + 360) % 360;
    high = Math.min(HIGHEST, Math.max(LOWEST, Math.round(up)));
    panel.lamp = `${turn},${high}`;
    draw();
    element.dispatchEvent(new CustomEvent("panel:lamp"));
  }

  function follow(svg, event) {
    const at = svg.getBoundingClientRect(),
      scale = 104 / at.width;
    const x = (event.clientX - at.left - at.width / 2) * scale,
      y = (event.clientY - at.top - at.height / 2) * scale;
    const far = Math.min(RADIUS, Math.hypot(x, y));
    move((Math.atan2(-y, x) * 180) / Math.PI, HIGHEST - (far / RADIUS) * (HIGHEST - LOWEST));
  }

  function hear(svg, bead) {
    svg.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      svg.setPointerCapture(event.pointerId);
      held = true;
      bead.focus({ preventScroll: true });
      follow(svg, event);
    });
    svg.addEventListener("pointermove", (event) => {
      if (held) follow(svg, event);
    });
    for (const end of ["pointerup", "pointercancel"])
      svg.addEventListener(end, () => {
        held = false;
      });
    bead.addEventListener("keydown", (event) => {
      const by = { ArrowLeft: [15, 0], ArrowRight: [-15, 0], ArrowUp: [0, 6], ArrowDown: [0, -6] }[event.key];
      if (!by) return;
      event.preventDefault();
      event.stopPropagation();
      move(turn + by[0], high + by[1]);
    });
  }

  document.body.addEventListener("htmx:afterSettle", lay);
  lay();
}
