// A work of somebody else, or a pattern of the club's: drawn once it comes into view, never changed.
import { Panel } from "./panel.js";
import "./said.js";
import "./keys.js";

const woods = JSON.parse(document.getElementById("woods").textContent);
const seen = new IntersectionObserver(
  (entries) => {
    for (const { isIntersecting, target } of entries)
      if (isIntersecting) {
        seen.unobserve(target);
        draw(target);
      }
  },
  { rootMargin: "200px" },
);

function draw(place) {
  fetch(place.dataset.scene)
    .then((answer) => (answer.ok ? answer.json() : Promise.reject(answer.status)))
    .then((shapes) => {
      new Panel(place).show(shapes, { pieces: shapes.dress.pieces, marks: shapes.dress.marks ?? [] }, woods);
      place.dataset.ready = "yes";
    })
    .catch(() => {
      place.dataset.ready = "no";
    });
}

for (const place of document.querySelectorAll("[data-scene]")) seen.observe(place);
