"""Tasks placed into working hours: one pair of hands, waits run on through the night and beside other work."""

import datetime as dt
from collections import Counter, defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import islice

from ..errors import BadChoice
from ..hours import parse_week, windows
from .tasks import Task

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
    """A task at its time, or one sitting of it: `part` of `parts`, with its share of the pieces. `ready` is when its
    wait is over; only the last sitting has one."""

    task: Task
    begin: dt.datetime
    end: dt.datetime
    ready: dt.datetime
    part: int = 1
    parts: int = 1
    pieces: tuple[int, ...] = ()

    @property
    def minutes(self) -> float:
        return (self.end - self.begin) / MINUTE

    @property
    def label(self) -> str:
        return self.task.label if self.parts == 1 else f"{self.task.label}, {self.part} of {self.parts}"

    @property
    def key(self) -> str:
        return self.task.key if self.parts == 1 else f"{self.task.key}-{self.part}"


@dataclass(frozen=True)
class Schedule:
    slots: tuple[Slot, ...]
    rule: str
    one_after_another: dt.datetime | None
    """When the job would be done if nothing were done during waits."""

    @property
    def finish(self) -> dt.datetime | None:
        return max((slot.ready for slot in self.slots), default=None)


def schedule(tasks: Sequence[Task], week: dict[str, str], start: dt.datetime) -> Schedule:
    """The earliest plan that several dispatching rules find. Raises `BadChoice` when a task fits no window."""
    if not tasks:
        return Schedule((), "", None)
    check_hours(tasks, week, start)
    tails = _tails(tasks)
    rules: dict[str, Callable[[Task], tuple]] = {
        "longest tail first": lambda t: (-tails[t.key],),
        "longest wait first": lambda t: (-t.wait_minutes, -tails[t.key]),
        "first come": lambda t: (0,),
    }
    days = _Windows(week, start)
    plans = {name: _dispatch(tasks, days, rule) for name, rule in rules.items()}
    best = min(plans, key=lambda name: max(s.ready for s in plans[name]))
    serial = _dispatch(tasks, days, lambda t: (0,), overlap=False)
    return Schedule(tuple(plans[best]), best, max(s.ready for s in serial))


def check_hours(tasks: Sequence[Task], week: dict[str, str], start: dt.datetime) -> float:
    """The longest window in minutes, when it holds the longest task that cannot be put down; otherwise `BadChoice`."""
    fortnight = windows(week, start + dt.timedelta(days=1), 14)
    longest = max((closes - opens) / MINUTE for opens, closes in fortnight)
    task = max(tasks, key=_in_one_go, default=None)
    if task is not None and _in_one_go(task) > longest:
        raise BadChoice(
            f"“{task.label}” takes {_in_one_go(task):.0f} min in one go; your longest window has {longest:.0f} min."
        )
    a_week = sum(end - begin for spans in parse_week(week).values() for begin, end in spans)
    if sum(t.minutes for t in tasks) > a_week * MOST_YEARS * 52:
        raise BadChoice(TOO_LONG)
    return longest


def _in_one_go(task: Task, minutes: float | None = None) -> float:
    """The shortest time that is of use to a task of which so many minutes are left."""
    left = task.minutes if minutes is None else minutes
    return min(left, LEAST_SITTING) if task.divisible else left


def _tails(tasks: Sequence[Task]) -> dict[str, float]:
    """Minutes from a task's begin to the end of the job along the longest chain."""
    tail: dict[str, float] = {}
    followers = _followers(tasks)
    for task in reversed(tasks):
        after = max((tail[k] for k in followers[task.key]), default=0.0)
        tail[task.key] = task.minutes + task.wait_minutes + after
    return tail


def _followers(tasks: Sequence[Task]) -> dict[str, list[str]]:
    """For each task those that wait for it."""
    followers: dict[str, list[str]] = {t.key: [] for t in tasks}
    for task in tasks:
        for before in task.after:
            followers[before].append(task.key)
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


def _dispatch(tasks: Sequence[Task], days: _Windows, rule: Callable[[Task], tuple], overlap: bool = True) -> list[Slot]:
    """At each free moment take, among tasks that may begin earliest, the one the rule prefers and that fits. What can
    be put down is put down at the end of a window, and at each sitting's end for what is more urgent."""
    sittings: list[tuple[Task, dt.datetime, dt.datetime]] = []
    ready: dict[str, dt.datetime] = {}
    place = {task.key: i for i, task in enumerate(tasks)}
    missing = {task.key: set(task.after) for task in tasks}
    followers = _followers(tasks)
    open_tasks = {task.key: task for task in tasks if not task.after}
    left = {task.key: task.minutes for task in tasks}
    now, at = days[0][0], 0
    while open_tasks:
        options = []
        for key, task in open_tasks.items():
            i = place[key]
            free = max([now, *(ready[k] for k in task.after)])
            begin, window = _fit(days, at, free, _in_one_go(task, left[task.key]))
            options.append((begin, rule(task), i, task, window))
        begin, _, _, task, at = min(options, key=lambda o: o[:3])
        minutes = left[task.key]
        if task.divisible:
            minutes = _sitting(minutes, (days[at][1] - begin) / MINUTE)
        now = begin + minutes * MINUTE
        sittings.append((task, begin, now))
        left[task.key] -= minutes
        if left[task.key] <= 1e-6:
            ready[task.key] = now + task.wait_minutes * MINUTE
            now = now if overlap else ready[task.key]
            del open_tasks[task.key]
            for key in followers[task.key]:
                missing[key].discard(task.key)
                if not missing[key]:
                    open_tasks[key] = tasks[place[key]]
    return _slots(sittings)


def _sitting(left: float, room: float) -> float:
    """Minutes of the next sitting. Nothing shorter than the least sitting is left over for another one."""
    minutes = min(left, LONGEST_SITTING, room)
    rest = left - minutes
    if 0 < rest < LEAST_SITTING:
        return left if left <= room else max(LEAST_SITTING, left - LEAST_SITTING)
    return minutes


def _slots(sittings: list[tuple[Task, dt.datetime, dt.datetime]]) -> list[Slot]:
    """Sittings that follow on each other become one; each gets its number and its share of the pieces."""
    joined: list[tuple[Task, dt.datetime, dt.datetime]] = []
    for task, begin, end in sittings:
        if joined and joined[-1][0] is task and joined[-1][2] == begin:
            begin = joined.pop()[1]
        joined.append((task, begin, end))
    parts = Counter(task.key for task, _, _ in joined)
    part: Counter[str] = Counter()
    done: dict[str, float] = defaultdict(float)
    slots = []
    for task, begin, end in joined:
        part[task.key] += 1
        first = done[task.key]
        done[task.key] += (end - begin) / MINUTE
        last = part[task.key] == parts[task.key]
        share = [
            round(len(task.pieces) * minutes / task.minutes) if task.minutes else 0
            for minutes in (first, done[task.key])
        ]
        pieces = task.pieces[share[0] :] if last else task.pieces[share[0] : share[1]]
        wait = task.wait_minutes * MINUTE if last else dt.timedelta()
        slots.append(Slot(task, begin, end, end + wait, part[task.key], parts[task.key], pieces))
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
