// What is seen above a card: the part close up, at its true size where that fits, among what lies already or waits.
import { readShapes } from "./canvas.js";
import { Panel } from "./panel.js";
import { store, stored } from "./bench-log.js";
import { playing } from "./way.js";

const PAD_MM = 4;
// a phone's pixel of the page is about 1/160 in, a screen's 1/96: until somebody holds a rule against it
const USUAL_PX_PER_MM = matchMedia("(pointer: coarse)").matches ? 160 / 25.4 : 96 / 25.4;
const PER_MM = 50;

// outlines as the page carries them: whole numbers, each corner from the one before
function pathOf(rings) {
  let path = "";
  for (const ring of rings) {
    let x = 0,
      y = 0;
    for (let i = 0; i < ring.length; i += 2) {
      x += ring[i];
      y += ring[i + 1];
      path += `${i ? "L" : "M"}${x / PER_MM} ${y / PER_MM}`;
    }
    path += "Z";
  }
  return path;
}

export class BenchView {
  constructor(element, pocket, bench) {
    Object.assign(this, { element, pocket, bench });
    this.panel = new Panel(element);
    this.layers = new Map();
    this.drawings = { ways: {}, shaped: {} };
    this.mark = null;
    this.play = playing(element, async (part) => this.drawings.ways[part] ?? {});
    this.strokes = document.querySelector("[data-strokes]");
    this.strokes.addEventListener("click", () => this.turn(!element.dataset.way));
    element.addEventListener("click", (event) => this.tapped(event));
    new ResizeObserver(() => this.focus()).observe(element);
  }

  get pxPerMm() {
    return stored("ember-px-per-mm", USUAL_PX_PER_MM);
  }

  set pxPerMm(value) {
    store("ember-px-per-mm", value);
  }

  // drawings that came after the page
  more({ ways, shaped }) {
    Object.assign(this.drawings.ways, ways);
    Object.assign(this.drawings.shaped, shaped);
    this.showDrawing();
  }

  shapes(key) {
    if (!this.layers.has(key)) {
      const layer = this.pocket.layers.find((one) => one.key === key);
      const rows = layer.shapes.map(([piece, rings, x, y, r]) => [piece, pathOf(rings), x, y, r]);
      this.layers.set(key, readShapes({ shapes: rows }));
    }
    return this.layers.get(key);
  }

  // one layer, or all of them over each other
  scene(layer) {
    const all = layer ? this.shapes(layer) : this.pocket.layers.flatMap(({ key }) => this.shapes(key));
    return { shapes: all, stacked: !layer && this.pocket.layers.length > 1, w: this.pocket.w, h: this.pocket.h };
  }

  worn(key, tone, { label = "", arrow = 0 } = {}) {
    const row = [...this.pocket.dress[key]];
    [row[2], row[3], row[4]] = [tone, label, arrow];
    return row;
  }

  show(screen, card) {
    this.spot = screen === "broke" ? this.spot : null;
    this.card = card;
    this.turn(false);
    if (screen === "find") this.showAll();
    else if (card && screen !== "alldone") this.showCard(card);
    this.showDrawing();
  }

  showAll(layer = this.layer) {
    const layers = this.pocket.layers;
    this.layer = layers.some(({ key }) => key === layer) ? layer : layers.at(-1)?.key;
    const { shapes, ...rest } = this.scene(this.layer);
    const pieces = {};
    for (const { key } of shapes)
      if (this.pocket.dress[key]) pieces[key] = this.worn(key, "full", { label: String(this.pocket.pieces[key][0]) });
    this.key = 0;
    this.panel.chosen = new Set(this.found ? [this.found] : []);
    this.whole = true;
    this.lay(shapes, rest, pieces, []);
  }

