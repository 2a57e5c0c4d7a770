"""Putting outlines together so that they are a coverage again.

Every operation rebuilds only the pieces it touches, on the grid, and gives each neighbour the points that are new on
their common border. What comes out is checked as a coverage with its neighbours before it is given back.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
import shapely

from ..constants import GRID_MM
from ..errors import BadChoice
from .coverage import Coverage, on_grid
from .linework import noded

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


def rings_of(polygon: shapely.Polygon) -> list[shapely.Geometry]:
    return [polygon.exterior, *polygon.interiors]


def run_on(coverage: Coverage, keys: set[int], cut: shapely.LineString, snap_mm: float) -> shapely.LineString:
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


def faces_in(lines: Sequence[shapely.Geometry], region: shapely.Geometry | None = None) -> list[shapely.Polygon]:
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


def arranged(coverage: Coverage, under: set[int], extra, on_top=(), below=()) -> Reshape:
    """Faces of the pieces `under`, extra lines and shapes laid over or beneath them; each goes to whom it belongs."""
    order = sorted(under)
    lines = [ring for k in order for ring in rings_of(coverage.by_key[k])]
    lines += [ring for shape in (*on_top, *below) for ring in rings_of(shape)]
    if not extra.is_empty:
        lines.append(extra)
    faces = faces_in(lines)
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
    return checked(coverage, changed, born, tuple(k for k in order if k not in mine))


def _owners(spots: np.ndarray, shapes, names: np.ndarray) -> np.ndarray:
    """For each spot the name of the first shape that holds it, 0 for none."""
    owner = np.zeros(len(spots), int)
    if len(shapes) and len(spots):
        found, shape = shapely.STRtree(np.array(shapes)).query(spots, predicate="within")
        for i, s in sorted(zip(found.tolist(), shape.tolist(), strict=True), reverse=True):
            owner[i] = names[s]
    return owner


def swapped(coverage: Coverage, keys: set[int], old: list[np.ndarray], new: list[np.ndarray]) -> Reshape:
    """Pieces with some of their lines drawn anew: every face goes to the piece it mostly was."""
    edges = _edge_set([r for k in keys for r in rings_of(coverage.by_key[k])]) - _edge_set(old)
    lines = [shapely.LineString(_from_grid(e)) for e in sorted(edges)]
    lines += [shapely.LineString(np.round(line, 3)) for line in new]
    faces = faces_in(lines)
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
    return checked(coverage, changed, (), ())


def _edge_set(lines) -> set[tuple]:
    found = set()
    for line in lines:
        grid = np.round(shapely.get_coordinates(line) if hasattr(line, "geom_type") else line, 9)
        points = [tuple(p) for p in np.round(grid / GRID_MM).astype(np.int64).tolist()]
        found |= {(min(a, b), max(a, b)) for a, b in pairwise(points) if a != b}
    return found


def checked(coverage: Coverage, changed: dict, born, gone) -> Reshape:
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
    rings = [_ring_with(shapely.get_coordinates(ring), near) for ring in rings_of(outline)]
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
