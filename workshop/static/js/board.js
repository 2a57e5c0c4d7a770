// A board: its face with what is marked on it, and the photo that becomes its face.
import { Panel } from "./panel.js";
import { BoardFace } from "./boardface.js";
import { drawing } from "./draw.js";
import "./keys.js";
import "./said.js";

const json = (id) => JSON.parse(document.getElementById(id).textContent);
const setting = json("setting"),
  marks = json("marks");
const element = document.getElementById("panel");
const photoForm = document.getElementById("photo"),
  defectForm = document.getElementById("defect");

// the face is drawn by itself; a panel without pieces lies over it and takes the hands
const face = new BoardFace(element, { ...setting, url: setting.face });
const panel = new Panel(element);
let showing = "face",
  picture = null;
panel.show({ w: setting.length, h: setting.width, shapes: [] }, { pieces: {}, marks: [] }, {});

function show(what) {
  showing = what;
  for (const button of document.querySelectorAll("[data-show]"))
    button.setAttribute("aria-pressed", button.dataset.show === what);
  const photo = what === "photo";
  face.canvas.hidden = photo;
  panel.scene.underlay =
    photo && picture ? { image: picture, box: [0, 0, picture.naturalWidth, picture.naturalHeight] } : null;
  Object.assign(
    panel.scene,
    photo && picture ? { w: picture.naturalWidth, h: picture.naturalHeight } : { w: setting.length, h: setting.width },
  );
  panel.element.dataset.pad = photo ? 0 : 8;
  panel.scene.dress.marks = photo ? photoMarks() : [];
  panel.fit();
}

// what was marked before, where it lies in the photo
function photoMarks() {
  const place = ([x, y]) => `${x * picture.naturalWidth} ${y * picture.naturalHeight}`;
  const rings = ["corners", "outline"]
    .filter((name) => marks[name]?.length > 2)
    .map((name) => ({ kind: "guide", path: `M${marks[name].map(place).join("L")}Z` }));
  const line = marks.points?.length > 1 ? [{ kind: "guide", path: `M${marks.points.map(place).join("L")}` }] : [];
  const spot = marks.patch?.length
    ? [{ kind: "ring", x: marks.patch[0][0] * picture.naturalWidth, y: marks.patch[0][1] * picture.naturalHeight }]
    : [];
  return [...rings, ...line, ...spot];
}

if (setting.photo) {
  picture = new Image();
  picture.onload = () => {
    if (showing === "photo") show("photo");
  };
  picture.src = setting.photo;
  for (const name of ["corners", "outline", "points", "patch"])
    if (marks[name]) photoForm.elements[name].value = JSON.stringify(marks[name]);
}

const ON_PHOTO = new Set(["corners", "outline", "points", "patch"]);
// a tool for the photo shows it first
document.body.addEventListener(
  "click",
  (event) => {
    const tool = event.target.closest("[data-tool]")?.dataset.tool;
    if (tool) {
      const wanted = ON_PHOTO.has(tool) ? "photo" : "face";
      if (wanted !== showing && (wanted === "face" || picture)) show(wanted);
    }
    const choice = event.target.closest("[data-show]");
    if (choice) show(choice.dataset.show);
  },
  { capture: true },
);

drawing(panel, ({ verb, points }) => {
  const places = JSON.parse(points);
  if (!ON_PHOTO.has(verb)) {
    defectForm.elements.kind.value = verb;
    defectForm.elements.points.value = points;
    defectForm.requestSubmit();
    return;
  }
  const shares = places.map(([x, y]) => [
    +(x / picture.naturalWidth).toFixed(5),
    +(y / picture.naturalHeight).toFixed(5),
  ]);
  marks[verb] = verb === "patch" ? [shares[0]] : verb === "points" ? [shares[0], shares.at(-1)] : shares;
  if (verb === "corners") {
    marks.outline = [];
    photoForm.elements.outline.value = "";
  }
  if (verb === "outline") {
    marks.corners = [];
    photoForm.elements.corners.value = "";
  }
  photoForm.elements[verb].value = JSON.stringify(marks[verb]);
  if (verb === "points") {
    photoForm.elements.apart.focus();
    photoForm.elements.width.value = "";
  }
  show("photo");
});
show("face");
window.emberPanel = panel;
