"""A coverage: outlines that share their borders exactly, with no gap and no overlap.

Neighbours match vertex for vertex on the grid of `constants.GRID_MM`, so a seam is found by looking up equal
edges, never by measuring closeness.
"""

from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from threading import Lock
from typing import Any, TypeVar

import numpy as np
import shapely

from ..constants import GRID_MM
from ..lazy import lazy
from .paths import path_of

T = TypeVar("T")
SLIVER_MM = 0.05
"""A hole narrower than this between pieces is a fault of matching, never meant."""


@dataclass(frozen=True)
class Seam:
    """The shared border of two pieces. `a` < `b` are piece keys; `line` is in mm."""

    a: int
    b: int
    length_mm: float
    line: shapely.Geometry

    @lazy
    def path(self) -> str:
        """Of the line, as SVG path data."""
        return path_of(self.line)

    @lazy
    def middle(self) -> tuple[float, float]:
        """A point on the seam, half way along it where it is one line."""
        whole = self.line.geom_type == "LineString"
        point = self.line.interpolate(0.5, normalized=True) if whole else self.line.representative_point()
        return round(point.x, 2), round(point.y, 2)


@dataclass(frozen=True, slots=True)
class Spot:
    """Centre and radius of the largest circle that fits, in mm."""

    x_mm: float
    y_mm: float
    radius_mm: float


