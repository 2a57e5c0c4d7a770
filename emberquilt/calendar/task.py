"""The problem that a calendar solves: tasks in whole minutes, who can do them, and what they hold."""

import datetime as dt
import math
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..errors import BadChoice
from ..lazy import lazy
from ..work.steps import Step
from .means import MOST_YEARS, TOO_LONG, Clock, Means, Windows

LEAST_SITTING = 10
"""Work that can be put down is not taken up for fewer minutes than this, unless that is all that is left of it."""
A_YEAR = 366 * 24 * 60
"""Minutes in which every day of the week, and every day off, has been."""
ANY_TIME = "an hour of the day or night"


@dataclass(frozen=True, slots=True)
class Sitting:
    """A stretch of hands on a task, in minutes from the plan's start; `setup` of them go to setting up. `people` by
    their place in the means; none where it needs no hands."""

    begin: int
    end: int
    people: tuple[int, ...] = ()
    setup: int = 0


Sittings = dict[str, tuple[Sitting, ...]]
"""By the key of its task, in order."""


@dataclass(frozen=True, slots=True)
class Task:
    """A step for the calendar. `minutes` of hands (or of its own, where it needs none), then `wait`; `earliest` and
    `latest` bound its begin, `latest_end` the end of its hands; `by` who may do it."""

    key: str
    label: str
    minutes: int
    wait: int
    after: tuple[str, ...]
    divisible: bool
    hands: int
    by: tuple[int, ...]
    held: tuple[tuple[str, int], ...]
    place: str
    setup: str
    setup_minutes: int
    within: tuple[tuple[str, int], ...]
    earliest: int
    latest: int | None
    latest_end: int | None
    work: str

    @property
    def in_one_go(self) -> int:
        """The shortest time that is of use to it, without setting up."""
        return min(self.minutes, LEAST_SITTING) if self.divisible else self.minutes

    @property
    def pinned(self) -> bool:
        return self.latest is not None


@dataclass(frozen=True)
class Pin:
    """A step begins then, or on that day."""

    moment: dt.datetime
    whole_day: bool


def read_pin(text: str) -> Pin:
    """``2026-12-03`` or ``2026-12-03T19:00``. Raises `BadChoice`."""
    try:
        moment = dt.datetime.fromisoformat(text)
    except (ValueError, TypeError):
        raise BadChoice(f"“{str(text)[:30]}” is no day and time. Type for example 2026-12-03T19:00.") from None
    if not 1990 <= moment.year <= 2200:
        raise BadChoice(f"Nothing can be pinned to the year {moment.year}.")
    return Pin(moment.replace(second=0, microsecond=0), len(text) == 10)


def moment_on(text: str, start: dt.datetime) -> dt.datetime:
    """A day, or a day and time, on the clock that `start` is on. Raises `BadChoice`."""
    return Clock(start).on(read_pin(text).moment)


