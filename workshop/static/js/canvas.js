// Canvas back end of the panel: draws a scene (shapes, dress, marks) at a view. Knows nothing of stations.
const INK = "#2a2521",
  SHEET = "#fbf6ea",
  EMBER = "#b23a12",
  HALO = "#fff8ea",
  MELT = "#ff9b5e";
const VEIL = { pale: "rgba(251,246,234,.62)", dark: "rgba(24,18,14,.58)" };
const TILE_MM_PER_PX = 0.25;
const SLAB = '"Hepta Slab", serif';

export function readShapes(data) {
  return data.shapes.map(([key, path, x, y, r]) => {
    const numbers = path.match(/-?[\d.]+(?:e-?\d+)?/g).map(Number);
    const box = [Infinity, Infinity, -Infinity, -Infinity];
    for (let i = 0; i < numbers.length; i += 2) {
      box[0] = Math.min(box[0], numbers[i]);
      box[1] = Math.min(box[1], numbers[i + 1]);
      box[2] = Math.max(box[2], numbers[i]);
      box[3] = Math.max(box[3], numbers[i + 1]);
    }
    return { key, path: new Path2D(path), x, y, r, box };
  });
}

const images = new Map();
function texture(ctx, url, ready) {
  if (!images.has(url)) {
    const image = new Image();
    images.set(url, { image, waiting: [] });
    image.onload = () => {
      const e = images.get(url);
      e.loaded = true;
      e.waiting.forEach((f) => f());
    };
    image.src = url;
  }
  const entry = images.get(url);
  if (!entry.loaded) {
    entry.waiting.push(ready);
    return null;
  }
  return ctx.createPattern(entry.image, "repeat");
}

// Fill a piece with its wood: the place of the board it lies on, or else the grain turned and shifted so that no two
// pieces show the same place. A coat lies over it.
function fillWood(ctx, shape, wear, woods, ready) {
  const [code, grain] = wear,
    coat = wear[7],
    face = wear[8];
  const board = face?.length && woods[`@${face[0]}`];
  const wood = woods[code];
  if (board && !coat) {
    const pattern = texture(ctx, board.tile, ready);
    if (pattern) {
      const [, a, c, e, b, d, f] = face;
      pattern.setTransform(new DOMMatrix([a, b, c, d, e, f]).inverse().scale(board.scale));
      ctx.fillStyle = pattern;
      ctx.fill(shape.path, "evenodd");
      return;
    }
  }
  const pattern = wood && texture(ctx, wood.tile, ready);
  if (!pattern) {
    ctx.fillStyle = coat || (wood ? wood.colour : SHEET);
    ctx.fill(shape.path, "evenodd");
    return;
  }
  const shift = new DOMMatrix()
    .translate(shape.x, shape.y)
    .rotate(-grain)
    .translate((shape.key * 37) % 128, (shape.key * 61) % 128);
  pattern.setTransform(shift.scale(TILE_MM_PER_PX));
  ctx.fillStyle = pattern;
  ctx.fill(shape.path, "evenodd");
  if (coat) {
    ctx.save();
    ctx.globalAlpha = 0.86;
    ctx.fillStyle = coat;
    ctx.fill(shape.path, "evenodd");
    ctx.restore();
  }
}

// A rounded edge: light on the side of the lamp, upper left, shade on the other.
function bevel(ctx, shape, strength, s) {
  const k = Math.min(1, 2.2 / s);
  ctx.save();
  ctx.clip(shape.path, "evenodd");
  ctx.lineWidth = 2.6 * k;
  ctx.translate(-0.8 * k, -0.8 * k);
  ctx.strokeStyle = `rgba(20,10,4,${0.34 * strength})`;
  ctx.stroke(shape.path);
  ctx.translate(1.7 * k, 1.7 * k);
  ctx.lineWidth = 1.4 * k;
  ctx.strokeStyle = `rgba(255,248,230,${0.32 * strength})`;
  ctx.stroke(shape.path);
  ctx.restore();
}

