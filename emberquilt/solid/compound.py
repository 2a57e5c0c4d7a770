"""What two outlines, sawn through two neighbouring faces of a block, leave of it.

A point stays where it lies inside the front outline as seen from the front and inside the side outline as seen from the
side: (x, y) in one area and (z, y) in the other, y the height that both share. Between two heights at which no outline
has a corner each area is a few strips with straight sides, and the solid a box for each pair of strips, its six sides
plane. So volume and surface are exact.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from networkx.utils import UnionFind

from ..lazy import lazy
from .mesh import Mesh

FINE_MM = 0.01
"""Outlines are made straight within this."""
LEAST_STEP_MM = 1e-4
LEAST_WIDE_MM = 1e-6


@dataclass(frozen=True)
class Strips:
    """An area between heights: for each strip its slab (a place in the heights), and where it begins and ends at the
    slab's lower and upper side, (n, 2) each."""

    slab: np.ndarray
    low: np.ndarray
    high: np.ndarray


def strips_of(area: shapely.Geometry, heights: np.ndarray) -> Strips:
    """`area` in (across, height); `heights` hold those of all its corners."""
    starts, ends = [], []
    for ring in shapely.get_rings(shapely.get_parts(area)):
        points = shapely.get_coordinates(ring)
        starts.append(points[:-1])
        ends.append(points[1:])
    if not starts:
        return Strips(np.zeros(0, int), np.zeros((0, 2)), np.zeros((0, 2)))
    a, b = np.concatenate(starts), np.concatenate(ends)
    swap = a[:, 1] > b[:, 1]
    a[swap], b[swap] = b[swap], a[swap].copy()
    slabs, lows, highs = [], [], []
    y0, y1 = heights[:-1], heights[1:]
    middle = (y0 + y1) / 2
    for k, y in enumerate(middle.tolist()):
        over = np.flatnonzero((a[:, 1] < y) & (b[:, 1] > y))
        if not len(over):
            continue
        p, q = a[over], b[over]
        slope = (q[:, 0] - p[:, 0]) / (q[:, 1] - p[:, 1])
        order = np.argsort(p[:, 0] + slope * (y - p[:, 1]))
        low = (p[:, 0] + slope * (y0[k] - p[:, 1]))[order]
        high = (p[:, 0] + slope * (y1[k] - p[:, 1]))[order]
        count = len(order) // 2
        slabs += [k] * count
        lows.append(low[: 2 * count].reshape(-1, 2))
        highs.append(high[: 2 * count].reshape(-1, 2))
    if not slabs:
        return Strips(np.zeros(0, int), np.zeros((0, 2)), np.zeros((0, 2)))
    return Strips(np.array(slabs), np.concatenate(lows), np.concatenate(highs))


@dataclass(frozen=True)
class Boxes:
    """Pieces of a solid between heights: `slab` of each, and its sides x and z at the slab's lower and upper side,
    (n, 2) each."""

    heights: np.ndarray
    slab: np.ndarray
    x_low: np.ndarray
    x_high: np.ndarray
    z_low: np.ndarray
    z_high: np.ndarray

    def only(self, rows: np.ndarray) -> "Boxes":
        return Boxes(
            self.heights, self.slab[rows], self.x_low[rows], self.x_high[rows], self.z_low[rows], self.z_high[rows]
        )

    @lazy
    def volume_mm3(self) -> float:
        """Exact: widths run straight over a slab, so their product is a parabola, and Simpson's rule holds it."""
        high = np.diff(self.heights)[self.slab]
        wide = [self.x_low[:, 1] - self.x_low[:, 0], self.x_high[:, 1] - self.x_high[:, 0]]
        deep = [self.z_low[:, 1] - self.z_low[:, 0], self.z_high[:, 1] - self.z_high[:, 0]]
        middle = (wide[0] + wide[1]) * (deep[0] + deep[1]) / 4
        return float((high / 6 * (wide[0] * deep[0] + 4 * middle + wide[1] * deep[1])).sum())

    @lazy
    def bounds(self) -> np.ndarray:
        """Least and greatest x, y, z (2, 3)."""
        x = np.concatenate([self.x_low, self.x_high])
        z = np.concatenate([self.z_low, self.z_high])
        y = np.concatenate([self.heights[self.slab], self.heights[self.slab + 1]])
        return np.array([[x.min(), y.min(), z.min()], [x.max(), y.max(), z.max()]])

    def __len__(self) -> int:
        return len(self.slab)


def heights_of(areas: Iterable[shapely.Geometry]) -> np.ndarray:
    """Heights of all corners, those nearer than a hair once."""
    every = np.unique(np.concatenate([shapely.get_coordinates(area)[:, 1] for area in areas]))
    return every[np.r_[True, np.diff(every) > LEAST_STEP_MM]]


def solid_of(front: shapely.Geometry, side: shapely.Geometry, heights: np.ndarray) -> Boxes:
    """What is left where both areas are; front in (x, y), side in (z, y)."""
    return crossed(strips_of(front, heights), strips_of(side, heights), heights)


def crossed(one: Strips, other: Strips, heights: np.ndarray) -> Boxes:
    """Every strip of the one with every strip of the other in its slab."""
    order = np.argsort(other.slab, kind="stable")
    slab = other.slab[order]
    first, last = np.searchsorted(slab, one.slab, "left"), np.searchsorted(slab, one.slab, "right")
    times = last - first
    i = np.repeat(np.arange(len(one.slab)), times)
    j = order[np.arange(times.sum()) - np.repeat(np.cumsum(times) - times, times) + np.repeat(first, times)]
    return Boxes(heights, one.slab[i], one.low[i], one.high[i], other.low[j], other.high[j])


