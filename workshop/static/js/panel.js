// The panel: one component for every station. Holds the scene, the view and the selection; draws through a back end.
import { drawMarks, drawPieces, readShapes } from "./canvas.js";

const REST_MS = 90;
const ZOOM_PX = { side: [66, 0], foot: [0, 36] };

export class Panel {
  constructor(element) {
    this.element = element;
    this.top = this.canvas();
    this.base = this.canvas();
    this.scene = { shapes: [], dress: { pieces: {}, marks: [] }, woods: {}, w: 1, h: 1 };
    this.view = { scale: 1, x: 0, y: 0 };
    this.chosen = new Set();
    this.drag = { arrows: false };
    this.cache = null;
    new ResizeObserver(() => this.fit()).observe(element);
  }

  canvas() {
    const canvas = document.createElement("canvas");
    canvas.setAttribute("aria-hidden", "true");
    this.element.prepend(canvas);
    return canvas;
  }

  // shapes: {w, h, shapes}; dress: {pieces, marks}; woods: code to {tile, colour}
  show(shapes, dress, woods) {
    Object.assign(this.scene, {
      w: shapes.w,
      h: shapes.h,
      stacked: shapes.stacked,
      shapes: readShapes(shapes),
      dress,
      woods,
    });
    this.fit();
  }

  // Shapes that were read before.
  lay(scene) {
    Object.assign(this.scene, scene);
    this.fit();
  }

  // Only some outlines changed: the others stay as they are drawn.
  reshape({ changed, gone }, dress) {
    const out = new Set([...gone, ...changed.map(([key]) => key)]);
    const shapes = [...this.scene.shapes.filter(({ key }) => !out.has(key)), ...readShapes({ shapes: changed })];
    this.scene.shapes = shapes.sort((a, b) => a.key - b.key);
    this.wear(dress);
  }

  wear(dress) {
    this.scene.dress = dress;
    this.redraw();
  }

  fit() {
    const box = this.element.getBoundingClientRect();
    if (!box.width) return;
    this.ratio = Math.min(window.devicePixelRatio || 1, 2);
    this.size = { w: Math.round(box.width * this.ratio), h: Math.round(box.height * this.ratio) };
    for (const canvas of [this.base, this.top]) {
      canvas.width = this.size.w;
      canvas.height = this.size.h;
    }
    const pad = Number(this.element.dataset.pad ?? 1) * this.ratio;
    const focus = this.focus || [0, 0, this.scene.w, this.scene.h];
    const room = this.room(focus[2] - focus[0], focus[3] - focus[1], pad);
    const { scale, w, h } = room;
    this.view = { scale, x: (w - scale * (focus[0] + focus[2])) / 2, y: (h - scale * (focus[1] + focus[3])) / 2 };
    this.redraw();
  }

  // The largest scale that fits. The buttons for nearer and farther keep a place of their own, beside the picture or
  // under it, wherever that costs less of it.
  room(width, height, pad) {
    const buttons = this.element.querySelector(".zoom");
    const fits = (at, less) => {
      const w = this.size.w - less[0] * this.ratio,
        h = this.size.h - less[1] * this.ratio;
      return { at, w, h, scale: Math.min((w - 2 * pad) / width, (h - 2 * pad) / height) };
    };
    if (!buttons?.offsetParent) return fits("", [0, 0]);
    const best = [fits("side", ZOOM_PX.side), fits("foot", ZOOM_PX.foot)].reduce((a, b) => (b.scale > a.scale ? b : a));
    this.element.dataset.zoomAt = best.at;
    return best;
  }

  redraw() {
    if (!this.size) return;
    drawPieces(this.base.getContext("2d"), this.scene, this.view, this.size, () => this.later());
    this.cache = null;
    this.marks();
  }

  later() {
    cancelAnimationFrame(this.soon);
    this.soon = requestAnimationFrame(() => this.redraw());
  }

