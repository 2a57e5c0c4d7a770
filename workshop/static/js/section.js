// The line of the section: lies over the panel, its ends or the whole of it can be dragged, and the drawing follows.
const EDGE_PX = 12;
const NS = "http://www.w3.org/2000/svg";

export function sectioned(panel, runsOf) {
  const { element } = panel;
  if (!document.querySelector("[data-section]")) return;
  const svg = document.createElementNS(NS, "svg");
  svg.setAttribute("class", "sectionline");
  svg.innerHTML =
    '<path class="halo"/><path class="hold" data-end="ab"/><path class="line"/>' +
    ["a", "b"]
      .map(
        (end) =>
          `<g class="handle" data-end="${end}" tabindex="0" role="slider" aria-valuenow="0" ` +
          `aria-label="End ${end.toUpperCase()} of the section line"><circle r="11"/>` +
          `<text dy="4.5">${end.toUpperCase()}</text></g>`,
      )
      .join("");
  element.append(svg);
  const slot = () => document.querySelector("[data-section]");
  const field = () => document.querySelector("#state [name=cut]");
  let line = null,
    asking = false,
    again = false,
    drag = null;

  function read() {
    const text = slot()?.dataset.line;
    line = text ? text.split(",").map(Number) : null;
    draw();
  }

  // Ends that lie outside the panel are held at its border, where the hand can reach them.
  function held([p, q], wide, high) {
    let [from, to] = [0, 1];
    for (const [at, by, most] of [
      [p[0], q[0] - p[0], wide],
      [p[1], q[1] - p[1], high],
    ]) {
      if (Math.abs(by) < 1e-6) continue;
      const ends = [(EDGE_PX - at) / by, (most - EDGE_PX - at) / by].sort((one, other) => one - other);
      from = Math.max(from, ends[0]);
      to = Math.min(to, ends[1]);
    }
    if (from >= to) return [p, q];
    return [from, to].map((t) => [p[0] + t * (q[0] - p[0]), p[1] + t * (q[1] - p[1])]);
  }

  function draw() {
    svg.toggleAttribute("hidden", !line || !panel.size);
    if (!line || !panel.size) return;
    const box = element.getBoundingClientRect();
    const place = (x, y) => panel.toPage(x, y).map((v, i) => v - [box.left, box.top][i]);
    const far = [place(line[0], line[1]), place(line[2], line[3])];
    const [a, b] = held(far, box.width, box.height);
    for (const path of svg.querySelectorAll("path")) path.setAttribute("d", `M${a}L${b}`);
    for (const [end, at] of [
      ["a", a],
      ["b", b],
    ]) {
      const handle = svg.querySelector(`g[data-end=${end}]`);
      handle.setAttribute("transform", `translate(${at})`);
      const [x, y] = end === "a" ? line : line.slice(2);
      handle.setAttribute("aria-valuenow", Math.round(x));
      handle.setAttribute("aria-valuetext", `${Math.round(x)}, ${Math.round(y)} mm`);
    }
  }

  // one question at a time: the last place of the hand is asked for when the answer to the one before is there
  async function ask() {
    if (asking) {
      again = true;
      return;
    }
    asking = true;
    const cut = line.map((v) => v.toFixed(1)).join(",");
    const pieces = runsOf(panel.chosen);
    const answer = await fetch(`${slot().dataset.section}?${new URLSearchParams({ cut, pieces })}`);
    if (answer.ok) {
      document.getElementById("strip").innerHTML = await answer.text();
      if (field()) field().value = cut;
      const address = new URLSearchParams(location.search);
      address.set("cut", cut);
      history.replaceState(null, "", `?${address}`);
    }
    asking = false;
    if (again) {
      again = false;
      ask();
    }
  }

  function moved(end, dx, dy) {
    // as far as the frame reaches round the work
    const out = Number(slot()?.dataset.reach ?? 0);
    const within = (v, most) => Math.min(Math.max(v, -out), most + out);
    const [x0, y0, x1, y1] = drag?.from ?? line;
    if (end === "ab") {
      const sx = within(Math.min(x0, x1) + dx, panel.scene.w - Math.abs(x1 - x0)) - Math.min(x0, x1);
      const sy = within(Math.min(y0, y1) + dy, panel.scene.h - Math.abs(y1 - y0)) - Math.min(y0, y1);
      line = [x0 + sx, y0 + sy, x1 + sx, y1 + sy];
    } else if (end === "a") line = [within(x0 + dx, panel.scene.w), within(y0 + dy, panel.scene.h), x1, y1];
    else line = [x0, y0, within(x1 + dx, panel.scene.w), within(y1 + dy, panel.scene.h)];
    if (Math.hypot(line[2] - line[0], line[3] - line[1]) < 5) line = drag?.from ?? [x0, y0, x1, y1];
    draw();
    ask();
  }

  svg.addEventListener("pointerdown", (event) => {
    const end = event.target.closest("[data-end]")?.dataset.end;
    if (!end || element.dataset.tool) return;
    event.stopPropagation();
    event.preventDefault();
    svg.setPointerCapture(event.pointerId);
    drag = { end, at: panel.toScene(event), from: [...line] };
  });
  svg.addEventListener("pointermove", (event) => {
    if (!drag) return;
    event.stopPropagation();
    const [x, y] = panel.toScene(event);
    moved(drag.end, x - drag.at[0], y - drag.at[1]);
  });
  for (const type of ["pointerup", "pointercancel"])
    svg.addEventListener(type, (event) => {
      if (!drag) return;
      event.stopPropagation();
      drag = null;
    });
  svg.addEventListener("keydown", (event) => {
    const end = event.target.closest("g")?.dataset.end;
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!end || !way) return;
    event.stopPropagation();
    event.preventDefault();
    const step = event.shiftKey ? 20 : 3;
    moved(end, way[0] * step, way[1] * step);
  });

  element.addEventListener("panel:drawn", draw);
  document.body.addEventListener("htmx:afterSettle", () => drag || read());
  read();
}
