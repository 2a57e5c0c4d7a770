"""Tabs and slots that a drawing already has: rectangles cut out of parts, tongues and notches at their edges, and which
of them go together."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise

import numpy as np
import shapely

from ..work.in_space import Joint, Point

STRAIGHT_MM = 0.3
"""Outlines are made straight within this before corners are looked for."""
SQUARE_DEG, STRAIGHT_DEG = 12.0, 7.0
FULL = 0.93
"""A slot fills this share of the rectangle round it; eased corners take a little."""
LEAST_WIDE_MM, MOST_WIDE_MM = 1.0, 30.0
MOST_OUT_MM = 45.0
LEAST_TAB_MM = 2.0
SAME_MM, SAME_SHARE = 1.0, 0.06
"""A tab and its slot are as long within the greater of these; so are distances between several."""


@dataclass(frozen=True, slots=True)
class Tab:
    """A tongue of a piece: its foot, its tip, how wide it is and how far it stands out."""

    piece: int
    foot: tuple[Point, Point]
    tip: Point
    wide_mm: float
    out_mm: float


@dataclass(frozen=True, slots=True)
class Gap:
    """A slot in a piece: its middle line, its width; `open`: it runs in from the edge, where its line begins."""

    piece: int
    middle: tuple[Point, Point]
    wide_mm: float
    open: bool = False

    @property
    def long_mm(self) -> float:
        return _far(*self.middle)


def rectangle_in(hole: shapely.Polygon) -> tuple[tuple[Point, Point], float] | None:
    """The middle line and the width of a slot, where an area is one."""
    box = shapely.minimum_rotated_rectangle(hole)
    if box.geom_type != "Polygon" or hole.area < FULL * box.area:
        return None
    corners = shapely.get_coordinates(box)[:4]
    sides = [(corners[i], corners[(i + 1) % 4]) for i in range(4)]
    long, short = _far(*sides[0]), _far(*sides[1])
    if long < short:
        sides = sides[1:] + sides[:1]
        long, short = short, long
    if not LEAST_WIDE_MM <= short <= MOST_WIDE_MM or long < 0.9 * short:
        return None
    start = (sides[3][0] + sides[3][1]) / 2
    end = (sides[1][0] + sides[1][1]) / 2
    return _left_first(_point(start), _point(end)), float(short)


def _left_first(a: Point, b: Point) -> tuple[Point, Point]:
    """From the left to the right, or from above to below."""
    return (a, b) if (a[0] - b[0]) + 0.001 * (a[1] - b[1]) <= 0 else (b, a)


def gaps_of(piece: int, holes: Sequence[shapely.Polygon]) -> list[Gap]:
    found = []
    for hole in holes:
        if (line := rectangle_in(hole)) is not None:
            found.append(Gap(piece, *line))
    return found


def corners_of(outline: shapely.Polygon) -> tuple[np.ndarray, np.ndarray]:
    """Corners of an outer border, counter-clockwise on the sheet as one sees it upside down, and by how many degrees
    each turns (above zero: outwards)."""
    ring = shapely.get_coordinates(shapely.simplify(shapely.orient_polygons(outline), STRAIGHT_MM).exterior)[:-1]
    while True:
        turn = _turns(ring)
        straight = np.abs(turn) < STRAIGHT_DEG
        if not straight.any() or len(ring) < 5:
            return ring, turn
        # of neighbours only one goes at a time
        straight &= ~np.roll(straight, 1)
        if not straight.any():
            straight[0] = True
        ring = ring[~straight]


def _turns(ring: np.ndarray) -> np.ndarray:
    before, after = ring - np.roll(ring, 1, axis=0), np.roll(ring, -1, axis=0) - ring
    return np.degrees(np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], (before * after).sum(axis=1)))


def edge_parts(piece: int, outline: shapely.Polygon) -> tuple[list[Tab], list[Gap]]:
    """Tongues and notches of an outer border: two square corners out between two in, or the other way round."""
    ring, turn = corners_of(outline)
    n = len(ring)
    square = np.abs(np.abs(turn) - 90) < SQUARE_DEG
    tabs, gaps = list[Tab](), list[Gap]()
    if n < 6:
        return tabs, gaps
    for i in range(n):
        a, b, c, d = (ring[(i + k) % n] for k in range(4))
        kinds = [square[(i + k) % n] * (1 if turn[(i + k) % n] > 0 else -1) for k in range(4)]
        rise, wide, fall = _far(a, b), _far(b, c), _far(c, d)
        if kinds[1] == kinds[2] == 1 and -1 in (kinds[0], kinds[3]):
            # one side may run on straight past the foot
            out = min(rise if kinds[0] == -1 else np.inf, fall if kinds[3] == -1 else np.inf)
            if out <= MOST_OUT_MM and wide >= LEAST_TAB_MM and max(rise, fall) >= out - 0.5:
                way = (b - a) / max(rise, 1e-9)
                tabs.append(_tab(piece, b, c, way, float(out)))
        elif kinds[1] == kinds[2] == -1 and LEAST_WIDE_MM <= wide <= MOST_WIDE_MM:
            deep = min(rise, fall)
            if kinds[0] == 1 and kinds[3] == 1 and deep >= wide:
                end = (b + c) / 2
                start = end + (a - b) / max(rise, 1e-9) * deep
                gaps.append(Gap(piece, (_point(start), _point(end)), float(wide), True))
    return _not_twice(tabs), gaps


def _tab(piece: int, b: np.ndarray, c: np.ndarray, way: np.ndarray, out: float) -> Tab:
    """Its foot runs so that its front looks at whoever stands before it where the tab points down."""
    p, q = b - way * out, c - way * out
    along = np.array([way[1], -way[0]])
    if (q - p) @ along < 0:
        p, q = q, p
    return Tab(piece, (_point(p), _point(q)), _point((b + c) / 2), _far(b, c), out)


def _not_twice(tabs: list[Tab]) -> list[Tab]:
    """A part that is itself no more than a tongue, or two readings of one corner, leave the one that stands out
    less."""
    made: list[Tab] = []
    for tab in sorted(tabs, key=lambda t: t.out_mm):
        if not any(_far(tab.tip, other.tip) < SAME_MM for other in made):
            made.append(tab)
    return made


def _far(a, b) -> float:
    return float(np.hypot(a[0] - b[0], a[1] - b[1]))


def _point(xy) -> Point:
    return round(float(xy[0]), 3), round(float(xy[1]), 3)


def joints_in(outlines: Mapping[int, shapely.Polygon], holes: Mapping[int, Sequence[shapely.Polygon]]) -> list[Joint]:
    """Joints of parts that are drawn side by side; `holes` what is cut out of each. A part's tabs go into slots of one
    other part that lie as far from each other as they do; notches go into notches as wide."""
    tabs: dict[int, list[Tab]] = {}
    gaps: list[Gap] = []
    notches: list[Gap] = []
    for key, outline in outlines.items():
        own, open_ones = edge_parts(key, outline)
        tabs[key] = own
        notches += open_ones
        gaps += gaps_of(key, holes.get(key, ()))
    free = list(gaps)
    made: list[Joint] = []
    rows = [(key, row) for key, own in tabs.items() for row in _rows(own)]
    # parts with several tabs are plain about where they go
    for _, row in sorted(rows, key=lambda entry: -len(entry[1])):
        for tab, gap, turned in _slots_for(row, free):
            free.remove(gap)
            middle = gap.middle if not turned else (gap.middle[1], gap.middle[0])
            made.append(
                Joint(
                    tab.piece,
                    gap.piece,
                    tab.foot,
                    _as_long(middle, tab.wide_mm),
                    tab.tip,
                    wide_mm=round(gap.wide_mm, 3),
                    out_mm=round(tab.out_mm, 3),
                )
            )
    return made + list(_crossings(notches))


def _as_long(line: tuple[Point, Point], long: float) -> tuple[Point, Point]:
    """The middle of a slot, as long as its tab."""
    a, b = np.array(line[0]), np.array(line[1])
    middle, way = (a + b) / 2, (b - a) / max(_far(a, b), 1e-9) * long / 2
    return _point(middle - way), _point(middle + way)


def _rows(tabs: list[Tab]) -> Iterator[list[Tab]]:
    """Tabs that point one way from one line, in the order of their feet."""
    waiting = list(tabs)
    while waiting:
        first = waiting[0]
        way = _way(first)
        row = [
            tab
            for tab in waiting
            if _way(tab) @ way > 0.99 and abs((np.array(tab.tip) - first.tip) @ way) < SAME_MM + 0.2 * first.out_mm
        ]
        along = np.array([way[1], -way[0]])
        yield sorted(row, key=lambda tab: float(np.array(tab.tip) @ along))
        waiting = [tab for tab in waiting if tab not in row]


def _way(tab: Tab) -> np.ndarray:
    middle = (np.array(tab.foot[0]) + tab.foot[1]) / 2
    way = np.array(tab.tip) - middle
    return way / max(float(np.hypot(*way)), 1e-9)


def _alike(one: float, other: float) -> bool:
    return abs(one - other) <= max(SAME_MM, SAME_SHARE * max(one, other))


Taken = list[tuple[Tab, Gap, bool]]


def _slots_for(row: list[Tab], free: list[Gap]) -> Taken:
    """As many of a row's tabs as find slots in one other part, in one line and as far apart; and whether they run
    against the slot's own line, so that the part is turned round."""
    for count in range(len(row), 0, -1):
        best = None
        for some in combinations(row, count):
            for piece in dict.fromkeys(gap.piece for gap in free if gap.piece != row[0].piece):
                own = [gap for gap in free if gap.piece == piece]
                for found in _in_line(list(some), own):
                    near = sum(_far(tab.tip, gap.middle[0]) for tab, gap, _ in found)
                    rank = (found[0][2], near)
                    if best is None or rank < best[0]:
                        best = (rank, found)
        if best is not None:
            rest = [tab for tab in row if tab not in [t for t, _, _ in best[1]]]
            left = [gap for gap in free if gap not in [g for _, g, _ in best[1]]]
            return best[1] + (_slots_for(rest, left) if rest and count > 1 else [])
    return []


