"""Sections of a body at many heights: closed chains over the edges of its triangles, made into areas."""

from collections.abc import Iterator, Sequence

import numpy as np
import shapely

from .mesh import Mesh

GRID_MM = 0.001
LEAST_AREA_MM2 = 0.01
"""A speck: less of a section is none."""


def sections(mesh: Mesh, heights_mm: Sequence[float]) -> list[shapely.Geometry]:
    """The area of the body at each height over z = 0, in x and y; empty where it is not cut. Corners that lie at a
    height count as above it, so that every chain closes."""
    heights = np.asarray(heights_mm, float)
    z = mesh.points[:, 2]
    # how many of the heights lie at or below each corner
    order = np.argsort(heights)
    rank = np.searchsorted(heights[order], z, side="right")
    low, high = rank[mesh.faces].min(axis=1), rank[mesh.faces].max(axis=1)
    crossing = np.flatnonzero(high > low)
    times = high[crossing] - low[crossing]
    face = np.repeat(crossing, times)
    level = np.arange(times.sum()) - np.repeat(np.cumsum(times) - times, times) + np.repeat(low[crossing], times)
    if not len(face):
        return [shapely.Polygon()] * len(heights)
    level = order[level]
    at = heights[level]
    corners = mesh.faces[face]
    up = z[corners] >= at[:, None]
    # one corner is alone on its side; the chain runs so that the inside lies to its left
    lone_up = up.sum(axis=1) == 1
    lone = np.where(lone_up[:, None], up, ~up).argmax(axis=1)
    rows = np.arange(len(face))
    tip, second, third = (corners[rows, (lone + i) % 3] for i in range(3))
    a = np.where(lone_up, second, third)
    b = np.where(lone_up, third, second)
    return _areas(mesh, len(heights), level, at, (tip, a), (tip, b))


def _areas(
    mesh: Mesh,
    count: int,
    level: np.ndarray,
    at: np.ndarray,
    start: tuple[np.ndarray, np.ndarray],
    end: tuple[np.ndarray, np.ndarray],
) -> list[shapely.Geometry]:
    """Areas from steps over triangles, each from one edge of it to another."""
    n = len(mesh.points)
    names = [(level.astype(np.int64) * n + np.minimum(*edge)) * n + np.maximum(*edge) for edge in (start, end)]
    _, first, home = np.unique(np.concatenate(names), return_index=True, return_inverse=True)
    home = home.ravel()
    from_, to = home[: len(level)], home[len(level) :]
    one = np.concatenate([start[0], end[0]])[first]
    other = np.concatenate([start[1], end[1]])[first]
    height = np.concatenate([at, at])[first]
    swap = one > other
    one, other = np.where(swap, other, one), np.where(swap, one, other)
    p, q = mesh.points[one], mesh.points[other]
    share = (height - p[:, 2]) / (q[:, 2] - p[:, 2])
    xy = p[:, :2] + share[:, None] * (q[:, :2] - p[:, :2])
    level_of = np.concatenate([level, level])[first].tolist()
    rings: list[list[np.ndarray]] = [[] for _ in range(count)]
    for ring in _chains(from_, to, len(first)):
        if len(ring) > 2:
            rings[level_of[ring[0]]].append(xy[ring])
    return [_area_of(own) for own in rings]


def _chains(from_: np.ndarray, to: np.ndarray, count: int) -> Iterator[list[int]]:
    """Closed chains of steps between so many places."""
    if (np.bincount(from_, minlength=count) == 1).all():
        # of a sound surface every place has one step on
        ways = np.empty(count, np.int64)
        ways[from_] = to
        after, seen = ways.tolist(), bytearray(count)
        for begin in range(count):
            if seen[begin]:
                continue
            ring, here = [], begin
            while not seen[here]:
                seen[here] = 1
                ring.append(here)
                here = after[here]
            yield ring
        return
    follows: dict[int, list[int]] = {}
    for a, b in zip(from_.tolist(), to.tolist(), strict=True):
        follows.setdefault(a, []).append(b)
    while follows:
        begin = next(iter(follows))
        ring, here = [begin], begin
        while True:
            ways_on = follows[here]
            there = ways_on.pop()
            if not ways_on:
                del follows[here]
            here = there
            if here == begin or here not in follows:
                break
            ring.append(here)
        yield ring


def _area_of(rings: list[np.ndarray]) -> shapely.Geometry:
    """The larger first: what runs counter-clockwise is added, what runs clockwise is taken away."""
    own = [ring for ring in rings if abs(_signed(ring)) > LEAST_AREA_MM2]
    own.sort(key=lambda ring: -abs(_signed(ring)))
    if not own:
        return shapely.Polygon()
    holes = [ring for ring in own if _signed(ring) < 0]
    if len(own) == 1 and not holes:
        area = shapely.make_valid(shapely.Polygon(own[0]))
    else:
        area = shapely.Polygon()
        for ring in own:
            piece = shapely.make_valid(shapely.Polygon(ring))
            area = shapely.union(area, piece) if _signed(ring) > 0 else shapely.difference(area, piece)
    return polygons_only(area)


def polygons_only(area: shapely.Geometry) -> shapely.Geometry:
    """Without the lines and points that mending leaves."""
    parts = [part for part in shapely.get_parts(area).tolist() if part.geom_type == "Polygon"]
    parts = [part for part in parts if part.area > LEAST_AREA_MM2]
    return shapely.union_all(np.array(parts, object)) if parts else shapely.Polygon()


def _signed(ring: np.ndarray) -> float:
    x, y = ring[:, 0], ring[:, 1]
    return float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2
