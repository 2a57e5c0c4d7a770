// The shelf: small panels of the works, drawn once they come into view, and a drawing dropped on the paper.
import { watch } from "./seen.js";
import "./said.js";
import "./keys.js";

const ROOM = { tall: 210, low: 150, wide: 216 };
const FEW = 6;

// Pictures on the shelf share one scale, and each stands over its own tag.
function hang() {
  const works = [...document.querySelectorAll(".works a.thumb")];
  if (!works.length) return;
  const sizes = works.map((thumb) => [Number(thumb.dataset.width), Number(thumb.dataset.height)]);
  const high = works.length > FEW ? ROOM.low : ROOM.tall;
  const scale = Math.min(high / Math.max(...sizes.map((s) => s[1])), ROOM.wide / Math.max(...sizes.map((s) => s[0])));
  works.forEach((thumb, i) => {
    const [width, height] = sizes[i].map((mm) => Math.max(mm * scale, 24));
    Object.assign(thumb.style, { width: `${width}px`, height: `${height}px` });
  });
}

hang();
watch(document);
// a tag that was worked out afresh comes with its picture
document.body.addEventListener("htmx:afterSettle", (event) => {
  hang();
  watch(event.detail.elt.parentElement ?? document);
});

const bring = document.getElementById("bring");
const file = bring.querySelector("input[type=file]");
const told = () => {
  bring.querySelector(".picked").textContent = file.files[0]?.name ?? "";
};
file.addEventListener("change", told);
for (const kind of ["dragover", "dragleave", "drop"]) {
  bring.addEventListener(kind, (event) => {
    event.preventDefault();
    bring.classList.toggle("over-it", kind === "dragover");
  });
}
bring.addEventListener("drop", (event) => {
  if (event.dataTransfer.files.length) {
    file.files = event.dataTransfer.files;
    told();
  }
});
