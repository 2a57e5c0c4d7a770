"""From nearly to exactly: parts are shifted, all at once, until each keeps its gap, and as far left as they go.

Near pairs keep apart along the line by which they are nearest; the shift that makes the whole shortest under these
is a linear programme, solved again after each small shift (the classical compaction of irregular layouts). A step is
kept only if it makes the whole better, and becomes smaller until it does; parts that are no convex shapes meet
elsewhere than where they were nearest, so lines along which they came too near are remembered (cutting planes).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from scipy.optimize import linprog
from scipy.sparse import coo_matrix

from .effort import Effort

MORE_MM = 0.004
"""Kept beyond the gap, so that rounding takes nothing of it."""
STEPS = 80
TRUST_MM = 2.0
LEAST_TRUST_MM = 0.05
BOLDER, SHYER = 1.5, 0.7
"""How the largest shift of a step changes after one that won, and after one that did not."""
KEPT_STEPS = 4
"""So many steps a line is remembered along which two parts came too near."""
OVER = 20.0
"""What a millimetre of overlap costs beside a millimetre of length."""
NEAR = 2.2
"""Pairs that are nearer than the gap and so many largest shifts are kept apart; two could meet."""
GAIN_MM = 0.3
"""Settled when further steps win less, taken together over `LOOKED_BACK` of them."""
LOOKED_BACK = 5
LEAST_GAIN_MM = 1e-3
NEARLY_MM = 1e-4
"""What rounding may come to."""
SECONDS_PER_ROW = 55e-6


@dataclass(frozen=True)
class Settled:
    """Where everything came to lie, and how far it reaches to the right."""

    outlines: tuple[shapely.Geometry, ...]
    reach_mm: float


class Walls:
    """The border of the room that parts must stay in, in straight stretches with the way inwards."""

    def __init__(self, room: shapely.Geometry):
        self.room = room
        shapely.prepare(self.room)
        # kept in a hair, so that rounding never puts a part beyond the border
        room = self.inner = room.buffer(-NEARLY_MM, join_style="mitre")
        begins, ends = [], []
        for body in shapely.get_parts(room):
            for i, ring in enumerate((body.exterior, *body.interiors)):
                xy = shapely.get_coordinates(ring)
                # turned so that the room lies to the left of the way
                if shapely.is_ccw(ring) != (i == 0):
                    xy = xy[::-1]
                begins.append(xy[:-1])
                ends.append(xy[1:])
        begin, end = np.vstack(begins), np.vstack(ends)
        long = np.hypot(*(end - begin).T) > 1e-9
        self.begin, end = begin[long], end[long]
        self.lines = shapely.linestrings(np.stack([self.begin, end], axis=1))
        way = (end - self.begin) / np.hypot(*(end - self.begin).T)[:, None]
        self.inwards = np.c_[-way[:, 1], way[:, 0]]
        self.tree = shapely.STRtree(self.lines)

    def near(self, outlines: np.ndarray, reach_mm: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """For outlines near a stretch: which outline, the way it may not go, and how far it may go there (less than
        nothing where it is out)."""
        which, wall = self.tree.query(_grown(outlines, reach_mm))
        lines = shapely.shortest_line(outlines[which], self.lines[wall])
        ends = shapely.get_coordinates(lines).reshape(-1, 2, 2)
        away = ends[:, 1] - ends[:, 0]
        room_mm = np.hypot(*away.T)
        near = room_mm <= reach_mm
        which, wall, away, room_mm = which[near], wall[near], away[near], room_mm[near]
        touches = room_mm < 1e-7
        way = -self.inwards[wall]
        way[~touches] = away[~touches] / room_mm[~touches, None]
        for k in np.flatnonzero(touches).tolist():
            room_mm[k] = -self._out(outlines[which[k]], wall[k])
        return which, way, room_mm

    def _out(self, outline: shapely.Geometry, wall: int) -> float:
        """How far an outline lies beyond a stretch that it crosses."""
        beyond = shapely.difference(outline, self.inner)
        parts = [part for part in shapely.get_parts(beyond).tolist() if part.distance(self.lines[wall]) < NEARLY_MM]
        if not parts:
            return 0.0
        points = np.vstack([shapely.get_coordinates(part) for part in parts])
        return max(0.0, float(-((points - self.begin[wall]) @ self.inwards[wall]).min()))


def settled(
    outlines: Sequence[shapely.Geometry],
    room: shapely.Geometry,
    gap_mm: float,
    effort: Effort,
    nailed: Sequence[shapely.Geometry] = (),
    reach_mm: float = np.inf,
    shorten: bool = True,
) -> Settled | None:
    """Outlines shifted by little, until each lies in `room`, `gap_mm` from every other and from those `nailed`, within
    `reach_mm`; as far left as they go, unless it is enough that they fit. None where that does not come about."""
    shapes = np.array(list(outlines), object)
    fixed = np.array(list(nailed), object)
    walls, trust = Walls(room), TRUST_MM
    corners = shapely.get_num_coordinates(shapes)
    table = _Table(shapes, fixed, walls, gap_mm)
    cuts = _Cuts.none()
    best: Settled | None = None
    gains: list[float] = []
    for _ in range(STEPS):
        effort.spend(SECONDS_PER_ROW * (table.rows + len(cuts.a)) + 0.002)
        if table.fits and table.right_mm <= reach_mm + NEARLY_MM and shapely.covers(walls.room, shapes).all():
            if best is None or table.right_mm < best.reach_mm:
                best = Settled(tuple(shapes.tolist()), table.right_mm)
            if not shorten or (len(gains) >= LOOKED_BACK and sum(gains[-LOOKED_BACK:]) < GAIN_MM):
                return best
        if effort.done or trust < LEAST_TRUST_MM:
            return best
        shift = table.shift(trust, cuts)
        if shift is None:
            return best
        moved = _shifted(shapes, np.repeat(shift, corners, axis=0))
        then = _Table(moved, fixed, walls, gap_mm)
        gain = table.merit - then.merit
        # parts that are no convex shapes meet elsewhere than where they were nearest: that is remembered
        cuts = cuts.with_those_of(then, shift)
        if gain > LEAST_GAIN_MM:
            cuts, shapes, table = cuts.shifted(shift), moved, then
            gains.append(gain)
            trust = min(TRUST_MM, BOLDER * trust)
        else:
            trust *= SHYER
    return best


@dataclass(frozen=True)
class _Cuts:
    """Lines along which pairs came too near when they were shifted: the pair, the way from one to the other, how far
    they are apart along it as they lie now, and how many steps ago that was."""

    a: np.ndarray
    b: np.ndarray
    away: np.ndarray
    apart_mm: np.ndarray
    age: np.ndarray

    @classmethod
    def none(cls) -> "_Cuts":
        empty = np.zeros(0)
        return cls(empty.astype(int), empty.astype(int), np.zeros((0, 2)), empty, empty.astype(int))

    def with_those_of(self, table: "_Table", shift: np.ndarray) -> "_Cuts":
        """And those where things are too near after a shift, told as they lie before it."""
        bad = np.flatnonzero(table.apart_mm < table.gap_mm + 0.001)
        a, b, away = table.a[bad], table.b[bad], table.away[bad]
        before = table.apart_mm[bad] + _along(away, a, b, shift)
        return _Cuts(
            np.r_[self.a, a],
            np.r_[self.b, b],
            np.vstack([self.away, away]),
            np.r_[self.apart_mm, before],
            np.r_[self.age, np.zeros(len(bad), int)],
        )

    def shifted(self, shift: np.ndarray) -> "_Cuts":
        """As things lie after it; those of long ago are forgotten."""
        keep = self.age < KEPT_STEPS
        a, b, away = self.a[keep], self.b[keep], self.away[keep]
        return _Cuts(a, b, away, self.apart_mm[keep] - _along(away, a, b, shift), self.age[keep] + 1)


def _along(away: np.ndarray, a: np.ndarray, b: np.ndarray, shift: np.ndarray) -> np.ndarray:
    """By how much a shift brings pairs nearer along their lines; what is nailed does not move."""
    nailed = b >= len(shift)
    theirs = np.where(nailed[:, None], 0.0, shift[np.where(nailed, 0, b)])
    return ((shift[a] - theirs) * away).sum(axis=1)


def _grown(outlines: np.ndarray, by_mm: float) -> np.ndarray:
    """Their boxes, larger by so much."""
    x0, y0, x1, y1 = shapely.bounds(outlines).T
    return shapely.box(x0 - by_mm, y0 - by_mm, x1 + by_mm, y1 + by_mm)


def _shifted(shapes: np.ndarray, by: np.ndarray) -> np.ndarray:
    """Every corner shifted by its own row."""
    return shapely.transform(shapes, lambda points: points + by)


class _Table:
    """What keeps what apart as things lie now."""

    def __init__(self, shapes: np.ndarray, fixed: np.ndarray, walls: Walls, gap_mm: float):
        self.count, reach = len(shapes), NEAR * TRUST_MM
        every = np.concatenate([shapes, fixed]) if len(fixed) else shapes
        # by boxes first, then by the distance that is wanted anyway: exact nearness costs as much as that
        a, b = shapely.STRtree(every).query(_grown(shapes, gap_mm + reach))
        once = (a < b) | (b >= self.count)
        a, b = a[once], b[once]
        away, apart_mm = _apart(every[a], every[b])
        near = apart_mm <= gap_mm + reach
        self.a, self.b, self.away, self.apart_mm = a[near], b[near], away[near], apart_mm[near]
        self.which, self.out, self.room_mm = walls.near(shapes, reach)
        self.gap_mm = gap_mm
        self.right = shapely.bounds(shapes)[:, 2]
        self.right_mm = float(self.right.max())
        self.rows = len(self.a) + len(self.which) + self.count

    @property
    def fits(self) -> bool:
        between = self.apart_mm.min(initial=np.inf)
        return bool(between >= self.gap_mm + 0.001 and self.room_mm.min(initial=np.inf) >= -1e-6)

    @property
    def merit(self) -> float:
        """What is made small: how far all reaches, and what lies over each other or beyond the border."""
        over = np.maximum(0.0, self.gap_mm + 0.001 - self.apart_mm).sum() + np.maximum(0.0, -self.room_mm).sum()
        return self.right_mm + OVER * float(over)

    def shift(self, trust: float, cuts: _Cuts) -> np.ndarray | None:
        """Shifts (x, y) of all that lead to the shortest whole that keeps apart, each by at most `trust`."""
        a, b = np.r_[self.a, cuts.a], np.r_[self.b, cuts.b]
        away, apart_mm = np.vstack([self.away, cuts.away]), np.r_[self.apart_mm, cuts.apart_mm]
        n, pairs, walls = self.count, len(a), len(self.which)
        loose = pairs + walls
        row, column, value = [], [], []

        def enter(rows: np.ndarray, columns: np.ndarray, values: np.ndarray) -> None:
            row.append(rows)
            column.append(columns)
            value.append(values)

        order = np.arange(pairs)
        enter(order, a, away[:, 0])
        enter(order, a + n, away[:, 1])
        free = b < n
        enter(order[free], b[free], -away[free, 0])
        enter(order[free], b[free] + n, -away[free, 1])
        at = pairs + np.arange(walls)
        enter(at, self.which, self.out[:, 0])
        enter(at, self.which + n, self.out[:, 1])
        enter(np.arange(loose), 2 * n + 1 + np.arange(loose), -np.ones(loose))
        ends = loose + np.arange(n)
        enter(ends, np.arange(n), np.ones(n))
        enter(ends, np.full(n, 2 * n), -np.ones(n))
        limits = np.r_[apart_mm - self.gap_mm - MORE_MM, self.room_mm, -self.right]
        matrix = coo_matrix(
            (np.concatenate(value), (np.concatenate(row), np.concatenate(column))), (loose + n, 2 * n + 1 + loose)
        )
        cost = np.r_[np.zeros(2 * n), 1.0, np.full(loose, OVER)]
        # beyond the reach it may stick out for a while, and is drawn in
        low = np.r_[np.full(2 * n, -trust), 0.0, np.zeros(loose)]
        high = np.r_[np.full(2 * n, trust), np.inf, np.full(loose, np.inf)]
        made = linprog(cost, A_ub=matrix.tocsr(), b_ub=limits, bounds=np.c_[low, high], method="highs")
        return None if made.x is None else made.x[: 2 * n].reshape(2, n).T


def _apart(one: np.ndarray, other: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The way from one to the other by which they are nearest, and how far that is; less than nothing where they lie
    over each other."""
    ends = shapely.get_coordinates(shapely.shortest_line(one, other)).reshape(-1, 2, 2)
    away = ends[:, 1] - ends[:, 0]
    apart = np.hypot(*away.T)
    clear = apart > 1e-9
    away[clear] /= apart[clear, None]
    for k in np.flatnonzero(~clear).tolist():
        away[k], apart[k] = _out_of(one[k], other[k])
    return away, apart


def _out_of(one: shapely.Geometry, other: shapely.Geometry) -> tuple[np.ndarray, float]:
    """The shortest way out for two that lie over each other: across the length of what they share."""
    between = np.subtract(other.centroid.coords[0], one.centroid.coords[0])
    long = float(np.hypot(*between))
    between = between / long if long > 1e-9 else np.array([1.0, 0.0])
    box = shapely.minimum_rotated_rectangle(shapely.intersection(one, other))
    if box.geom_type != "Polygon":
        return between, 0.0
    corners = shapely.get_coordinates(box)
    sides = np.diff(corners[:3], axis=0)
    lengths = np.hypot(*sides.T)
    short = int(lengths.argmin())
    if lengths[short] < 1e-9:
        return between, 0.0
    way = sides[short] / lengths[short]
    return (way if way @ between >= 0 else -way), -float(lengths[short])
