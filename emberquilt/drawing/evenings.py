"""The calendar drawn: days as leaves of a folding rule, steps as blocks under them, waits as lines into the night."""

import datetime as dt
from bisect import bisect_left
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from ..calendar.means import Clock, Windows
from ..calendar.reasons import LITTLE_ROOM
from ..calendar.schedule import Schedule, Slot
from ..calendar.task import Problem
from ..keys import runs
from ..rack.rack import Rack
from ..work.composition import Composition
from ..work.copies import any_copy

LEFT_PX, WIDE_PX = 16.0, 838.0
LEAST_PX, MOST_PX = 0.31, 1.1
"""Pixels a minute: a plan of a few days fills the panel, a longer one is scrolled."""
NIGHT_PX, BREAK_PX, OFF_PX = 14.0, 8.0, 16.0
MOST_DAYS = 240
LABEL_PX = 13.0
"""A block narrower than this has no room for its name."""
TOP_PX, LINE_PX, FOOT_PX = 138.0, 24.0, 56.0
ALL_LANES_PX, LEAST_LANE_PX = 206.0, 78.0
"""Lanes share a height; more than three people make the drawing taller."""
THUMB_PX = 36.0
BESIDE_PX = 8.0
LETTER_PX = 6.6


@dataclass(frozen=True, slots=True)
class Leaf:
    """One day: where its leaf of the rule lies, and what it is called; `sawn` and `made` the pieces that it sees sawn
    and as they will be, as runs; `hands` minutes by person. A day without hours is only a hinge."""

    x: float
    wide: float
    day: dt.date
    hours: str
    ticks: str
    made: str
    sawn: str
    hands: tuple[tuple[str, float], ...]
    room: float
    off: bool


@dataclass(frozen=True, slots=True)
class Block:
    """A sitting: `y` and `tall` in its lane, `fill` the wood that it handles, `pieces` as runs. All places are in whole
    tenths, as they are drawn."""

    slot: Slot
    x: float
    y: float
    wide: float
    tall: float
    label: str
    fill: str
    pieces: str
    chain: bool
    tight: bool
    other: str
    label_x: float = 0.0

    @property
    def middle(self) -> float:
        return _tenths(self.x + self.wide / 2)

    @property
    def bottom(self) -> float:
        return _tenths(self.y + self.tall)

    @property
    def text_y(self) -> float:
        return _tenths(self.bottom - 6)


@dataclass(frozen=True, slots=True)
class Line:
    """Something dries or is clamped: from block to end, and on to where it was waited for (`to`), 0 for nowhere."""

    key: str
    x: float
    end: float
    y: float
    from_y: float
    chain: bool
    to: float
    to_y: float

    @property
    def line(self) -> str:
        """From the block down and along, with a tick at its end."""
        return f"M{self.x:.1f} {self.from_y:.1f}V{self.y:.1f}H{self.end:.1f}m0 -6v12"

    @property
    def dots(self) -> str:
        return f"M{self.end:.1f} {self.y:.1f}H{self.to:.1f}V{self.to_y:.1f}"

    @property
    def tip(self) -> str:
        return f"M{self.to:.1f} {self.to_y:.1f}l-4 8h8z"


@dataclass(frozen=True, slots=True)
class Evenings:
    wide: float
    tall: float
    leaves: tuple[Leaf, ...]
    lanes: tuple[tuple[str, float, float], ...]
    """Names, top and height."""
    there: tuple[tuple[float, float, float, float], ...]
    """Where somebody is in the shop: x, y, wide, tall."""
    lines_at: tuple[tuple[str, float], ...]
    blocks: tuple[Block, ...]
    lines: tuple[Line, ...]
    finish_x: float
    bound_x: float
    due_x: float | None
    now_x: float
    spans: tuple[tuple[float, float, str, int], ...]
    """Of hours: x from, x to, the moment at the first as the shop's clock says it, minutes; in two where the clock is
    changed within them."""
    more_days: int

    @property
    def bound_shows(self) -> bool:
        """The bound and the end are not one line."""
        return self.bound_x < self.finish_x - 3

    @property
    def foot_y(self) -> tuple[float, float, float]:
        """Where three lines of words stand at the foot."""
        return self.tall - 44, self.tall - 26, self.tall - 8


