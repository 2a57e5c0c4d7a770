// A seam at the bench, close up.
import { Panel } from "./panel.js";

const view = document.querySelector(".view");
if (view) {
  const { dress, ...shapes } = JSON.parse(document.getElementById("scene").textContent);
  const panel = new Panel(view);
  panel.show(shapes, dress, JSON.parse(document.getElementById("woods").textContent));
  const [x0, y0, x1, y1] = view.dataset.focus.split(" ").map(Number);
  const room = 4;
  panel.focus = [x0 - room, y0 - room, x1 + room, y1 + room];
  panel.chosen = new Set([Number(view.dataset.piece)]);
  panel.fit();
}
