// The string that ties the ticket to the piece it speaks of.
const SVG = "http://www.w3.org/2000/svg";
const STRANDS = [
  ["#2a1c10", 5, ".4"],
  ["#6d5333", 4.2, "1"],
  ["#f3e6c6", 2.6, "1"],
  ["#a98c5c", 2.6, "1", "1.4 4.2"],
];

export function hangString(panel) {
  const over = document.getElementById("string");
  const strands = STRANDS.map(([colour, width, opacity, dash]) => {
    const path = document.createElementNS(SVG, "path");
    for (const [name, value] of Object.entries({
      fill: "none",
      stroke: colour,
      "stroke-width": width,
      "stroke-opacity": opacity,
      ...(dash && { "stroke-dasharray": dash }),
    }))
      path.setAttribute(name, value);
    over.append(path);
    return path;
  });
  strands[0].setAttribute("transform", "translate(1.5 2.5)");
  const knot = document.createElementNS(SVG, "circle");
  for (const [name, value] of Object.entries({ r: 6.5, fill: "#b23a12", stroke: "#fff8ea", "stroke-width": 2 }))
    knot.setAttribute(name, value);
  over.append(knot);

  const tie = () => {
    const eyelet = document.querySelector("#ticket .eyelet");
    const shape = panel.chosen.size ? panel.shape([...panel.chosen].at(-1)) : null;
    const laid = document.querySelector("#rack .part.on, #lifted .part.lit .top, #calendar .block.on .body");
    // while the way of the blade is played the picture is not seen
    const hidden = !eyelet || document.querySelector("[data-way]");
    const line = hidden ? null : laid ? toRack(laid, eyelet) : shape ? toPiece(panel, shape, eyelet) : null;
    over.toggleAttribute("hidden", !line);
    if (!line) return;
    for (const strand of strands) strand.setAttribute("d", line.d);
    knot.setAttribute("cx", line.x);
    knot.setAttribute("cy", line.y);
  };
  document.addEventListener("panel:drawn", tie);
  document.body.addEventListener("htmx:afterSettle", tie);
  for (const moved of [".side", "#rack", "#calendar"])
    document.querySelector(moved)?.addEventListener("scroll", tie, { passive: true });
}

// To the piece's border nearest the ticket; nothing while the piece is out of sight.
function toPiece(panel, shape, eyelet) {
  const at = panel.toPage(Math.min(shape.x + 0.55 * shape.r, shape.box[2]), shape.y + 0.55 * shape.r);
  return path(at, panel.element.getBoundingClientRect(), eyelet);
}

// To a part on its board.
function toRack(laid, eyelet) {
  const frame = laid.closest(".rack").getBoundingClientRect();
  const spot = laid.closest("svg").querySelector(".arrow")?.getBoundingClientRect() ?? laid.getBoundingClientRect();
  if (laid.closest("#calendar"))
    return path([spot.left + 0.5 * spot.width, spot.top + 0.4 * spot.height], frame, eyelet);
  return path([spot.left + 0.5 * spot.width + 16, spot.top + spot.height / 2 + 9], frame, eyelet);
}

// From the eyelet, sagging.
function path([x, y], frame, eyelet) {
  const box = eyelet.getBoundingClientRect();
  const x0 = box.left + box.width / 2,
    y0 = box.top + box.height / 2;
  if (x < frame.left || x > frame.right || y < frame.top || y > frame.bottom || window.innerWidth < 1000) return null;
  const sag = Math.min(frame.bottom - 6, Math.max(y0, y) + 0.22 * Math.hypot(x0 - x, y0 - y));
  return { x, y, d: `M${x0} ${y0}C${x0 - 20} ${(y0 + sag) / 2 + 40},${(x0 + 2 * x) / 3} ${sag},${x} ${y}` };
}