export function drawPieces(ctx, scene, view, size, ready) {
  ctx.setTransform(1, 0, 0, 1, 0, 0);
  ctx.clearRect(0, 0, size.w, size.h);
  const s = view.scale;
  ctx.setTransform(s, 0, 0, s, view.x, view.y);
  if (scene.underlay) ctx.drawImage(scene.underlay.image, ...scene.underlay.box);
  const wiped = scene.underlay && scene.wipe > 0;
  if (wiped) {
    ctx.save();
    ctx.beginPath();
    ctx.rect(scene.wipe * scene.w, 0, scene.w, scene.h);
    ctx.clip();
  }
  const seen = scene.shapes.filter(
    ({ box }) =>
      box[2] * s + view.x > 0 &&
      box[0] * s + view.x < size.w &&
      box[3] * s + view.y > 0 &&
      box[1] * s + view.y < size.h,
  );
  let grey = false,
    blind = false;
  if (scene.dress.rendered && scene.picture) {
    drawPicture(ctx, scene, seen, s);
    return;
  }
  for (const shape of seen) {
    const wear = scene.dress.pieces[shape.key] || ["", 0, "open", "", 0, 0];
    const tone = wear[2];
    if (tone === "open") {
      drawOpening(ctx, shape, s);
      continue;
    }
    if (tone === "ghost") {
      ctx.fillStyle = `hsla(${(shape.key * 137) % 360},45%,62%,.34)`;
      ctx.fill(shape.path, "evenodd");
      continue;
    }
    if (!wear[0] || tone === "plain") {
      ctx.fillStyle = SHEET;
      ctx.fill(shape.path, "evenodd");
      if (wear[6] && tone !== "plain") {
        ctx.globalAlpha = tone === "tint" || scene.stacked ? 1 : 0.4;
        ctx.fillStyle = wear[6];
        ctx.fill(shape.path, "evenodd");
        ctx.globalAlpha = 1;
      }
      if (scene.stacked) {
        ctx.strokeStyle = INK;
        ctx.lineWidth = Math.max(0.35, 0.8 / s);
        ctx.stroke(shape.path);
      }
      continue;
    }
    fillWood(ctx, shape, wear, scene.woods, ready);
    if (VEIL[tone]) {
      ctx.fillStyle = VEIL[tone];
      ctx.fill(shape.path, "evenodd");
    }
    if (s > 0.25 && seen.length < 3000) bevel(ctx, shape, tone === "pale" ? 0.25 : 1, s);
    if (scene.stacked) {
      ctx.strokeStyle = INK;
      ctx.lineWidth = Math.max(0.35, 0.8 / s);
      ctx.stroke(shape.path);
    }
    grey ||= tone === "grey";
    blind ||= tone === "blind";
  }
  ctx.lineJoin = "round";
  ctx.strokeStyle = INK;
  ctx.lineWidth = Math.max(0.35, 0.8 / s);
  if (!scene.stacked) for (const shape of seen) ctx.stroke(shape.path);
  if (grey) {
    ctx.globalCompositeOperation = "saturation";
    ctx.fillStyle = "#808080";
    ctx.fillRect(0, 0, scene.w, scene.h);
    ctx.globalCompositeOperation = "source-over";
  }
  if (blind) asBlind(ctx, size);
  for (const shape of seen) drawWords(ctx, shape, scene.dress.pieces[shape.key], s);
  if (wiped) {
    ctx.restore();
    ctx.fillStyle = EMBER;
    ctx.fillRect(scene.wipe * scene.w - 1 / s, 0, 2 / s, scene.h);
  }
}

// The picture of the result, and on the near side of the wipe what it was made from: the drawing's colours and lines.
function drawPicture(ctx, scene, seen, s) {
  const [x, y, w, h] = scene.picture.box;
  ctx.imageSmoothingQuality = "high";
  ctx.drawImage(scene.picture.image, x, y, w, h);
  if (!(scene.wipe > 0)) return;
  const edge = scene.wipe * scene.w;
  ctx.save();
  ctx.beginPath();
  ctx.rect(0, 0, edge, scene.h);
  ctx.clip();
  for (const shape of seen) {
    const wear = scene.dress.pieces[shape.key];
    ctx.fillStyle = wear?.[6] || SHEET;
    ctx.fill(shape.path, "evenodd");
    ctx.strokeStyle = INK;
    ctx.lineWidth = Math.max(0.35, 0.8 / s);
    ctx.stroke(shape.path);
  }
  ctx.restore();
  ctx.fillStyle = EMBER;
  ctx.fillRect(edge - 1 / s, 0, 2 / s, scene.h);
}

