"""Borders between labels as smooth arcs that both neighbours share.

Crack edges run between pixels of different label; they join into arcs whose ends are the places where three or
more labels meet. Each arc is smoothed once, laid on the ridge of the ink, and its ends and corners are drawn on to
where the lines really meet; where that makes arcs cross, they fall back, down to the bare cracks, so the coverage
cannot open.
"""

import math
from dataclasses import dataclass
from functools import cache, partial

import cv2
import numpy as np
import shapely
from scipy.spatial import cKDTree

from ..errors import BadDrawing

TANGLED = (
    "The regions of this picture lie in each other so finely that their borders cannot be followed. Bring it larger, "
    "or with fewer details."
)
THIN_PX = 0.1
"""How far thinning of points may move a border."""
NEARLY_ONE_LINE = 0.35
"""Lines whose normals spread less than this do not tell where they cross."""
STEP_PX = 0.5
"""Spacing of the samples across a line."""
CORNER_DEG = 40.0
STRAIGHT_PX = 0.2
"""Both sides of a corner must be this straight, or it is a tight curve and stays one."""


@dataclass
class _Arcs:
    """Arcs as one run of points; `nodes` are the indices of the nodes at the two ends, -1 for a loop of its own."""

    points: np.ndarray
    offsets: np.ndarray
    pinned: np.ndarray
    nodes: np.ndarray
    places: np.ndarray
    sides: np.ndarray
    """Labels to the two sides of each arc."""

    def __len__(self) -> int:
        return len(self.offsets) - 1


def outlines_of(
    label: np.ndarray, count: int, *, rounds: int = 8, ridge: np.ndarray | None = None, ink_px: float = 0.0
) -> tuple[list[shapely.Polygon], int]:
    """Outlines in pixels for labels 1..count, in label order, and how many arcs fell back from the best drawing.

    `ridge` is the grey picture whose dark lines of about `ink_px` the borders follow.
    """
    arcs = _chains(label)
    smooth = _smoothed(arcs, rounds)
    # what arcs fall back to is worked out when one does
    levels = [lambda: smooth, *(cache(partial(_smoothed, arcs, r)) for r in (4, 2) if r < rounds), lambda: arcs.points]
    moved, body = np.zeros(len(arcs.places), bool), np.arange(len(arcs.places))
    places = arcs.places.copy()
    if ridge is not None and ink_px > 0:
        snapped = _on_ridge(arcs, smooth, ridge, ink_px)
        levels.insert(0, lambda: snapped)
        places, moved, body = _drawn_on(arcs, snapped, ink_px)
    level = np.zeros(len(arcs), int)
    worst = len(levels) - 1
    lines: list[np.ndarray] = [np.empty((0, 2))] * len(arcs)
    again = np.arange(len(arcs))
    for _ in range(16):
        for i in again.tolist():
            sharp = level[i] == 0 and ridge is not None
            lines[i] = _line(arcs, i, levels[level[i]](), sharp, places, moved, ink_px)
        found, bad = _faces([line for line in lines if len(line)], label, count)
        if found is not None:
            return found, int((level > 0).sum())
        wrong = np.isin(arcs.sides, bad).any(axis=1)
        if not wrong.any():
            wrong = _crossing(lines)
        if not wrong.any() or (level[wrong] == worst).all():
            break
        ends = arcs.nodes[wrong].ravel()
        back = np.isin(body, body[ends[ends >= 0]])
        moved[back] = False
        level[wrong] = np.minimum(level[wrong] + 1, worst)
        again = np.flatnonzero(wrong | (back[arcs.nodes] & (arcs.nodes >= 0)).any(axis=1))
    bare = [
        _line(arcs, i, arcs.points, False, arcs.places, np.zeros(len(arcs.places), bool), 0) for i in range(len(arcs))
    ]
    found, _ = _faces(bare, label, count)
    if found is None:
        raise BadDrawing(TANGLED)
    return found, len(arcs)