class _Axis:
    """Minutes to pixels: hours in proportion, nights and breaks as hinges."""

    def __init__(self, problem: Problem, last: int):
        self.clock = problem.clock
        spans = _union(problem.windows, last)
        by_day: dict[dt.date, list[tuple[int, int]]] = {}
        for begin, end in spans:
            by_day.setdefault(self.clock.moment(begin).date(), []).append((begin, end))
        first = self.clock.moment(0).date()
        days = (self.clock.moment(last).date() - first).days + 1
        self.more_days = max(0, days - MOST_DAYS)
        self.days = [first + dt.timedelta(days=n) for n in range(min(days, MOST_DAYS))]
        minutes = sum(b - a for day in self.days for a, b in by_day.get(day, ()))
        hinges = sum(NIGHT_PX + BREAK_PX * (len(by_day.get(d, ())) - 1) if d in by_day else OFF_PX for d in self.days)
        self.px = min(MOST_PX, max(LEAST_PX, (WIDE_PX - hinges) / max(minutes, 1)))
        self.points: list[tuple[int, float]] = [(0, LEFT_PX)]
        self.of_day: dict[dt.date, list[tuple[int, int, float, float]]] = {}
        x = LEFT_PX
        for day in self.days:
            rows = by_day.get(day, [])
            if not rows:
                x += OFF_PX
            for i, (begin, end) in enumerate(rows):
                x += BREAK_PX if i else NIGHT_PX
                right = x + (end - begin) * self.px
                self.of_day.setdefault(day, []).append((begin, end, x, right))
                self.points += [(begin, x), (end, right)]
                x = right
        self.end = x + NIGHT_PX
        self.points.append((max(last, self.points[-1][0]) + 1440, self.end))

    def x(self, minute: float) -> float:
        at = bisect_left(self.points, minute, key=lambda point: point[0])
        if at == len(self.points):
            return self.end
        (before, left), (after, right) = self.points[max(at - 1, 0)], self.points[at]
        return right if after == before else left + (minute - before) / (after - before) * (right - left)


def _union(all_windows: Sequence[Windows], last: int) -> list[tuple[int, int]]:
    """When anybody is there."""
    rows = []
    for windows in all_windows:
        windows.upto(last + 1)
        rows += [(a, b) for a, b in zip(windows.begins, windows.ends, strict=True) if a <= last]
    made: list[tuple[int, int]] = []
    for begin, end in sorted(rows):
        if made and begin <= made[-1][1]:
            made[-1] = (made[-1][0], max(end, made[-1][1]))
        else:
            made.append((begin, end))
    return made


def evenings(plan: Schedule, composition: Composition, names: Mapping[str, str] = {}) -> Evenings | None:
    """The drawing of a plan; None where there is none. `names` of other works by their key."""
    planned = plan.planned
    if planned is None or not plan.slots:
        return None
    problem = planned.problem
    due = plan.due
    due_minute = round(problem.clock.minute(due)) if due else None
    finish = plan.finish
    if finish is None:
        return None
    end = round(problem.clock.minute(finish))
    last = max(planned.end, due_minute or 0)
    axis = _Axis(problem, min(last, planned.end + 60 * 1440))
    lanes, y = [], TOP_PX
    count = len(problem.means.people)
    for i, person in enumerate(problem.means.people):
        tall = (
            ALL_LANES_PX if count == 1 else max(LEAST_LANE_PX, ALL_LANES_PX * (0.58 if i == 0 else 0.42 / (count - 1)))
        )
        lanes.append((person.name, _tenths(y), tall))
        y += tall + (2 * LINE_PX + 26 if i == 0 else 24)
    y += FOOT_PX
    held_y, dry_y = TOP_PX + lanes[0][2] + LINE_PX, TOP_PX + lanes[0][2] + 2 * LINE_PX
    blocks = _named([_block(plan, axis, slot, lanes, composition, names) for slot in plan.slots], lanes)
    lines = _lines(plan, axis, {b.slot.key: b for b in blocks}, held_y, dry_y)
    there = [
        (axis.x(a), lane[1], axis.x(b) - axis.x(a), lane[2])
        for windows, lane in zip(problem.windows, lanes, strict=True)
        for a, b in zip(windows.begins, windows.ends, strict=True)
        if a <= last
    ]
    spans = tuple(
        (axis.x(a), axis.x(b), problem.clock.moment(a).replace(tzinfo=None).isoformat(timespec="minutes"), b - a)
        for rows in axis.of_day.values()
        for begin, end, *_ in rows
        for a, b in _of_one_clock(problem.clock, begin, end)
    )
    return Evenings(
        max(axis.end + LEFT_PX, WIDE_PX),
        y,
        tuple(_leaves(plan, axis, composition)),
        tuple(lanes),
        tuple(there),
        (("clamps", held_y), ("drying", dry_y)),
        tuple(blocks),
        tuple(lines),
        axis.x(end),
        axis.x(planned.bound) if not plan.own else axis.x(end),
        axis.x(due_minute) if due_minute is not None else None,
        axis.x(0),
        spans,
        axis.more_days,
    )