class Coverage:
    """Piece keys and their outlines (Shapely polygons, mm, y downwards). Immutable; what is derived is kept.

    Two threads may ask at once: both may work the same out, and what is kept is never walked through while it grows.
    A coverage may hold no piece at all, as when everything in a layer was cut away.
    """

    def __init__(self, keys: Sequence[int], outlines: Sequence[shapely.Polygon]):
        self.keys: tuple[int, ...] = tuple(keys)
        self.outlines: tuple[shapely.Polygon, ...] = tuple(outlines)
        if len(self.keys) != len(self.outlines):
            raise ValueError("as many keys as outlines")
        self._derived: dict[Hashable, Any] = {}
        self._of_each: dict[Hashable, dict[int, Any]] = {}
        self._lock = Lock()
        # stands for these outlines where others remember what they were compared with, and so does not hold them
        self._mark = object()

    def __reduce__(self):
        # to another process goes what it is, not what was derived
        return Coverage, (self.keys, self.outlines)

    def once(self, name: Hashable, compute: Callable[[], T]) -> T:
        """What `compute` derives from all these outlines together, kept under `name` with them."""
        if name not in self._derived:
            self._derived[name] = compute()
        return self._derived[name]

    def against(self, name: Hashable, others: tuple["Coverage", ...], compute: Callable[[], T]) -> T:
        """What `compute` derives from these outlines and those of others together, kept under `name` until it is asked
        for with other ones."""
        kept = self._derived.get(("against", name))
        marks = tuple(one._mark for one in others)
        if kept is None or kept[0] != marks:
            kept = marks, compute()
            self._derived["against", name] = kept
        return kept[1]

    def each(
        self,
        name: Hashable,
        compute: Callable[[list[int], np.ndarray], Iterable[T]],
        keys: Iterable[int] | None = None,
    ) -> dict[int, T]:
        """What follows from each outline alone, by key. Kept per piece, so an edit works out only what it changed.

        `compute` gets keys and outlines and gives their values in the same order. With `keys` only those are asked for:
        the table may then lack others, and must be looked up, not walked through.
        """
        table = self._table(name)
        missing = [key for key in (self.keys if keys is None else keys) if key not in table]
        if missing:
            outlines = np.array([self.by_key[key] for key in missing])
            made = dict(zip(missing, compute(missing, outlines), strict=True))
            with self._lock:
                table.update(made)
        return table

    def of(self, key: int, name: Hashable, compute: Callable[[shapely.Polygon], T]) -> T:
        """What follows from the outline of one piece, kept with it."""
        table = self._table(name)
        if key not in table:
            made = compute(self.by_key[key])
            with self._lock:
                table[key] = made
        return table[key]

    def latest(self, key: int, name: Hashable, stamp: Any, compute: Callable[[shapely.Polygon], T]) -> T:
        """What follows from the outline of one piece and from what `stamp` tells, kept until the stamp is another."""
        table = self._table(name)
        kept = table.get(key)
        if kept is None or kept[0] != stamp:
            kept = stamp, compute(self.by_key[key])
            with self._lock:
                table[key] = kept
        return kept[1]

    def replaced(self, changed: Mapping[int, shapely.Polygon], gone: Iterable[int] = ()) -> "Coverage":
        """This coverage with outlines changed or added under their keys, and others gone.

        What is known about pieces and seams that did not change is carried over.
        """
        gone = set(gone)
        table = {key: outline for key, outline in (self.by_key | dict(changed)).items() if key not in gone}
        made = Coverage(list(table), list(table.values()))
        moved = gone | set(changed)
        for name, values in self._kept():
            made._of_each[name] = {key: value for key, value in values.items() if key not in moved}
        if "seams" in self.__dict__:
            made.__dict__["seams"] = self._seams_after(made, moved)
        return made

    def _table(self, name: Hashable) -> dict[int, Any]:
        with self._lock:
            return self._of_each.setdefault(name, {})

    def _kept(self) -> list[tuple[Hashable, dict[int, Any]]]:
        """A copy of what is known about each piece, taken while nobody adds to it."""
        with self._lock:
            return [(name, dict(values)) for name, values in list(self._of_each.items())]

    def _seams_after(self, made: "Coverage", moved: set[int]) -> tuple["Seam", ...]:
        """Seams of `made`: those between unmoved pieces stand; only round the moved ones are they looked up again."""
        new = [key for key in moved if key in made.by_key]
        beside = {k for key in moved if key in self.by_key for k in self.neighbours[key] if k in made.by_key}
        near = sorted(beside | set(new))
        fresh = Coverage(near, [made.by_key[key] for key in near]).seams
        kept = [s for s in self.seams if s.a not in moved and s.b not in moved]
        return tuple(sorted([*kept, *(s for s in fresh if s.a in moved or s.b in moved)], key=lambda s: (s.a, s.b)))

    def in_order(self, keys: Sequence[int]) -> "Coverage":
        """The same pieces in another order, with all that is known about them."""
        made = Coverage(keys, [self.by_key[key] for key in keys])
        made._of_each, made._lock = self._of_each, self._lock
        made.__dict__.update({name: value for name, value in self.__dict__.items() if name in ("seams", "by_key")})
        return made

    def only(self, keys: Iterable[int]) -> "Coverage":
        """The coverage of some of these pieces."""
        return self.replaced({}, set(self.keys) - set(keys))

    def __len__(self) -> int:
        return len(self.keys)

    @lazy
    def by_key(self) -> dict[int, shapely.Polygon]:
        return dict(zip(self.keys, self.outlines, strict=True))

    @lazy
    def area_mm2(self) -> dict[int, float]:
        return dict(zip(self.keys, shapely.area(self.outlines).tolist(), strict=True))

    @lazy
    def bounds_mm(self) -> tuple[float, float, float, float]:
        if not self.outlines:
            return (0.0, 0.0, 0.0, 0.0)
        return tuple(shapely.total_bounds(np.array(self.outlines)).tolist())

    @lazy
    def outside(self) -> shapely.Geometry:
        """The outer border of the whole: the union of all pieces; empty where there is none."""
        return shapely.coverage_union_all(np.array(self.outlines)) if self.outlines else shapely.MultiPolygon()

    @lazy
    def sheet_area_mm2(self) -> float:
        """Area inside the outer border, gaps included: what the pieces have to add up to."""
        return float(shapely.area(shapely.get_parts(self.without_gaps)).sum())

    @lazy
    def without_gaps(self) -> shapely.Geometry:
        """The outer border of the whole, with whatever gaps it holds filled."""
        return shapely.multipolygons(shapely.polygons(shapely.get_exterior_ring(shapely.get_parts(self.outside))))

    @lazy
    def is_valid(self) -> bool:
        """No overlap, edges matched, every outline valid, and the areas add up to the sheet within 1e-6."""
        outlines = np.array(self.outlines)
        if not len(outlines) or not shapely.is_valid(outlines).all() or not shapely.coverage_is_valid(outlines):
            return False
        return abs(sum(self.area_mm2.values()) - self.sheet_area_mm2) <= 1e-6 * self.sheet_area_mm2

    @lazy
    def fits(self) -> bool:
        """Every outline valid, no overlap, edges matched, no sliver left between neighbours. Unlike `is_valid` it lets
        real holes stand: an overlay may be a ring, and a layer may hold nothing."""
        outlines = np.array(self.outlines)
        if not len(outlines):
            return True
        if not shapely.is_valid(outlines).all() or not shapely.coverage_is_valid(outlines):
            return False
        rings = [ring for part in shapely.get_parts(self.outside) for ring in part.interiors]
        return not shapely.is_empty(shapely.buffer(shapely.polygons(rings), -SLIVER_MM / 2)).any() if rings else True

    @lazy
    def seams(self) -> tuple[Seam, ...]:
        """All seams, by piece keys ascending. O(n log n) in the number of vertices."""
        start, end, owner = self._edges()
        if not len(owner):
            return ()
        low = np.minimum(start, end)
        high = np.maximum(start, end)
        order = np.lexsort((high, low))
        low, high, owner = low[order], high[order], owner[order]
        twice = np.flatnonzero((low[1:] == low[:-1]) & (high[1:] == high[:-1]) & (owner[1:] != owner[:-1]))
        a, b = owner[twice], owner[twice + 1]
        first, second = np.minimum(a, b), np.maximum(a, b)
        by_pair = np.lexsort((second, first))
        first, second, twice = first[by_pair], second[by_pair], twice[by_pair]
        cuts = np.flatnonzero((np.diff(first) != 0) | (np.diff(second) != 0)) + 1
        ends = np.stack([self._point(low[twice]), self._point(high[twice])], axis=1)
        lines = shapely.linestrings(ends) if len(ends) else np.array([])
        seams = []
        for group in np.split(np.arange(len(twice)), cuts):
            if not len(group):
                continue
            line = shapely.line_merge(shapely.multilinestrings(lines[group]))
            pair = self.keys[first[group[0]]], self.keys[second[group[0]]]
            seams.append(Seam(min(pair), max(pair), float(shapely.length(line)), line))
        return tuple(sorted(seams, key=lambda seam: (seam.a, seam.b)))

    def _edges(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Start and end of every edge as one integer per grid point, and the position of its piece."""
        rings, of_polygon = shapely.get_rings(np.array(self.outlines), return_index=True)
        coords, of_ring = shapely.get_coordinates(rings, return_index=True)
        grid = np.round(coords / GRID_MM).astype(np.int64)
        code = (grid[:, 0] + (1 << 30)) * (1 << 31) + (grid[:, 1] + (1 << 30))
        inside = of_ring[1:] == of_ring[:-1]
        return code[:-1][inside], code[1:][inside], of_polygon[of_ring[:-1][inside]]

    @staticmethod
    def _point(code: np.ndarray) -> np.ndarray:
        return np.stack([code // (1 << 31) - (1 << 30), code % (1 << 31) - (1 << 30)], axis=-1) * GRID_MM

    @lazy
    def borders(self) -> list[tuple[int, list[tuple[int, float]]]]:
        """For every ring, that of an outline before those of its holes, the place of its piece, and edge by edge the
        place of the piece on the other side (-1 for none) with the edge's length in mm."""
        rings, of_polygon = shapely.get_rings(np.array(self.outlines), return_index=True)
        start, end, owner = self._edges()
        if not len(owner):
            return []
        low, high = np.minimum(start, end), np.maximum(start, end)
        order = np.lexsort((high, low))
        same = np.flatnonzero((np.diff(low[order]) == 0) & (np.diff(high[order]) == 0))
        beyond = np.full(len(owner), -1)
        one, other = order[same], order[same + 1]
        beyond[one], beyond[other] = owner[other], owner[one]
        length = np.hypot(*(self._point(start) - self._point(end)).T)
        cuts = np.cumsum(shapely.get_num_points(rings) - 1)[:-1]
        return [
            (at, list(zip(there.tolist(), mm.tolist(), strict=True)))
            for at, there, mm in zip(of_polygon.tolist(), np.split(beyond, cuts), np.split(length, cuts), strict=True)
        ]

    @lazy
    def neighbours(self) -> dict[int, dict[int, Seam]]:
        """For each piece the pieces it shares a seam with (touching in a point does not count)."""
        table: dict[int, dict[int, Seam]] = {key: {} for key in self.keys}
        for seam in self.seams:
            table[seam.a][seam.b] = seam
            table[seam.b][seam.a] = seam
        return table

    @lazy
    def spots(self) -> dict[int, Spot]:
        """Largest inscribed circle of each piece, within 2 % of its size: where a number stands, how fat it is."""
        return self.each("spot", lambda _, outlines: [largest_circle(outline) for outline in outlines])


def largest_circle(polygon: shapely.Polygon, tolerance_mm: float | None = None) -> Spot:
    """Largest circle inside a polygon, its holes kept clear (Shapely's `maximum_inscribed_circle`)."""
    if tolerance_mm is None:
        tolerance_mm = max(0.02 * polygon.area**0.5, GRID_MM)
    radius = shapely.maximum_inscribed_circle(polygon, tolerance=tolerance_mm)
    (x, y), _ = radius.coords
    return Spot(x, y, float(radius.length))


def on_grid(geometry):
    """Coordinates rounded to the grid. Equal points stay equal, so a matched coverage stays matched."""
    return shapely.transform(geometry, lambda xy: np.round(np.round(xy / GRID_MM) * GRID_MM, 3))
