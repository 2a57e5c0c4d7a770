"""Steps placed into working hours: one pair of hands, waits run on through the night and beside other work."""

import datetime as dt
from collections import Counter, defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import islice

from ..errors import BadChoice
from ..hours import parse_week, windows
from ..work.steps import Step

MINUTE = dt.timedelta(minutes=1)
MOST_WINDOWS = 4_000
MOST_YEARS = 10
TOO_LONG = f"The job does not end within {MOST_YEARS} years of these hours. Type more of them."
LEAST_SITTING = 10.0
"""Work that can be put down is not taken up for fewer minutes than this, unless that is all that is left of it."""
LONGEST_SITTING = 60.0
"""After so many minutes it is looked whether something more urgent has come: common practice, no source."""


@dataclass(frozen=True, slots=True)
class Slot:
    """A step at its time, or one sitting of it: `part` of `parts`, with its share of the step's parts (`does`). `ready`
    is when its wait is over; only the last sitting has one."""

    step: Step
    begin: dt.datetime
    end: dt.datetime
    ready: dt.datetime
    part: int = 1
    parts: int = 1
    does: tuple[str, ...] = ()

    @property
    def minutes(self) -> float:
        return (self.end - self.begin) / MINUTE

    @property
    def label(self) -> str:
        return self.step.label if self.parts == 1 else f"{self.step.label}, {self.part} of {self.parts}"

    @property
    def key(self) -> str:
        return self.step.key if self.parts == 1 else f"{self.step.key}-{self.part}"


@dataclass(frozen=True)
class Schedule:
    slots: tuple[Slot, ...]
    rule: str
    one_after_another: dt.datetime | None
    """When the job would be done if nothing were done during waits."""

    @property
    def finish(self) -> dt.datetime | None:
        return max((slot.ready for slot in self.slots), default=None)


def schedule(steps: Sequence[Step], week: dict[str, str], start: dt.datetime) -> Schedule:
    """The earliest plan that several dispatching rules find. Raises `BadChoice` when a step fits no window."""
    if not steps:
        return Schedule((), "", None)
    check_hours(steps, week, start)
    tails = _tails(steps)
    rules: dict[str, Callable[[Step], tuple]] = {
        "longest tail first": lambda t: (-tails[t.key],),
        "longest wait first": lambda t: (-t.wait_minutes, -tails[t.key]),
        "first come": lambda t: (0,),
    }
    days = _Windows(week, start)
    plans = {name: _dispatch(steps, days, rule) for name, rule in rules.items()}
    serial = _dispatch(steps, days, lambda t: (0,), overlap=False)
    # now and then doing one thing after the other is the best there is: a rule begins what a window then cuts short
    plans["one after another"] = serial
    best = min(plans, key=lambda name: max(s.ready for s in plans[name]))
    return Schedule(tuple(plans[best]), best, max(s.ready for s in serial))


def check_hours(steps: Sequence[Step], week: dict[str, str], start: dt.datetime) -> float:
    """The longest window in minutes, when it holds the longest step that cannot be put down; otherwise `BadChoice`."""
    fortnight = windows(week, start + dt.timedelta(days=1), 14)
    longest = max((closes - opens) / MINUTE for opens, closes in fortnight)
    step = max(steps, key=_in_one_go, default=None)
    if step is not None and _in_one_go(step) > longest:
        raise BadChoice(
            f"“{step.label}” takes {_in_one_go(step):.0f} min in one go; your longest window has {longest:.0f} min."
        )
    a_week = sum(end - begin for spans in parse_week(week).values() for begin, end in spans)
    if sum(t.minutes for t in steps) > a_week * MOST_YEARS * 52:
        raise BadChoice(TOO_LONG)
    return longest


def _in_one_go(step: Step, minutes: float | None = None) -> float:
    """The shortest time that is of use to a step of which so many minutes are left."""
    left = step.minutes if minutes is None else minutes
    return min(left, LEAST_SITTING) if step.divisible else left


def _tails(steps: Sequence[Step]) -> dict[str, float]:
    """Minutes from a step's begin to the end of the job along the longest chain."""
    tail: dict[str, float] = {}
    followers = _followers(steps)
    for step in reversed(steps):
        after = max((tail[k] for k in followers[step.key]), default=0.0)
        tail[step.key] = step.minutes + step.wait_minutes + after
    return tail