def _of_one_clock(clock: Clock, begin: int, end: int) -> list[tuple[int, int]]:
    """Minutes in parts within which the clock is not changed."""

    def offset(minute: int) -> dt.timedelta | None:
        return clock.moment(minute).utcoffset()

    if end - begin < 2 or offset(begin) == offset(end - 1):
        return [(begin, end)]
    change = bisect_left(range(begin, end), True, key=lambda minute: offset(minute) != offset(begin)) + begin
    return [(begin, change), (change, end)]


def _block(
    plan: Schedule,
    axis: _Axis,
    slot: Slot,
    lanes: Sequence[tuple[str, float, float]],
    composition: Composition,
    names: Mapping[str, str],
) -> Block:
    clock = axis.clock
    x = axis.x(clock.minute(slot.begin))
    end = axis.x(clock.minute(slot.end))
    lane = next((lane for lane in lanes if lane[0] in slot.people), lanes[0])
    keys = pieces_of(slot)
    stand = plan.stands.get(slot.key)
    wide = max(end - x, 2.5)
    tall = lane[2] if slot.people else 10.0
    return Block(
        slot,
        _tenths(x),
        _tenths(lane[1] if slot.people else lane[1] + lane[2] - 10),
        _tenths(wide),
        _tenths(tall),
        _short(slot, tall) if slot.people else "",
        wood_colour(composition, composition.rack, keys),
        runs(key for key in dict.fromkeys(keys) if key in composition.by_key),
        bool(stand and stand.chain),
        bool(stand and stand.room < LITTLE_ROOM),
        names.get(slot.step.work, ""),
    )


def pieces_of(slot: Slot) -> list[int]:
    """Keys of the pieces that a sitting handles; none of another work's."""
    if slot.step.work:
        return []
    return [int(name) for part in slot.does or slot.step.parts if (name := any_copy(part)).isdecimal()]


def _tenths(px: float) -> float:
    return round(px, 1)


def _named(blocks: list[Block], lanes: Sequence[tuple[str, float, float]]) -> list[Block]:
    """Names on blocks that are wide enough, beside those with room there; others are told by the hand over them."""
    made: list[Block] = []
    for y in [lane[1] for lane in lanes]:
        own = sorted((b for b in blocks if b.y == y), key=lambda b: b.x)
        for i, block in enumerate(own):
            following = own[i + 1].x if i + 1 < len(own) else float("inf")
            room = following - block.x - block.wide
            if block.wide >= LABEL_PX:
                made.append(replace(block, label_x=block.middle))
            elif room >= LABEL_PX + 2:
                made.append(replace(block, label_x=_tenths(block.x + block.wide + BESIDE_PX)))
            else:
                made.append(replace(block, label=""))
    return [*made, *(b for b in blocks if all(b.y != lane[1] for lane in lanes))]


def _short(slot: Slot, tall: float) -> str:
    """Its name as far as a block so tall has room for it."""
    count = f" {slot.part}/{slot.parts}" if slot.parts > 1 else ""
    room = max(4, int((tall - 12) / LETTER_PX) - len(count))
    label = slot.step.label
    return (label if len(label) <= room else label[: room - 1].rstrip(" ,") + "…") + count


