// The pictures of one pack: each a small panel; a click on a piece hands it on to the next picture.
import { Panel } from "./panel.js";
import { ready } from "./live.js";
import "./keys.js";
import "./said.js";

const json = (id) => JSON.parse(document.getElementById(id)?.textContent ?? "null");
const pictures = json("pictures"),
  woods = json("woods");

document.querySelectorAll(".packed").forEach(async (element, i) => {
  const [width, height] = element.dataset.ratio.split(" ").map(Number);
  element.style.aspectRatio = `${width} / ${height}`;
  const shapes = await fetch(element.dataset.shapes).then((answer) => answer.json());
  const panel = new Panel(element);
  panel.show(shapes, { pieces: pictures[i].pieces, marks: [] }, woods);
  ready(element);
  element.addEventListener("click", (event) => {
    const shape = panel.at(...panel.toScene(event));
    if (!shape) return;
    const form = document.getElementById("hand-on");
    form.elements.pieces.value = shape.key;
    form.requestSubmit();
  });
});

const form = document.querySelector(".packform");
form.addEventListener("submit", () => {
  form.elements.woods.value = [...form.querySelectorAll("[data-wood]")]
    .map((select) => select.value)
    .filter(Boolean)
    .join(",");
});
