// The way of the blade, played: the blade stands still and the work turns, as one sees it at the saw, or the work lies
// still and the blade runs. What is free falls away; what still holds is drawn in ember.
const PALE = 0.45;
const MM_PER_SECOND = 38;
const TURN_PER_SECOND = Math.PI * 0.9;
const FALL_SECONDS = 0.7;
const INK = "#2a2521",
  EMBER = "#b23a12",
  PAPER = "#f1e9da",
  SHEET = "#fbf6ea";

export class Player {
  constructor(canvas, way, told) {
    Object.assign(this, { canvas, way, told });
    this.turns = localStorage.getItem("way-turns") !== "no";
    this.at = way.begin;
    this.share = 0;
    this.playing = false;
    this.fallen = new Map();
    for (const body of way.bodies) body.shape = new Path2D(body.path);
    this.openings = way.openings.map((path) => new Path2D(path));
    this.stock = new Path2D(way.stock);
    this.others = way.others ? new Path2D(way.others) : null;
    for (const stroke of way.strokes) measure(stroke);
    this.heading = this.wanted();
    this.settle();
  }

  get stroke() {
    return this.way.strokes[this.at];
  }

  // where everything stands that strokes before this one have freed
  settle() {
    this.fallen.clear();
    this.dropped = new Map();
    this.way.strokes.slice(0, this.at).forEach((stroke) => this.finish(stroke, -10));
    this.heading = this.wanted();
    this.draw();
    this.tell();
  }

  finish(stroke, when) {
    for (const key of stroke.frees) this.fallen.set(key, when);
    if (stroke.drops >= 0) this.dropped.set(stroke.drops, when);
  }

  tell() {
    const { at, way } = this;
    const whole = at >= way.strokes.length;
    this.told({
      at,
      count: way.strokes.length,
      words: whole ? "All of it is sawn." : this.stroke.words,
      part: whole ? "" : this.stroke.part,
      holds: whole ? "" : this.stroke.holds,
      playing: this.playing,
      turns: this.turns,
    });
  }

  step(by) {
    this.stop();
    const target = by < 0 && this.share > 0 ? this.at : this.at + by;
    this.at = Math.max(0, Math.min(this.way.strokes.length, target));
    this.share = 0;
    this.settle();
  }

  turn() {
    this.turns = !this.turns;
    localStorage.setItem("way-turns", this.turns ? "yes" : "no");
    this.heading = this.wanted();
    this.draw();
    this.tell();
  }

  toggle() {
    if (this.playing) {
      this.stop();
      return;
    }
    if (this.at >= this.way.strokes.length) {
      this.at = 0;
      this.settle();
    }
    this.playing = true;
    this.last = performance.now();
    this.frame = requestAnimationFrame((now) => this.tick(now));
    this.tell();
  }

  stop() {
    cancelAnimationFrame(this.frame);
    this.playing = false;
    this.tell();
  }

  tick(now) {
    const seconds = Math.min(0.1, (now - this.last) / 1000);
    this.last = now;
    this.clock = now / 1000;
    this.go(seconds);
    this.draw();
    if (!this.playing) return;
    this.frame = requestAnimationFrame((next) => this.tick(next));
  }

  // a corner is turned first, then the line goes on
  go(seconds) {
    if (this.at >= this.way.strokes.length) {
      if (this.clock - this.over > FALL_SECONDS) this.stop();
      return;
    }
    const off = apart(this.heading, this.wanted());
    const most = TURN_PER_SECOND * seconds;
    if (Math.abs(off) > most) {
      this.heading += Math.sign(off) * most;
      if (Math.abs(off) > 0.35) return;
    } else this.heading = this.wanted();
    const { stroke } = this;
    this.share += (MM_PER_SECOND * seconds) / Math.max(stroke.long, 0.5);
    if (this.share < 1) return;
    this.finish(stroke, this.clock);
    this.at += 1;
    this.share = 0;
    this.over = this.clock;
    this.tell();
  }

