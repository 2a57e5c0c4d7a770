// The shelf: small panels of the works, and a drawing dropped on the paper.
import { Panel } from "./panel.js";
import "./said.js";
import "./keys.js";

const woods = JSON.parse(document.getElementById("woods").textContent);
// Pictures on the shelf share one scale, and each stands over its own tag.
const works = [...document.querySelectorAll(".works .thumb")];
const sizes = works.map((thumb) => [Number(thumb.dataset.width), Number(thumb.dataset.height)]);
const scale = Math.min(250 / Math.max(...sizes.map((s) => s[1])), 400 / Math.max(...sizes.map((s) => s[0])));
works.forEach((thumb, i) => {
  const [width, height] = sizes[i].map((mm) => mm * scale);
  Object.assign(thumb.style, { width: `${width}px`, height: `${height}px` });
  const cell = `${Math.max(width, 206)}px`;
  thumb.closest("li").style.width = document.querySelectorAll(".tags li")[i].style.width = cell;
});

for (const thumb of document.querySelectorAll(".thumb")) {
  Promise.all([thumb.dataset.shapes, thumb.dataset.dress].map((url) => fetch(url).then((answer) => answer.json()))).then(([shapes, dress]) => {
    new Panel(thumb).show(shapes, { pieces: dress.pieces, marks: [] }, woods);
    thumb.dataset.ready = "yes";
  });
}

const bring = document.getElementById("bring");
const file = bring.querySelector("input[type=file]");
const told = () => { bring.querySelector(".picked").textContent = file.files[0]?.name ?? ""; };
file.addEventListener("change", told);
for (const kind of ["dragover", "dragleave", "drop"]) {
  bring.addEventListener(kind, (event) => { event.preventDefault(); bring.classList.toggle("over-it", kind === "dragover"); });
}
bring.addEventListener("drop", (event) => { if (event.dataTransfer.files.length) { file.files = event.dataTransfer.files; told(); } });