  showCard(card) {
    const key = (this.key = this.bench.piece(card));
    const lit = new Set(card.parts.map((part) => Number(part.split("/")[0])).filter(Boolean));
    const layer = key ? this.pocket.pieces[key][2] : this.pocket.layers.length === 1 ? this.pocket.layers[0].key : 0;
    const { shapes, ...rest } = this.scene(layer);
    const down = card.verb === "glue" ? this.glued(card) : null;
    const pieces = {};
    for (const { key: one } of shapes) {
      if (!this.pocket.dress[one]) continue;
      const full = lit.has(one) || !lit.size || down?.has(one);
      // a sub-assembly is shown as it should look, the rest as what is not there
      const rest = down || card.verb === "put on" ? "ghost" : "dark";
      pieces[one] = this.worn(one, full ? "full" : rest, { arrow: one === key ? 1 : 0 });
    }
    const marks = [];
    if (card.sawn) {
      const [, x, y, holes] = card.sawn;
      marks.push({ kind: "start", x, y, piece: key });
      for (let i = 0; i < holes.length; i += 2) marks.push({ kind: "hole", x: holes[i], y: holes[i + 1], piece: key });
    }
    if (this.spot) marks.push({ kind: "ring", x: this.spot[0], y: this.spot[1], piece: key });
    this.whole = !key && !(lit.size && lit.size < shapes.length && card.verb === "put on");
    this.lit = lit;
    this.panel.chosen = new Set(key ? [key] : []);
    this.lay(shapes, rest, pieces, marks);
  }

  // what lies already, of the copy that is glued
  glued(card) {
    const copy = card.parts[0].split("/")[1];
    const down = new Set();
    for (const mark of this.bench.done) {
      const [verb, part] = mark.split("|");
      if (verb === "glue" && part.split("/")[1] === copy) down.add(Number(part.split("/")[0]));
    }
    return down;
  }

  lay(shapes, rest, pieces, marks) {
    this.panel.lay({ shapes, ...rest, dress: { pieces, marks }, woods: this.pocket.woods });
    this.focus();
  }

  // Close up; at true size where that fits into the view.
  focus() {
    const { panel } = this,
      size = this.bench.main?.querySelector("[data-slot=size]");
    const seen = (s) => (this.key ? s.key === this.key : this.lit?.has(s.key));
    const shown = this.whole ? [] : panel.scene.shapes.filter(seen);
    if (!shown.length) {
      panel.focus = null;
      if (size) size.hidden = true;
      panel.fit();
      return;
    }
    const box = [0, 1, 2, 3].map((i) => Math[i < 2 ? "min" : "max"](...shown.map((s) => s.box[i])));
    const middle = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
    const place = this.element.getBoundingClientRect(),
      pad = Number(this.element.dataset.pad);
    const room = [place.width - 2 * pad, place.height - 2 * pad].map((px) => px / this.pxPerMm);
    const needs = [box[2] - box[0] + PAD_MM, box[3] - box[1] + PAD_MM];
    const fits = Boolean(this.key) && needs[0] <= room[0] && needs[1] <= room[1];
    const wide = fits ? room : needs.map((mm) => mm + 2 * PAD_MM + 0.3 * Math.max(...needs));
    panel.focus = [middle[0] - wide[0] / 2, middle[1] - wide[1] / 2, middle[0] + wide[0] / 2, middle[1] + wide[1] / 2];
    panel.fit();
    if (!size) return;
    size.hidden = !this.key;
    const share = panel.view.scale / panel.ratio / this.pxPerMm;
    size.textContent = fits ? "true size" : `1 : ${(1 / share).toFixed(1)}`;
    this.element.dataset.size = fits ? "true" : "fits";
  }

  // The way of the blade in place of the picture, and what comes off in shaping.
  showDrawing() {
    const main = this.bench.main;
    if (!main) return;
    const part = this.card?.each ? this.card.parts[0].split("/")[0] : "";
    this.strokes.hidden = this.bench.screen !== "card" || !(this.card?.sawn && this.drawings.ways[part]);
    const host = main.querySelector("[data-slot=shaped]");
    const drawn = this.card?.verb === "shape" ? (this.drawings.shaped[part] ?? "") : "";
    if (host.dataset.part !== (drawn && part)) {
      host.dataset.part = drawn && part;
      host.innerHTML = drawn;
    }
  }

  turn(open) {
    const { element, strokes } = this;
    if (open) element.dataset.way = this.card.parts[0].split("/")[0];
    else delete element.dataset.way;
    document.getElementById("stroke").hidden = !open;
    strokes.textContent = open ? "on the picture" : "stroke by stroke";
    this.play();
  }

  tapped(event) {
    if (event.target.closest("button")) return;
    const [x, y] = this.panel.toScene(event);
    if (this.bench.screen === "broke") {
      this.spot = [Math.round(x * 10) / 10, Math.round(y * 10) / 10];
      this.showCard(this.card);
    }
    if (this.bench.screen === "find") this.bench.pages.found(this.panel.at(x, y)?.key);
  }
}
