"""Cutting, joining and moving borders of a coverage, so that it stays one.

Every operation rebuilds only the pieces it touches, on the grid, and gives each neighbour the points that are new on
their common border. What comes out is checked as a coverage with its neighbours before it is given back.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
import shapely

from ..constants import GRID_MM
from ..errors import BadChoice
from .coverage import Coverage, on_grid
from .linework import home_of, noded

TOUCH_MM = 2 * GRID_MM
LEAST_MM2 = 0.01
"""Faces smaller than this are crumbs of rounding, no pieces."""


@dataclass(frozen=True)
class Reshape:
    """`changed`: new outlines of pieces that stay. `born`: outlines that come to be, each with the key of the piece it
    was cut from (0 for none). `gone`: pieces that are no more."""

    changed: dict[int, shapely.Polygon] = field(default_factory=dict)
    born: tuple[tuple[int, shapely.Polygon], ...] = ()
    gone: tuple[int, ...] = ()


def split(coverage: Coverage, keys: Iterable[int], line: np.ndarray, snap_mm: float = 1.0) -> Reshape:
    """Cut pieces along a line, points in mm, shape (n, 2). Its ends run on to the next border; a closed line cuts out
    what it encloses. With no keys it cuts whatever it crosses. Raises `BadChoice` when nothing is parted."""
    cut = shapely.LineString(line)
    if not cut.is_valid or cut.length < 10 * GRID_MM:
        raise BadChoice("This line is too short to cut along. Draw it from border to border.")
    under = set(keys) or {k for k, o in coverage.by_key.items() if o.intersects(cut)}
    if not under:
        raise BadChoice("This line crosses no piece. Draw it over the picture.")
    if len(line) > 2 and np.hypot(*(line[0] - line[-1])) <= snap_mm:
        cut = shapely.LineString(np.r_[line[:-1], line[:1]])
    else:
        cut = _run_on(coverage, under, cut, snap_mm)
    region = shapely.coverage_union_all(np.array([coverage.by_key[k] for k in under]))
    made = _arranged(coverage, under, shapely.intersection(cut, region))
    if not made.born:
        raise BadChoice("This line parts no piece: draw it right across, from border to border.")
    return made


def join(coverage: Coverage, keys: Sequence[int]) -> Reshape:
    """Several pieces as one, under the key of the largest. Raises `BadChoice` when they do not hang together."""
    if len(keys) < 2:
        raise BadChoice("Choose two pieces or more to join.")
    whole = shapely.coverage_union_all(np.array([coverage.by_key[k] for k in keys]))
    if whole.geom_type != "Polygon" or not whole.is_valid:
        raise BadChoice("These pieces do not all share a seam with each other, so they cannot become one.")
    into = max(keys, key=lambda k: (coverage.area_mm2[k], -k))
    return Reshape({into: whole}, (), tuple(k for k in keys if k != into))


def redraw_seam(coverage: Coverage, a: int, b: int, line: np.ndarray, snap_mm: float = 1.0) -> Reshape:
    """The seam of two pieces along a new line; both follow, and nobody else moves."""
    if b not in coverage.neighbours.get(a, {}):
        raise BadChoice("Choose two pieces that share a seam to redraw it.")
    whole = shapely.coverage_union_all(np.array([coverage.by_key[a], coverage.by_key[b]]))
    if whole.geom_type != "Polygon":
        raise BadChoice("These two pieces enclose others; redraw their seams one by one.")
    cut = _run_on(Coverage([1], [whole]), {1}, shapely.LineString(line), snap_mm)
    shell = [*_rings(whole), shapely.intersection(cut, whole)]
    faces = _faces(shell, whole)
    if len(faces) != 2:
        raise BadChoice(f"Along this line the two would fall into {len(faces)} parts. Draw one line across both.")
    old = coverage.by_key[a]
    faces.sort(key=lambda face: -shapely.intersection(face, old).area)
    return _checked(coverage, {a: faces[0], b: faces[1]}, (), ())


def smooth(coverage: Coverage, keys: Sequence[int], strength_mm: float = 1.5) -> Reshape:
    """Seams between the chosen pieces (all borders of one that stands alone) made calmer; junctions stay."""
    return _new_lines(coverage, keys, lambda line: _calmed(line, strength_mm), "smooth")


def straighten(coverage: Coverage, keys: Sequence[int]) -> Reshape:
    """Seams between the chosen pieces drawn straight from junction to junction."""
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
    return _swapped(coverage, {k for s in seams for k in (s.a, s.b)}, old, new)


def move_junction(coverage: Coverage, at: tuple[float, float], to: tuple[float, float], reach_mm: float) -> Reshape:
    """Move the junction nearest to `at` (within `reach_mm`) to another place; the seams that end there follow.

    A junction on the outer border slides along that border.
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
    return _swapped(coverage, set(keys), old, new)


