"""In which order the pieces of a coverage go down, so that rings close late and none has to be dropped into a closed
gap where there is another way.

Round each piece lie arcs: a neighbour, or nothing. What is down against it forms runs of arcs. A piece with one run and
something open goes down from the side; one with two runs closes a ring; one with nothing open is dropped in from above.
"""

import heapq
from collections.abc import Iterable
from dataclasses import dataclass

import shapely

from ..outline.coverage import Coverage

OPEN = 0
"""Stands for no neighbour in an arc."""
STUB_MM = 0.3
"""A shorter arc is a matter of drawing, not a side from which a piece can go in: own choice."""


@dataclass(frozen=True, slots=True)
class Round:
    """What lies round one piece: its arcs one after the other along its outer border, as neighbour and length in mm
    (`OPEN` for none), and the neighbours that lie within holes of it."""

    arcs: tuple[tuple[int, float], ...]
    islands: tuple[int, ...]

    def runs(self, down: "dict[int, None] | set[int]") -> tuple[int, bool]:
        """How many runs of arcs are down, and whether anything is left open."""
        state = [key in down for key, _ in self.arcs]
        if all(state):
            return (1 if state else 0), False
        return sum(1 for i, here in enumerate(state) if here and not state[i - 1]), True


@dataclass(frozen=True, slots=True)
class Placed:
    """One piece in the order: the neighbours that were down before it; `closed`: all round it was; `closes`: with it a
    ring closes round something that is not down yet; `fresh`: nothing that was left touched what was down."""

    key: int
    touches: tuple[int, ...]
    closed: bool = False
    closes: bool = False
    fresh: bool = False


def rounds_of(coverage: Coverage) -> dict[int, Round]:
    """What lies round every piece, worked out once for the outlines."""
    return coverage.once("rounds", lambda: _rounds(coverage))


def _rounds(coverage: Coverage) -> dict[int, Round]:
    arcs: dict[int, list[list[tuple[int, float]]]] = {key: [] for key in coverage.keys}
    for at, ring in coverage.borders:
        joined: list[tuple[int, float]] = []
        for other, length in ring:
            key = coverage.keys[other] if other >= 0 else OPEN
            if joined and joined[-1][0] == key:
                joined[-1] = (key, joined[-1][1] + length)
            else:
                joined.append((key, length))
        if len(joined) > 1 and joined[0][0] == joined[-1][0]:
            joined[0] = (joined[0][0], joined[0][1] + joined.pop()[1])
        arcs[coverage.keys[at]].append(joined)
    table = {}
    for key, (outer, *inner) in arcs.items():
        kept = tuple(arc for arc in outer if arc[1] > STUB_MM) or tuple(outer)
        table[key] = Round(kept, tuple(dict.fromkeys(k for ring in inner for k, _ in ring if k != OPEN)))
    return table


def anchor_of(coverage: Coverage, school: str) -> int | None:
    """An outer piece with the longest free border, or the piece nearest to the middle."""
    if not len(coverage):
        return None
    if school == "middle":
        centre = shapely.centroid(coverage.outside)
        return min(coverage.keys, key=lambda key: (coverage.by_key[key].distance(centre), key))
    shared = {key: sum(s.length_mm for s in coverage.neighbours[key].values()) for key in coverage.keys}
    return max(coverage.keys, key=lambda key: (round(coverage.by_key[key].length - shared[key], 6), -key))


def placing_order(coverage: Coverage, anchor: int | None, among: Iterable[int] | None = None) -> list[Placed]:
    """Pieces with the neighbours already down, from the anchor on, or of those `among` them alone.

    Next comes, of the pieces that touch what is down, one that closes no ring and is not closed in itself; of those the
    one with the largest share of its border against what is down: it is located best.
    """
    if anchor is None:
        return []
    return _Placing(coverage, set(coverage.keys if among is None else among)).run(anchor)


class _Placing:
    def __init__(self, coverage: Coverage, waiting: set[int]):
        self.coverage, self.waiting = coverage, waiting
        self.round = rounds_of(coverage)
        self.border = {key: coverage.by_key[key].exterior.length for key in waiting}
        self.against = dict.fromkeys(waiting, 0.0)
        self.down: dict[int, None] = {}
        self.heap: list[tuple[bool, bool, float, int]] = []

    def run(self, anchor: int) -> list[Placed]:
        order = [self._put(anchor, fresh=True)]
        while self.waiting:
            key = self._next()
            fresh = key is None
            # nothing that is left touches what is down: a body apart begins with its own largest piece
            order.append(self._put(max(self.waiting, key=self._size) if key is None else key, fresh))
        return order

    def _size(self, key: int) -> tuple[float, int]:
        return self.coverage.area_mm2[key], -key

    def _next(self) -> int | None:
        while self.heap:
            rank, key = self.heap[0][:3], self.heap[0][3]
            if key not in self.waiting:
                heapq.heappop(self.heap)
                continue
            now = self._rank(key)
            if now == rank:
                return key
            heapq.heapreplace(self.heap, (*now, key))
        return None

    def _rank(self, key: int) -> tuple[bool, bool, float]:
        """What is worse comes later: closing a ring, being closed in, having little to go by."""
        closed, closes = self._closing(key)
        return closes, closed, -self.against[key] / self.border[key]

    def _closing(self, key: int) -> tuple[bool, bool]:
        here = self.round[key]
        runs, is_open = here.runs(self.down)
        islands = any(other in self.waiting for other in here.islands)
        return not is_open and bool(here.arcs), (is_open and runs > 1) or islands

    def _put(self, key: int, fresh: bool = False) -> Placed:
        closed, closes = self._closing(key)
        self.waiting.discard(key)
        touches = tuple(sorted(k for k in self.coverage.neighbours[key] if k in self.down))
        self.down[key] = None
        for other, seam in self.coverage.neighbours[key].items():
            if other in self.waiting:
                self.against[other] += seam.length_mm
                heapq.heappush(self.heap, (*self._rank(other), other))
        return Placed(key, touches, closed, closes, fresh)
