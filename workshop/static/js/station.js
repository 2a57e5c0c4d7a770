// A station's page: ties the panel to the ticket, the keys and the string.
import { Panel } from "./panel.js";
import { ready } from "./live.js";
import { hands } from "./hands.js";
import { hangString } from "./string.js";
import { drawing } from "./draw.js";
import { lamped } from "./lamp.js";
import { pictured } from "./picture.js";
import { tryingOn } from "./tryon.js";
import { sectioned } from "./section.js";
import { ordering } from "./order.js";
import { turning } from "./turntable.js";
import { playKnots } from "./knots.js";
import { racked } from "./rack.js";
import { playing } from "./way.js";
import { evenings } from "./evenings.js";
import "./keys.js";
import "./dial.js";
import "./said.js";
import "./stack.js";

const json = (id) => JSON.parse(document.getElementById(id).textContent);
const element = document.getElementById("panel");
const panel = new Panel(element);
const field = (name) => document.querySelector(`#state [name=${name}]`);

hands(panel, { turned: (deg) => perform({ verb: "grain", deg }) });
hangString(panel);

const slot = () => document.getElementById("dress-slot");
drawing(panel, (values) => perform(values));
pictured(panel);
tryingOn(panel, (keys) => runsOf(keys));
sectioned(panel, (keys) => runsOf(keys));
ordering(panel, (values) => perform(values));
playKnots();
racked(panel, (values) => perform(values));
playing(element);
evenings(panel, (values) => perform(values), keysOf);

function load() {
  const url = slot().dataset.shapes;
  return fetch(url)
    .then((answer) => answer.json())
    .then((shapes) => {
      if (url !== slot().dataset.shapes) return;
      panel.loaded = url;
      panel.show(shapes, json("dress"), json("woods"));
      panel.chosen = new Set(keysOf(field("pieces").value));
      panel.marks();
    });
}

load().then(() => {
  panel.drag.arrows = element.dataset.arrows === "yes";
  panel.chosen = new Set(keysOf(field("pieces").value));
  document.fonts.ready.then(() => panel.redraw());
  if (document.querySelector("[data-section], .station.standing")) {
    lamped(panel);
    turning(panel);
  }
  ready(element);
});

export function keysOf(text) {
  return text
    .split(",")
    .filter(Boolean)
    .flatMap((item) => {
      const [low, high = low] = item.split("-").map(Number);
      return Array.from({ length: high - low + 1 }, (_, i) => low + i);
    });
}

function runsOf(keys) {
  const spans = [];
  for (const key of [...keys].sort((a, b) => a - b)) {
    const last = spans.at(-1);
    if (last && key === last[1] + 1) last[1] = key;
    else spans.push([key, key]);
  }
  return spans.map(([a, b]) => (a === b ? `${a}` : `${a}-${b}`)).join(",");
}

function perform(values) {
  const names = ["pieces", "revision", "show", "view", "cut", "part", "slot"].filter((name) => field(name));
  const state = Object.fromEntries(names.map((name) => [name, field(name).value]));
  htmx.ajax("POST", element.dataset.do, { target: "#ticket", swap: "outerHTML", values: { ...state, ...values } });
}

// Other pieces are chosen: their ticket comes, and the address keeps them.
element.addEventListener("panel:chosen", () => {
  const pieces = runsOf(panel.chosen),
    show = field("show").value;
  field("pieces").value = pieces;
  const besides = ["cut", "part"].map((name) => [name, field(name)?.value]).filter(([, value]) => value);
  const view = field("view").value;
  const query = new URLSearchParams({ show, view, ...(pieces && { pieces }), ...Object.fromEntries(besides) });
  history.replaceState(null, "", `?${query}`);
  htmx.ajax("GET", `${element.dataset.ticket}?${query}`, { target: "#ticket", swap: "outerHTML" });
});

