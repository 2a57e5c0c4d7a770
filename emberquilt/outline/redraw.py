"""Moving the borders of pieces in a coverage: seams drawn anew, calmed or straightened, junctions moved."""

from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np
import shapely

from ..constants import GRID_MM
from ..errors import BadChoice
from .coverage import Coverage
from .knit import Reshape, checked, faces_in, rings_of, run_on, swapped


def redraw_seam(coverage: Coverage, a: int, b: int, line: np.ndarray, snap_mm: float = 1.0) -> Reshape:
    """The seam of two pieces along a new line, points in mm, shape (n, 2); both follow, and nobody else moves. Raises
    `BadChoice` where they share no seam, enclose others, or the line parts them otherwise than in two."""
    if b not in coverage.neighbours.get(a, {}):
        raise BadChoice("Choose two pieces that share a seam to redraw it.")
    whole = shapely.coverage_union_all(np.array([coverage.by_key[a], coverage.by_key[b]]))
    if whole.geom_type != "Polygon":
        raise BadChoice("These two pieces enclose others; redraw their seams one by one.")
    cut = run_on(Coverage([1], [whole]), {1}, shapely.LineString(line), snap_mm)
    shell = [*rings_of(whole), shapely.intersection(cut, whole)]
    faces = faces_in(shell, whole)
    if len(faces) != 2:
        raise BadChoice(f"Along this line the two would fall into {len(faces)} parts. Draw one line across both.")
    old = coverage.by_key[a]
    faces.sort(key=lambda face: -shapely.intersection(face, old).area)
    return checked(coverage, {a: faces[0], b: faces[1]}, (), ())


def smooth(coverage: Coverage, keys: Sequence[int], strength_mm: float = 1.5) -> Reshape:
    """Seams between the chosen pieces (all borders of one that stands alone) made calmer; junctions stay.
    Raises `BadChoice` where there is none."""
    return _new_lines(coverage, keys, lambda line: _calmed(line, strength_mm), "smooth")


def straighten(coverage: Coverage, keys: Sequence[int]) -> Reshape:
    """Seams between the chosen pieces drawn straight from junction to junction. Raises `BadChoice` where there
    is none, or where a piece would vanish."""
    return _new_lines(coverage, keys, lambda line: line[[0, -1]], "straighten")


def _new_lines(
    coverage: Coverage, keys: Sequence[int], redraw: Callable[[np.ndarray], np.ndarray], word: str
) -> Reshape:
    """Redraw every seam among the chosen pieces, or of the only one with all its neighbours."""
    chosen = set(keys)
    seams = [s for k in keys for other, s in coverage.neighbours[k].items() if len(chosen) == 1 or other in chosen]
    lines = shapely.get_parts(np.array([s.line for s in dict.fromkeys(seams)]))
    nodes = _junctions(coverage, chosen)
    old, new = [], []
    for line in lines:
        for part in _between_junctions(shapely.get_coordinates(line), nodes):
            drawn = redraw(part)
            if len(drawn) >= 2 and not (len(drawn) == len(part) and np.allclose(drawn, part)):
                old.append(part)
                new.append(drawn)
    if not new:
        raise BadChoice(f"There is no seam here to {word}.")
    return swapped(coverage, {k for s in seams for k in (s.a, s.b)}, old, new)


def move_junction(coverage: Coverage, at: tuple[float, float], to: tuple[float, float], reach_mm: float) -> Reshape:
    """Move the junction nearest to `at` (within `reach_mm`) to another place; the seams that end there follow.

    A junction on the outer border slides along that border. Raises `BadChoice` where there is none, or where a seam
    would cross another.
    """
    spot = shapely.Point(at)
    keys = [k for k, o in coverage.by_key.items() if o.distance(spot) <= reach_mm]
    nodes = _junctions(coverage, set(keys))
    if not nodes:
        raise BadChoice("There is no junction here. Take hold where three seams meet.")
    node = min(nodes, key=lambda xy: (xy[0] - at[0]) ** 2 + (xy[1] - at[1]) ** 2)
    if np.hypot(node[0] - at[0], node[1] - at[1]) > reach_mm:
        raise BadChoice("There is no junction here. Take hold where three seams meet.")
    here = shapely.Point(node)
    keys = [k for k in keys if coverage.by_key[k].distance(here) <= GRID_MM / 2]
    seams = dict.fromkeys(s for k in keys for o, s in coverage.neighbours[k].items() if o in keys)
    target = np.array(to, float)
    outer = shapely.boundary(coverage.outside)
    if outer.distance(here) <= GRID_MM / 2:
        target = shapely.get_coordinates(shapely.shortest_line(outer, shapely.Point(to)))[0]
    target = np.round(target, 3)
    old, new = [], []
    for line in shapely.get_parts(np.array([s.line for s in seams])):
        for part in _between_junctions(shapely.get_coordinates(line), nodes):
            ends = [np.allclose(part[i], node, atol=GRID_MM / 2) for i in (0, -1)]
            if any(ends):
                old.append(part)
                new.append(_dragged(part if ends[0] else part[::-1], target))
    return swapped(coverage, set(keys), old, new)


