// The picture of the result on the panel: fetched again when the work changes, sharper when one comes nearer.
const STEP_PX = 100,
  MOST_PX = 2400,
  REST_MS = 160;

export function pictured(panel) {
  const { element } = panel;
  let shown = "",
    soon;

  const slot = () => document.getElementById("dress-slot");
  const base = () => slot()?.dataset.look;

  // where the picture lies, in mm: it holds the frame and the wall too
  const box = () => {
    const pad = Number(slot().dataset.pad);
    return [-pad, -pad, panel.scene.w + 2 * pad, panel.scene.h + 2 * pad];
  };

  function wanted() {
    const wide = Math.ceil((box()[2] * panel.view.scale) / STEP_PX) * STEP_PX;
    const tried = panel.trying
      ? `&${new URLSearchParams({ try: panel.trying.wood, pieces: panel.trying.pieces })}`
      : "";
    return `${base()}&w=${Math.min(MOST_PX, Math.max(300, wide))}${tried}`;
  }

  function fetchPicture() {
    const rendered = panel.scene.dress.rendered && base();
    element.toggleAttribute("data-pictured", Boolean(rendered && panel.scene.picture));
    if (!rendered) {
      panel.scene.picture = null;
      panel.scene.wipe = 0;
      shown = "";
      if (panel.focus) {
        panel.focus = null;
        panel.fit();
      }
      return;
    }
    const [x, y, w, h] = box();
    const focus = [x, y, x + w, y + h];
    if (String(panel.focus) !== String(focus)) {
      panel.focus = focus;
      panel.fit();
      return;
    }
    const url = wanted();
    if (url === shown) return;
    shown = url;
    const image = new Image();
    image.onload = () => {
      if (url !== shown) return;
      panel.scene.picture = { image, box: box() };
      element.toggleAttribute("data-pictured", true);
      panel.redraw();
    };
    image.src = url;
  }

  element.addEventListener("panel:drawn", () => {
    clearTimeout(soon);
    soon = setTimeout(fetchPicture, panel.scene.picture ? REST_MS : 0);
  });
  document.body.addEventListener("input", ({ target }) => {
    if (target.id === "wipe") {
      panel.scene.wipe = target.value / 100;
      panel.redraw();
    }
  });
}
