// A piece over the face of a board: slid and turned there, seen in the picture at once.
import { Panel } from "./panel.js";
import { ready } from "./live.js";
import { drawArrow } from "./canvas.js";
import { BoardFace } from "./boardface.js";
import "./keys.js";
import "./said.js";

const json = (id) => JSON.parse(document.getElementById(id).textContent);
const setting = json("setting"),
  woods = json("woods"),
  dress = json("dress");
const keep = document.getElementById("keep"),
  told = document.getElementById("told");
const element = document.getElementById("panel");
const panel = new Panel(element);
const at = { x: setting.x, y: setting.y, grain: setting.grain };
const piece = new Path2D(setting.shape);

// picture (mm) to board (mm): turned so that the arrow lies along the board's grain, the fattest spot at x, y
function move() {
  const turn = (-(setting.boardGrain - at.grain) * Math.PI) / 180,
    [ax, ay] = setting.about;
  const [a, c] = [Math.cos(turn), -Math.sin(turn)],
    [b, d] = [Math.sin(turn), Math.cos(turn)];
  return [a, c, at.x - a * ax - c * ay, b, d, at.y - b * ax - d * ay];
}

const face = new BoardFace(
  document.getElementById("boardface"),
  { ...setting, url: woods[`@${setting.board}`].tile },
  (ctx, s) => {
    ctx.fillStyle = "rgba(42,37,33,.62)";
    ctx.strokeStyle = "#fff8ea";
    ctx.lineWidth = 1.4 / s;
    ctx.font = `700 ${13 / s}px "Hepta Slab", serif`;
    ctx.textAlign = "center";
    ctx.textBaseline = "middle";
    for (const [number, ring] of setting.others) {
      const path = new Path2D(`M${ring.map((p) => p.join(" ")).join("L")}Z`);
      ctx.fill(path);
      ctx.stroke(path);
      const middle = ring.reduce(([x, y], p) => [x + p[0] / ring.length, y + p[1] / ring.length], [0, 0]);
      ctx.fillStyle = "#fff8ea";
      ctx.fillText(number, ...middle);
      ctx.fillStyle = "rgba(42,37,33,.62)";
    }
    const [a, c, e, b, d, f] = move();
    const laid = new Path2D();
    laid.addPath(piece, new DOMMatrix([a, b, c, d, e, f]));
    ctx.lineJoin = "round";
    ctx.lineWidth = 7 / s;
    ctx.strokeStyle = "#fff8ea";
    ctx.stroke(laid);
    ctx.lineWidth = 3 / s;
    ctx.strokeStyle = "#b23a12";
    ctx.stroke(laid);
    drawArrow(ctx, at.x, at.y, setting.boardGrain, tipReach(s), s, "#fff8ea");
  },
);
const tipReach = (s) => 34 / s;

function show() {
  keep.elements.x.value = at.x.toFixed(2);
  keep.elements.y.value = at.y.toFixed(2);
  keep.elements.deg.value = ((at.grain % 360) + 360) % 360;
  dress.pieces[setting.piece] = [setting.wood, at.grain, "full", "", 0, 0, "", "", [setting.board, ...move()]];
  panel.wear(dress);
  face.redraw();
}

fetch(element.dataset.shapes)
  .then((answer) => answer.json())
  .then((shapes) => {
    panel.show(shapes, dress, woods);
    panel.chosen = new Set([setting.piece]);
    show();
    ready(element);
  });

// hands
let press = null;
const surface = face.element;
surface.addEventListener("pointerdown", (event) => {
  surface.setPointerCapture(event.pointerId);
  const [x, y] = face.toBoard(event),
    tip = tipReach(face.view.scale),
    along = (setting.boardGrain * Math.PI) / 180;
  const onTip = [1, -1].some(
    (way) =>
      Math.hypot(x - at.x - way * tip * Math.cos(along), y - at.y + way * tip * Math.sin(along)) < 14 / face.view.scale,
  );
  press = { x, y, from: { ...at }, turn: onTip, angle: Math.atan2(at.y - y, x - at.x) };
});
surface.addEventListener("pointermove", (event) => {
  if (!press) return;
  const [x, y] = face.toBoard(event);
  if (press.turn) {
    // the piece turns on the board with the hand, so its arrow in the picture turns the other way
    const turned = ((Math.atan2(at.y - y, x - at.x) - press.angle) * 180) / Math.PI;
    at.grain = Math.round(press.from.grain - turned);
  } else {
    at.x = press.from.x + x - press.x;
    at.y = press.from.y + y - press.y;
  }
  show();
});
for (const kind of ["pointerup", "pointercancel"])
  surface.addEventListener(kind, () => {
    press = null;
  });
surface.addEventListener("keydown", (event) => {
  const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
  if (!by) return;
  const step = event.shiftKey ? 10 : 1;
  at.x += by[0] * step;
  at.y += by[1] * step;
  show();
  event.preventDefault();
});

document.body.addEventListener("click", async (event) => {
  const turn = event.target.closest("[data-turn]");
  if (turn) {
    at.grain -= Number(turn.dataset.turn);
    show();
  }
  const wish = event.target.closest("[data-wish]");
  if (wish) {
    const query = new URLSearchParams({
      piece: setting.piece,
      board: setting.board,
      deg: ((at.grain % 360) + 360) % 360,
      wish: wish.dataset.wish,
    });
    const answer = await fetch(`${document.getElementById("placing").dataset.spots}&${query}`);
    const places = document.getElementById("places");
    places.replaceChildren();
    if (!answer.ok) {
      told.textContent =
        new DOMParser().parseFromString(await answer.text(), "text/html").querySelector(".slip p")?.textContent ??
        "That place could not be found.";
      return;
    }
    told.textContent = "";
    (await answer.json()).places.forEach(([x, y], i) => {
      const button = Object.assign(document.createElement("button"), { type: "button", textContent: i + 1 });
      Object.assign(button.dataset, { x, y });
      button.setAttribute("aria-label", `Place ${i + 1}: ${wish.textContent}`);
      places.append(button);
    });
    places.querySelector("button")?.click();
  }
  const spot = event.target.closest("#places button");
  if (spot) {
    at.x = Number(spot.dataset.x);
    at.y = Number(spot.dataset.y);
    for (const b of spot.parentElement.children) b.setAttribute("aria-pressed", b === spot);
    show();
  }
});
window.emberFace = face;
