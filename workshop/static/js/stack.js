// The small stack beside the panel: as tall as the layers are thick, and keys that walk through it.
const stack = () => document.getElementById("stack");

function grow() {
  const across = matchMedia("(max-width:1000px)").matches;
  for (const sheet of stack().querySelectorAll(".sheet")) {
    sheet.style.height = across ? "" : `${sheet.dataset.tall}px`;
  }
}

grow();
document.body.addEventListener("htmx:oobAfterSwap", grow);
addEventListener("resize", grow);

// Page up and down go from layer to layer, the front one being the uppermost.
document.addEventListener("keydown", (event) => {
  const by = { PageUp: -1, PageDown: 1 }[event.key];
  if (!by || event.target.closest("input, select, textarea, dialog[open]")) return;
  const sheets = [...stack().querySelectorAll(".sheet")];
  if (!sheets.length) return;
  const here = sheets.findIndex((sheet) => sheet.getAttribute("aria-pressed") === "true");
  const next = here < 0 ? (by > 0 ? 0 : sheets.length - 1) : here + by;
  event.preventDefault();
  sheets[next]?.click();
});
