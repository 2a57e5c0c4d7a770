"""Lines that are sawn once: seams inside a blank, openings with their pilot holes, and from where a pack is entered."""

from collections.abc import Mapping, Sequence
from heapq import heappop, heappush
from itertools import groupby

import numpy as np
import shapely

from ..constants import GRID_MM
from ..outline.coverage import Coverage
from ..rack.blades import Blade
from .holes import PilotHole, hole_in, hole_on


def sawn_together(
    coverage: Coverage, order: Sequence[str], blade_of: Mapping[str, Blade], wood_between: bool
) -> dict[str, tuple[float, float, tuple[PilotHole, ...]]]:
    """Cut lengths, how much of each goes round openings, and holes, where pieces come out of one blank in this order.
    A seam is sawn once, with the first of its two. An opening has its hole in the waste, drilled for the first piece
    beside it; where all is wood (`wood_between`) a closed line with nothing open beside it has one on the line
    itself."""
    keys = [int(key) for key in order]
    place = {key: i for i, key in enumerate(keys)}
    holes: dict[int, list[PilotHole]] = {key: [] for key in keys}
    inside = dict.fromkeys(keys, 0.0)
    for waste in openings_of(coverage):
        beside = [key for key in keys if coverage.by_key[key].intersects(waste)]
        if beside:
            first = min(beside, key=place.__getitem__)
            spot = hole_in(waste, blade_of[str(first)])
            fits = spot.bit_mm or not wood_between
            holes[first].append(spot if fits else hole_on(start_point(waste), blade_of[str(first)]))
            for key in beside:
                inside[key] += shapely.intersection(waste.boundary, coverage.by_key[key].boundary).length
    made: dict[str, tuple[float, float, tuple[PilotHole, ...]]] = {}
    sawn: set[int] = set()
    for key in keys:
        neighbours = coverage.neighbours[key]
        shared = sum(seam.length_mm for other, seam in neighbours.items() if other in sawn)
        length = max(0.0, float(coverage.by_key[key].length) - shared)
        for line, beside_line in _lines(coverage, key):
            bare = line.exterior.length - sum(neighbours[other].length_mm for other in beside_line)
            if bare <= GRID_MM and not sawn & set(beside_line):
                holes[key].append(hole_on(start_point(line), blade_of[str(key)]))
        sawn.add(key)
        made[str(key)] = length, min(inside[key], length), tuple(holes[key])
    return made


def openings_of(coverage: Coverage) -> list[shapely.Polygon]:
    """What the pieces enclose and none of them covers; of an opening with an island in it, what lies round the
    island."""
    return coverage.once("wastes", lambda: _openings(coverage))


def _openings(coverage: Coverage) -> list[shapely.Polygon]:
    rings = [shapely.Polygon(ring) for part in shapely.get_parts(coverage.outside) for ring in part.interiors]
    return [part for ring in rings for part in shapely.get_parts(shapely.difference(ring, coverage.outside))]


def _lines(coverage: Coverage, key: int) -> list[tuple[shapely.Polygon, list[int]]]:
    """The closed lines of a piece, its outline and each of its openings as what they enclose, with the neighbours along
    each."""
    outline, neighbours = coverage.by_key[key], list(coverage.neighbours[key])
    found = []
    for ring in outline.interiors:
        inside = shapely.Polygon(ring)
        within = [other for other in neighbours if inside.covers(coverage.by_key[other])]
        found.append((inside, within))
        neighbours = [other for other in neighbours if other not in within]
    return [(shapely.Polygon(outline.exterior), neighbours), *found]


def from_the_edge(
    coverage: Coverage, ranked: list[int], inside: Mapping[int, int], group: Mapping[int, tuple]
) -> list[int]:
    """Pieces of a pack in an order in which each next one has something open beside it, as far as that is to be had:
    within each group in turn (`group`: what they are sorted by before all else) the first in rank that lies at an edge
    or beside one already sawn. What another encloses is sawn first all the same: its line is closed in any case."""
    border = {key: sum(s.length_mm for s in coverage.neighbours[key].values()) for key in coverage.keys}
    rank = {key: i for i, key in enumerate(ranked)}
    ordered: list[int] = []
    sawn: set[int] = set()
    for _, several in groupby(ranked, key=lambda key: group[key]):
        waiting = set(several)
        reached = {
            key
            for key in waiting
            if inside.get(key)
            or coverage.by_key[key].length - border[key] > GRID_MM
            or not sawn.isdisjoint(coverage.neighbours[key])
        }
        heap = sorted(rank[key] for key in reached)
        rest = sorted(rank[key] for key in waiting)[::-1]
        while waiting:
            key = ranked[heappop(heap) if heap else rest.pop()]
            if key not in waiting:
                continue
            waiting.discard(key)
            sawn.add(key)
            ordered.append(key)
            for other in coverage.neighbours[key]:
                if other in waiting and other not in reached:
                    reached.add(other)
                    heappush(heap, rank[other])
    return ordered


def start_point(outline: shapely.Polygon) -> tuple[float, float]:
    """The sharpest outward corner: start at a point, never in the middle of a curve."""
    xy = shapely.get_coordinates(outline.exterior)[:-1]
    back, ahead = xy - np.roll(xy, 1, axis=0), np.roll(xy, -1, axis=0) - xy
    cross = back[:, 0] * ahead[:, 1] - back[:, 1] * ahead[:, 0]
    turn = np.arctan2(cross, (back * ahead).sum(axis=1))
    winding = np.sign(turn.sum()) or 1.0
    x, y = xy[int(np.argmax(turn * winding))]
    return float(x), float(y)
