"""What holds what while a blank is sawn: parts hang on each other and on the waste by lines that are not sawn yet."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from .network import Net


@dataclass(frozen=True, slots=True)
class Block:
    """Bodies, by their place in the net, that hang together and on nothing else once so many lines are sawn."""

    after: int
    bodies: tuple[int, ...]


def blocks_of(net: Net, sawn: Sequence[int]) -> list[Block]:
    """Blocks of two or more bodies that come away together while lines are sawn in this order, and fall apart later.

    The lines are put back one after another from the last: what is joined then was one until that line was sawn.
    """
    waste = len(net.bodies)
    joined = list(range(waste + 1))
    members: dict[int, set[int]] = {i: {i} for i in range(waste)}
    blocks: list[Block] = []

    def root(i: int) -> int:
        while joined[i] != i:
            joined[i] = joined[joined[i]]
            i = joined[i]
        return i

    members[waste] = set()
    for n in range(len(sawn) - 1, -1, -1):
        line = net.lines[sawn[n]]
        one, two = (root(side if side >= 0 else waste) for side in (line.left, line.right))
        if one == two:
            continue
        held = root(waste)
        if held in (one, two):
            loose = two if held == one else one
            if len(members[loose]) > 1:
                blocks.append(Block(n + 1, tuple(sorted(members[loose]))))
        joined[one] = two
        members[two] |= members.pop(one)
    return blocks[::-1]


def long_and_wide(bodies: Sequence[shapely.Polygon]) -> tuple[float, float]:
    """Of bodies together how long and how wide the narrowest box round them is, mm."""
    box = shapely.minimum_rotated_rectangle(shapely.union_all(np.array(bodies, object)))
    xy = shapely.get_coordinates(box)
    if len(xy) < 4:
        return float(box.length), 0.0
    sides = [float(np.hypot(*(xy[i + 1] - xy[i]))) for i in (0, 1)]
    return max(sides), min(sides)


def held_by(
    sections: Sequence[tuple[shapely.Polygon, Sequence[shapely.Geometry]]], least_mm: float
) -> list[list[bool]]:
    """For every section and the parts that are sawn out of it one after another, in one frame: whether, when a part's
    turn comes, what it still hangs in holds a circle so large across for the fingers."""
    told = []
    for stock, parts in sections:
        left: shapely.Geometry = stock
        own: list[bool] = []
        # a circle that was found to fit is looked for again only where something was sawn out of it
        circle: shapely.Geometry = shapely.Point()
        for part in parts:
            bodies = shapely.get_parts(left)
            mine = bodies[0]
            if len(bodies) > 1:
                mine = bodies[int(np.argmax(shapely.area(shapely.intersection(bodies, part))))]
            if circle.is_empty or not shapely.covers(mine, circle):
                middle = shapely.buffer(mine, -least_mm / 2 - 0.01, quad_segs=4)
                circle = shapely.Point() if middle.is_empty else middle.representative_point().buffer(least_mm / 2)
            own.append(not circle.is_empty)
            gone = shapely.buffer(part, KERF_MM, quad_segs=2)
            left = shapely.difference(left, gone)
            if circle.intersects(gone):
                circle = shapely.Point()
        told.append(own)
    return told


KERF_MM = 0.5
"""Taken round a part that is sawn out, where only what is left matters."""
