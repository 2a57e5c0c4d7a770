"""Fewer pieces: neighbours joined in the order in which they would be missed least."""

import heapq
from dataclasses import replace

import numpy as np
import shapely

from ..colour import hex_apart
from ..outline.coverage import Coverage
from .proposal import Proposal, in_reading_order

FEWEST = 12
"""Makes it simpler down to about a dozen pieces."""
PLAIN_DE = 3.0
"""Two pieces of one colour still differ as much as this: their seam was drawn."""


def order_of_joins(coverage: Coverage, colours: dict[int, str]) -> list[tuple[int, int]]:
    """Joins (gone, into), the least missed first, until nothing is left to join.

    What is narrow, like its neighbour in colour and long beside it goes first; what is small but stands out stays.
    A joined piece has the colour of its larger part.
    """
    area, edge = dict(coverage.area_mm2), {k: o.length for k, o in coverage.by_key.items()}
    tint = {k: colours.get(k, "") for k in coverage.keys}
    beside = {k: {o: s.length_mm for o, s in seams.items()} for k, seams in coverage.neighbours.items()}

    def missed(a: int, b: int) -> float:
        small = min(a, b, key=lambda k: (area[k], k))
        width = 4 * area[small] / max(edge[small], 1e-9)
        apart = hex_apart(tint[a], tint[b]) if tint[a] and tint[b] else 0.0 if tint[a] == tint[b] else 100.0
        shared = min(1.0, beside[a][b] / max(edge[small], 1e-9))
        return width**0.5 * (PLAIN_DE + apart) / (0.25 + shared)

    waiting = [(missed(a, b), a, b) for a, others in beside.items() for b in others if a < b]
    heapq.heapify(waiting)
    gone: set[int] = set()
    joins = []
    while waiting:
        cost, a, b = heapq.heappop(waiting)
        if a in gone or b in gone or abs(missed(a, b) - cost) > 1e-9:
            continue
        into, small = (a, b) if (area[a], -a) >= (area[b], -b) else (b, a)
        joins.append((small, into))
        gone.add(small)
        shared = beside[into].pop(small)
        area[into] += area[small]
        edge[into] += edge[small] - 2 * shared
        for other, length in beside.pop(small).items():
            if other != into:
                del beside[other][small]
                beside[into][other] = beside[other][into] = beside[into].get(other, 0.0) + length
        for other in beside[into]:
            heapq.heappush(waiting, (missed(into, other), min(into, other), max(into, other)))
    return joins


def simpler(proposal: Proposal, pieces: int) -> Proposal:
    """A proposal with no more than so many pieces, where its pieces hang together enough; openings stay as they are."""
    coverage = proposal.coverage
    if pieces <= 0 or len(coverage) <= pieces or proposal.openings:
        return proposal
    home = {k: k for k in coverage.keys}
    for small, into in order_of_joins(coverage, proposal.colours)[: len(coverage) - pieces]:
        home[small] = into
    groups: dict[int, list[int]] = {}
    for key in coverage.keys:
        top = key
        while home[top] != top:
            top = home[top]
        groups.setdefault(top, []).append(key)
    whole = {
        top: shapely.normalize(shapely.coverage_union_all(np.array([coverage.by_key[k] for k in keys])))
        for top, keys in groups.items()
    }
    return in_reading_order(replace(proposal, coverage=Coverage(list(whole), list(whole.values()))))