// As one sees it who cannot tell red from green: Machado, Oliveira, Fernandes (2009), deuteranopia, in linear light.
const DEUTAN = [
  [0.367322, 0.860646, -0.227968],
  [0.280085, 0.672501, 0.047413],
  [-0.01182, 0.04294, 0.968881],
];
const LINEAR = Float32Array.from({ length: 256 }, (_, i) =>
  i / 255 <= 0.04045 ? i / 255 / 12.92 : ((i / 255 + 0.055) / 1.055) ** 2.4,
);
const ENCODED = Uint8ClampedArray.from(
  { length: 4096 },
  (_, i) => 255 * (i / 4095 <= 0.0031308 ? (12.92 * i) / 4095 : 1.055 * (i / 4095) ** (1 / 2.4) - 0.055),
);
function asBlind(ctx, size) {
  const picture = ctx.getImageData(0, 0, size.w, size.h),
    { data } = picture;
  for (let i = 0; i < data.length; i += 4) {
    const light = [LINEAR[data[i]], LINEAR[data[i + 1]], LINEAR[data[i + 2]]];
    DEUTAN.forEach(([r, g, b], c) => {
      data[i + c] =
        ENCODED[Math.min(4095, Math.max(0, Math.round(4095 * (r * light[0] + g * light[1] + b * light[2]))))];
    });
  }
  ctx.putImageData(picture, 0, 0);
}

// What is cut away: the bench seen through it, hatched.
function drawOpening(ctx, shape, s) {
  ctx.save();
  ctx.clip(shape.path, "evenodd");
  ctx.fillStyle = "#d9cbb2";
  ctx.fillRect(shape.box[0], shape.box[1], shape.box[2] - shape.box[0], shape.box[3] - shape.box[1]);
  ctx.strokeStyle = "#b7a684";
  ctx.lineWidth = 1 / s;
  ctx.beginPath();
  for (let x = shape.box[0] - (shape.box[3] - shape.box[1]); x < shape.box[2]; x += 8 / s) {
    ctx.moveTo(x, shape.box[1]);
    ctx.lineTo(x + shape.box[3] - shape.box[1], shape.box[3]);
  }
  ctx.stroke();
  ctx.restore();
}

function drawWords(ctx, shape, wear, s) {
  if (!wear) return;
  const [wood, grain, tone, label, arrow, strong] = wear;
  const room = shape.r * s;
  if (arrow && room > 4)
    drawArrow(
      ctx,
      shape.x,
      shape.y,
      grain,
      Math.min(Math.max(0.72 * shape.r, 9 / s), 26 / s),
      s,
      tone === "dark" ? HALO : INK,
    );
  const words = label || (!wood && tone !== "plain" && tone !== "ghost" ? "" : label);
  if (!words || room < 3.2) return;
  let px = Math.min(strong ? 24 : 20, Math.max(9.5, room * 0.8));
  ctx.font = `700 ${px / s}px ${SLAB}`;
  const wide = ctx.measureText(words).width * s;
  if (wide > 2.4 * room) px *= (2.4 * room) / wide;
  if (px < 7.5) return;
  ctx.font = `700 ${px / s}px ${SLAB}`;
  ctx.textAlign = "center";
  ctx.textBaseline = "middle";
  ctx.lineWidth = 4 / s;
  ctx.strokeStyle = HALO;
  ctx.strokeText(words, shape.x, shape.y);
  ctx.fillStyle = strong ? "#8f2b0a" : INK;
  ctx.fillText(words, shape.x, shape.y);
}

export function drawArrow(ctx, x, y, grain, reach, s, colour = INK) {
  ctx.save();
  ctx.translate(x, y);
  ctx.rotate((-grain * Math.PI) / 180);
  const head = Math.min(9 / s, 0.5 * reach);
  const line = () => {
    ctx.beginPath();
    ctx.moveTo(-reach, 0);
    ctx.lineTo(reach, 0);
    ctx.moveTo(reach - head, -head * 0.55);
    ctx.lineTo(reach, 0);
    ctx.lineTo(reach - head, head * 0.55);
    ctx.stroke();
  };
  ctx.lineCap = "round";
  ctx.strokeStyle = colour === INK ? HALO : INK;
  ctx.lineWidth = 5 / s;
  line();
  ctx.strokeStyle = colour;
  ctx.lineWidth = 2.2 / s;
  line();
  ctx.restore();
}

