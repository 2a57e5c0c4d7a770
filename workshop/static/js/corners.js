// The sheet as it was photographed, with its four corners to be moved: by hand, or by the arrow keys.
const SVG = "http://www.w3.org/2000/svg";
const NAMES = ["upper left", "upper right", "lower right", "lower left"];
const STEP = 0.002;

// `corners` are shares of the picture; `done` is given those that were chosen, or nothing when it was left.
export function moveCorners(panel, source, corners, done) {
  const points = corners.map((point) => [...point]);
  const room = document.createElement("div");
  room.className = "corners";
  room.setAttribute("role", "group");
  room.setAttribute("aria-label", "The corners of the sheet");
  const picture = new Image();
  picture.src = source;
  picture.alt = "The sheet as it was photographed";
  const svg = document.createElementNS(SVG, "svg");
  svg.setAttribute("viewBox", "0 0 1 1");
  svg.setAttribute("preserveAspectRatio", "none");
  const outline = document.createElementNS(SVG, "polygon");
  svg.append(outline);
  const frame = document.createElement("div");
  frame.append(picture, svg);
  const handles = points.map((_, i) => {
    const handle = document.createElement("button");
    handle.type = "button";
    handle.setAttribute("aria-label", `The ${NAMES[i]} corner`);
    frame.append(handle);
    return handle;
  });
  const words = document.createElement("p");
  const keep = document.createElement("button");
  keep.type = "button";
  keep.className = "go";
  keep.textContent = "Straighten it so";
  words.append("Drag the corners of the sheet. ", keep);
  room.append(frame, words);
  panel.append(room);

  const show = () => {
    outline.setAttribute("points", points.map(([x, y]) => `${x},${y}`).join(" "));
    handles.forEach((handle, i) => {
      handle.style.left = `${100 * points[i][0]}%`;
      handle.style.top = `${100 * points[i][1]}%`;
    });
  };
  const put = (i, x, y) => {
    points[i] = [x, y].map((v) => Math.min(1, Math.max(0, v)));
    show();
  };
  const leave = (chosen) => {
    room.remove();
    done(chosen);
  };
  handles.forEach((handle, i) => {
    handle.addEventListener("pointerdown", (event) => {
      handle.setPointerCapture(event.pointerId);
      event.stopPropagation();
    });
    handle.addEventListener("pointermove", (event) => {
      if (!handle.hasPointerCapture(event.pointerId)) return;
      const box = picture.getBoundingClientRect();
      put(i, (event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height);
    });
    handle.addEventListener("keydown", (event) => {
      const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
      if (!way) return;
      put(i, points[i][0] + way[0] * STEP, points[i][1] + way[1] * STEP);
      event.preventDefault();
      event.stopPropagation();
    });
  });
  room.addEventListener("keydown", (event) => {
    if (event.key === "Escape") leave();
    event.stopPropagation();
  });
  for (const type of ["pointerdown", "wheel", "click", "dblclick"])
    room.addEventListener(type, (event) => event.stopPropagation());
  keep.addEventListener("click", () => leave(points));
  show();
  handles[0].focus({ preventScroll: true });
}
