// The face of a board in true size: its picture, its outline and what was marked on it. What lies on it is drawn by
// whoever uses it.
const EMBER = "#b23a12",
  HALO = "#fff8ea";

export class BoardFace {
  constructor(element, { url, length, width, outline, defects, grain }, more = () => {}) {
    Object.assign(this, { element, length, width, outline, defects, grain, more });
    this.canvas = document.createElement("canvas");
    this.canvas.setAttribute("aria-hidden", "true");
    element.prepend(this.canvas);
    this.image = new Image();
    this.image.onload = () => {
      element.dataset.ready = "yes";
      this.redraw();
    };
    this.image.src = url;
    new ResizeObserver(() => this.fit()).observe(element);
  }

  fit() {
    const box = this.element.getBoundingClientRect();
    if (!box.width) return;
    this.ratio = Math.min(window.devicePixelRatio || 1, 2);
    this.canvas.width = Math.round(box.width * this.ratio);
    this.canvas.height = Math.round(box.height * this.ratio);
    const scale = Math.min((this.canvas.width - 16) / this.length, (this.canvas.height - 16) / this.width);
    this.view = {
      scale,
      x: (this.canvas.width - scale * this.length) / 2,
      y: (this.canvas.height - scale * this.width) / 2,
    };
    this.redraw();
  }

  redraw() {
    if (!this.view) return;
    const ctx = this.canvas.getContext("2d"),
      { scale: s, x, y } = this.view;
    ctx.setTransform(1, 0, 0, 1, 0, 0);
    ctx.clearRect(0, 0, this.canvas.width, this.canvas.height);
    ctx.setTransform(s, 0, 0, s, x, y);
    const edge = this.ring(this.outline);
    ctx.save();
    ctx.clip(edge);
    if (this.image.complete && this.image.naturalWidth) {
      ctx.imageSmoothingQuality = "high";
      ctx.drawImage(this.image, 0, 0, this.length, this.width);
    }
    ctx.restore();
    ctx.lineWidth = 1.6 / s;
    ctx.strokeStyle = "#2a2521";
    ctx.stroke(edge);
    for (const [kind, ring] of this.defects) {
      const path = this.ring(ring);
      ctx.setLineDash([5 / s, 4 / s]);
      ctx.lineWidth = 4 / s;
      ctx.strokeStyle = HALO;
      ctx.stroke(path);
      ctx.lineWidth = 2 / s;
      ctx.strokeStyle = EMBER;
      ctx.stroke(path);
      ctx.setLineDash([]);
      ctx.font = `700 ${12.5 / s}px "Alegreya Sans", sans-serif`;
      ctx.textAlign = "center";
      ctx.lineWidth = 3.5 / s;
      ctx.strokeStyle = HALO;
      ctx.fillStyle = "#2a2521";
      const top = ring.reduce((best, p) => (p[1] < best[1] ? p : best));
      ctx.strokeText(kind, top[0], top[1] - 4 / s);
      ctx.fillText(kind, top[0], top[1] - 4 / s);
    }
    this.more(ctx, s);
  }

  ring(points) {
    return new Path2D(`M${points.map((p) => p.join(" ")).join("L")}Z`);
  }

  toBoard(event) {
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
}
