// A card at the bench: the piece close up, and a clock that only shows what the workshop keeps.
import { Panel } from "./panel.js";
import { playing } from "./way.js";

const view = document.querySelector(".view");
if (view) {
  const { dress, ...shapes } = JSON.parse(document.getElementById("scene").textContent);
  const panel = new Panel(view);
  const key = Number(view.dataset.piece);
  panel.show(shapes, dress, JSON.parse(document.getElementById("woods").textContent));
  if (key) {
    // what is to be seen with it, or some room round it
    const beside = view.dataset.focus?.split(" ").map(Number);
    const [x0, y0, x1, y1] = beside ?? panel.shape(key).box;
    const room = beside ? 4 : 0.35 * Math.max(x1 - x0, y1 - y0) + 4;
    panel.focus = [x0 - room, y0 - room, x1 + room, y1 + room];
    panel.chosen = new Set([key]);
    panel.fit();
  }
}

const clock = document.querySelector(".clockrow .time");
if (clock) {
  const seconds = Number(clock.dataset.seconds),
    since = performance.now();
  const asks = document.querySelector(".asks");
  const tell = () => {
    const now = Math.floor(seconds + (performance.now() - since) / 1000);
    const two = (n) => String(n).padStart(2, "0");
    const hours = Math.floor(now / 3600),
      minutes = Math.floor(now / 60) % 60,
      rest = two(now % 60);
    clock.textContent = hours ? `${hours}:${two(minutes)}:${rest}` : `${minutes}:${rest}`;
    if (now > Number(asks.dataset.after)) asks.hidden = asks.disabled = false;
  };
  const typed = asks.querySelector("[value=typed]");
  asks.querySelector("[name=minutes]").addEventListener("input", () => {
    typed.checked = true;
  });
  if (clock.dataset.running === "yes") setInterval(tell, 500);
}

// The way of the blade in place of the picture, stroke by stroke, and back.
const strokes = document.querySelector("[data-strokes]");
if (strokes) {
  const box = document.getElementById("stroke");
  const read = playing(view);
  strokes.addEventListener("click", () => {
    const open = !view.dataset.way;
    if (open) view.dataset.way = box.dataset.address;
    else delete view.dataset.way;
    for (const part of box.querySelectorAll("p, [data-play]")) part.hidden = !open;
    strokes.textContent = open ? "on the picture" : "stroke by stroke";
    read();
  });
}