  // the way the blade goes where it is now
  wanted() {
    const stroke = this.stroke ?? this.way.strokes.at(-1);
    if (!stroke) return 0;
    const { points, along, long } = stroke;
    const far = (this.stroke ? this.share : 1) * long;
    let n = 1;
    while (n < points.length - 1 && along[n] <= far) n += 1;
    return Math.atan2(points[n][1] - points[n - 1][1], points[n][0] - points[n - 1][0]);
  }

  place() {
    const stroke = this.stroke ?? this.way.strokes.at(-1);
    return stroke ? point(stroke, this.stroke ? this.share : 1) : [0, 0];
  }

  fit() {
    const box = this.canvas.getBoundingClientRect();
    const ratio = Math.min(window.devicePixelRatio || 1, 2);
    const [w, h] = [Math.round(box.width * ratio), Math.round(box.height * ratio)];
    if (this.canvas.width !== w || this.canvas.height !== h) Object.assign(this.canvas, { width: w, height: h });
    return { w, h, ratio };
  }

  draw() {
    const { w, h, ratio } = this.fit();
    if (!w) return;
    const ctx = this.canvas.getContext("2d");
    const [x0, y0, x1, y1] = this.way.box;
    const [wide, high] = [x1 - x0, y1 - y0];
    ctx.setTransform(1, 0, 0, 1, 0, 0);
    ctx.fillStyle = PAPER;
    ctx.fillRect(0, 0, w, h);
    const blade = this.place();
    if (this.turns) {
      // large enough to see the line, small enough that most of the work stays in the picture
      const scale = (0.5 * Math.min(w, h)) / Math.max(0.55 * Math.hypot(wide, high), 12);
      this.scale = scale;
      // the teeth face the sawyer: the blade's way in the wood is down the picture
      ctx.translate(w / 2, h * 0.5);
      ctx.scale(scale, scale);
      this.column(ctx);
      ctx.rotate(Math.PI / 2 - this.heading);
      ctx.translate(-blade[0], -blade[1]);
    } else {
      const scale = Math.min((w - 24 * ratio) / wide, (h - 24 * ratio) / high);
      this.scale = scale;
      ctx.translate((w - scale * (x0 + x1)) / 2, (h - scale * (y0 + y1)) / 2);
      ctx.scale(scale, scale);
    }
    this.ratio = ratio;
    this.wood(ctx);
    this.lines(ctx);
    this.labels(ctx);
    this.blade(ctx, blade);
  }

  // of the saw behind the blade, where it can be seen
  column(ctx) {
    const { throat, column } = this.way;
    ctx.fillStyle = "#d8c9ad";
    ctx.fillRect(-column / 2, -throat - 400, column, 400);
    ctx.strokeStyle = INK;
    ctx.lineWidth = this.px(1.2);
    ctx.strokeRect(-column / 2, -throat - 400, column, 400);
  }

  px(many) {
    return (many * this.ratio) / this.scale;
  }

  gone(when) {
    return when === undefined ? 0 : Math.min(1, ((this.clock ?? 0) - when) / FALL_SECONDS);
  }