def _dragged(line: np.ndarray, target: np.ndarray) -> np.ndarray:
    """The line with its first point at the target; the rest gives way, less and less towards the other end."""
    run = np.r_[0, np.cumsum(np.hypot(*np.diff(line, axis=0).T))]
    share = (1 - run / run[-1])[:, None] ** 2
    return line + share * (target - line[0])


def imprint(coverage: Coverage, shapes: Sequence[shapely.Polygon]) -> Reshape:
    """Lay shapes into the coverage: they take their place, what lay there gives way, what lies outside is added."""
    over = shapely.union_all(np.array(shapes))
    under = {k for k, o in coverage.by_key.items() if o.intersects(over)}
    return _arranged(coverage, under, shapely.MultiLineString(), on_top=shapes)


def surround(coverage: Coverage, outline: shapely.Polygon) -> Reshape:
    """Fill what the outline holds and no piece covers."""
    under = set(coverage.keys)
    return _arranged(coverage, under, shapely.MultiLineString(), below=[outline])


def drop(coverage: Coverage, keys: Sequence[int]) -> Reshape:
    """Take pieces at the outer border away. Raises `BadChoice` for one that lies inside: that is an opening."""
    outer = shapely.boundary(coverage.without_gaps)
    for key in keys:
        if shapely.intersection(coverage.by_key[key], outer).length <= GRID_MM and len(coverage) > len(keys):
            raise BadChoice("A piece inside the picture cannot be dropped: cut it out as an opening instead.")
    if len(keys) >= len(coverage):
        raise BadChoice("Nothing would be left of this layer.")
    return Reshape(gone=tuple(keys))


def small_joins(
    coverage: Coverage, small: Callable[[int], bool], colour_apart: Callable[[int, int], float]
) -> list[tuple[int, int]]:
    """Which small piece would go into which neighbour, smallest first: the longest seam, the nearest colour among
    seams that are nearly as long. Pairs (small, into); a piece may take several in turn."""
    pairs = []
    home: dict[int, int] = {}
    for key in sorted((k for k in coverage.keys if small(k)), key=lambda k: coverage.area_mm2[k]):
        seams = coverage.neighbours[key]
        if not seams:
            continue
        longest = max(s.length_mm for s in seams.values())
        near = [k for k, s in seams.items() if s.length_mm >= 0.75 * longest and home_of(home, k) != key]
        if near:
            into = min(near, key=lambda k: (colour_apart(key, k), -seams[k].length_mm, k))
            home[key] = into
            pairs.append((key, into))
    return pairs


def joined(coverage: Coverage, pairs: Sequence[tuple[int, int]]) -> Reshape:
    """The reshape that makes these joins (small, into) come true."""
    home = dict(pairs)
    groups: dict[int, list[int]] = {}
    for small, _ in pairs:
        groups.setdefault(home_of(home, small), []).append(small)
    changed = {}
    gone: list[int] = []
    for into, several in groups.items():
        whole = shapely.coverage_union_all(np.array([coverage.by_key[k] for k in (into, *several)]))
        if whole.geom_type == "Polygon" and whole.is_valid:
            changed[into] = whole
            gone += several
    return Reshape(changed, (), tuple(gone))


# --- how it is done -------------------------------------------------------------------------------------------------


def _rings(polygon: shapely.Polygon) -> list[shapely.Geometry]:
    return [polygon.exterior, *polygon.interiors]


def _run_on(coverage: Coverage, keys: set[int], cut: shapely.LineString, snap_mm: float) -> shapely.LineString:
    """Ends that stop inside a piece run on to its border: to the nearest place within the snap, else straight ahead."""
    points = shapely.get_coordinates(cut)
    far = 4 * float(np.hypot(*(np.array(coverage.bounds_mm[2:]) - coverage.bounds_mm[:2])))
    for end, step in ((0, 1), (-1, -1)):
        tip = shapely.Point(points[end])
        home = next((k for k in keys if coverage.by_key[k].contains(tip)), None)
        if home is None:
            continue
        border = shapely.boundary(coverage.by_key[home])
        nearest = shapely.get_coordinates(shapely.shortest_line(tip, border))[1]
        if np.hypot(*(nearest - points[end])) <= snap_mm:
            found = nearest
        else:
            way = points[end] - points[end + step]
            ray = shapely.LineString([points[end], points[end] + way / max(np.hypot(*way), 1e-9) * far])
            hits = shapely.get_coordinates(shapely.intersection(ray, border))
            if not len(hits):
                continue
            found = hits[np.hypot(*(hits - points[end]).T).argmin()]
        # a whisker past the border, so that noding surely meets it
        over = found - points[end]
        found = found + over / max(np.hypot(*over), 1e-9) * 2 * GRID_MM
        points = np.r_[[found], points] if end == 0 else np.r_[points, [found]]
    return shapely.LineString(points)


