// The rack: parts on boards, chosen, slid and turned by hand; each lights up in the picture, and the other way round.
const SVG = "http://www.w3.org/2000/svg";
const SAMPLES = 72;
const STEP_MM = 1,
  FAR_MM = 10;

export function racked(panel, perform) {
  if (!document.getElementById("rack")) return;
  const rack = () => document.getElementById("rack");
  const field = () => document.querySelector("#state [name=part]");
  const scale = () => Number(rack().dataset.scale);
  let drag = null,
    waiting = null;

  const chosen = () => rack().querySelector(".part.on");

  function choose(path) {
    field().value = path?.dataset.part ?? "";
    const piece = Number(path?.dataset.piece ?? 0);
    panel.choose(piece ? [piece] : []);
  }

  // what is chosen in the picture is another part than the one that was chosen here
  panel.element.addEventListener(
    "panel:chosen",
    () => {
      const now = field().value;
      const path = now && rack().querySelector(`[data-part="${CSS.escape(now)}"]`);
      const piece = Number(path?.dataset?.piece ?? 0);
      if (piece && !panel.chosen.has(piece)) field().value = "";
      else if (!piece && panel.chosen.size) field().value = "";
    },
    { capture: true },
  );

  // the hand over a part lights its piece, over a piece its parts
  let lit = 0;
  function light(piece) {
    if (piece === lit) return;
    lit = piece;
    for (const path of rack().querySelectorAll(".part.lit")) path.classList.remove("lit");
    if (piece) for (const path of rack().querySelectorAll(`[data-piece="${piece}"]`)) path.classList.add("lit");
    panel.lit = piece;
    panel.marks();
  }
  document.body.addEventListener("pointermove", (event) => {
    if (drag) return;
    const path = event.target.closest?.("#rack [data-piece]");
    if (path) light(Number(path.dataset.piece));
    else if (panel.element.contains(event.target)) light(panel.at(...panel.toScene(event))?.key ?? 0);
    else light(0);
  });

  const inBoard = (group, event) => {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(group.getScreenCTM().inverse());
    return [at.x / scale(), at.y / scale()];
  };

  // Points round a part as it would lie after a shift (mm) and a turn.
  function ring(path) {
    const long = path.getTotalLength();
    return Array.from({ length: SAMPLES }, (_, i) => path.getPointAtLength((i * long) / SAMPLES));
  }

  function clashes(path, [dx, dy]) {
    const board = path.closest(".board");
    const own = ring(path);
    const moved = own.map((p) => new DOMPoint(p.x + dx, p.y + dy));
    const wood = board.querySelector(".edge");
    if (moved.some((p) => !wood.isPointInFill(p))) return true;
    for (const flaw of board.querySelectorAll(".flaw, .spoken"))
      if (moved.some((p) => flaw.isPointInFill(p)) || ring(flaw).some((p) => path.isPointInFill(back(p, dx, dy))))
        return true;
    for (const other of board.querySelectorAll(".part")) {
      if (other === path) continue;
      const theirs = ring(other);
      if (moved.some((p) => other.isPointInFill(p)) || theirs.some((p) => path.isPointInFill(back(p, dx, dy))))
        return true;
      if (tooNear(moved, theirs)) return true;
    }
    return false;
  }
  // whether two rings come nearer to each other than the gap, told from points on one and the stretches of the other
  function tooNear(ours, theirs) {
    const gap = Number(rack().dataset.gap);
    const box = (points) => [
      Math.min(...points.map((p) => p.x)) - gap,
      Math.min(...points.map((p) => p.y)) - gap,
      Math.max(...points.map((p) => p.x)) + gap,
      Math.max(...points.map((p) => p.y)) + gap,
    ];
    const [x0, y0, x1, y1] = box(ours);
    const near = theirs.filter((p) => p.x >= x0 && p.x <= x1 && p.y >= y0 && p.y <= y1);
    return near.some((p) => ours.some((q, i) => apart(p, q, ours[(i + 1) % ours.length]) < gap - 0.05));
  }
  function apart(p, a, b) {
    const [dx, dy] = [b.x - a.x, b.y - a.y];
    const t = Math.max(0, Math.min(1, ((p.x - a.x) * dx + (p.y - a.y) * dy) / (dx * dx + dy * dy || 1)));
    return Math.hypot(p.x - a.x - t * dx, p.y - a.y - t * dy);
  }
  const back = (p, dx, dy) => new DOMPoint(p.x - dx, p.y - dy);

  function show(path, shift) {
    path.setAttribute("transform", `translate(${shift[0]} ${shift[1]})`);
    path.classList.toggle("wrong", clashes(path, shift));
  }

  function setDown(path, [dx, dy]) {
    const slot = document.querySelector("[data-setting]");
    if (!slot || slot.dataset.setting !== path.dataset.part) return;
    const { board, x, y, turned, leaf } = slot.dataset;
    perform({
      verb: "set_down",
      part: path.dataset.part,
      board,
      x: (Number(x) + dx).toFixed(2),
      y: (Number(y) + dy).toFixed(2),
      turned,
      leaf,
    });
  }

  document.body.addEventListener("pointerdown", (event) => {
    const path = event.target.closest?.("#rack .part");
    if (!path) {
      if (event.target.closest?.("#rack") && !event.target.closest("a, button")) choose(null);
      return;
    }
    event.preventDefault();
    rack().focus({ preventScroll: true });
    if (!path.classList.contains("on")) {
      choose(path);
      return;
    }
    const board = path.closest(".board");
    // what is still to be bought cannot be moved about
    if (!board || board.closest(".bought")) return;
    rack().setPointerCapture(event.pointerId);
    drag = { path, board, from: inBoard(board, event), shift: [0, 0] };
  });
  document.body.addEventListener("pointermove", (event) => {
    if (!drag) return;
    const [x, y] = inBoard(drag.board, event);
    drag.shift = [x - drag.from[0], y - drag.from[1]];
    show(drag.path, drag.shift);
  });
  const drop = () => {
    if (!drag) return;
    const { path, shift } = drag;
    drag = null;
    if (Math.hypot(...shift) > 0.5) setDown(path, shift);
    else path.removeAttribute("transform");
  };
  document.body.addEventListener("pointerup", drop);
  document.body.addEventListener("pointercancel", drop);

  // Arrows shift the chosen part; what many of them come to is kept once the hand rests.
  document.body.addEventListener("keydown", (event) => {
    if (!event.target.closest?.("#rack") || event.ctrlKey || event.metaKey || event.altKey) return;
    const parts = [...rack().querySelectorAll(".part")];
    const path = chosen();
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (event.key === "]" || event.key === "[" || (way && !path)) {
      const step = event.key === "[" || way?.[0] < 0 || way?.[1] < 0 ? -1 : 1;
      const next = parts[(parts.indexOf(path) + step + parts.length) % parts.length] ?? parts[0];
      if (next) choose(next);
    } else if (way && path.closest(".board") && !path.closest(".bought")) {
      const step = event.shiftKey ? FAR_MM : STEP_MM;
      waiting = waiting?.path === path ? waiting : { path, shift: [0, 0] };
      waiting.shift = waiting.shift.map((v, i) => v + step * way[i]);
      show(path, waiting.shift);
      clearTimeout(waiting.timer);
      const held = waiting;
      waiting.timer = setTimeout(() => {
        waiting = null;
        setDown(held.path, held.shift);
      }, 450);
    } else if (event.key === "Escape") choose(null);
    else return;
    event.preventDefault();
    event.stopPropagation();
  });
}