class Problem:
    """Tasks in an order in which they could be done, and what there is to do them with. Raises `BadChoice` for what no
    plan can hold."""

    def __init__(self, steps: Sequence[Step], means: Means, start: dt.datetime, pins: Mapping[str, str] = {}):
        self._kept: dict[Hashable, Any] = {}
        self.steps = {step.key: step for step in steps}
        self.means = means
        self.clock = Clock(start)
        self.windows = [Windows(person.windows(self.clock)) for person in means.people]
        self.places = {name: Windows(place.windows(self.clock)) for name, place in means.places.items()}
        made = {step.key: self._task(step, pins.get(step.key, "")) for step in steps}
        if len(made) < len(steps):
            twice = next(s.key for i, s in enumerate(steps) if s.key in {t.key for t in steps[:i]})
            raise BadChoice(f"Two steps are called “{twice}”.")
        self.tasks = _in_order(made)
        self.by_key = {task.key: task for task in self.tasks}
        self.followers = followers_of(self.tasks)
        self._check()

    def once(self, name: Hashable, make: Callable[[], Any]) -> Any:
        """What hangs on the problem alone is worked out once."""
        if name not in self._kept:
            self._kept[name] = make()
        return self._kept[name]

    def _task(self, step: Step, pin: str) -> Task:
        names = self.means.names
        if unknown := next((name for name in step.by if name not in names), None):
            raise BadChoice(f"“{step.label}” is for {unknown}, who is not among the people.")
        for thing, amount in step.held:
            if amount > self.means.held.get(thing, 0):
                raise BadChoice(
                    f"“{step.label}” holds {amount} {thing}, and there are {self.means.held.get(thing, 0)}."
                )
        hands = step.hands if step.minutes > 0 else 0
        by = tuple(names[name] for name in step.by) or tuple(range(len(self.means.people)))
        if hands > len(by):
            raise BadChoice(f"“{step.label}” takes {hands} people, and there are {len(by)} for it.")
        earliest, latest, latest_end = self._bounds(step, pin)
        return Task(
            step.key,
            step.label,
            math.ceil(step.minutes - 1e-6),
            math.ceil(step.wait_minutes - 1e-6),
            tuple(dict.fromkeys(step.after)),
            step.divisible and hands == 1,
            hands,
            by,
            tuple(step.held),
            step.place if step.place in self.places else "",
            step.setup,
            math.ceil(step.setup_minutes - 1e-6) if hands == 1 else 0,
            tuple((key, math.ceil(minutes)) for key, minutes in step.within),
            earliest,
            latest,
            latest_end,
            step.work,
        )

    def _bounds(self, step: Step, pin: str) -> tuple[int, int | None, int | None]:
        """The earliest and latest minute of its begin, and the latest of its end."""
        earliest = 0
        if step.earliest:
            earliest = max(0, math.ceil(self.clock.minute(self.clock.on(read_pin(step.earliest).moment))))
        if not pin:
            return earliest, None, None
        pinned = read_pin(pin)
        at = self.clock.on(pinned.moment)
        begin = math.ceil(self.clock.minute(at))
        if not pinned.whole_day:
            return (begin, begin, None) if begin >= 0 else (earliest, None, None)
        end = math.floor(self.clock.minute(at + dt.timedelta(days=1)))
        return (max(begin, 0), end, end) if end > 0 else (earliest, None, None)

    def _check(self) -> None:
        """Raises `BadChoice` where a step fits no window, or years would not do."""
        for windows, person in zip(self.windows, self.means.people, strict=True):
            if not windows.known(0):
                raise BadChoice(f"{person.name} has no hours in {MOST_YEARS} years: type some, or fewer days off.")
        for task in self.tasks:
            need = task.in_one_go + task.setup_minutes
            room = max((self.longest[i] for i in task.by), default=0)
            if task.hands and task.place and need <= room and not self.able(task, need):
                raise BadChoice(
                    f"“{task.label}” takes {need} min in one go {task.place}: there are no hours for that in daylight "
                    "and warm enough."
                )
            if task.hands and need > room:
                raise BadChoice(f"“{task.label}” takes {need} min in one go; your longest window has {room} min.")
        a_week = sum(self._weekly)
        if sum(t.minutes * t.hands for t in self.tasks) > a_week * MOST_YEARS * 52:
            raise BadChoice(TOO_LONG)

    @lazy
    def longest(self) -> list[int]:
        """By person the longest stretch of hours in a year, in minutes: days off may hide it for weeks."""
        for windows in self.windows:
            windows.upto(A_YEAR)
        return [max(b - a for a, b in zip(w.begins, w.ends, strict=True)) for w in self.windows]

    def able(self, task: Task, need: int) -> tuple[int, ...]:
        """Who of those that may do it is ever there for so many minutes at a time, at its place."""
        return self.once(("able", task.by, task.place, need), lambda: self._able(task, need))

    def _able(self, task: Task, need: int) -> tuple[int, ...]:
        return tuple(
            i
            for i in task.by
            if need <= self.longest[i] and (not task.place or need <= self._longest_at(task.place, i))
        )

    @lazy
    def _weekly(self) -> list[float]:
        """By person minutes in a usual week."""
        from ..hours import parse_week

        return [sum(b - a for spans in parse_week(dict(p.week)).values() for a, b in spans) for p in self.means.people]

    def _longest_at(self, place: str, person: int) -> int:
        """The longest stretch somebody has at a place within two years."""
        two_years = 2 * A_YEAR
        theirs, own = self.places[place], self.windows[person]
        theirs.upto(two_years)
        own.upto(two_years)
        return max((b - a for a, b in both(own, theirs, 0, two_years)), default=0)


def both(one: Windows, other: Windows, begin: int, end: int) -> list[tuple[int, int]]:
    """What lies in spans of both, between two minutes."""
    found, i, j = [], 0, 0
    while i < len(one.begins) and j < len(other.begins):
        a = max(one.begins[i], other.begins[j], begin)
        b = min(one.ends[i], other.ends[j], end)
        if b > a:
            found.append((a, b))
        if one.ends[i] <= other.ends[j]:
            i += 1
        else:
            j += 1
    return found


def followers_of(tasks: Iterable[Task]) -> dict[str, list[str]]:
    """For each task those that wait for it."""
    followers: dict[str, list[str]] = {task.key: [] for task in tasks}
    for task in tasks:
        for before in task.after:
            followers[before].append(task.key)
    return followers


def _in_order(tasks: Mapping[str, Task]) -> list[Task]:
    """So that each comes after what it waits for, otherwise as told. Raises `BadChoice` for a circle, or a step that is
    waited for and is none."""
    for task in tasks.values():
        for before in (*task.after, *(key for key, _ in task.within)):
            if before not in tasks:
                raise BadChoice(f"“{task.label}” waits for “{before}”, which is no step.")
        if stray := next((key for key, _ in task.within if key not in task.after), None):
            raise BadChoice(f"“{task.label}” is to begin soon after “{stray}”, but does not wait for it.")
    missing = {task.key: len(task.after) for task in tasks.values()}
    followers = followers_of(tasks.values())
    made: list[Task] = []
    place = {key: i for i, key in enumerate(tasks)}
    # the order told is kept where it can be: each is looked at again when its last reason to wait is gone
    from heapq import heappop, heappush

    ready = [(place[key], key) for key, count in missing.items() if not count]
    ready.sort()
    while ready:
        _, key = heappop(ready)
        made.append(tasks[key])
        for after in followers[key]:
            missing[after] -= 1
            if not missing[after]:
                heappush(ready, (place[after], after))
    if len(made) < len(tasks):
        raise BadChoice(f"These steps wait for each other in a circle: {_circle(tasks, missing)}.")
    return made


def _circle(tasks: Mapping[str, Task], missing: Mapping[str, int]) -> str:
    """One circle among those that never became ready, in words."""
    key = next(key for key, count in missing.items() if count)
    seen: list[str] = []
    while key not in seen:
        seen.append(key)
        key = next(before for before in tasks[key].after if missing[before])
    circle = [*seen[seen.index(key) :], key][::-1]
    return ", then ".join(f"“{tasks[one].label}”" for one in circle[:8])
