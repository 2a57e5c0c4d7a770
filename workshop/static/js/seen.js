// Small panels of works, drawn once they come into view.
import { Panel } from "./panel.js";

const woods = () => JSON.parse(document.getElementById("woods").textContent);
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

function draw(thumb) {
  const read = (answer) => (answer.ok ? answer.json() : Promise.reject(answer.status));
  fetch(thumb.dataset.thumb)
    .then(read)
    .then((shapes) => {
      new Panel(thumb).show(shapes, { pieces: shapes.dress.pieces, marks: shapes.dress.marks ?? [] }, woods());
      thumb.dataset.ready = "yes";
    })
    .catch(() => {
      thumb.dataset.ready = "no";
    });
}

export function watch(within) {
  for (const thumb of within.querySelectorAll("[data-thumb]")) seen.observe(thumb);
}