def bodies_of(boxes: Boxes, least_mm: float = 0.05) -> list[Boxes]:
    """The solid's bodies that do not hang together, the largest first. Boxes hang together where the upper side of one
    and the lower of the next share more than a hair."""
    if not len(boxes):
        return []
    groups = UnionFind(range(len(boxes)))
    by_slab: dict[int, list[int]] = {}
    for n, k in enumerate(boxes.slab.tolist()):
        by_slab.setdefault(k, []).append(n)
    for k, rows in by_slab.items():
        for a in rows:
            for b in by_slab.get(k + 1, ()):
                x = min(boxes.x_high[a, 1], boxes.x_low[b, 1]) - max(boxes.x_high[a, 0], boxes.x_low[b, 0])
                z = min(boxes.z_high[a, 1], boxes.z_low[b, 1]) - max(boxes.z_high[a, 0], boxes.z_low[b, 0])
                if x > least_mm and z > least_mm:
                    groups.union(a, b)
    made = [boxes.only(np.array(sorted(rows))) for rows in groups.to_sets()]
    made = [one for one in made if one.volume_mm3 > 1.0]
    return sorted(made, key=lambda one: -one.volume_mm3)


def columns_of(boxes: Boxes) -> list[tuple[float, float, int]]:
    """Where more than one body of wood stands beside another: from which height to which, and how many, widest
    stretches that are alike joined."""
    if not len(boxes):
        return []
    count = np.bincount(boxes.slab, minlength=len(boxes.heights) - 1)
    found: list[tuple[float, float, int]] = []
    for k, n in enumerate(count.tolist()):
        low, high = float(boxes.heights[k]), float(boxes.heights[k + 1])
        if found and found[-1][2] == n and abs(found[-1][1] - low) < 1e-9:
            found[-1] = (found[-1][0], high, n)
        elif n > 1:
            found.append((low, high, n))
    return found


def surface_of(boxes: Boxes) -> np.ndarray:
    """Triangles (n, 3, 3) of the solid's surface, in x, y, z with z towards whoever looks at the front."""
    y0, y1 = boxes.heights[boxes.slab], boxes.heights[boxes.slab + 1]

    def corners(x, y, z) -> np.ndarray:
        return np.stack([x, y, z], axis=1)

    low = [[corners(boxes.x_low[:, i], y0, boxes.z_low[:, j]) for j in (0, 1)] for i in (0, 1)]
    high = [[corners(boxes.x_high[:, i], y1, boxes.z_high[:, j]) for j in (0, 1)] for i in (0, 1)]
    quads = [
        (low[0][1], low[1][1], high[1][1], high[0][1]),
        (low[1][1], low[1][0], high[1][0], high[1][1]),
        (low[1][0], low[0][0], high[0][0], high[1][0]),
        (low[0][0], low[0][1], high[0][1], high[0][0]),
    ]
    sides = [np.stack([a, b, c], axis=1) for a, b, c, _ in quads] + [
        np.stack([a, c, d], axis=1) for a, _, c, d in quads
    ]
    return np.concatenate([*sides, *_caps(boxes)])


def _caps(boxes: Boxes) -> list[np.ndarray]:
    """Level faces: what of a slab's upper side is not covered by the next, and the other way round."""
    tops: dict[int, list[shapely.Polygon]] = {}
    feet: dict[int, list[shapely.Polygon]] = {}
    for n, k in enumerate(boxes.slab.tolist()):
        (x0, x1), (z0, z1) = boxes.x_low[n], boxes.z_low[n]
        feet.setdefault(k, []).append(shapely.box(x0, z0, x1, z1))
        (x0, x1), (z0, z1) = boxes.x_high[n], boxes.z_high[n]
        tops.setdefault(k + 1, []).append(shapely.box(x0, z0, x1, z1))
    made = []
    for k in sorted(set(tops) | set(feet)):
        below = shapely.union_all(np.array(tops.get(k, []), object))
        above = shapely.union_all(np.array(feet.get(k, []), object))
        for area, up in ((shapely.difference(below, above), True), (shapely.difference(above, below), False)):
            if area.area > LEAST_WIDE_MM:
                made.append(_level(area, float(boxes.heights[k]), up))
    return made


def _level(area: shapely.Geometry, y: float, up: bool) -> np.ndarray:
    parts = shapely.get_parts(shapely.constrained_delaunay_triangles(area))
    xz = shapely.get_coordinates(parts).reshape(-1, 4, 2)[:, :3]
    a, b, c = xz[:, 0], xz[:, 1], xz[:, 2]
    turn = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    # x to the right and z towards the eye: counter-clockwise in (x, z) looks down
    flip = (turn > 0) == up
    xz[flip] = xz[flip][:, ::-1]
    return np.insert(xz, 1, y, axis=2)


def mesh_of(boxes: Boxes) -> Mesh:
    triangles = surface_of(boxes)
    return Mesh(triangles.reshape(-1, 3), np.arange(3 * len(triangles)).reshape(-1, 3))


def straightened(area: shapely.Geometry) -> shapely.Geometry:
    return shapely.simplify(area, FINE_MM)


def from_above(boxes: Boxes) -> shapely.Geometry:
    """What is seen from the third side, in (x, z)."""
    corners: Sequence[shapely.Geometry] = [
        shapely.multipoints([(x, z) for xs, zs in ((xl, zl), (xh, zh)) for x in xs for z in zs]).convex_hull
        for xl, zl, xh, zh in zip(boxes.x_low, boxes.z_low, boxes.x_high, boxes.z_high, strict=True)
    ]
    return shapely.union_all(np.array(corners, object)) if len(corners) else shapely.Polygon()
