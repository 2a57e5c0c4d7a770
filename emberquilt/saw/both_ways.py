"""A closed line sawn from several starts at the board's edge, from each both ways round, where the saw's column lets
the work be turned no other way."""

import math
from collections.abc import Callable

import numpy as np
import shapely

from .throat import reach_of

Points = np.ndarray

PARTED_MM = 2.0
"""How near to each other the places lie at which a line is tried both ways."""


def both_ways(
    xy: Points, stock: shapely.Polygon, throat_mm: float, way_in: Callable[[Points], Points | None]
) -> list[tuple[Points, Points, Points]]:
    """For each start the way in to it, and the paths from it ahead and back to where they meet those of its neighbours.
    Nothing where some place hits both ways, where none hits one way, or where no way leads in to a start. `xy`: a
    closed path, its first point last too."""
    far = _along(xy)
    way = np.linspace(0.0, far[-1], max(8, int(far[-1] / PARTED_MM)))[:-1]
    places = np.stack([_at(xy, far, one) for one in way])
    ahead = np.stack([_at(xy, far, (one + 0.5) % far[-1]) for one in way]) - places
    headings = np.arctan2(ahead[:, 1], ahead[:, 0])
    forward = reach_of(places, headings, stock) <= throat_mm
    backward = reach_of(places, headings + math.pi, stock) <= throat_mm
    if not (forward | backward).all() or forward.all() or backward.all():
        return []
    found = []
    for (low, high), to, back_to in _arcs(forward, backward):
        free = [i % len(way) for i in range(low, high + 1)]
        entry = next((i for i in _middle_first(free) if way_in(places[i]) is not None), None)
        lead = way_in(places[entry]) if entry is not None else None
        if entry is None or lead is None:
            return []
        start, meet, behind = way[entry], way[to % len(way)], way[back_to % len(way)]
        found.append((lead, _stretch(xy, far, start, meet), _stretch(xy, far, behind, start)[::-1]))
    return found


def _along(xy: Points) -> Points:
    return np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T))])


def _at(xy: Points, far: Points, where: float) -> Points:
    return np.array([np.interp(where, far, xy[:, 0]), np.interp(where, far, xy[:, 1])])


def _stretch(xy: Points, far: Points, low: float, high: float) -> Points:
    """Of a closed path the stretch from one place on to another, round its end where need be."""
    if high <= low:
        whole = [_at(xy, far, low)[None], xy[:-1][far[:-1] > low], xy[:-1][far[:-1] < high], _at(xy, far, high)[None]]
        return np.concatenate(whole)
    return np.concatenate([_at(xy, far, low)[None], xy[(far > low) & (far < high)], _at(xy, far, high)[None]])


def _middle_first(places: list[int]) -> list[int]:
    return sorted(places, key=lambda i: abs(places.index(i) - len(places) // 2))


def _arcs(forward: Points, backward: Points) -> list[tuple[tuple[int, int], int, int]]:
    """For every start round a closed path: between which places it may lie, up to where one goes ahead from it, and
    back to where. What can only be gone ahead follows a start, what can only be gone back leads up to one."""
    count = len(forward)
    only = [(i, forward[i]) for i in range(count) if forward[i] != backward[i]]
    starts = [n for n in range(len(only)) if not only[n - 1][1] and only[n][1]]
    found = []
    for n in starts:
        low, high = only[n - 1][0], only[n][0]
        ends = []
        for step in (1, -1):
            # on to the last of the same kind, and half way from there to the first of the other
            k = n if step == 1 else n - 1
            kind = only[k][1]
            while only[(k + step) % len(only)][1] == kind:
                k += step
            here, there = only[k % len(only)][0], only[(k + step) % len(only)][0]
            between = ((there - here) * step) % count
            # both sides of a meeting have to name one place: half way, rounded back
            ends.append((here + (between // 2 if step == 1 else -((between + 1) // 2))) % count)
        found.append(((low, high if high >= low else high + count), ends[0], ends[1]))
    return found
