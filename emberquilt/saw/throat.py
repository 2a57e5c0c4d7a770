"""Whether the work hits the saw's column while it is turned round the blade.

The blade stands still with its teeth to the sawyer; the wood is pushed away from him and turned so that the line always
comes at the teeth. Seen from the wood the column stands behind the blade, opposite to the way it goes.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

COLUMN_MM = 60.0
"""Width of the column behind the blade: common practice, no source."""
EVERY_MM = 1.0
EVERY_DEG = 1.0
APART_MM = 8.0
"""Hits that lie nearer together than this along the way are one."""

Points = np.ndarray


@dataclass(frozen=True, slots=True)
class Hit:
    """A stretch of the way on which the work stands against the column: where it is worst, which way the blade goes
    there (degrees from the picture's right, clockwise as seen), how far the work reaches back, and how long the stretch
    is."""

    x_mm: float
    y_mm: float
    heading_deg: float
    reach_mm: float
    along_mm: float


@dataclass(frozen=True, slots=True)
class Sweep:
    """The farthest that the work reaches back from the blade, in front of the column, on the whole way."""

    reach_mm: float
    hits: tuple[Hit, ...]


@dataclass(frozen=True, slots=True)
class Stations:
    """Places along paths at most 1 mm apart, the way the blade goes there (radians), turned in steps of at most one
    degree where it turns on the spot, how far along all paths each lies, and on which of the paths."""

    places: Points
    headings: Points
    along: Points
    path: Points


def stations_of(paths: Iterable[Points]) -> Stations:
    """All paths at once."""
    several = [path for path in paths if len(path) > 1]
    if not several:
        return Stations(np.empty((0, 2)), np.empty(0), np.empty(0), np.empty(0, int))
    xy = np.concatenate(several)
    of_point = np.repeat(np.arange(len(several)), [len(path) for path in several])
    step = np.diff(xy, axis=0)
    long = np.hypot(step[:, 0], step[:, 1])
    real = (of_point[1:] == of_point[:-1]) & (long > 1e-9)
    start, step, long, which_path = xy[:-1][real], step[real], long[real], of_point[:-1][real]
    heading = np.arctan2(step[:, 1], step[:, 0])
    begins = np.concatenate([[0.0], np.cumsum(long)])
    count = np.maximum(1, np.ceil(long / EVERY_MM)).astype(int) + 1
    segment = np.repeat(np.arange(len(long)), count)
    first = np.repeat(np.cumsum(count) - count, count)
    share = (np.arange(len(segment)) - first) / (count[segment] - 1)
    places = [start[segment] + share[:, None] * step[segment]]
    headings, along, on = [heading[segment]], [begins[segment] + share * long[segment]], [which_path[segment]]
    turn = (np.diff(heading) + math.pi) % (2 * math.pi) - math.pi
    steps = np.ceil(np.abs(turn) / math.radians(EVERY_DEG)).astype(int) - 1
    many = np.flatnonzero((steps > 0) & (which_path[1:] == which_path[:-1]))
    if len(many):
        at = np.repeat(many, steps[many])
        nth = np.arange(len(at)) - np.repeat(np.cumsum(steps[many]) - steps[many], steps[many]) + 1
        places.append(start[at + 1])
        headings.append(heading[at] + turn[at] * nth / (steps[at] + 1))
        along.append(begins[at + 1])
        on.append(which_path[at])
    return Stations(*(np.concatenate(several) for several in (places, headings, along, on)))


def reach_of(places: Points, headings: Points, stock: shapely.Geometry) -> Points:
    """At each place how far the stock reaches back from the blade within the width of the column, mm."""
    ring = shapely.get_coordinates(shapely.convex_hull(stock).exterior)[:-1]
    back = -np.stack([np.cos(headings), np.sin(headings)], axis=1)
    offset = ring[None, :, :] - places[:, None, :]
    behind = offset[..., 0] * back[:, None, 0] + offset[..., 1] * back[:, None, 1]
    aside = offset[..., 1] * back[:, None, 0] - offset[..., 0] * back[:, None, 1]
    half = COLUMN_MM / 2
    reach = np.where(np.abs(aside) <= half, behind, -np.inf).max(axis=1)
    next_behind, next_aside = np.roll(behind, -1, axis=1), np.roll(aside, -1, axis=1)
    for side in (-half, half):
        span = next_aside - aside
        with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
            share = (side - aside) / span
        crossing = (share >= 0) & (share <= 1) & (np.abs(span) > 1e-12)
        there = np.where(crossing, behind + np.where(crossing, share, 0.0) * (next_behind - behind), -np.inf)
        reach = np.maximum(reach, there.max(axis=1))
    return np.maximum(reach, 0.0)


def swept(paths: Sequence[Points], stock: shapely.Geometry, throat_mm: float) -> Sweep:
    """The work turned along paths, one after another, in a throat so deep."""
    made = stations_of(paths)
    if not len(made.places):
        return Sweep(0.0, ())
    reach = reach_of(made.places, made.headings, stock)
    return Sweep(round(float(reach.max()), 2), _hits(made, reach, np.flatnonzero(reach > throat_mm)))


def hits_by_path(paths: Sequence[Points], stock: shapely.Geometry, throat_mm: float) -> dict[int, tuple[Hit, ...]]:
    """The same for many paths at once: the hits on each that has any, by its place among those of more than a point."""
    made = stations_of(paths)
    if not len(made.places):
        return {}
    reach = reach_of(made.places, made.headings, stock)
    over = np.flatnonzero(reach > throat_mm)
    if not len(over):
        return {}
    over = over[np.argsort(made.path[over], kind="stable")]
    groups = np.split(over, np.flatnonzero(np.diff(made.path[over])) + 1)
    return {int(made.path[group[0]]): _hits(made, reach, group) for group in groups}


def _hits(made: Stations, reach: Points, over: Points) -> tuple[Hit, ...]:
    if not len(over):
        return ()
    over = over[np.argsort(made.along[over], kind="stable")]
    hits = []
    for group in np.split(over, np.flatnonzero(np.diff(made.along[over]) > APART_MM) + 1):
        worst = group[np.argmax(reach[group])]
        x, y = made.places[worst].round(2).tolist()
        long = float(made.along[group].max() - made.along[group].min())
        degrees = math.degrees(made.headings[worst]) % 360
        hits.append(Hit(x, y, round(degrees, 1), round(float(reach[worst]), 2), round(long, 1)))
    return tuple(hits)


def kept_way(paths: Sequence[Points], stock: shapely.Geometry, throat_mm: float) -> float | None:
    """A way (degrees) to hold the work all along the paths without turning it, as a spiral blade allows, so that it
    nowhere hits the column; None where there is none."""
    places = stations_of(paths).places
    if not len(places):
        return 0.0
    some = places[:: max(1, len(places) // 400)]
    for degrees in range(0, 360, 5):
        headings = np.full(len(some), math.radians(degrees))
        if float(reach_of(some, headings, stock).max()) <= throat_mm:
            return float(degrees)
    return None