def _faces(lines: Sequence[shapely.Geometry], region: shapely.Geometry | None = None) -> list[shapely.Polygon]:
    """Faces that lines enclose after noding on the grid, within a region."""
    faces = shapely.get_parts(shapely.polygonize(shapely.get_parts(noded(np.array(lines)))))
    faces = _without_crumbs([f for f in on_grid(faces) if f.is_valid])
    if region is None:
        return faces
    shapely.prepare(region)
    return [f for f in faces if region.contains(f.representative_point())]


def _without_crumbs(faces: list[shapely.Polygon]) -> list[shapely.Polygon]:
    """Crumbs of rounding go into the face with which they share the longest border."""
    kept = [f for f in faces if f.area > LEAST_MM2]
    for crumb in (f for f in faces if f.area <= LEAST_MM2):
        shared = [shapely.length(shapely.intersection(f.exterior, crumb.exterior)) for f in kept]
        if shared and max(shared) > 0:
            best = int(np.argmax(shared))
            whole = shapely.coverage_union(kept[best], crumb)
            if whole.geom_type == "Polygon":
                kept[best] = whole
    return kept


def _arranged(coverage: Coverage, under: set[int], extra, on_top=(), below=()) -> Reshape:
    """Faces of the pieces `under`, extra lines and shapes laid over or beneath them; each goes to whom it belongs."""
    order = sorted(under)
    lines = [ring for k in order for ring in _rings(coverage.by_key[k])]
    lines += [ring for shape in (*on_top, *below) for ring in _rings(shape)]
    if not extra.is_empty:
        lines.append(extra)
    faces = _faces(lines)
    spots = np.array([f.representative_point() for f in faces])
    owner = _owners(spots, on_top, -1 - np.arange(len(on_top)))
    old = _owners(spots, [coverage.by_key[k] for k in order], np.array(order, int))
    ground = _owners(spots, below, -1 - len(on_top) - np.arange(len(below)))
    owner = np.where(owner == 0, np.where(old == 0, ground, old), owner)
    if on_top or below:
        # a hole in the coverage stays one unless a shape fills it
        others = shapely.union_all(
            np.array([coverage.by_key[k] for k in coverage.keys if k not in under] or [shapely.Polygon()])
        )
        shapely.prepare(others)
        owner[shapely.contains(others, spots)] = 0
    mine: dict[int, list[shapely.Polygon]] = {}
    for face, who in zip(faces, owner.tolist(), strict=True):
        mine.setdefault(who, []).append(face)
    mine.pop(0, None)
    changed, born = {}, []
    for who, parts in sorted(mine.items(), key=lambda item: abs(item[0])):
        parts.sort(key=lambda f: -f.area)
        if who < 0:
            born += [(0, p) for p in shapely.get_parts(shapely.coverage_union_all(np.array(parts)))]
            continue
        if len(parts) > 1 or not parts[0].equals(coverage.by_key[who]):
            changed[who] = parts[0]
        born += [(who, p) for p in parts[1:]]
    return _checked(coverage, changed, born, tuple(k for k in order if k not in mine))


def _owners(spots: np.ndarray, shapes, names: np.ndarray) -> np.ndarray:
    """For each spot the name of the first shape that holds it, 0 for none."""
    owner = np.zeros(len(spots), int)
    if len(shapes) and len(spots):
        found, shape = shapely.STRtree(np.array(shapes)).query(spots, predicate="within")
        for i, s in sorted(zip(found.tolist(), shape.tolist(), strict=True), reverse=True):
            owner[i] = names[s]
    return owner


def _swapped(coverage: Coverage, keys: set[int], old: list[np.ndarray], new: list[np.ndarray]) -> Reshape:
    """Pieces with some of their lines drawn anew: every face goes to the piece it mostly was."""
    edges = _edge_set([r for k in keys for r in _rings(coverage.by_key[k])]) - _edge_set(old)
    lines = [shapely.LineString(_from_grid(e)) for e in sorted(edges)]
    lines += [shapely.LineString(np.round(line, 3)) for line in new]
    faces = _faces(lines)
    order = sorted(keys)
    changed: dict[int, shapely.Polygon] = {}
    for face in faces:
        shared = [shapely.intersection(face, coverage.by_key[k]).area for k in order]
        who = order[int(np.argmax(shared))]
        if max(shared) <= LEAST_MM2:
            continue
        if who in changed:
            raise BadChoice("Drawn like this, a seam would cross another or cut a piece in two. Nothing was changed.")
        changed[who] = face
    if set(changed) != keys:
        raise BadChoice("Drawn like this, a piece would vanish. Nothing was changed.")
    return _checked(coverage, changed, (), ())


