"""How a blade gets round the corners of its way: strokes, and what is done where each of them ends.

A path is the middle of the kerf as points in mm. Wood lies on the left of the way where `side` is 1, on the right
where it is -1, on both sides where it is 0; left is the side towards which a turn counts as positive.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely

from ..rack.blades import Blade

SHARP_RAD = 1.05
"""A path that turns by more than this within a length of the blade's tightest radius is a corner: up to there the
blade cuts across it by less than 0.15 of that radius. Geometry of a circle that touches both sides."""
MILD_RAD = 0.4
"""Where no corner is sharp one begins at one that turns by at least this: about 23 degrees, own choice."""
PIVOT_DEG = 100.0
"""Up to here one turns on the spot at an outer corner, the blade's back swinging in the waste; one runs past a sharper
one and comes back to it in a loop. Common practice, no source."""
NEAR_EDGE_MM = 12.0
"""Where the board's edge is nearer than this, one saws out to it instead of turning: own choice."""
TOUCH_MM = 0.02
"""What rounding leaves may touch the wood."""
LOOPS = 1.6
"""A loop through the waste is wider than the tightest turn by so much, so that it flows."""
CORNERS = {
    "": "the line ends",
    "flow": "steer through it without stopping",
    "pivot": "turn on the spot, the blade's back in the waste",
    "accent": "saw into the line that frees nothing, as you pass",
    "spin": "turn on the spot in the kerf: wood on both sides, it rounds a little",
    "loop": "saw past it into the waste, loop round and come in along the next line",
    "back": "stop in the corner, back out and go round it through the waste",
    "other side": "come into the corner from the other side",
    "back out": "stop here, back out to the start and go round the other way",
    "edge": "saw out to the board's edge and come in again",
}
"""What is done where a stroke ends."""

Points = np.ndarray


@dataclass(frozen=True, slots=True)
class Bend:
    """A corner of a path: at which of its points, and by how much it turns there (radians, left is positive)."""

    at: int
    turn: float


@dataclass(frozen=True, slots=True)
class Run:
    """One stretch that the blade saws without stopping, `kind` line or waste, and the `corner` at its end."""

    xy: Points
    kind: str
    corner: str


def bends_of(xy: Points, closed: bool, radius_mm: float, least: float = SHARP_RAD) -> list[Bend]:
    """The corners of a path, sharper than a blade of that tightest radius flows through, or that turn by at least so
    much. Of a closed path the points are given once; of an open one its ends are none."""
    count = len(xy)
    if count < 3:
        return []
    step = np.roll(xy, -1, axis=0) - xy
    long = np.hypot(step[:, 0], step[:, 1])
    before = np.roll(step, 1, axis=0)
    turn = np.arctan2(
        before[:, 0] * step[:, 1] - before[:, 1] * step[:, 0],
        before[:, 0] * step[:, 0] + before[:, 1] * step[:, 1],
    )
    if not closed:
        turn[0] = turn[-1] = 0.0
    along = np.concatenate([[0.0], np.cumsum(long)])
    whole = along[count]
    where = along[:count]
    half = radius_mm / 2
    if closed:
        wide = np.concatenate([where - whole, where, where + whole])
        turns = np.tile(turn, 3)
    else:
        wide, turns = where, turn
    total = np.concatenate([[0.0], np.cumsum(turns)])
    low, high = np.searchsorted(wide, where - half), np.searchsorted(wide, where + half, side="right")
    within = total[high] - total[low]
    flagged = np.flatnonzero(np.abs(within) > least)
    if not closed:
        flagged = flagged[(flagged > 0) & (flagged < count - 1)]
    if not len(flagged):
        return []
    groups = np.split(flagged, np.flatnonzero(np.diff(where[flagged]) > radius_mm) + 1)
    if closed and len(groups) > 1 and where[groups[0][0]] + whole - where[groups[-1][-1]] <= radius_mm:
        groups[0] = np.concatenate([groups.pop(), groups[0]])
    found = []
    for group in groups:
        at = int(group[np.argmax(np.abs(turn[group]))])
        found.append(Bend(at, float(within[group[np.argmax(np.abs(within[group]))]])))
    return sorted(found, key=lambda bend: bend.at)


def turned_from(xy: Points, at: int) -> Points:
    """A closed path from one of its points all round and back to it: that point comes first and last."""
    return np.concatenate([xy[at:], xy[: at + 1]])


def runs_along(xy: Points, side: int, blade: Blade, clear: Callable[[Points], bool], reach=None) -> list[Run]:
    """The strokes along a path from end to end, corner by corner. `clear(points)`: whether the blade may saw there,
    through waste; `reach(point, direction)`: the points of a way out to the board's edge, or None."""
    bends = bends_of(xy, False, blade.tightest_mm)
    if side == 0:
        return _through_wood(xy, bends)
    runs: list[Run] = []
    later: list[Run] = []
    begin = 0
    head: Points | None = None
    for n, bend in enumerate(bends):
        end = bends[n + 1].at if n + 1 < len(bends) else len(xy) - 1
        body = xy[begin : bend.at + 1]
        body = body if head is None else np.concatenate([head, body])
        head = None
        outer = bend.turn * side > 0
        if outer:
            corner, across, resume = _outer(xy, bend, blade, clear, reach)
        else:
            corner, across, resume = _inner(xy, bend, body, end, blade, clear)
        runs.append(Run(body, "line", corner))
        if across is not None:
            runs += [Run(one, "waste", "") for one in across]
        begin = bend.at
        if resume is not None:
            at, point = resume
            later.append(Run(np.concatenate([point[None], xy[bend.at : at][::-1]]), "line", "other side"))
            head, begin = point[None], at
    last = xy[begin:] if head is None else np.concatenate([head, xy[begin:]])
    return [*runs, *later, Run(last, "line", "")]


