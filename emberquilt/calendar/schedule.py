"""Tasks placed into working hours: one pair of hands, waits run on through the night and beside other work."""

import datetime as dt
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import islice

from ..errors import BadChoice
from ..hours import windows
from .tasks import Task

MINUTE = dt.timedelta(minutes=1)
MOST_WINDOWS = 4_000


@dataclass(frozen=True, slots=True)
class Slot:
    """A task at its time; `ready` is when its wait is over."""

    task: Task
    begin: dt.datetime
    end: dt.datetime
    ready: dt.datetime


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
    plans = {name: _dispatch(tasks, week, start, rule) for name, rule in rules.items()}
    best = min(plans, key=lambda name: max(s.ready for s in plans[name]))
    serial = _dispatch(tasks, week, start, lambda t: (0,), overlap=False)
    return Schedule(tuple(plans[best]), best, max(s.ready for s in serial))


def check_hours(tasks: Sequence[Task], week: dict[str, str], start: dt.datetime) -> float:
    """The longest window in minutes, when it holds the longest task; otherwise `BadChoice`."""
    fortnight = windows(week, start + dt.timedelta(days=1), 14)
    longest = max((closes - opens) / MINUTE for opens, closes in fortnight)
    task = max(tasks, key=lambda t: t.minutes, default=None)
    if task is not None and task.minutes > longest:
        raise BadChoice(
            f"“{task.label}” takes {task.minutes:.0f} min in one go; your longest window has {longest:.0f} min."
        )
    return longest


def _tails(tasks: Sequence[Task]) -> dict[str, float]:
    """Minutes from a task's begin to the end of the job along the longest chain."""
    tail: dict[str, float] = {}
    followers: dict[str, list[str]] = {t.key: [] for t in tasks}
    for task in tasks:
        for before in task.after:
            followers[before].append(task.key)
    for task in reversed(tasks):
        after = max((tail[k] for k in followers[task.key]), default=0.0)
        tail[task.key] = task.minutes + task.wait_minutes + after
    return tail


def _dispatch(tasks, week, start, rule, overlap: bool = True) -> list[Slot]:
    """At each free moment take, among tasks that may begin earliest, the one the rule prefers and that fits."""
    day = list(islice(windows(week, start), MOST_WINDOWS))
    slots: list[Slot] = []
    ready: dict[str, dt.datetime] = {}
    waiting = {task.key: (i, task) for i, task in enumerate(tasks)}
    now, at = day[0][0], 0
    while waiting:
        open_tasks = [(i, t) for i, t in waiting.values() if all(k in ready for k in t.after)]
        options = []
        for i, task in open_tasks:
            free = max([now, *(ready[k] for k in task.after)])
            begin, window = _fit(day, at, free, task.minutes)
            options.append((begin, rule(task), i, task, window))
        begin, _, _, task, at = min(options, key=lambda o: o[:3])
        end = begin + task.minutes * MINUTE
        slot = Slot(task, begin, end, end + task.wait_minutes * MINUTE)
        slots.append(slot)
        ready[task.key] = slot.ready
        now = end if overlap else slot.ready
        del waiting[task.key]
    return slots


def _fit(day, at: int, free: dt.datetime, minutes: float) -> tuple[dt.datetime, int]:
    need = minutes * MINUTE
    for i in range(at, len(day)):
        opens, closes = day[i]
        begin = max(opens, free)
        if begin + need <= closes:
            return begin, i
    raise BadChoice("The job does not end within ten years of these hours. Type more of them.")