// What was bridged (square), merged or widened (circle), lost, or too small for all but an inlay (ember circles) in a
// drawing.
const round = (ctx, x, y, r) => ctx.arc(x, y, r, 0, 7);
const square = (ctx, x, y, r) => ctx.rect(x - r, y - r, 2 * r, 2 * r);
const TRACES = { bridged: square, merged: round, widened: round, lost: round, inlay: round, bridge: square };

// How seams read: width, dash and colour, so that colour never speaks alone.
const SEAMS = {
  "seam-reads": [2.2, [], INK],
  "seam-shades": [3.4, [2, 5], "#8a5a10"],
  "seam-melts": [4.6, [9, 5], EMBER],
};
function drawSeam(ctx, line, [wide, dash, colour], s) {
  ctx.lineCap = dash.length === 2 && dash[0] < 3 ? "round" : "butt";
  ctx.lineWidth = (wide + 2.4) / s;
  ctx.strokeStyle = HALO;
  ctx.stroke(line);
  ctx.setLineDash(dash.map((d) => d / s));
  ctx.lineWidth = wide / s;
  ctx.strokeStyle = colour;
  ctx.stroke(line);
  ctx.setLineDash([]);
}

// A seam that opens: what is seen through it, between its two edges.
function drawGap(ctx, line, wide, s) {
  ctx.lineCap = "butt";
  ctx.lineJoin = "round";
  ctx.strokeStyle = INK;
  ctx.lineWidth = wide + 1.6 / s;
  ctx.stroke(line);
  ctx.strokeStyle = SHEET;
  ctx.lineWidth = wide;
  ctx.stroke(line);
}

// Lines that part nothing: burnt ones whole, painted ones dotted, sawn ones dashed, veins dashed and dotted, textures
// in short strokes, as on the printed pattern.
const DASHES = { painted: [0.1, 3], sawn: [8, 3], vein: [13, 3, 2, 3], textured: [3, 3] };
function drawDetail(ctx, line, how, s) {
  ctx.lineCap = ctx.lineJoin = "round";
  ctx.lineWidth = Math.max(0.5, 2 / s);
  ctx.strokeStyle = INK;
  ctx.setLineDash((DASHES[how] || []).map((px) => px / s));
  ctx.stroke(line);
  ctx.setLineDash([]);
  ctx.lineCap = "butt";
}

// Resin in an opening or a field.
function drawPool(ctx, path, colour, s) {
  ctx.globalAlpha = 0.82;
  ctx.fillStyle = colour;
  ctx.fill(path, "evenodd");
  ctx.globalAlpha = 1;
  ctx.lineWidth = 1.5 / s;
  ctx.strokeStyle = INK;
  ctx.stroke(path);
}

// A slot as it is sawn: what goes in stands in it.
function drawSlot(ctx, path, s) {
  ctx.fillStyle = SHEET;
  ctx.fill(path);
  ctx.lineWidth = 2 / s;
  ctx.strokeStyle = EMBER;
  ctx.stroke(path);
}

