// What hands do on the panel: click, add, drag a rectangle, pan, zoom, turn the arrow.
const ARROW_REACH_PX = 14;

export function hands(panel, { turned }) {
  const { element } = panel;
  let press = null;

  element.addEventListener("pointerdown", (event) => {
    if (event.target.closest("button")) return;
    element.focus({ preventScroll: true });
    element.setPointerCapture(event.pointerId);
    const [x, y] = panel.toScene(event);
    const pan = event.button === 1 || event.button === 2 || panel.spaceHeld;
    press = {
      x,
      y,
      clientX: event.clientX,
      clientY: event.clientY,
      view: panel.view,
      mode: pan ? "pan" : onArrowTip(event) ? "turn" : "choose",
    };
    if (pan) event.preventDefault();
  });

  element.addEventListener("pointermove", (event) => {
    if (!press) return;
    const dx = event.clientX - press.clientX,
      dy = event.clientY - press.clientY;
    press.moved ||= Math.hypot(dx, dy) > 4;
    if (!press.moved) return;
    if (press.mode === "pan")
      panel.move({ ...press.view, x: press.view.x + dx * panel.ratio, y: press.view.y + dy * panel.ratio });
    if (press.mode === "turn") {
      panel.drag.grain = angleTo(event);
      panel.marks();
    }
    if (press.mode === "choose") {
      panel.drag.box = [press.x, press.y, ...panel.toScene(event)];
      panel.marks();
    }
  });

  element.addEventListener("pointerup", (event) => {
    if (!press) return;
    const { mode, moved, x, y } = press;
    const { box, grain } = panel.drag;
    press = null;
    panel.drag.box = undefined;
    panel.drag.grain = undefined;
    if (mode === "turn" && grain !== undefined) return turned(grain);
    if (mode === "pan" && moved) return;
    const add = event.shiftKey || event.ctrlKey || event.metaKey;
    const keys = box ? panel.within(box) : [panel.at(x, y)?.key].filter(Boolean);
    const chosen = new Set(add ? panel.chosen : []);
    for (const key of keys)
      if (add && !box && chosen.has(key)) chosen.delete(key);
      else chosen.add(key);
    panel.choose(chosen);
  });

  element.addEventListener("pointercancel", () => {
    press = null;
    panel.drag.box = panel.drag.grain = undefined;
    panel.marks();
  });
  element.addEventListener("contextmenu", (event) => event.preventDefault());

  element.addEventListener(
    "wheel",
    (event) => {
      event.preventDefault();
      const box = element.getBoundingClientRect();
      const x = (event.clientX - box.left) * panel.ratio,
        y = (event.clientY - box.top) * panel.ratio;
      if (event.shiftKey) panel.move({ ...panel.view, x: panel.view.x - event.deltaY * panel.ratio });
      else panel.zoom(Math.exp(-event.deltaY * 0.0015), x, y);
    },
    { passive: false },
  );

  document.addEventListener("keydown", (event) => {
    if (event.code === "Space" && document.activeElement === element) {
      panel.spaceHeld = true;
      event.preventDefault();
    }
  });
  document.addEventListener("keyup", (event) => {
    if (event.code === "Space") panel.spaceHeld = false;
  });

  function one() {
    return panel.chosen.size === 1 ? panel.shape([...panel.chosen][0]) : null;
  }

  function angleTo(event) {
    const shape = one();
    const [x, y] = panel.toScene(event);
    return Math.round(((Math.atan2(shape.y - y, x - shape.x) * 180) / Math.PI + 360) % 360);
  }

  function onArrowTip(event) {
    const shape = panel.drag.arrows && one();
    if (!shape || !panel.scene.dress.pieces[shape.key]?.[0]) return false;
    const grain = ((panel.scene.dress.pieces[shape.key]?.[1] ?? 0) * Math.PI) / 180;
    const reach = Math.max(0.8 * shape.r, 22 / panel.view.scale);
    return [1, -1].some((way) => {
      const [px, py] = panel.toPage(shape.x + way * reach * Math.cos(grain), shape.y - way * reach * Math.sin(grain));
      return Math.hypot(event.clientX - px, event.clientY - py) < ARROW_REACH_PX;
    });
  }
}