def _in_line(row: list[Tab], gaps: list[Gap]) -> Iterator[Taken]:
    """Ways to give each tab of a row a slot."""
    for first in gaps:
        if not _alike(row[0].wide_mm, first.long_mm):
            continue
        if len(row) == 1:
            yield [(row[0], first, False)]
            continue
        way = np.array(first.middle[1]) - first.middle[0]
        way = way / max(float(np.hypot(*way)), 1e-9)
        for turned in (False, True):
            found = [first]
            for before, tab in pairwise(row):
                apart = _far(before.tip, tab.tip)
                at = _middle(found[-1]) + way * (-apart if turned else apart)
                there = next((g for g in gaps if g not in found and _fits(tab, g, at, apart)), None)
                if there is None:
                    break
                found.append(there)
            if len(found) == len(row):
                yield [(tab, gap, turned) for tab, gap in zip(row, found, strict=True)]


def _fits(tab: Tab, gap: Gap, at: np.ndarray, apart: float) -> bool:
    return _alike(tab.wide_mm, gap.long_mm) and _far(_middle(gap), at) <= max(SAME_MM, SAME_SHARE * apart)


def _middle(gap: Gap) -> np.ndarray:
    return (np.array(gap.middle[0]) + gap.middle[1]) / 2


def _crossings(notches: list[Gap]) -> Iterator[Joint]:
    """Notches of two parts that are as wide, the deepest first: two slots that cross."""
    waiting = sorted(notches, key=lambda gap: -gap.long_mm)
    while waiting:
        one = waiting.pop(0)
        other = next(
            (
                g
                for g in waiting
                if g.piece != one.piece
                and _alike(g.wide_mm, one.wide_mm)
                and abs(g.long_mm - one.long_mm) < 0.7 * one.long_mm
            ),
            None,
        )
        if other is None:
            continue
        waiting.remove(other)
        # the one whose slot opens below comes down over the other
        tab, slot = (one, other) if one.middle[0][1] >= one.middle[1][1] else (other, one)
        yield Joint(tab.piece, slot.piece, tab.middle, slot.middle, kind="half", wide_mm=round(one.wide_mm, 3))