  wood(ctx) {
    const { way } = this;
    const free = way.bodies.every(({ key }) => this.fallen.has(key));
    const last = Math.max(...this.fallen.values(), -10);
    const away = free ? this.gone(last) : 0;
    ctx.globalAlpha = 1 - away;
    ctx.fillStyle = mixed(way.wood, SHEET, PALE);
    ctx.strokeStyle = INK;
    ctx.lineWidth = this.px(1);
    ctx.fill(this.stock);
    ctx.stroke(this.stock);
    if (this.others) {
      ctx.fillStyle = mixed(way.wood, SHEET, 0.3);
      ctx.fill(this.others);
      ctx.lineWidth = this.px(0.7);
      ctx.stroke(this.others);
    }
    ctx.globalAlpha = 1;
    for (const body of way.bodies) {
      const fall = this.gone(this.fallen.get(body.key));
      if (this.fallen.has(body.key)) {
        ctx.fillStyle = PAPER;
        ctx.fill(body.shape, "evenodd");
        if (fall >= 1 && !free) continue;
      }
      ctx.save();
      if (!free) {
        ctx.globalAlpha = 1 - fall;
        ctx.translate(0, 0);
      }
      ctx.fillStyle = body.wood;
      ctx.fill(body.shape, "evenodd");
      ctx.restore();
    }
    this.openings.forEach((path, n) => {
      const fall = this.dropped.has(n) ? this.gone(this.dropped.get(n)) : 0;
      ctx.globalAlpha = fall;
      ctx.fillStyle = PAPER;
      ctx.fill(path, "evenodd");
      ctx.globalAlpha = 1 - fall;
      ctx.fillStyle = mixed(way.wood, SHEET, PALE);
      if (fall < 1) ctx.fill(path, "evenodd");
    });
    ctx.globalAlpha = 1;
  }

  lines(ctx) {
    const { way } = this;
    ctx.lineJoin = ctx.lineCap = "round";
    ctx.setLineDash([this.px(7), this.px(5)]);
    ctx.strokeStyle = EMBER;
    ctx.lineWidth = this.px(1.8);
    for (let n = way.strokes.length - 1; n >= this.at; n -= 1) {
      const stroke = way.strokes[n];
      ctx.globalAlpha = n === this.at ? 1 : 0.75;
      trace(ctx, stroke, n === this.at ? this.share : 0, 1);
    }
    ctx.globalAlpha = 1;
    ctx.setLineDash([]);
    ctx.strokeStyle = INK;
    way.strokes.slice(0, this.at + 1).forEach((stroke, n) => {
      ctx.lineWidth = Math.max(stroke.kerf, this.px(1.1));
      trace(ctx, stroke, 0, n === this.at ? this.share : 1);
    });
    for (const hole of way.holes) {
      ctx.beginPath();
      ctx.arc(hole.x, hole.y, Math.max(hole.bit / 2, this.px(2)), 0, 7);
      ctx.fillStyle = PAPER;
      ctx.fill();
      ctx.lineWidth = this.px(1.2);
      ctx.stroke();
    }
  }

  labels(ctx) {
    ctx.fillStyle = INK;
    ctx.textAlign = "center";
    ctx.textBaseline = "middle";
    for (const { key, label, spot } of this.way.bodies) {
      const [x, y, radius] = spot;
      if (this.fallen.has(key) && this.gone(this.fallen.get(key)) > 0.5 && this.fallen.size < this.way.bodies.length)
        continue;
      if (radius * this.scale < 6 * this.ratio) continue;
      ctx.save();
      ctx.translate(x, y);
      if (this.turns) ctx.rotate(this.heading - Math.PI / 2);
      const size = Math.min(this.px(18), radius * 1.1);
      ctx.font = `700 ${size}px "Hepta Slab", serif`;
      ctx.lineWidth = size / 6;
      ctx.lineJoin = "round";
      ctx.strokeStyle = "#fff8ea";
      ctx.strokeText(label, 0, 0);
      ctx.fillText(label, 0, 0);
      ctx.restore();
    }
  }

  // the blade seen from above: its teeth in front, its back behind
  blade(ctx, [x, y]) {
    ctx.save();
    ctx.translate(x, y);
    ctx.rotate(this.heading);
    const size = this.px(7);
    ctx.fillStyle = EMBER;
    ctx.strokeStyle = "#fff8ea";
    ctx.lineWidth = this.px(2);
    ctx.beginPath();
    ctx.moveTo(size * 1.5, 0);
    ctx.lineTo(-size, -size * 0.75);
    ctx.lineTo(-size, size * 0.75);
    ctx.closePath();
    ctx.stroke();
    ctx.fill();
    ctx.restore();
  }
}