def _chains(label: np.ndarray) -> _Arcs:
    """All arcs between labels, with the nodes where they end."""
    height, width = label.shape
    padded = np.zeros((height + 2, width + 2), label.dtype)
    padded[1:-1, 1:-1] = label
    above, under = padded[:-1, 1:-1], padded[1:, 1:-1]
    across = _runs(np.argwhere(above != under), above, under)
    before, behind = padded[1:-1, :-1].T, padded[1:-1, 1:].T
    down = _runs(np.argwhere(before != behind), before, behind)[..., ::-1]
    straight = shapely.linestrings(np.concatenate([across, down]).astype(float))
    lines = shapely.get_parts(shapely.line_merge(shapely.multilinestrings(straight)))
    points, owner = shapely.get_coordinates(shapely.segmentize(lines, 1.0), return_index=True)
    points = np.round(points)
    offsets = np.r_[0, np.cumsum(np.bincount(owner, minlength=len(lines)))]
    first, last = offsets[:-1], offsets[1:] - 1
    open_arc = (points[first] != points[last]).any(axis=1)
    # a loop that hangs on a node keeps that node: its end point is the end of some other arc too
    ends = np.concatenate([points[first], points[last[open_arc]]])
    places, inverse, seen = np.unique(ends, axis=0, return_inverse=True, return_counts=True)
    inverse = inverse.ravel()
    nodes = np.full((len(first), 2), -1)
    nodes[:, 0] = inverse[: len(first)]
    nodes[open_arc, 1] = inverse[len(first) :]
    lone = ~open_arc & (seen[nodes[:, 0]] == 1)
    nodes[~open_arc, 1] = nodes[~open_arc, 0]
    nodes[lone] = -1
    pinned = np.zeros(len(points), bool)
    pinned[first[~lone]] = pinned[last[~lone]] = True
    at_x = (points[:, 0] == 0) | (points[:, 0] == width)
    at_y = (points[:, 1] == 0) | (points[:, 1] == height)
    # the pixels to the two sides of an arc's first crack, in the padded picture
    (x0, y0), (x1, y1) = points[first].T.astype(int), points[first + 1].T.astype(int)
    x, y, flat = np.minimum(x0, x1), np.minimum(y0, y1), y0 == y1
    one = padded[np.where(flat, y, y + 1), np.where(flat, x + 1, x)]
    sides = np.stack([one, padded[y + 1, x + 1]], axis=1)
    return _Arcs(points, offsets, pinned | (at_x & at_y), nodes, places, sides)