def _dragged(line: np.ndarray, target: np.ndarray) -> np.ndarray:
    """The line with its first point at the target; the rest gives way, less and less towards the other end."""
    run = np.r_[0, np.cumsum(np.hypot(*np.diff(line, axis=0).T))]
    share = (1 - run / run[-1])[:, None] ** 2
    return line + share * (target - line[0])


def _junctions(coverage: Coverage, keys: set[int]) -> set[tuple[float, float]]:
    """Points round the chosen pieces where seams end: three pieces meet, or two and the outside."""
    ends = set()
    for key in keys:
        for seam in coverage.neighbours[key].values():
            for line in shapely.get_parts(seam.line):
                xy = shapely.get_coordinates(line)
                if not np.array_equal(xy[0], xy[-1]):
                    ends |= {tuple(np.round(xy[i], 3).tolist()) for i in (0, -1)}
    return ends


def _between_junctions(line: np.ndarray, nodes: set[tuple[float, float]]) -> list[np.ndarray]:
    """A seam's line, parted where other seams end on it."""
    inner = [i for i, p in enumerate(np.round(line, 3).tolist()) if tuple(p) in nodes and 0 < i < len(line) - 1]
    cuts = [0, *inner, len(line) - 1]
    return [line[a : b + 1] for a, b in pairwise(cuts)]


def _calmed(line: np.ndarray, strength_mm: float) -> np.ndarray:
    """A line smoothed over about `strength_mm` to both sides, its ends (or its closing point) kept in place."""
    step = max(strength_mm / 4, 0.05)
    even = shapely.get_coordinates(shapely.segmentize(shapely.LineString(line), step))
    run = np.r_[0, np.cumsum(np.hypot(*np.diff(even, axis=0).T))]
    count = max(int(run[-1] / step), 2) + 1
    at = np.linspace(0, run[-1], count)
    even = np.column_stack([np.interp(at, run, even[:, i]) for i in (0, 1)])
    closed = np.allclose(line[0], line[-1])
    for _ in range(32):
        before, after = np.roll(even, 1, axis=0), np.roll(even, -1, axis=0)
        if closed:
            before[0] = even[-2]
            after[-1] = even[1]
        calm = 0.25 * before + 0.5 * even + 0.25 * after
        if not closed:
            calm[[0, -1]] = even[[0, -1]]
        even = calm
    if closed:
        even[-1] = even[0]
    else:
        even[[0, -1]] = line[[0, -1]]
    return shapely.get_coordinates(shapely.simplify(shapely.LineString(even), 0.01))


def curve_through(points: np.ndarray, step_mm: float = 0.5) -> np.ndarray:
    """A smooth line through points (Catmull-Rom), about every `step_mm`; shape (n, 2) to (m, 2)."""
    if len(points) < 3:
        return points
    closed = bool(np.allclose(points[0], points[-1]))
    ends = (points[-2], points[1]) if closed else (2 * points[0] - points[1], 2 * points[-1] - points[-2])
    p = np.vstack([ends[0], points, ends[1]])
    out = []
    for a, b, c, d in zip(p, p[1:], p[2:], p[3:], strict=False):
        steps = min(max(int(np.hypot(*(c - b)) / step_mm), 1), 200)
        t = np.arange(steps)[:, None] / steps
        out.append(0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3))
    return np.vstack([*out, points[-1:]])
