"""Works that are not flat, drawn by code: a desk lighthouse in slots, a pear in slices, a teapot sawn from two sides, a
house number routed into a board, a lantern with panes of resin."""

import math
from collections.abc import Iterable, Sequence

import numpy as np
import shapely

from emberquilt.intake.proposal import Proposal, in_reading_order
from emberquilt.outline.coverage import Coverage, on_grid
from emberquilt.solid.mesh import Mesh

Point = tuple[float, float]
STOCK_MM = 6.0


def drawn(lines: Iterable[Sequence[Point]], openings: Sequence[Point] = ()) -> Proposal:
    """The faces that lines enclose, in reading order; those at these places are cut away."""
    noded = shapely.union_all([shapely.LineString(line) for line in lines], grid_size=0.001)
    faces = list(on_grid(np.array(shapely.get_parts(shapely.polygonize(shapely.get_parts(noded))))))
    x0, y0, x1, y1 = shapely.total_bounds(faces).tolist()
    placed = [shapely.transform(face, lambda xy: xy - (x0, y0)) for face in faces]
    coverage = Coverage(range(1, len(placed) + 1), list(on_grid(np.array(placed))))
    cut = tuple(
        key
        for key, face in coverage.by_key.items()
        if any(face.contains(shapely.Point(x - x0, y - y0)) for x, y in openings)
    )
    size = (round(x1 - x0, 3), round(y1 - y0, 3))
    found = Proposal(coverage, *size, "drawn by code", len(placed), (0.0, 0.0, *size), openings=cut)
    return in_reading_order(found)


def box(x: float, y: float, wide: float, high: float) -> list[Point]:
    return [(x, y), (x + wide, y), (x + wide, y + high), (x, y + high), (x, y)]


def _figure(top: Sequence[Point], foot: float, left: float, tabs: Sequence[tuple[float, float]]) -> list[Point]:
    """An outline that stands on tabs: `top` from the left foot over the figure to the right one."""
    under: list[Point] = []
    for a, b in reversed(tabs):
        under += [(left + b, foot), (left + b, foot + STOCK_MM), (left + a, foot + STOCK_MM), (left + a, foot)]
    return [*top, *under, top[0]]


def desk_lighthouse() -> Proposal:
    """Tower, keeper's house and waves side by side, and the base with their slots."""
    tower = _figure(
        [(30, 200), (38, 60), (33, 52), (40, 34), (60, 34), (67, 52), (62, 60), (70, 200)], 200, 30, [(6, 16), (24, 34)]
    )
    house = _figure([(110, 200), (110, 150), (145, 120), (180, 150), (180, 200)], 200, 110, [(10, 26), (44, 60)])
    crests = [(20 + 160 * n / 60, 240 - 9 * math.sin(n / 60 * 6 * math.pi)) for n in range(61)]
    waves = _figure([(20, 260), *crests, (180, 260)], 260, 20, [(20, 40), (120, 140)])
    base = box(10, 300, 220, 90)
    slots = [(60, 325, 10), (78, 325, 10), (130, 340, 16), (164, 340, 16), (70, 375, 20), (170, 375, 20)]
    openings = [box(x - long / 2, y - STOCK_MM / 2, long, STOCK_MM) for x, y, long in slots]
    door = [(45, 196), (45, 182), (50, 176), (55, 182), (55, 196), (45, 196)]
    return drawn([tower, house, waves, base, *openings, door])


def pear_body() -> Mesh:
    """A body turned about its axis, a little bent, its stalk end leaning."""
    rings, around = 56, 72
    share = np.linspace(0.0, 1.0, rings)
    radius = np.sqrt(np.clip(1 - (2 * share - 1) ** 2, 0, None)) * (34 - 17 * share + 3 * np.sin(6 * share))
    lean = 6 * np.clip(share - 0.5, 0, None) ** 2 * 4
    turn = np.linspace(0, 2 * np.pi, around, endpoint=False)
    x = radius[1:-1, None] * np.cos(turn) + lean[1:-1, None]
    y = radius[1:-1, None] * np.sin(turn)
    z = np.repeat(100 * share[1:-1, None], around, axis=1)
    points = np.concatenate([np.stack([x, y, z], axis=-1).reshape(-1, 3), [[lean[0], 0, 0], [lean[-1], 0, 100]]])
    n, foot, top = (rings - 2) * around, (rings - 2) * around, (rings - 2) * around + 1
    i = np.arange(n - around)
    j = i - i % around + (i + 1) % around
    sides = np.concatenate([np.c_[i, j, j + around], np.c_[i, j + around, i + around]])
    k = np.arange(around)
    after = (k + 1) % around
    low = np.c_[np.full(around, foot), after, k]
    high = np.c_[np.full(around, top), n - around + k, n - around + after]
    return Mesh(points, np.concatenate([sides, low, high]))


