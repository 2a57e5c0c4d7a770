// A wood held against the picture: while the hand rests on a swatch, the chosen pieces are seen in it. Nothing is
// given.
const REST_MS = 90;

export function tryingOn(panel, runsOf) {
  let soon,
    shown = null;

  function hold(code) {
    const dress = panel.scene.dress;
    if (!code || !panel.chosen.size) {
      if (shown) {
        const { before } = shown;
        shown = null;
        panel.trying = null;
        panel.wear(before);
      }
      return;
    }
    if (shown?.code === code) return;
    const before = shown?.before ?? dress;
    const pieces = { ...before.pieces };
    for (const key of panel.chosen) {
      const [, grain, tone, label, arrow, strong, colour] = pieces[key] ?? ["", 0, "full", "", 0, 0, ""];
      pieces[key] = [code, grain, tone, label, arrow, strong, colour];
    }
    shown = { code, before };
    panel.trying = { wood: code, pieces: runsOf(panel.chosen) };
    panel.wear({ ...before, pieces });
  }

  const swatch = (event) => event.target.closest?.("[data-wood], .woodshelf button[value]");
  const code = (button) => button?.dataset.wood ?? button?.value ?? null;
  for (const type of ["pointerover", "focusin"])
    document.body.addEventListener(type, (event) => {
      clearTimeout(soon);
      const found = code(swatch(event));
      soon = setTimeout(() => hold(found), REST_MS);
    });
  // what is given, or another choice, is drawn by the answer: nothing is held any more
  for (const type of ["htmx:beforeRequest", "panel:chosen"])
    document.body.addEventListener(type, () => {
      clearTimeout(soon);
      shown = null;
      panel.trying = null;
    });
}