def _through_wood(xy: Points, bends: list[Bend]) -> list[Run]:
    """Wood on both sides: one corner is come at from both ends; of several the ones between are turned on the spot."""
    if not bends:
        return [Run(xy, "line", "")]
    if len(bends) == 1:
        at = bends[0].at
        return [Run(xy[: at + 1], "line", "back"), Run(xy[at:][::-1], "line", "other side")]
    cuts = [0, *(bend.at for bend in bends), len(xy) - 1]
    runs = [Run(xy[a : b + 1], "line", "spin") for a, b in zip(cuts[:-2], cuts[1:-1], strict=True)]
    return [*runs[:-1], Run(runs[-1].xy, "line", "back"), Run(xy[bends[-1].at :][::-1], "line", "other side")]


def _headings(xy: Points, at: int) -> tuple[Points, Points]:
    before, after = xy[at] - xy[at - 1], xy[at + 1] - xy[at]
    return before / np.hypot(*before), after / np.hypot(*after)


def _outer(xy: Points, bend: Bend, blade: Blade, clear, reach):
    """At an outer corner: a pivot, a loop through the waste, or out to the board's edge."""
    into, out = _headings(xy, bend.at)
    here = xy[bend.at]
    at_once = abs(math.atan2(into[0] * out[1] - into[1] * out[0], into @ out))
    if math.degrees(abs(bend.turn)) <= PIVOT_DEG or at_once < 0.6 * abs(bend.turn):
        return "pivot", None, None
    loop = _loop(here, into, out, LOOPS * blade.tightest_mm, bend.turn)
    if loop is not None and clear(loop):
        return "loop", (loop,), None
    if reach is not None:
        ways = reach(here, into), reach(here, -out)
        if all(way is not None and clear(way) for way in ways):
            return "edge", (ways[0], ways[1][::-1]), None
    return "pivot", None, None


def _loop(here: Points, into: Points, out: Points, radius: float, turn: float) -> Points | None:
    """Past the corner straight on, round through the waste the long way, and in along the next line: a circle that
    touches both lines beyond the corner."""
    angle = math.pi - abs(math.atan2(into[0] * out[1] - into[1] * out[0], into @ out))
    if angle < math.radians(4):
        return None
    far = radius / math.tan(angle / 2)
    first = here + far * into
    # its middle lies on the outer side of the turn
    aside = np.array([into[1], -into[0]]) * (1 if turn > 0 else -1)
    middle = first + radius * aside
    start = math.atan2(*(first - middle)[::-1])
    sweep = -math.copysign(math.pi + angle, turn)
    steps = start + np.linspace(0.0, sweep, 24)
    ring = middle + radius * np.stack([np.cos(steps), np.sin(steps)], axis=1)
    return np.concatenate([here[None], ring, here[None]])


def _inner(xy: Points, bend: Bend, sawn: Points, end: int, blade: Blade, clear):
    """At an inner corner, that `sawn` leads into: back out of it and round it through the waste; what is left is sawn
    from the other side."""
    radius = LOOPS * blade.tightest_mm
    wanted = radius * math.tan(min(abs(bend.turn), 3.0) / 2)
    before, after = _lengths(sawn[::-1]), _lengths(xy[bend.at : end + 1])
    room = 0.9 * min(before[-1], after[-1])
    for back in (min(wanted, room), 0.5 * min(wanted, room)):
        if back < blade.kerf_mm:
            break
        first, _ = _at(sawn[::-1], before, back)
        last, steps = _at(xy[bend.at : end + 1], after, back)
        across = np.stack([first, last]) if back < wanted else _fillet(xy[bend.at], first, last)
        if clear(across):
            return "back", (across,), (bend.at + steps, last)
    return "pivot", None, None


def _fillet(corner: Points, first: Points, last: Points) -> Points:
    """A bow from one side to the other that leaves each along its own line."""
    t = np.linspace(0.0, 1.0, 9)[:, None]
    return (1 - t) ** 2 * first + 2 * t * (1 - t) * corner + t**2 * last


def _lengths(xy: Points) -> Points:
    step = np.diff(xy, axis=0)
    return np.concatenate([[0.0], np.cumsum(np.hypot(step[:, 0], step[:, 1]))])


def _at(xy: Points, along: Points, far: float) -> tuple[Points, int]:
    """The point so far along a path, and how many of its points lie before it."""
    n = int(np.searchsorted(along, far))
    share = (far - along[n - 1]) / max(along[n] - along[n - 1], 1e-9)
    return xy[n - 1] + share * (xy[n] - xy[n - 1]), n


def clear_of(kept: shapely.Geometry, kerf_mm: float) -> Callable[[Points], bool]:
    """Whether the blade, sawing along points, leaves alone what is kept."""
    shapely.prepare(kept)

    def clear(points: Points) -> bool:
        swept = shapely.buffer(shapely.linestrings(points), kerf_mm / 2 - TOUCH_MM, quad_segs=4)
        return not shapely.intersects(kept, swept)

    return clear