def _edge_set(lines) -> set[tuple]:
    found = set()
    for line in lines:
        grid = np.round(shapely.get_coordinates(line) if hasattr(line, "geom_type") else line, 9)
        points = [tuple(p) for p in np.round(grid / GRID_MM).astype(np.int64).tolist()]
        found |= {(min(a, b), max(a, b)) for a, b in pairwise(points) if a != b}
    return found


def _checked(coverage: Coverage, changed: dict, born, gone) -> Reshape:
    """The reshape with new border points given to the neighbours, once it is sure that no gap or overlap came in."""
    if not (changed or born or gone):
        return Reshape()
    touched = set(changed) | set(gone)
    known = _grid_points([coverage.by_key[k] for k in touched])
    new = _grid_points([*changed.values(), *(o for _, o in born)]) - known
    beside = {n for k in touched for n in coverage.neighbours[k]} - touched
    if not touched:
        near = shapely.STRtree(np.array(coverage.outlines)).query(
            np.array([o for _, o in born]), predicate="dwithin", distance=TOUCH_MM
        )[1]
        beside = {coverage.keys[i] for i in near.tolist()}
    points = _from_grid(sorted(new))
    changed = {k: shapely.normalize(o) for k, o in changed.items()}
    for key in beside:
        knit = with_points(coverage.by_key[key], points)
        if knit is not None:
            changed[key] = knit
    around = {k: changed.get(k, coverage.by_key[k]) for k in (set(changed) | beside) - set(gone)}
    after = np.array([*around.values(), *(o for _, o in born)])
    if not shapely.is_valid(after).all() or not shapely.coverage_is_valid(after):
        raise BadChoice("Drawn like this, borders would cross each other. Nothing was changed.")
    return Reshape(changed, tuple((k, shapely.normalize(o)) for k, o in born), gone)


def _from_grid(points) -> np.ndarray:
    # rounding to the grid's decimals makes equal points equal to the last bit
    return np.round(np.array(points, float).reshape(-1, 2) * GRID_MM, 3)


def _grid_points(outlines) -> set[tuple[int, int]]:
    xy = shapely.get_coordinates(np.array(list(outlines)))
    return {tuple(p) for p in np.round(xy / GRID_MM).astype(np.int64).tolist()}


def with_points(outline: shapely.Polygon, points: np.ndarray) -> shapely.Polygon | None:
    """The outline with those of the points on its border that lie within the grid's reach, or None for none."""
    if not len(points):
        return None
    near = points[shapely.dwithin(shapely.points(points), shapely.boundary(outline), TOUCH_MM)]
    own = {tuple(p) for p in np.round(shapely.get_coordinates(outline) / GRID_MM).astype(np.int64).tolist()}
    near = np.array([p for p in near if tuple(np.round(p / GRID_MM).astype(np.int64).tolist()) not in own])
    if not len(near):
        return None
    rings = [_ring_with(shapely.get_coordinates(ring), near) for ring in _rings(outline)]
    return shapely.Polygon(rings[0], rings[1:])


def _ring_with(ring: np.ndarray, points: np.ndarray) -> np.ndarray:
    a, b = ring[:-1], ring[1:]
    way = b - a
    length2 = np.maximum((way**2).sum(axis=1), 1e-18)
    at = np.clip(((points[:, None] - a) * way).sum(axis=2) / length2, 0, 1)
    gap = np.hypot(*np.moveaxis(points[:, None] - (a + at[..., None] * way), 2, 0))
    edge = gap.argmin(axis=1)
    here = gap[np.arange(len(points)), edge] <= TOUCH_MM
    more: dict[int, list[tuple[float, np.ndarray]]] = {}
    for p, e, ok in zip(range(len(points)), edge.tolist(), here.tolist(), strict=True):
        if ok:
            more.setdefault(e, []).append((float(at[p, e]), points[p]))
    out: list[np.ndarray] = []
    for i, start in enumerate(a):
        out.append(start)
        out += [p for _, p in sorted(more.get(i, ()), key=lambda item: item[0])]
    return np.array([*out, ring[-1]])


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