def _followers(steps: Sequence[Step]) -> dict[str, list[str]]:
    """For each step those that wait for it."""
    followers: dict[str, list[str]] = {t.key: [] for t in steps}
    for step in steps:
        for before in step.after:
            followers[before].append(step.key)
    return followers


class _Windows:
    """The working windows of one schedule, worked out as far as they are asked for."""

    def __init__(self, week: dict[str, str], start: dt.datetime):
        self._known: list[tuple[dt.datetime, dt.datetime]] = []
        self._more = islice(windows(week, start), MOST_WINDOWS)

    def __getitem__(self, i: int) -> tuple[dt.datetime, dt.datetime]:
        """Raises `BadChoice` beyond the last."""
        while i >= len(self._known):
            following = next(self._more, None)
            if following is None:
                raise BadChoice(TOO_LONG)
            self._known.append(following)
        return self._known[i]


def _dispatch(steps: Sequence[Step], days: _Windows, rule: Callable[[Step], tuple], overlap: bool = True) -> list[Slot]:
    """At each free moment take, among steps that may begin earliest, the one the rule prefers and that fits. What can
    be put down is put down at the end of a window, and at each sitting's end for what is more urgent."""
    sittings: list[tuple[Step, dt.datetime, dt.datetime]] = []
    ready: dict[str, dt.datetime] = {}
    place = {step.key: i for i, step in enumerate(steps)}
    missing = {step.key: set(step.after) for step in steps}
    followers = _followers(steps)
    open_steps = {step.key: step for step in steps if not step.after}
    left = {step.key: step.minutes for step in steps}
    now, at = days[0][0], 0
    while open_steps:
        options = []
        for key, step in open_steps.items():
            i = place[key]
            free = max([now, *(ready[k] for k in step.after)])
            begin, window = _fit(days, at, free, _in_one_go(step, left[step.key]))
            options.append((begin, rule(step), i, step, window))
        begin, _, _, step, at = min(options, key=lambda o: o[:3])
        minutes = left[step.key]
        if step.divisible:
            minutes = _sitting(minutes, (days[at][1] - begin) / MINUTE)
        now = begin + minutes * MINUTE
        sittings.append((step, begin, now))
        left[step.key] -= minutes
        if left[step.key] <= 1e-6:
            ready[step.key] = now + step.wait_minutes * MINUTE
            now = now if overlap else ready[step.key]
            del open_steps[step.key]
            for key in followers[step.key]:
                missing[key].discard(step.key)
                if not missing[key]:
                    open_steps[key] = steps[place[key]]
    return _slots(sittings)


def _sitting(left: float, room: float) -> float:
    """Minutes of the next sitting. Nothing shorter than the least sitting is left over for another one."""
    minutes = min(left, LONGEST_SITTING, room)
    rest = left - minutes
    if 0 < rest < LEAST_SITTING:
        return left if left <= room else max(LEAST_SITTING, left - LEAST_SITTING)
    return minutes


def _slots(sittings: list[tuple[Step, dt.datetime, dt.datetime]]) -> list[Slot]:
    """Sittings that follow on each other become one; each gets its number and its share of the pieces."""
    joined: list[tuple[Step, dt.datetime, dt.datetime]] = []
    for step, begin, end in sittings:
        if joined and joined[-1][0] is step and joined[-1][2] == begin:
            begin = joined.pop()[1]
        joined.append((step, begin, end))
    parts = Counter(step.key for step, _, _ in joined)
    part: Counter[str] = Counter()
    done: dict[str, float] = defaultdict(float)
    slots = []
    for step, begin, end in joined:
        part[step.key] += 1
        first = done[step.key]
        done[step.key] += (end - begin) / MINUTE
        last = part[step.key] == parts[step.key]
        share = [
            round(len(step.parts) * minutes / step.minutes) if step.minutes else 0
            for minutes in (first, done[step.key])
        ]
        does = step.parts[share[0] :] if last else step.parts[share[0] : share[1]]
        wait = step.wait_minutes * MINUTE if last else dt.timedelta()
        slots.append(Slot(step, begin, end, end + wait, part[step.key], parts[step.key], does))
    return slots


def _fit(days: _Windows, at: int, free: dt.datetime, minutes: float) -> tuple[dt.datetime, int]:
    """When work of so many minutes can begin, and in which window, from window `at` on."""
    need = minutes * MINUTE
    while True:
        opens, closes = days[at]
        begin = max(opens, free)
        if begin + need <= closes:
            return begin, at
        at += 1