export function drawMarks(ctx, scene, view, size, chosen, drag) {
  ctx.setTransform(1, 0, 0, 1, 0, 0);
  ctx.clearRect(0, 0, size.w, size.h);
  const s = view.scale;
  ctx.setTransform(s, 0, 0, s, view.x, view.y);
  const marks = scene.dress.marks || [];
  for (const m of marks) if (SEAMS[m.kind]) drawSeam(ctx, (m.line ??= new Path2D(m.path)), SEAMS[m.kind], s);
  drawEdges(ctx, scene, marks, s);
  for (const m of marks) if (m.kind === "gap") drawGap(ctx, (m.line ??= new Path2D(m.path)), m.wide, s);
  for (const m of marks) if (m.kind === "detail") drawDetail(ctx, (m.line ??= new Path2D(m.path)), m.text, s);
  for (const m of marks.filter((m) => m.kind === "melt" || m.kind === "guide")) {
    const line = (m.line ??= new Path2D(m.path));
    ctx.lineCap = "round";
    ctx.lineWidth = 4 / s;
    ctx.strokeStyle = m.kind === "melt" ? INK : HALO;
    ctx.stroke(line);
    ctx.setLineDash([7 / s, 6 / s]);
    ctx.lineWidth = 2.4 / s;
    ctx.strokeStyle = m.kind === "melt" ? MELT : EMBER;
    ctx.stroke(line);
    ctx.setLineDash([]);
  }
  for (const m of marks) if (m.kind === "pool") drawPool(ctx, (m.line ??= new Path2D(m.path)), m.text, s);
  for (const m of marks) if (m.kind === "slot") drawSlot(ctx, (m.line ??= new Path2D(m.path)), s);
  for (const shape of scene.shapes) {
    if (!chosen.has(shape.key)) continue;
    ctx.lineJoin = "round";
    const bold = chosen.size > 24 ? 0.55 : 1;
    ctx.lineWidth = (8 * bold) / s;
    ctx.strokeStyle = HALO;
    ctx.stroke(shape.path);
    ctx.lineWidth = (3 * bold) / s;
    ctx.strokeStyle = EMBER;
    ctx.stroke(shape.path);
  }
  const one = chosen.size === 1 && scene.shapes.find((shape) => chosen.has(shape.key));
  for (const m of marks) {
    if (m.kind === "hole") drawHole(ctx, m.x, m.y, s);
    if (m.kind === "neck") {
      ctx.beginPath();
      ctx.arc(m.x, m.y, 8 / s, 0, 7);
      ctx.lineWidth = 4 / s;
      ctx.strokeStyle = HALO;
      ctx.stroke();
      ctx.setLineDash([3 / s, 3 / s]);
      ctx.lineWidth = 2.2 / s;
      ctx.strokeStyle = EMBER;
      ctx.stroke();
      ctx.setLineDash([]);
    }
    if (m.kind === "ring") {
      ctx.beginPath();
      ctx.arc(m.x, m.y, 17 / s, 0, 7);
      ctx.lineWidth = 3 / s;
      ctx.strokeStyle = EMBER;
      ctx.stroke();
    }
    if (TRACES[m.kind]) {
      ctx.beginPath();
      // what went into its surroundings of itself asks for nothing, and there may be hundreds
      const fine = m.kind === "merged";
      TRACES[m.kind](ctx, m.x, m.y, (fine ? 2.5 : 5) / s);
      ctx.fillStyle = m.kind === "bridged" || m.kind === "bridge" ? EMBER : SHEET;
      ctx.fill();
      ctx.lineWidth = (fine ? 1 : 2) / s;
      ctx.strokeStyle = m.kind === "lost" || m.kind === "inlay" ? EMBER : INK;
      ctx.stroke();
    }
    if (m.kind === "start") drawStart(ctx, m, s);
    if (m.kind === "tab") drawTab(ctx, m, s);
    if (m.kind === "slope") drawSlope(ctx, m, s);
    if (m.kind === "plumb") drawPlumb(ctx, (m.line ??= new Path2D(m.path)), s);
    if (m.kind === "mass") drawMass(ctx, m, s);
    if (m.kind === "hanger") drawHanger(ctx, m, s);
  }
  if (one && drag.arrows && scene.dress.pieces[one.key]?.[0])
    drawArrow(
      ctx,
      one.x,
      one.y,
      drag.grain ?? scene.dress.pieces[one.key]?.[1] ?? 0,
      Math.max(0.8 * one.r, 22 / s),
      s,
      HALO,
    );
  for (const m of marks) if (m.kind === "pin") drawPin(ctx, m, s);
  for (const m of marks)
    if (m.kind === "name" || m.kind === "slot-name") {
      m.x ??= 0;
      ctx.font = `700 ${15 / s}px ${SLAB}`;
      ctx.textAlign = m.kind === "name" ? "left" : "center";
      ctx.textBaseline = "middle";
      ctx.lineWidth = 4 / s;
      ctx.strokeStyle = HALO;
      ctx.strokeText(m.text, m.x, m.y);
      ctx.fillStyle = INK;
      ctx.fillText(m.text, m.x, m.y);
    }
  if (drag.line?.points.length) drawLine(ctx, drag.line, s);
  if (drag.box) {
    const [x0, y0, x1, y1] = drag.box;
    ctx.fillStyle = "rgba(178,58,18,.12)";
    ctx.fillRect(x0, y0, x1 - x0, y1 - y0);
    ctx.lineWidth = 1.5 / s;
    ctx.strokeStyle = EMBER;
    ctx.strokeRect(x0, y0, x1 - x0, y1 - y0);
  }
}

