// A foot switch to try the bench with: what it says goes to every window of this browser that shows the bench.
const treadle = document.getElementById("treadle"),
  told = document.getElementById("treadled");
const channel = new BroadcastChannel(`ember-pedal-${treadle.dataset.uid}`);
let since = 0,
  total = 0;

const show = () => {
  told.textContent = `${(total + (since ? performance.now() - since : 0) / 1000).toFixed(1)} s of sawing`;
};
function press(down) {
  if (down === Boolean(since)) return;
  if (down) since = performance.now();
  else {
    total += (performance.now() - since) / 1000;
    since = 0;
  }
  treadle.setAttribute("aria-pressed", String(down));
  channel.postMessage({ down });
  show();
}
treadle.addEventListener("pointerdown", (event) => {
  treadle.setPointerCapture(event.pointerId);
  press(true);
});
for (const end of ["pointerup", "pointercancel"]) treadle.addEventListener(end, () => press(false));
const keys = (event) => event.key === " " || event.key === "F9";
window.addEventListener("keydown", (event) => {
  if (!keys(event) || event.repeat) return;
  event.preventDefault();
  press(true);
});
window.addEventListener("keyup", (event) => {
  if (keys(event)) press(false);
});
window.addEventListener("blur", () => press(false));
window.addEventListener("pagehide", () => press(false));
setInterval(show, 200);
