// Drawing on the panel: a line to cut along, a closed line, or a drag from a junction. What is drawn is sent as it
// stands.
const HINTS = {
  line:
    "Click from border to border, or drag. <kbd>Enter</kbd> does it, <kbd>C</kbd> bends it, " +
    "<kbd>Esc</kbd> leaves it.",
  closed: "Click round it, or drag. <kbd>Enter</kbd> closes it, <kbd>C</kbd> bends it, <kbd>Esc</kbd> leaves it.",
  drag: "Take hold of a junction and drag it. <kbd>Esc</kbd> leaves it.",
  corners: "Click the four corners of the sheet from the upper left, clockwise, then <kbd>Enter</kbd>.",
  points: "Click two places whose distance you know, then <kbd>Enter</kbd>.",
  flow: "Draw the way the grain is to run, from its foot to its tip. <kbd>Enter</kbd> does it, <kbd>C</kbd> bends it.",
  mirror_arrows: "Draw the line across which the chosen arrows are mirrored, then <kbd>Enter</kbd>.",
  slope: "Draw from where it stays high to where it is carved low, then <kbd>Enter</kbd>. <kbd>Esc</kbd> leaves it.",
  stand_in: "Draw on the second part the line on which the first one stands, then <kbd>Enter</kbd>.",
  radial: "Click the point from which the grain runs outwards.",
  patch: "Click the white paper or the grey card in the photo.",
  join: "Draw across the pieces that are to be one. <kbd>Enter</kbd> does it, <kbd>Esc</kbd> leaves it.",
  move: "Draw a seam anew beside the old one, along its whole length. <kbd>Enter</kbd> does it.",
  detail:
    "Draw a line that parts nothing: burnt, painted, sawn, a vein or a texture. <kbd>Enter</kbd> does it, " +
    "<kbd>Esc</kbd> leaves it.",
  "line-here":
    "Click where the line goes on to; its ends meet what is near. <kbd>Enter</kbd> does it, <kbd>C</kbd> bends it, " +
    "<kbd>Esc</kbd> leaves it.",
  "detail-here": "Click a line that is to part nothing, or draw one, then <kbd>Enter</kbd>. <kbd>Esc</kbd> leaves it.",
  finer: "Click the piece that is to be parted by its tones. <kbd>Esc</kbd> leaves it.",
  box: "Drag a rectangle close round the figure. <kbd>Esc</kbd> leaves it.",
  inside: "Draw over what belongs to the figure. <kbd>Esc</kbd> leaves it.",
  beyond: "Draw over what does not belong to it. <kbd>Esc</kbd> leaves it.",
  bridges: "Draw the bridge from wood to wood, then <kbd>Enter</kbd>. <kbd>Esc</kbd> leaves it.",
  redetail: "Click a line that parts nothing: it is burnt, painted, sawn, a vein, a texture, and then gone.",
  more: "Drag over the place that gets more tones. <kbd>Esc</kbd> leaves it.",
};
const SNAP_PX = 9,
  STEP_PX = 3;
const POINT = new Set(["radial", "patch", "redetail", "finer"]);

export function drawing(panel, finished) {
  const { element } = panel;
  const hint = document.getElementById("hint");
  let tool = null,
    pressed = false,
    dragged = false;

  function begin(verb, closed, words, from) {
    tool = {
      verb,
      closed,
      kind: verb === "junction" || verb === "more" || verb === "box" ? "drag" : closed ? "closed" : "line",
      points: from ? [from] : [],
      curve: false,
    };
    element.dataset.tool = verb;
    hint.innerHTML = HINTS[element.dataset.hand ? `${verb}-here` : verb] ?? HINTS[verb] ?? HINTS[tool.kind];
    hint.hidden = false;
    element.setAttribute("aria-description", words);
    element.focus({ preventScroll: true });
    show();
  }

  function leave() {
    tool = null;
    pressed = false;
    delete element.dataset.tool;
    hint.hidden = true;
    panel.drag.line = undefined;
    panel.marks();
  }

  function show(next) {
    panel.drag.line = { points: next ? [...tool.points, next] : tool.points, closed: tool.closed, curve: tool.curve };
    panel.marks();
  }

  function finish() {
    const { verb, points, curve, closed } = tool;
    // one click marks the line that lies there
    if (verb === "detail" && points.length === 1) points.push(points[0]);
    if (points.length < (closed ? 3 : 2)) return;
    const snap = (SNAP_PX * panel.ratio) / panel.view.scale;
    leave();
    finished({
      verb,
      points: JSON.stringify(points.map(([x, y]) => [+x.toFixed(3), +y.toFixed(3)])),
      snap,
      ...(curve && { curve: "yes" }),
    });
  }

  document.body.addEventListener("click", (event) => {
    const button = event.target.closest("[data-tool]");
    if (!button || button === element) return;
    const from = button.dataset.from?.split(",").map(Number);
    begin(button.dataset.tool, button.dataset.closed === "yes", button.dataset.words, from);
  });

  const take = (type, act) =>
    element.addEventListener(
      type,
      (event) => {
        if (!tool || panel.spaceHeld || event.button > 0 || event.target.closest("button")) return;
        event.stopImmediatePropagation();
        act(event);
      },
      { capture: true },
    );

  take("pointerdown", (event) => {
    element.setPointerCapture(event.pointerId);
    pressed = true;
    dragged = false;
    tool.points.push(panel.toScene(event));
    show();
  });

  take("pointermove", (event) => {
    const here = panel.toScene(event);
    if (!pressed) {
      if (tool.points.length) show(here);
      return;
    }
    const last = tool.points.at(-1);
    if (tool.kind === "drag") {
      dragged = true;
      show(here);
      return;
    }
    if (Math.hypot(here[0] - last[0], here[1] - last[1]) * panel.view.scale > STEP_PX * panel.ratio) {
      dragged = true;
      tool.points.push(here);
      show();
    }
  });

  take("pointerup", (event) => {
    pressed = false;
    if (POINT.has(tool.verb)) {
      tool.points = [tool.points[0], tool.points[0]];
      finish();
      return;
    }
    if (!dragged) return;
    if (tool.kind === "drag") tool.points.push(panel.toScene(event));
    finish();
  });

  take("dblclick", () => finish());

  document.addEventListener(
    "keydown",
    (event) => {
      if (!tool || event.target.closest("input, select, textarea")) return;
      if (event.key === "Enter") finish();
      else if (event.key === "Escape") leave();
      else if (event.key.toLowerCase() === "c") {
        tool.curve = !tool.curve;
        show();
      } else if (event.key === "Backspace") {
        tool.points.pop();
        show();
      } else return;
      event.preventDefault();
      event.stopImmediatePropagation();
    },
    { capture: true },
  );
  return { begin };
}
