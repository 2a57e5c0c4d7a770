const PAPER = "#fbf6ea";

// The calendar: sittings are walked through, lit in the picture and moved by hand; each evening shows what will be.
export function evenings(panel, perform, keysOf) {
  const calendar = () => document.getElementById("calendar");
  if (!calendar()) return;
  const field = () => document.querySelector("#state [name=slot]");
  const blocks = () => [...calendar().querySelectorAll(".block")];
  const chosen = () => calendar().querySelector(".block.on");
  let drag = null;

  // Another sitting: its ticket comes, and the picture lights up what it handles.
  function choose(block) {
    if (!block) return;
    for (const other of blocks()) other.classList.toggle("on", other === block);
    const show = document.querySelector("#state [name=show]").value,
      view = document.querySelector("#state [name=view]").value;
    const query = new URLSearchParams({ show, view, slot: block.dataset.slot });
    history.replaceState(null, "", `?${query}`);
    htmx.ajax("GET", `${panel.element.dataset.ticket}?${query}`, { target: "#ticket", swap: "outerHTML" });
  }

  function light() {
    panel.chosen = new Set(keysOf(chosen()?.dataset.pieces ?? ""));
    panel.marks();
  }

  function shown(block) {
    const box = block.getBoundingClientRect(),
      frame = calendar().getBoundingClientRect();
    if (box.left < frame.left + 40 || box.right > frame.right - 40)
      calendar().scrollBy({ left: box.left - frame.left - frame.width / 2, behavior: "instant" });
  }

  document.body.addEventListener("click", (event) => {
    const button = event.target.closest("button[data-slot]");
    if (!button) return;
    const block = calendar().querySelector(`[data-slot="${CSS.escape(button.dataset.slot)}"]`);
    if (block) shown(block);
    choose(block);
  });

  const spans = () => JSON.parse(document.getElementById("evenings-json")?.textContent ?? "{}").spans ?? [];

  // The moment under an x, to five minutes, within hours that hold so many minutes from then on where they can.
  function moment(x, wanted) {
    let best = null;
    for (const [from, to, at, minutes] of spans()) {
      const share = Math.min(Math.max((x - from) / (to - from), 0), 1);
      const off = Math.abs(x - (from + share * (to - from)));
      if (!best || off < best.off) best = { off, at, minutes: Math.round((share * minutes) / 5) * 5, room: minutes };
    }
    if (!best) return "";
    const [day, time] = best.at.split("T"),
      [hour, minute] = time.split(":").map(Number);
    const total = hour * 60 + minute + Math.min(best.minutes, Math.max(best.room - wanted, 0));
    const two = (n) => String(n).padStart(2, "0");
    return `${day}T${two(Math.min(Math.floor(total / 60), 23))}:${two(total % 60)}`;
  }

  const under = (block, by) =>
    moment(Number(block.querySelector(".body").getAttribute("x")) + by, Number(block.dataset.minutes));

  calendar().parentElement.addEventListener("pointerdown", (event) => {
    const block = event.target.closest?.("#calendar .block");
    if (!block || event.button) return;
    drag = { block, x: event.clientX, by: 0 };
  });
  document.addEventListener("pointermove", (event) => {
    if (!drag) return;
    drag.by = event.clientX - drag.x;
    // a step is moved by its first sitting; those of other works stay
    if (Math.abs(drag.by) < 5 || drag.block.dataset.moves !== "yes") return;
    event.preventDefault();
    drag.moved = true;
    drag.block.setAttribute("transform", `translate(${drag.by} 0)`);
    drag.block.classList.add("held");
    tell(under(drag.block, drag.by));
  });
  document.addEventListener("pointerup", () => {
    if (!drag) return;
    const { block, moved, by } = drag;
    drag = null;
    tell("");
    if (!moved) {
      choose(block);
      return;
    }
    // where it then stands the answer says; a move that cannot be leaves it where it was
    block.classList.remove("held");
    block.removeAttribute("transform");
    field().value = block.dataset.task;
    perform({ verb: "pin", step: block.dataset.task, at: under(block, by) });
  });

  function tell(at) {
    const hint = document.getElementById("hint");
    hint.hidden = !at;
    if (at) hint.textContent = at.replace("T", " at ");
  }

  document.addEventListener("keydown", (event) => {
    if (event.target.closest("input, select, textarea, dialog")) return;
    const by = { "[": -1, "]": 1 }[event.key];
    if (!by) return;
    const all = blocks(),
      here = all.indexOf(chosen());
    const next = all[(here + by + all.length) % all.length];
    event.preventDefault();
    if (next) shown(next);
    choose(next);
  });

  // What the work will look like at the end of each evening, from the picture that is there already. One picture is
  // worked on from evening to evening, in what changes; sheets that lie over each other are painted whole, back to front.
  function paint() {
    const { shapes, dress, woods, w, h, stacked } = panel.scene;
    const leaves = [...calendar().querySelectorAll(".leaf")];
    const fit = (canvas) => Math.min(canvas.width / w, canvas.height / h);
    const scale = Math.max(...[...calendar().querySelectorAll(".leaf canvas")].map(fit));
    const work = document.createElement("canvas");
    work.width = Math.ceil(w * scale);
    work.height = Math.ceil(h * scale);
    const ctx = work.getContext("2d");
    ctx.scale(scale, scale);
    ctx.lineWidth = 0.6 / scale;
    ctx.strokeStyle = "#2a2521";
    const there = new Map();
    const fill = (path, colour, alpha) => {
      ctx.globalAlpha = alpha;
      ctx.fillStyle = colour;
      ctx.fill(path, "evenodd");
    };
    const draw = (some) => {
      const sheet = new Path2D();
      sheet.rect(0, 0, w, h);
      if (some === shapes) fill(sheet, PAPER, 1);
      for (const shape of some) {
        if (some !== shapes) fill(shape.path, PAPER, 1);
        fill(shape.path, woods[dress.pieces[shape.key]?.[0]]?.colour ?? "#cdbd9f", there.get(shape.key) ?? 0.14);
        ctx.globalAlpha = 0.5;
        ctx.stroke(shape.path);
      }
    };
    draw(shapes);
    const changed = new Set();
    for (const leaf of leaves) {
      for (const [keys, alpha] of [
        [leaf.dataset.sawn, 0.5],
        [leaf.dataset.made, 1],
      ])
        for (const key of keysOf(keys)) {
          there.set(key, Math.max(there.get(key) ?? 0, alpha));
          changed.add(key);
        }
      const canvas = leaf.querySelector("canvas");
      if (!canvas) continue;
      if (changed.size) draw(stacked ? shapes : shapes.filter((shape) => changed.has(shape.key)));
      changed.clear();
      const wide = fit(canvas) * w;
      canvas.getContext("2d").drawImage(work, (canvas.width - wide) / 2, 0, wide, fit(canvas) * h);
    }
  }

  // The names of the lanes stay at the left while the evenings are pushed along; a new drawing lies where the old one
  // was pushed to.
  let pushed = 0;
  function names() {
    pushed = calendar().scrollLeft;
    calendar().querySelector(".names")?.setAttribute("transform", `translate(${calendar().scrollLeft} 0)`);
  }

  let painted = null;
  function painting() {
    const first = calendar().querySelector(".leaf canvas");
    if (!first || first === painted || !panel.scene.shapes.length) return false;
    painted = first;
    paint();
    return true;
  }
  document.addEventListener("panel:drawn", () => {
    if (painting()) light();
  });
  document.body.addEventListener("htmx:afterSettle", () => {
    painting();
    light();
    calendar().scrollLeft = pushed;
    names();
    calendar().addEventListener("scroll", names, { passive: true });
  });
  calendar().addEventListener("scroll", names, { passive: true });
  const here = chosen();
  if (here) shown(here);
}