  marks() {
    if (!this.size) return;
    const shown = this.lit ? new Set([...this.chosen, this.lit]) : this.chosen;
    drawMarks(this.top.getContext("2d"), this.scene, this.view, this.size, shown, this.drag);
    this.element.dispatchEvent(new CustomEvent("panel:drawn", { bubbles: true }));
  }

  // While the hand moves, the last picture is moved and stretched; at rest it is drawn sharp again.
  move(view) {
    const bounds = { w: this.scene.w * view.scale, h: this.scene.h * view.scale };
    const keep = 60 * this.ratio;
    view.x = Math.min(this.size.w - keep, Math.max(keep - bounds.w, view.x));
    view.y = Math.min(this.size.h - keep, Math.max(keep - bounds.h, view.y));
    if (!this.cache) {
      const copy = (canvas) => {
        const picture = new OffscreenCanvas(this.size.w, this.size.h);
        picture.getContext("2d").drawImage(canvas, 0, 0);
        return [canvas, picture];
      };
      this.cache = { view: this.view, layers: [this.base, this.top].map(copy) };
    }
    this.view = view;
    const k = view.scale / this.cache.view.scale;
    for (const [canvas, picture] of this.cache.layers) {
      const ctx = canvas.getContext("2d");
      ctx.setTransform(1, 0, 0, 1, 0, 0);
      ctx.clearRect(0, 0, this.size.w, this.size.h);
      ctx.setTransform(k, 0, 0, k, view.x - k * this.cache.view.x, view.y - k * this.cache.view.y);
      ctx.drawImage(picture, 0, 0);
    }
    this.element.dispatchEvent(new CustomEvent("panel:drawn", { bubbles: true }));
    clearTimeout(this.rest);
    this.rest = setTimeout(() => this.redraw(), REST_MS);
  }

  zoom(factor, x = this.size.w / 2, y = this.size.h / 2) {
    const scale = Math.min(60, Math.max(0.1, this.view.scale * factor));
    const k = scale / this.view.scale;
    this.move({ scale, x: x - k * (x - this.view.x), y: y - k * (y - this.view.y) });
  }

  // page pixels to mm, and back
  toScene(event) {
    const box = this.element.getBoundingClientRect();
    return [
      ((event.clientX - box.left) * this.ratio - this.view.x) / this.view.scale,
      ((event.clientY - box.top) * this.ratio - this.view.y) / this.view.scale,
    ];
  }

  toPage(x, y) {
    const box = this.element.getBoundingClientRect();
    return [
      box.left + (x * this.view.scale + this.view.x) / this.ratio,
      box.top + (y * this.view.scale + this.view.y) / this.ratio,
    ];
  }

  at(x, y) {
    const ctx = this.top.getContext("2d");
    ctx.setTransform(1, 0, 0, 1, 0, 0);
    return this.scene.shapes
      .filter(({ box }) => x >= box[0] && x <= box[2] && y >= box[1] && y <= box[3])
      .filter((s) => this.scene.dress.pieces[s.key])
      .findLast((s) => ctx.isPointInPath(s.path, x, y, "evenodd"));
  }

  within([x0, y0, x1, y1]) {
    return this.scene.shapes
      .filter(
        (s) =>
          this.scene.dress.pieces[s.key] &&
          s.x >= Math.min(x0, x1) &&
          s.x <= Math.max(x0, x1) &&
          s.y >= Math.min(y0, y1) &&
          s.y <= Math.max(y0, y1),
      )
      .map((s) => s.key);
  }

  shape(key) {
    return this.scene.shapes.find((s) => s.key === key);
  }

  choose(keys) {
    // also what is not seen yet: its shapes may be on their way, and the page turns to a view that shows it
    this.chosen = new Set(keys);
    this.marks();
    this.element.dispatchEvent(new CustomEvent("panel:chosen", { bubbles: true }));
  }
}
