"""Lines that are sawn once: seams inside a blank, openings with their pilot holes, and from where a pack is entered."""

from collections.abc import Mapping
from heapq import heappop, heappush
from itertools import groupby

import numpy as np
import shapely

from ..constants import GRID_MM
from ..outline.coverage import Coverage


def openings_of(coverage: Coverage) -> list[shapely.Polygon]:
    """What the pieces enclose and none of them covers; of an opening with an island in it, what lies round the
    island."""
    return coverage.once("wastes", lambda: _openings(coverage))


def _openings(coverage: Coverage) -> list[shapely.Polygon]:
    rings = [shapely.Polygon(ring) for part in shapely.get_parts(coverage.outside) for ring in part.interiors]
    return [part for ring in rings for part in shapely.get_parts(shapely.difference(ring, coverage.outside))]


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


LEAST_CORNER_DEG = 25.0


def next_corner(outline: shapely.Polygon, at: tuple[float, float] | None) -> tuple[float, float]:
    """Of the corners of an outline the next one round from the one nearest to a place; the sharpest, without a
    place."""
    if at is None:
        at = start_point(outline)
    xy = shapely.get_coordinates(outline.exterior)[:-1]
    back, ahead = xy - np.roll(xy, 1, axis=0), np.roll(xy, -1, axis=0) - xy
    cross = back[:, 0] * ahead[:, 1] - back[:, 1] * ahead[:, 0]
    turn = np.abs(np.degrees(np.arctan2(cross, (back * ahead).sum(axis=1))))
    corners = np.flatnonzero(turn >= LEAST_CORNER_DEG)
    if len(corners) < 2:
        # a round piece: a quarter on from where one was
        corners = np.linspace(0, len(xy), 4, endpoint=False).astype(int)
    here = int(np.argmin(np.hypot(*(xy[corners] - np.array(at)).T)))
    x, y = xy[corners[(here + 1) % len(corners)]].tolist()
    return x, y


def on_outline(outline: shapely.Polygon, at: tuple[float, float]) -> tuple[float, float]:
    """The place on the outer line that lies nearest to one that was pointed at."""
    near = shapely.get_coordinates(shapely.shortest_line(outline.exterior, shapely.Point(at)))[0]
    return float(near[0]), float(near[1])