def _round(x: float, y: float, wide: float, high: float, begin: float = 0.0, end: float = 360.0) -> list[Point]:
    turns = np.radians(np.linspace(begin, end, 73))
    return [(x + wide * math.cos(t), y + high * math.sin(t)) for t in turns.tolist()]


def teapot_front() -> Proposal:
    """Lid, belly with spout and handle, foot; seams hook into each other."""
    belly = shapely.Polygon(_round(50, 60, 30, 27))
    lid = shapely.union_all([shapely.Polygon(_round(50, 34, 19, 9)), shapely.Polygon(_round(50, 22, 5, 5))])
    foot = shapely.Polygon([(33, 80), (67, 80), (71, 92), (29, 92)])
    spout = shapely.Polygon([(74, 66), (90, 40), (97, 40), (95, 46), (80, 76)])
    handle = shapely.Polygon(_round(18, 58, 15, 17))
    hole = shapely.Polygon(_round(18, 58, 8.5, 10.5))
    outline = shapely.union_all([belly, lid, foot, spout, handle])
    ring = max(shapely.get_parts(outline.difference(hole)).tolist(), key=lambda part: part.area)
    borders = [list(one.coords) for one in (ring.exterior, *ring.interiors)]
    upper = [(20, 41), (45, 41), (42, 34), (58, 34), (55, 41), (80, 41)]
    lower = [(20, 79), (44, 79), (41, 86), (59, 86), (56, 79), (80, 79)]
    cut = [_within(outline, upper), _within(outline, lower)]
    return drawn([*borders, *cut], [(18, 58)])


def teapot_side() -> Proposal:
    """A half in front and one behind, hooked at the belly; the foot is all of the one behind."""
    belly = shapely.Polygon(_round(50, 60, 28, 27))
    lid = shapely.union_all([shapely.Polygon(_round(50, 34, 18, 9)), shapely.Polygon(_round(50, 22, 5, 5))])
    foot = shapely.Polygon([(33, 80), (67, 80), (71, 92), (29, 92)])
    outline = shapely.union_all([belly, lid, foot])
    seam = [(50, 10), (50, 55), (59, 51), (59, 70), (50, 66), (50, 79), (10, 79)]
    return drawn([list(outline.exterior.coords), _within(outline, seam)])


def _within(outline: shapely.Polygon, line: Sequence[Point]) -> list[Point]:
    """As much of a line as lies inside, in one."""
    inside = shapely.intersection(shapely.LineString(line), outline.buffer(0.02))
    long = max(shapely.get_parts(inside).tolist(), key=lambda part: part.length)
    return list(long.coords)


def house_number() -> Proposal:
    """A board, a line round its edge, and a sunk field in which two figures stand."""
    one = [(62, 44), (82, 30), (92, 30), (92, 110), (76, 110), (76, 52), (62, 58), (62, 44)]
    outer = _round(140, 70, 28, 40)
    inner = _round(140, 70, 13, 24)
    return drawn([box(0, 0, 220, 140), box(9, 9, 202, 122), box(12, 12, 196, 116), one, outer, inner])


def pane_lantern() -> Proposal:
    """The front of a lantern with four panes."""
    frame = [(10, 40), (60, 6), (110, 40), (110, 190), (10, 190), (10, 40)]
    panes = [box(22, 52, 34, 60), box(64, 52, 34, 60), box(22, 120, 34, 58), box(64, 120, 34, 58)]
    return drawn([frame, *panes], [(30, 60), (70, 60), (30, 130), (70, 130)])