def _runs(at: np.ndarray, one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Cracks at (row, column), sorted, between the pixels of two pictures: those in a row are joined where they go on
    between the same labels: (n, 2, 2) of x, y.

    No arc branches inside such a run, or a label beside it would change.
    """
    row, column = at.T
    a, b = one[row, column], other[row, column]
    new = np.ones(len(row), bool)
    new[1:] = (np.diff(row) != 0) | (np.diff(column) != 1) | (np.diff(a) != 0) | (np.diff(b) != 0)
    first = np.flatnonzero(new)
    last = np.r_[first[1:] - 1, len(row) - 1] if len(first) else first
    return np.stack([np.c_[column[first], row[first]], np.c_[column[last] + 1, row[first]]], axis=1)


def _beside(arcs: _Arcs) -> tuple[np.ndarray, np.ndarray]:
    """Index of the point before and after each; closed arcs run on over their start."""
    first, last = arcs.offsets[:-1], arcs.offsets[1:] - 1
    before, after = np.arange(len(arcs.points)) - 1, np.arange(len(arcs.points)) + 1
    ring = arcs.nodes[:, 0] < 0
    before[first[ring]], after[last[ring]] = last[ring] - 1, first[ring] + 1
    before[first[~ring]], after[last[~ring]] = first[~ring], last[~ring]
    return before, after


def _smoothed(arcs: _Arcs, rounds: int) -> np.ndarray:
    """Rounds of 1-2-1 averaging along each arc."""
    before, after = _beside(arcs)
    smooth = arcs.points.copy()
    free = np.flatnonzero(~arcs.pinned)
    before, after = before[free], after[free]
    for _ in range(rounds):
        smooth[free] = 0.25 * smooth[before] + 0.5 * smooth[free] + 0.25 * smooth[after]
    return smooth


def _on_ridge(arcs: _Arcs, smooth: np.ndarray, ridge: np.ndarray, ink_px: float) -> np.ndarray:
    """Each point moved across its line to the middle of the ink there (centroid of darkness), calmly along the arc."""
    before, after = _beside(arcs)
    along = smooth[after] - smooth[before]
    length = np.maximum(np.hypot(*along.T), 1e-9)
    normal = np.c_[-along[:, 1], along[:, 0]] / length[:, None]
    reach = 0.75 * ink_px + 1
    offsets = np.arange(-reach, reach + STEP_PX / 2, STEP_PX)
    shift = np.zeros(len(smooth))
    mass = np.zeros(len(smooth))
    # the centre of pixel (r, c) lies at (c + 0.5, r + 0.5)
    for start in range(0, len(smooth), 30_000):  # more rows than remap takes at once
        part = slice(start, start + 30_000)
        at = smooth[part, None] + normal[part, None] * offsets[None, :, None] - 0.5
        seen = cv2.remap(
            ridge,
            at[..., 0].astype(np.float32),
            at[..., 1].astype(np.float32),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )
        dark = 255.0 - seen.astype(np.float32)
        dark = np.maximum(dark - dark.min(axis=1, keepdims=True) - 0.25 * np.ptp(dark, axis=1)[:, None], 0)
        mass[part] = dark.sum(axis=1)
        shift[part] = (dark * offsets).sum(axis=1) / np.maximum(mass[part], 1e-6)
    height, width = ridge.shape
    edge = (smooth <= 1).any(axis=1) | (smooth[:, 0] >= width - 1) | (smooth[:, 1] >= height - 1)
    shift = np.where(arcs.pinned | edge | (mass < 60), 0.0, np.clip(shift, -0.6 * reach, 0.6 * reach))
    for _ in range(4):
        shift = np.where(arcs.pinned, 0.0, 0.25 * shift[before] + 0.5 * shift + 0.25 * shift[after])
    return smooth + normal * shift[:, None]


def _run(line: np.ndarray) -> np.ndarray:
    """How far along a line each of its points lies."""
    step = line[1:] - line[:-1]
    run = np.zeros(len(line))
    np.cumsum(np.sqrt(step[:, 0] ** 2 + step[:, 1] ** 2), out=run[1:])
    return run


def _stretch(line: np.ndarray, low: float, high: float) -> np.ndarray:
    """Points of a line between two distances from its start, as many as there are; empty where it is too short."""
    run = _run(line)
    return line[(run >= low) & (run <= high)] if run[-1] >= 2 * low + 2 else line[:0]


def _fitted(points: np.ndarray) -> tuple[np.ndarray, np.ndarray, float]:
    """Least-squares line: a point on it, its direction, and how far the points lie off it at most."""
    middle = points.mean(axis=0)
    x, y = (points - middle).T
    # the longer axis of the 2 x 2 spread, in closed form
    turn = 0.5 * math.atan2(2 * float(x @ y), float(x @ x) - float(y @ y))
    way = np.array([math.cos(turn), math.sin(turn)])
    return middle, way, float(np.abs(y * way[0] - x * way[1]).max())


def _drawn_on(arcs: _Arcs, line: np.ndarray, ink_px: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Where the lines that meet at each node really cross, which nodes move there, and the body of each: nodes of one
    body are one crossing."""
    low = 0.9 * ink_px + 1
    high = low + 1.5 * ink_px + 4
    head = 3 * int(high) + 3  # points of a smoothed arc lie a third of a pixel apart or more
    normals: dict[int, list] = {}
    for i in range(len(arcs)):
        own = line[arcs.offsets[i] : arcs.offsets[i + 1]]
        for end, node in enumerate(arcs.nodes[i].tolist()):
            if node < 0:
                continue
            points = _stretch(own[:head] if end == 0 else own[: -head - 1 : -1], low, high)
            if len(points) >= 4:
                at, way, off = _fitted(points)
                if off > 3 * STRAIGHT_PX:
                    continue  # a corner or a tight curve begins here: it tells no direction
                normals.setdefault(node, []).append((np.array([-way[1], way[0]]), at))
    places, moved = arcs.places.copy(), np.zeros(len(arcs.places), bool)
    body = np.arange(len(places))
    for node, lines in normals.items():
        place = _meeting(lines)
        if place is not None and np.hypot(*(place - arcs.places[node])) <= 0.9 * ink_px + 1:
            places[node], moved[node] = place, True
    for i in np.flatnonzero(np.diff(arcs.offsets) <= 1.5 * ink_px + 3).tolist():
        a, b = arcs.nodes[i].tolist()
        if a < 0 or body[a] == body[b] or not (moved[a] and moved[b]):
            continue
        if np.hypot(*(places[a] - places[b])) < 0.5 * ink_px:
            # one crossing, parted only by pixels: all its lines together tell where it is
            one = np.flatnonzero(np.isin(body, (body[a], body[b])))
            place = _meeting([line for node in one.tolist() for line in normals.get(node, ())])
            if place is not None and np.hypot(*(place - arcs.places[one]).T).max() <= 1.8 * ink_px + 1:
                body[one], places[one] = body[a], place
    _kept_on_edge(arcs, line, places, moved, ink_px)
    return places, moved, body


def _kept_on_edge(arcs: _Arcs, line: np.ndarray, places: np.ndarray, moved: np.ndarray, ink_px: float) -> None:
    """Where the sheet's edge is straight, nodes on it stay on it: its short stretches between nodes tell no
    direction."""
    low = 0.9 * ink_px + 1
    outer = np.flatnonzero((arcs.sides == 0).any(axis=1))
    clear = [line[arcs.offsets[i] : arcs.offsets[i + 1]] for i in outer.tolist()]
    ends = arcs.nodes[outer].ravel()
    nodes = np.unique(ends[ends >= 0])
    if not len(nodes):
        return
    points = np.vstack(clear)
    far, _ = cKDTree(arcs.places[nodes]).query(points)
    points = points[far >= low]
    if not len(points):
        return
    near = cKDTree(points)
    for node in nodes[moved[nodes]].tolist():
        around = points[near.query_ball_point(arcs.places[node], 5 * ink_px + 6)]
        if len(around) < 8:
            continue
        at, way, off = _fitted(around)
        if off <= 3 * STRAIGHT_PX:
            places[node] = at + way * float((places[node] - at) @ way)


def _meeting(lines: list[tuple[np.ndarray, np.ndarray]]) -> np.ndarray | None:
    """The point nearest to all lines, each a normal and a point on it; None where they are nearly one line."""
    if len(lines) < 2:
        return None
    xx = xy = yy = bx = by = 0.0
    for (nx, ny), (x, y) in ((normal.tolist(), at.tolist()) for normal, at in lines):
        reach = nx * x + ny * y
        xx, xy, yy = xx + nx * nx, xy + nx * ny, yy + ny * ny
        bx, by = bx + nx * reach, by + ny * reach
    # the least singular value of the normals, from the 2 x 2 normal equations
    if (xx + yy - math.hypot(xx - yy, 2 * xy)) / 2 < NEARLY_ONE_LINE**2:
        return None
    size = xx * yy - xy * xy
    return np.array([(yy * bx - xy * by) / size, (xx * by - xy * bx) / size])


def _line(arcs: _Arcs, i: int, level: np.ndarray, corners: bool, places, moved, ink_px: float) -> np.ndarray:
    """One arc as it is drawn: its ends run straight on to nodes that moved, its corners are sharp."""
    own = level[arcs.offsets[i] : arcs.offsets[i + 1]]
    if corners and len(own) > 8:
        own = _cornered(own, ink_px, arcs.nodes[i, 0] < 0)
    a, b = arcs.nodes[i]
    if a >= 0 and a != b and moved[a] and moved[b] and (places[a] == places[b]).all():
        return own[:0]  # two nodes that became one
    if a >= 0 and moved[a]:
        own = _led(own, places[a], ink_px)
    if b >= 0 and moved[b]:
        own = _led(own[::-1], places[b], ink_px)[::-1]
    return own


def _led(line: np.ndarray, place: np.ndarray, ink_px: float) -> np.ndarray:
    """A line whose start goes to another place: straight from where it is clear of the others' ink, when long
    enough."""
    clear = 0.9 * ink_px + 1
    steps = line[: 3 * int(clear) + 6]
    run = _run(steps)
    # a stretch shorter than the ink is wide runs straight from node to node
    first = int(np.argmax(run >= min(clear, run[-1] - 1e-9)))
    return np.vstack([place, line[first:]])


def _cornered(line: np.ndarray, ink_px: float, closed: bool) -> np.ndarray:
    """Corners that smoothing rounded, drawn on to where their two straight sides cross."""
    span = max(3, round(1.2 * ink_px))
    if len(line) < 4 * span:
        return line
    back, ahead = line[span:-span] - line[: -2 * span], line[2 * span :] - line[span:-span]
    cross = back[:, 0] * ahead[:, 1] - back[:, 1] * ahead[:, 0]
    turn = np.abs(np.degrees(np.arctan2(cross, (back * ahead).sum(axis=1))))
    out: list[np.ndarray] = []
    done = 0
    i = int(turn.argmax()) if len(turn) else 0
    peaks = [
        p for p in np.flatnonzero(turn >= CORNER_DEG).tolist() if turn[p] == turn[max(0, p - span) : p + span + 1].max()
    ]
    for peak in peaks:
        i = peak + span
        clear = round(1.5 * span)  # beyond what smoothing has bent
        before, after = line[max(0, i - 4 * span) : i - clear + 1], line[i + clear : i + 4 * span + 1]
        if i - span <= done or min(len(before), len(after)) < span:
            continue
        (p, d, off_a), (q, e, off_b) = _fitted(before), _fitted(after)
        parallel = d[0] * e[1] - d[1] * e[0]
        if max(off_a, off_b) > STRAIGHT_PX or abs(parallel) < 0.3:
            continue
        tip = p + d * (((q - p)[0] * e[1] - (q - p)[1] * e[0]) / parallel)
        if np.hypot(*(tip - line[i])) > 1.5 * ink_px:
            continue
        out += [line[done : i - span + 1], tip[None]]
        done = i + span
    return np.vstack([*out, line[done:]]) if out else line


def _crossing(lines: list[np.ndarray]) -> np.ndarray:
    """Which arcs cross themselves or another."""
    geometries = np.array([shapely.LineString(line if len(line) else None) for line in lines])
    wrong = ~shapely.is_simple(geometries)
    tree = shapely.STRtree(geometries)
    for how in ("crosses", "overlaps"):
        wrong[tree.query(geometries, predicate=how).ravel()] = True
    return wrong


def _faces(lines: list[np.ndarray], label: np.ndarray, count: int) -> tuple[list[shapely.Polygon] | None, np.ndarray]:
    """One face for each label; or None, and the labels that came out wrong."""
    owner = np.repeat(np.arange(len(lines)), [len(line) for line in lines])
    # thinned before they close, so that all that follows has fewer points to look at; what this spoils comes out wrong
    # here
    borders = shapely.simplify(
        shapely.linestrings(np.concatenate(lines), indices=owner), THIN_PX, preserve_topology=False
    )
    faces = shapely.get_parts(shapely.polygonize(borders))
    inside = shapely.get_coordinates(shapely.point_on_surface(faces))
    rows = np.clip(inside[:, 1].astype(int), 0, label.shape[0] - 1)
    columns = np.clip(inside[:, 0].astype(int), 0, label.shape[1] - 1)
    owners = label[rows, columns]
    seen = np.bincount(owners, minlength=count + 1)
    wrong = seen != 1
    wrong[0] = False
    wrong[owners[~shapely.is_valid(faces)]] = True
    if wrong.any():
        return None, np.flatnonzero(wrong)
    table: list = [None] * count
    for face, label_here in zip(faces, owners.tolist(), strict=True):
        if label_here > 0:
            table[label_here - 1] = face
    if shapely.coverage_is_valid(np.array(table)):
        return table, np.array([], int)
    edges = shapely.coverage_invalid_edges(np.array(table))
    return None, 1 + np.flatnonzero([e is not None and not e.is_empty for e in edges])