function measure(stroke) {
  stroke.along = [0];
  for (let n = 1; n < stroke.points.length; n += 1) {
    const [a, b] = [stroke.points[n - 1], stroke.points[n]];
    stroke.along.push(stroke.along[n - 1] + Math.hypot(b[0] - a[0], b[1] - a[1]));
  }
  stroke.long = stroke.along.at(-1);
}

function point(stroke, share) {
  const far = share * stroke.long;
  let n = 1;
  while (n < stroke.points.length - 1 && stroke.along[n] < far) n += 1;
  const [a, b] = [stroke.points[n - 1], stroke.points[n] ?? stroke.points[n - 1]];
  const step = stroke.along[n] - stroke.along[n - 1];
  const part = step > 0 ? (far - stroke.along[n - 1]) / step : 1;
  return [a[0] + part * (b[0] - a[0]), a[1] + part * (b[1] - a[1])];
}

function trace(ctx, stroke, from, to) {
  if (to <= from) return;
  ctx.beginPath();
  ctx.moveTo(...point(stroke, from));
  stroke.points.forEach((place, n) => {
    const at = stroke.long ? stroke.along[n] / stroke.long : 0;
    if (at > from && at < to) ctx.lineTo(...place);
  });
  ctx.lineTo(...point(stroke, to));
  ctx.stroke();
}

function apart(from, to) {
  return ((to - from + 3 * Math.PI) % (2 * Math.PI)) - Math.PI;
}

function mixed(colour, other, share) {
  const parts = (hex) => [1, 3, 5].map((n) => parseInt(hex.slice(n, n + 2), 16));
  const [a, b] = [parts(colour), parts(other)];
  return `rgb(${a.map((v, n) => Math.round(share * v + (1 - share) * b[n]))})`;
}

// Ties a player to the page: the slot says what is played, the ticket tells the stroke and carries the keys; `get`
// gives the way that is named there.
const fetched = async (url) => {
  const answer = await fetch(url);
  return answer.ok ? answer.json() : {};
};
export function playing(host, get = fetched) {
  const slot = () => document.querySelector("[data-way]");
  let player = null,
    shown = null;

  function told(now) {
    const box = document.getElementById("stroke");
    if (!box) return;
    const put = (name, text) => {
      const element = box.querySelector(`[data-told=${name}]`);
      if (element && element.textContent !== text) element.textContent = text;
    };
    put("at", String(Math.min(now.at + 1, now.count)));
    put("count", String(now.count));
    put("words", now.words);
    put("holds", now.holds);
    put("play", now.playing ? "stop" : "play");
    put("turns", now.turns ? "the work turns" : "the blade runs");
    box.dataset.part = now.part;
  }

  async function read() {
    const url = slot()?.dataset.way ?? "";
    if (url === shown) {
      player?.tell();
      return;
    }
    shown = url;
    player?.stop();
    host.querySelector("canvas.way")?.remove();
    player = null;
    if (!url) return;
    const way = await get(url);
    if (url !== shown || !way.strokes?.length) return;
    const canvas = document.createElement("canvas");
    canvas.className = "way";
    canvas.setAttribute("aria-hidden", "true");
    host.append(canvas);
    player = new Player(canvas, way, told);
    window.emberPlayer = player;
    document.fonts.ready.then(() => player?.draw());
  }

  document.body.addEventListener("htmx:afterSettle", read);
  document.body.addEventListener("click", (event) => {
    const does = event.target.closest("[data-play]")?.dataset.play;
    if (!does || !player) return;
    if (does === "play") player.toggle();
    else if (does === "turn") player.turn();
    else player.step(does === "back" ? -1 : 1);
  });
  new ResizeObserver(() => player?.draw()).observe(host);
  read();
  return read;
}
