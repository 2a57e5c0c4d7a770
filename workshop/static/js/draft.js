// A brought drawing with the pieces found in it laid over, a wipe between the two, and places marked on it.
import { Panel } from "./panel.js";
import { ready } from "./live.js";
import { hands } from "./hands.js";
import { drawing } from "./draw.js";
import { moveCorners } from "./corners.js";
import "./said.js";

const STROKES = new Set(["inside", "beyond", "bridges"]);
const STROKE_POINTS = 60;
const END_PX = 16;
const HAND = new Set(["line", "join", "move", "detail"]);

const element = document.getElementById("panel");
const knobs = document.getElementById("knobs");

if (element?.dataset.scene) {
  const panel = new Panel(element);
  hands(panel, { turned() {} });
  window.emberPanel = panel;
  const picture = new Image();
  picture.src = element.dataset.source;
  let box = [0, 0, 1, 1];
  Promise.all([fetch(element.dataset.scene).then((answer) => answer.json()), picture.decode().catch(() => null)]).then(
    ([scene]) => {
      box = scene.underlay;
      // strokes for in and out are drawn on all of the picture, not on the figure alone
      if (scene.told.read === "figure") panel.focus = [box[0], box[1], box[0] + box[2], box[1] + box[3]];
      if (picture.naturalWidth) panel.scene.underlay = { image: picture, box };
      panel.show(scene, scene.dress, {});
      document.fonts.ready.then(() => panel.redraw());
      ready(element);
    },
  );

  document.body.addEventListener("click", (event) => {
    const zoom = event.target.closest("[data-zoom]");
    if (zoom) zoom.dataset.zoom === "fit" ? panel.fit() : panel.zoom(Number(zoom.dataset.zoom));
  });
  document.getElementById("wipe")?.addEventListener("input", (event) => {
    panel.scene.wipe = event.target.value / 100;
    panel.redraw();
  });

  // fewer pieces, as the slider moves, or other ones by hand: what is asked last is what is shown
  const slider = document.getElementById("simplify");
  let asked = 0;
  const shownAgain = async (wait) => {
    const turn = ++asked;
    await new Promise((done) => setTimeout(done, wait));
    if (turn !== asked) return;
    const most = slider && slider.value !== slider.max ? slider.value : "999999";
    const answer = await fetch(`${element.dataset.scene}&simplify=${most}`);
    if (!answer.ok || turn !== asked) return;
    const scene = await answer.json();
    if (turn !== asked) return;
    const { view } = panel;
    panel.show(scene, scene.dress, {});
    panel.view = view;
    panel.redraw();
    const lines = scene.told.said.map((words) => Object.assign(document.createElement("li"), { textContent: words }));
    document.getElementById("told").replaceChildren(...lines);
    document.querySelector(".found").textContent = scene.told.pieces;
    document.querySelector(".found-what").textContent = scene.told.pieces === 1 ? "piece found" : "pieces found";
    element.dataset.pieces = scene.told.pieces;
    if (slider && scene.told.most) {
      const all = slider.value === slider.max;
      slider.max = scene.told.most;
      if (all) slider.value = slider.max;
      document.getElementById("kept-pieces").value = scene.told.pieces;
      document.getElementById("most-pieces").textContent = scene.told.most;
    }
  };
  slider?.addEventListener("input", () => {
    document.getElementById("kept-pieces").value = slider.value;
    shownAgain(60);
  });
  document.body.addEventListener("pieces-changed", () => shownAgain(0));
  document.body.addEventListener("click", (event) => {
    if (event.target.closest("[data-back]")) byHand({ do: "back" });
    const moved = event.target.closest("[data-corners]");
    if (moved)
      moveCorners(element, `${element.dataset.source}&raw=yes`, JSON.parse(moved.dataset.corners), (corners) => {
        if (!corners) return;
        // a button of the form has the same name
        const field = knobs.querySelector("input[name=corners]");
        field.value = JSON.stringify(corners.map((point) => point.map((v) => +v.toFixed(5))));
        knobs.requestSubmit();
      });
    const away = event.target.closest("[data-pop]");
    if (!away) return;
    for (const name of away.dataset.pop.split(" ")) knobs[name].value = "";
    knobs.requestSubmit();
  });

  // a line's open end is where it is drawn on
  element.addEventListener("click", (event) => {
    if (element.dataset.tool || !panel.scene.dress) return;
    const [x, y] = panel.toScene(event);
    const near = (END_PX * panel.ratio) / panel.view.scale;
    const end = panel.scene.dress.marks.find((m) => m.kind === "lost" && Math.hypot(m.x - x, m.y - y) <= near);
    if (end) tools.begin("line", false, "Draw this line on", [end.x, end.y]);
  });

  // what was marked goes into the form as shares of the source picture
  const shares = (points) =>
    JSON.stringify(points.map(([x, y]) => [(x - box[0]) / box[2], (y - box[1]) / box[3]].map((v) => +v.toFixed(5))));
  const byHand = (values) =>
    htmx.ajax("POST", element.dataset.hand, { values, target: "#by-hand", swap: "outerHTML" });
  const tools = drawing(panel, ({ verb, points, curve }) => {
    if (HAND.has(verb)) {
      byHand({ do: verb, points, curve, how: document.getElementById("by-hand-how")?.value });
      return;
    }
    const marked = JSON.parse(points);
    if (verb === "points") {
      knobs.how.value = "points";
      knobs.points.value = shares([marked[0], marked.at(-1)]);
      knobs.elements.size.value = "";
      knobs.elements.size.focus();
      return;
    }
    if (verb === "corners") {
      if (marked.length !== 4) return;
      knobs.corners.value = shares(marked);
    }
    if (verb === "box") {
      const [[x0, y0], [x1, y1]] = JSON.parse(shares([marked[0], marked.at(-1)]));
      knobs.box.value = JSON.stringify([[x0, y0, x1, y1]]);
    }
    if (verb === "finer") {
      const [place] = JSON.parse(shares([marked[0]]));
      knobs.finer.value = JSON.stringify([...JSON.parse(knobs.finer.value || "[]"), place]);
    }
    if (STROKES.has(verb)) {
      // a dragged stroke has a point every few pixels: fewer say as much, and the form stays small
      const every = Math.ceil(marked.length / STROKE_POINTS);
      const stroke = marked.filter((_, i) => i % every === 0 || i === marked.length - 1);
      knobs[verb].value = JSON.stringify([...JSON.parse(knobs[verb].value || "[]"), JSON.parse(shares(stroke))]);
    }
    if (verb === "more") {
      const [[x0, y0], [x1, y1]] = JSON.parse(shares([marked[0], marked.at(-1)]));
      knobs.more.value = JSON.stringify([...JSON.parse(knobs.more.value || "[]"), [x0, y0, x1, y1]]);
    }
    knobs.requestSubmit();
  });
}

// every knob is live: what it does is seen as soon as it is let go
knobs?.addEventListener("change", (event) => {
  if (event.target.name && event.target.name !== "how" && knobs.elements.size.value) knobs.requestSubmit();
});
knobs?.addEventListener("input", (event) => {
  const told = event.target.labels?.[0]?.querySelector("output");
  if (told) told.value = event.target.value;
});
