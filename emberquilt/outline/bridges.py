"""Bridges: strips of wood left across an opening, so that what it encloses does not fall out."""

import numpy as np
import shapely

from ..errors import BadChoice
from .coverage import Coverage
from .cut import imprint
from .knit import LEAST_MM2, Reshape


def bodies(coverage: Coverage, solid: set[int]) -> list[set[int]]:
    """Groups of solid pieces that hang together by seams, the largest first."""
    waiting, found = set(solid), []
    while waiting:
        body, front = set(), [waiting.pop()]
        while front:
            key = front.pop()
            body.add(key)
            near = {k for k in coverage.neighbours[key] if k in waiting}
            waiting -= near
            front += near
        found.append(body)
    return sorted(found, key=lambda body: -sum(coverage.area_mm2[k] for k in body))


def best_bridges(
    coverage: Coverage, body: set[int], rest: set[int], width_mm: float, count: int
) -> list[shapely.Polygon]:
    """Up to `count` strips from a body to the rest of the sheet, where the way across is shortest.

    A second strip stands on the other side, at least a third of the way round, so that the part cannot swing; more
    stand closer.
    """
    part = shapely.coverage_union_all(np.array([coverage.by_key[k] for k in sorted(body)]))
    other = shapely.coverage_union_all(np.array([coverage.by_key[k] for k in sorted(rest)]))
    ring = shapely.segmentize(shapely.get_parts(part)[0].exterior, max(width_mm / 4, 0.5))
    points = shapely.points(shapely.get_coordinates(ring)[:-1])
    gap = shapely.distance(points, other)
    order = np.argsort(gap, kind="stable")
    centre = part.centroid
    angle = np.arctan2(shapely.get_y(points) - centre.y, shapely.get_x(points) - centre.x)
    spread = 2 * np.pi / (max(count, 2) + 1)
    strips: list[shapely.Polygon] = []
    taken: list[float] = []
    for i in order.tolist():
        if any(abs((angle[i] - t + np.pi) % (2 * np.pi) - np.pi) < spread for t in taken):
            continue
        way = shapely.get_coordinates(shapely.shortest_line(points[i], other))
        along = (way[1] - way[0]) / max(np.hypot(*(way[1] - way[0])), 1e-9)
        # a little into both, so that the strip surely grows together with them
        line = shapely.LineString([way[0] - along * width_mm, way[1] + along * width_mm])
        strips.append(shapely.buffer(line, width_mm / 2, cap_style="flat"))
        taken.append(float(angle[i]))
        if len(strips) == count:
            break
    return strips


def bridge(coverage: Coverage, openings: set[int], key: int, width_mm: float, count: int) -> Reshape:
    """Bridges from the body that holds `key` to the rest of the sheet, up to `count` strips of `width_mm`.

    The strips are born of no piece; whoever takes the reshape joins them to what they touch. Raises `BadChoice`.
    """
    solid = set(coverage.keys) - openings
    found = bodies(coverage, solid)
    mine = next((body for body in found if key in body), None)
    if mine is None or mine is found[0]:
        raise BadChoice("This part is held already: nothing has to be bridged.")
    strips = best_bridges(coverage, mine, solid - mine, width_mm, count)
    if not strips:
        raise BadChoice("There is no way across the opening for a bridge.")
    air = [coverage.by_key[k] for k in sorted(openings)]
    # only what crosses air becomes new wood
    cut = shapely.intersection(shapely.union_all(np.array(strips)), shapely.coverage_union_all(np.array(air)))
    pieces = [p for p in shapely.get_parts(cut) if p.geom_type == "Polygon" and p.area > LEAST_MM2]
    return imprint(coverage, pieces)