// What of the findings lies below the edge is said there.
const side = document.querySelector(".side");
function tellMore() {
  const edge = side.getBoundingClientRect().bottom - 24;
  const rest = side.scrollHeight - side.clientHeight - side.scrollTop;
  const below = rest > 12 && getComputedStyle(side).overflowY === "auto";
  const findings = [...side.querySelectorAll(".findings > ol > li")];
  const listed = findings.filter((li) => li.getBoundingClientRect().bottom > edge).length;
  const count = listed && listed + Number(document.getElementById("findings").dataset.unlisted);
  if (below) side.dataset.more = count > 1 ? `${count} more findings below` : "more below";
  else delete side.dataset.more;
}
side.addEventListener("scroll", tellMore, { passive: true });
new ResizeObserver(tellMore).observe(side);
document.body.addEventListener("htmx:afterSettle", tellMore);
tellMore();

// Sections of the ticket that were opened stay open.
const opened = new Set();
document.body.addEventListener(
  "toggle",
  (event) => {
    const name = event.target.dataset?.keep;
    if (name) event.target.open ? opened.add(name) : opened.delete(name);
  },
  { capture: true },
);
document.body.addEventListener("htmx:afterSwap", () => {
  for (const name of opened)
    for (const part of document.querySelectorAll(`details[data-keep="${name}"]`)) part.open = true;
});

// What the answer to an edit says the pieces wear now.
document.body.addEventListener("htmx:afterSettle", () => {
  const dress = document.getElementById("dress");
  if (!dress || dress === panel.lastDress) return;
  panel.lastDress = dress;
  const { shapes } = slot().dataset;
  if (shapes === panel.loaded) {
    panel.wear(JSON.parse(dress.textContent));
    return;
  }
  const reshape = document.getElementById("reshape") && json("reshape");
  if (!reshape || reshape.from !== panel.loaded || reshape.to !== shapes) {
    load();
    return;
  }
  panel.loaded = shapes;
  panel.reshape(reshape, JSON.parse(dress.textContent));
  panel.chosen = new Set(keysOf(field("pieces").value));
  panel.marks();
});

// a dialog in which something was chosen closes once that is on its way: closing it earlier would lose which button it
// was
document.body.addEventListener("htmx:beforeSend", (event) => event.target.closest?.("dialog")?.close());

document.body.addEventListener("htmx:beforeSwap", (event) => {
  // sentences about what went wrong are shown, not thrown away
  if ([409, 413, 422, 403, 404].includes(event.detail.xhr.status)) {
    event.detail.shouldSwap = true;
    event.detail.isError = false;
  }
});

document.body.addEventListener("click", (event) => {
  const picker = event.target.closest("[data-choose]");
  if (picker) {
    panel.choose(keysOf(picker.dataset.choose));
    return;
  }
  const step = event.target.closest("[data-step]");
  if (step) stepTo(Number(step.dataset.step));
  const zoom = event.target.closest("[data-zoom]");
  if (zoom) zoom.dataset.zoom === "fit" ? panel.fit() : panel.zoom(Number(zoom.dataset.zoom));
  const opener = event.target.closest("[data-open]");
  if (opener) document.getElementById(opener.dataset.open).showModal();
  if (event.target.closest("[data-close]")) event.target.closest("dialog").close();
});

function stepTo(by) {
  const order = panel.scene.shapes.map((shape) => shape.key);
  const here = order.indexOf([...panel.chosen].at(-1) ?? -1);
  panel.choose([order[(here + by + order.length) % order.length]]);
}

element.addEventListener("keydown", (event) => {
  const pan = { ArrowLeft: [1, 0], ArrowRight: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
  if (pan && event.altKey) panel.move({ ...panel.view, x: panel.view.x + 60 * pan[0], y: panel.view.y + 60 * pan[1] });
  else if (pan) stepTo(pan[0] + pan[1] > 0 ? -1 : 1);
  else if (event.key === "+" || event.key === "=") panel.zoom(1.25);
  else if (event.key === "-") panel.zoom(0.8);
  else if (event.key === "Escape" && panel.chosen.size) panel.choose([]);
  else return;
  event.preventDefault();
});

window.emberPanel = panel;
