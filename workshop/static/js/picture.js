// The picture of the result on the panel: fetched again when the work changes, sharper when one comes nearer.
const STEP_PX = 100,
  MOST_PX = 2400,
  REST_MS = 160;

export function pictured(panel) {
  const { element } = panel;
  let shown = "",
    loading = false,
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
    const lamp = panel.lamp ? `&lamp=${panel.lamp}` : "";
    return `${base()}&w=${Math.min(MOST_PX, Math.max(300, wide))}${tried}${lamp}`;
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
    loading = true;
    image.onerror = () => {
      loading = false;
    };
    image.onload = () => {
      if (url !== shown) return;
      loading = false;
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
  // one picture at a time while the lamp moves; the last place of the hand comes when the one before is drawn
  element.addEventListener("panel:lamp", () => {
    if (!loading) fetchPicture();
  });
  document.body.addEventListener("input", ({ target }) => {
    if (target.id === "wipe") {
      panel.scene.wipe = target.value / 100;
      panel.redraw();
    }
  });
}