// The smooth line that the workshop will cut through these points (`curve_through` in the core), in the canvas' own
// terms: for each stretch its two handles and its end, as one row of six numbers.
export function bent(points) {
  const first = points[0],
    last = points.at(-1),
    n = points.length;
  const ring = Math.hypot(first[0] - last[0], first[1] - last[1]) < 1e-9;
  const beyond = (p, q) => [2 * p[0] - q[0], 2 * p[1] - q[1]];
  const before = ring ? points[n - 2] : beyond(first, points[1]);
  const after = ring ? points[1] : beyond(last, points[n - 2]);
  const all = [before, ...points, after];
  return points.slice(1).map((_, i) => {
    const [a, b, c, d] = all.slice(i, i + 4);
    const out = [0, 1].map((k) => b[k] + (c[k] - a[k]) / 6),
      into = [0, 1].map((k) => c[k] - (d[k] - b[k]) / 6);
    return [...out, ...into, ...c];
  });
}

// A line that is being drawn, bent through its points where that is asked for.
function drawLine(ctx, { points, closed, curve }, s) {
  ctx.beginPath();
  ctx.moveTo(...points[0]);
  if (curve && points.length > 2) for (const stretch of bent(points)) ctx.bezierCurveTo(...stretch);
  else for (const p of points.slice(1)) ctx.lineTo(...p);
  if (closed && points.length > 2) ctx.closePath();
  ctx.lineJoin = ctx.lineCap = "round";
  ctx.lineWidth = 6 / s;
  ctx.strokeStyle = HALO;
  ctx.stroke();
  ctx.lineWidth = 2.6 / s;
  ctx.strokeStyle = EMBER;
  ctx.stroke();
  if (points.length < 40)
    for (const [x, y] of points) {
      ctx.beginPath();
      ctx.arc(x, y, 4 / s, 0, 7);
      ctx.fillStyle = SHEET;
      ctx.fill();
      ctx.lineWidth = 2 / s;
      ctx.stroke();
    }
}

function drawHole(ctx, x, y, s) {
  ctx.beginPath();
  ctx.arc(x, y, 7 / s, 0, 7);
  ctx.fillStyle = SHEET;
  ctx.fill();
  ctx.lineWidth = 1.4 / s;
  ctx.strokeStyle = INK;
  ctx.stroke();
  ctx.beginPath();
  ctx.moveTo(x - 10 / s, y);
  ctx.lineTo(x + 10 / s, y);
  ctx.moveTo(x, y - 10 / s);
  ctx.lineTo(x, y + 10 / s);
  ctx.stroke();
}

function drawStart(ctx, m, s) {
  ctx.beginPath();
  ctx.moveTo(m.x, m.y);
  ctx.lineTo(m.x - 9 / s, m.y - 5 / s);
  ctx.lineTo(m.x - 9 / s, m.y + 5 / s);
  ctx.closePath();
  ctx.fillStyle = EMBER;
  ctx.fill();
  ctx.lineWidth = 1.2 / s;
  ctx.strokeStyle = HALO;
  ctx.stroke();
}

// A tab on a seam: pointed, it points at what is behind; square, both are level; in ember it contradicts another.
const TAB = { front: "M-8-5.5H2L9 0 2 5.5H-8Z", level: "M-6.5-5.5H6.5V5.5H-6.5Z" };
const TABS = { front: new Path2D(TAB.front), wrong: new Path2D(TAB.front), level: new Path2D(TAB.level) };
function drawTab(ctx, m, s) {
  const [x, y] = m.path.split(" ").map(Number);
  ctx.save();
  ctx.translate(m.x, m.y);
  ctx.rotate(Math.atan2(y, x));
  ctx.scale(1 / s, 1 / s);
  ctx.fillStyle = m.text === "wrong" ? EMBER : "#f0ddb0";
  ctx.strokeStyle = m.text === "wrong" ? HALO : INK;
  ctx.lineWidth = 1.4;
  ctx.fill(TABS[m.text]);
  ctx.stroke(TABS[m.text]);
  ctx.restore();
}