def wood_colour(composition: Composition, rack: Rack, keys: Iterable[int]) -> str:
    """The colour of the wood that most of these pieces are of; empty where they are of none."""
    count: dict[str, int] = {}
    for key in keys:
        piece = composition.by_key.get(key)
        code = composition.wood_of(piece) if piece is not None else ""
        if code in rack.shelf:
            count[code] = count.get(code, 0) + 1
    return rack.shelf[max(count, key=lambda code: count[code])].finished if count else ""


def _lines(plan: Schedule, axis: _Axis, blocks: Mapping[str, Block], held_y: float, dry_y: float) -> Iterable[Line]:
    behind: dict[str, list[str]] = {}
    for key, stand in plan.stands.items():
        if stand.behind:
            behind.setdefault(stand.behind, []).append(key)
    clock = axis.clock
    for slot in plan.slots:
        if slot.wait_minutes < 1:
            continue
        block = blocks[slot.key]
        after = [blocks[key] for key in behind.get(slot.key, ()) if plan.stands[key].chain and key in blocks]
        to = min(after, key=lambda b: b.x, default=None)
        chain = block.chain and to is not None
        yield Line(
            slot.key,
            block.x + block.wide,
            axis.x(clock.minute(slot.ready)),
            held_y if slot.step.held else dry_y,
            block.y + block.tall,
            chain,
            to.x if to is not None and chain else 0.0,
            to.y + to.tall if to is not None and chain else 0.0,
        )


def _leaves(plan: Schedule, axis: _Axis, composition: Composition) -> Iterable[Leaf]:
    closes = [axis.clock.moment(rows[-1][1]) for day in axis.days if (rows := axis.of_day.get(day))]
    sawn, made = (iter(_by_close(composition, table, closes)) for table in _seen_from(plan))
    hands: dict[dt.date, dict[str, float]] = {}
    for slot in plan.slots:
        for name in slot.people:
            own = hands.setdefault(slot.begin.date(), {})
            own[name] = own.get(name, 0.0) + slot.minutes
    say = axis.clock.moment
    for day in axis.days:
        rows = axis.of_day.get(day, [])
        if not rows:
            yield Leaf(0, 0, day, "", "", "", "", (), 0, True)
            continue
        yield Leaf(
            rows[0][2],
            rows[-1][3] - rows[0][2],
            day,
            " and ".join(f"{say(a):%H:%M} to {say(b):%H:%M}" for a, b, _, _ in rows[:2]),
            _ticks(rows, axis.px),
            runs(next(made)),
            runs(next(sawn)),
            tuple(hands.get(day, {}).items()),
            float(sum(b - a for a, b, _, _ in rows)),
            False,
        )


def _by_close(
    composition: Composition, at: Mapping[int, dt.datetime], closes: Sequence[dt.datetime]
) -> list[list[int]]:
    """Pieces by the evening at whose close they are so first; those that no sitting makes so are from the first one."""
    found: list[list[int]] = [[] for _ in closes]
    for piece in composition.made:
        evening = bisect_left(closes, at[piece.key]) if piece.key in at else 0
        if evening < len(closes):
            found[evening].append(piece.key)
    return found


def _seen_from(plan: Schedule) -> tuple[dict[int, dt.datetime], dict[int, dt.datetime]]:
    """By piece when all of it is sawn, and when it is glued down, or what comes last is done."""
    sawn: dict[int, dt.datetime] = {}
    last: dict[int, dt.datetime] = {}
    glued: dict[int, dt.datetime] = {}
    for slot in plan.slots:
        if slot.step.work:
            continue
        table = {"saw": sawn, "glue": glued, "put on": glued}.get(slot.step.verb)
        for name in map(any_copy, slot.does):
            if name.isdecimal():
                last[int(name)] = slot.end
                if table is not None:
                    table[int(name)] = slot.end
    return sawn, last | glued


def _ticks(rows: Sequence[tuple[int, int, float, float]], px: float) -> str:
    """A tick each quarter of an hour, longer at the half and the full one, as one path from the leaf's left end."""
    x0 = rows[0][2]
    path = []
    for begin, end, x, _ in rows:
        for n in range(0, end - begin + 1, 15):
            long = 13 if n % 60 == 0 else 9 if n % 30 == 0 else 6
            path.append(f"M{x - x0 + n * px:.1f} 0V{long}")
    return "".join(path)