// What is rounded off, as a band as wide as it is within its piece; how far, on the longest edges.
function drawEdges(ctx, scene, marks, s) {
  if (!marks.some((m) => m.kind === "edge")) return;
  const shapes = new Map(scene.shapes.map((shape) => [shape.key, shape]));
  ctx.lineCap = "butt";
  ctx.lineJoin = "round";
  for (const m of marks) {
    const shape = m.kind === "edge" && shapes.get(m.piece);
    if (!shape) continue;
    ctx.save();
    ctx.clip(shape.path, "evenodd");
    ctx.lineWidth = Math.max(2 * m.wide, 5 / s);
    ctx.strokeStyle = "rgba(178, 58, 18, .5)";
    ctx.stroke((m.line ??= new Path2D(m.path)));
    ctx.restore();
  }
  ctx.font = `700 ${13 / s}px ${SLAB}`;
  ctx.textAlign = "center";
  ctx.textBaseline = "middle";
  ctx.lineWidth = 3.5 / s;
  for (const m of marks)
    if (m.kind === "edge-words") {
      ctx.strokeStyle = HALO;
      ctx.strokeText(m.text, m.x, m.y);
      ctx.fillStyle = "#8f2b0a";
      ctx.fillText(m.text, m.x, m.y);
    }
}

// A carved slope: a wedge from its high end, thin towards where it is low.
function drawSlope(ctx, m, s) {
  const [x0, y0, x1, y1] = m.path.match(/-?[\d.]+/g).map(Number);
  const long = Math.hypot(x1 - x0, y1 - y0) || 1,
    nx = ((y0 - y1) / long) * (6 / s),
    ny = ((x1 - x0) / long) * (6 / s);
  ctx.beginPath();
  ctx.moveTo(x0 + nx, y0 + ny);
  ctx.lineTo(x1, y1);
  ctx.lineTo(x0 - nx, y0 - ny);
  ctx.closePath();
  ctx.fillStyle = "#f0ddb0";
  ctx.fill();
  ctx.lineWidth = 1.3 / s;
  ctx.strokeStyle = INK;
  ctx.stroke();
}

// The vertical from the centre of mass to where it hangs.
function drawPlumb(ctx, line, s) {
  ctx.setLineDash([2 / s, 4 / s]);
  ctx.lineWidth = 1.8 / s;
  ctx.strokeStyle = EMBER;
  ctx.stroke(line);
  ctx.setLineDash([]);
}

// The centre of mass: a disc quartered light and dark.
function drawMass(ctx, m, s) {
  const r = 10 / s;
  for (let i = 0; i < 4; i++) {
    ctx.beginPath();
    ctx.moveTo(m.x, m.y);
    ctx.arc(m.x, m.y, r, (i * Math.PI) / 2, ((i + 1) * Math.PI) / 2);
    ctx.closePath();
    ctx.fillStyle = i % 2 ? INK : HALO;
    ctx.fill();
  }
  ctx.beginPath();
  ctx.arc(m.x, m.y, r, 0, 7);
  ctx.lineWidth = 1.6 / s;
  ctx.strokeStyle = INK;
  ctx.stroke();
}

// A nail seen from the front, with the wire or plate it holds.
function drawHanger(ctx, m, s) {
  ctx.save();
  ctx.translate(m.x, m.y);
  ctx.scale(1 / s, 1 / s);
  ctx.beginPath();
  if (m.text === "sawtooth") for (let i = -3; i <= 3; i++) ctx.lineTo(i * 5, i % 2 ? 3 : 8);
  else ctx.arc(0, 0, 7, 0, 7);
  ctx.lineWidth = 5;
  ctx.strokeStyle = HALO;
  ctx.stroke();
  ctx.lineWidth = 2.4;
  ctx.strokeStyle = EMBER;
  ctx.stroke();
  ctx.beginPath();
  ctx.arc(0, 0, 3, 0, 7);
  ctx.fillStyle = EMBER;
  ctx.fill();
  ctx.restore();
}

function drawPin(ctx, m, s) {
  ctx.beginPath();
  ctx.arc(m.x, m.y, 13 / s, 0, 7);
  ctx.fillStyle = SHEET;
  ctx.fill();
  ctx.lineWidth = 2.6 / s;
  ctx.strokeStyle = EMBER;
  ctx.stroke();
  ctx.font = `700 ${14 / s}px ${SLAB}`;
  ctx.textAlign = "center";
  ctx.textBaseline = "middle";
  ctx.fillStyle = INK;
  ctx.fillText(m.text, m.x, m.y + 0.5 / s);
}
