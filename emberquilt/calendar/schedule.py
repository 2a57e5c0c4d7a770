"""Steps placed into working hours: waits run on through the night and beside other work; hands are shared."""

import datetime as dt
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from ..errors import BadChoice
from ..lazy import lazy
from ..work.steps import Step
from .dispatch import Due, dispatch, one_after_another
from .means import MINUTE, Means
from .passes import Passes
from .reasons import Stand, stands_of
from .task import Problem, Sitting, Sittings


@dataclass(frozen=True, slots=True)
class Slot:
    """A step at its time, or one sitting of it: `part` of `parts`, with its share of the step's parts (`does`). `ready`
    is when its wait is over; only the last sitting has one. `people` by name; `setup_minutes` of it set up."""

    step: Step
    begin: dt.datetime
    end: dt.datetime
    ready: dt.datetime
    part: int = 1
    parts: int = 1
    does: tuple[str, ...] = ()
    people: tuple[str, ...] = ()
    setup_minutes: int = 0
    pinned: bool = False

    @property
    def minutes(self) -> float:
        """That pass from its begin to its end."""
        return apart(self.begin, self.end)

    @property
    def wait_minutes(self) -> float:
        return apart(self.end, self.ready)

    @property
    def label(self) -> str:
        return self.step.label if self.parts == 1 else f"{self.step.label}, {self.part} of {self.parts}"

    @property
    def key(self) -> str:
        return self.step.key if self.parts == 1 else f"{self.step.key}-{self.part}"

    @property
    def lane(self) -> str:
        return " and ".join(self.people)


def apart(begin: dt.datetime, end: dt.datetime) -> float:
    """Minutes that pass between two moments, through changes of the clock too."""
    if begin.tzinfo is not None:
        begin, end = begin.astimezone(dt.UTC), end.astimezone(dt.UTC)
    return (end - begin) / MINUTE


@dataclass(frozen=True)
class Wishes:
    """What was decided about dates: by step the day or moment it is pinned to; by work the moment it must be ready; and
    where steps stood in the plan that people go by (`kept`)."""

    pins: Mapping[str, str] = field(default_factory=dict)
    ready_by: Mapping[str, dt.datetime] = field(default_factory=dict)
    kept: "Kept | None" = None


@dataclass(frozen=True)
class Kept:
    """A plan as it was agreed: by step its sittings as begin, end, names and set-up minutes."""

    sittings: Mapping[str, tuple[tuple[dt.datetime, dt.datetime, tuple[str, ...], int], ...]]


@dataclass(frozen=True)
class Schedule:
    slots: tuple[Slot, ...]
    rule: str
    moved: tuple[str, ...] = ()
    """Keys of steps that stand elsewhere than in the plan that was kept."""
    planned: "Planned | None" = field(default=None, repr=False, compare=False)
    own: str = ""
    """Where several works are planned at once, what this one's keys begin with among them."""

    @property
    def finish(self) -> dt.datetime | None:
        """Of the work itself, where others are planned beside it."""
        return max((slot.ready for slot in self.slots if not self.own or not slot.step.work), default=None)

    @property
    def own_slots(self) -> tuple[Slot, ...]:
        """Without those of other works."""
        return tuple(slot for slot in self.slots if not slot.step.work) if self.own else self.slots

    @property
    def others(self) -> dict[str, str]:
        """Other works in the plan, by key what their steps are called after."""
        if not self.own:
            return {}
        return {slot.step.work: slot.step.label.partition(":")[0] for slot in self.slots if slot.step.work}

    @property
    def due(self) -> dt.datetime | None:
        """When the work is to be ready."""
        return self.planned.wishes.ready_by.get(self.own.removesuffix(":")) if self.planned else None

    @lazy
    def one_after_another(self) -> dt.datetime | None:
        """When all would be done if nothing were done during waits; None where pins do not let it be so."""
        if not self.planned or not self.slots:
            return None
        problem = self.planned.problem
        try:
            return problem.clock.moment(max(one_after_another(problem), self.planned.end))
        except BadChoice:
            return None

    @property
    def sooner_days(self) -> int:
        """By how many days a work by itself ends sooner than one thing after another."""
        serial = None if self.own else self.one_after_another
        return int(apart(self.finish, serial) // 1440) if serial is not None and self.finish is not None else 0

    @lazy
    def finishes(self) -> dict[str, dt.datetime]:
        """By work when it is done and dry."""
        found: dict[str, dt.datetime] = {}
        for slot in self.slots:
            found[slot.step.work] = max(found.get(slot.step.work, slot.ready), slot.ready)
        return found

    @lazy
    def _bound(self) -> int:
        return self.planned.bound if self.planned else 0

    @property
    def bound(self) -> dt.datetime | None:
        """No plan of these steps can end before this; None where there are none."""
        return self.planned.problem.clock.moment(self._bound) if self.planned and self.slots else None

    @property
    def gap(self) -> float | None:
        """By what share of the bound, from the first moment of work, this plan ends later; 0 is proof that none is
        better."""
        if not self.planned or not self.slots:
            return None
        end = max(
            sittings[-1].end + self.planned.problem.by_key[key].wait for key, sittings in self.planned.made.items()
        )
        return round(max(0, end - self._bound) / max(self._bound, 1), 6)

    @lazy
    def stands(self) -> dict[str, Stand]:
        """By slot why it stands where it stands, and what room it has."""
        if not self.planned:
            return {}
        found = stands_of(self.planned.problem, self.planned.made)
        if not self.own:
            return found
        return {
            key.removeprefix(self.own): replace(stand, behind=stand.behind.removeprefix(self.own))
            for key, stand in found.items()
        }


class Planned:
    """The plan in minutes, and what was worked out on the way."""

    def __init__(self, problem: Problem, passes: Passes, made: Sittings, wishes: Wishes, known_bound: int = 0):
        self.problem, self.passes, self.made, self.known_bound = problem, passes, made, known_bound
        self.wishes = wishes

    @lazy
    def end(self) -> int:
        return max((s[-1].end + self.problem.by_key[key].wait for key, s in self.made.items()), default=0)

    @lazy
    def bound(self) -> int:
        return min(max(self.passes.bound(self.end), self.known_bound), self.end) if self.made else 0


def schedule(steps: Sequence[Step], means: Means, start: dt.datetime, wishes: Wishes = Wishes()) -> Schedule:
    """A good plan at once: what was kept with as few moves as can be, or the best that several dispatching rules find.
    Raises `BadChoice` when a step fits no window, or a pin leaves it no room."""
    if not steps:
        return Schedule((), "")
    problem = Problem(steps, means, start, wishes.pins)
    passes = Passes(problem)
    if wishes.kept is not None:
        from .slips import replanned

        made, moved = replanned(problem, kept_in(problem, wishes.kept))
        return schedule_of(problem, passes, made, "kept", wishes, moved)
    made, rule = dispatch(problem, passes, due_in(problem, wishes.ready_by))
    return schedule_of(problem, passes, made, rule, wishes)


def schedule_of(
    problem: Problem,
    passes: Passes,
    made: Sittings,
    rule: str,
    wishes: Wishes = Wishes(),
    moved: Iterable[str] = (),
    bound: int = 0,
) -> Schedule:
    """A plan in minutes as one by the shop's clock."""
    planned = Planned(problem, passes, made, wishes, bound)
    return Schedule(tuple(_slots(problem, made)), rule, tuple(moved), planned)


def due_in(problem: Problem, ready_by: Mapping[str, dt.datetime]) -> Due:
    return Due({work: int(problem.clock.minute(problem.clock.on(moment))) for work, moment in ready_by.items()})


def kept_in(problem: Problem, kept: Kept) -> Sittings:
    """A kept plan in the minutes of this problem, as far as it speaks of its steps and people."""
    clock, names = problem.clock, problem.means.names
    found: Sittings = {}
    for key, rows in kept.sittings.items():
        task = problem.by_key.get(key)
        if task is None or any(name not in names for _, _, people, _ in rows for name in people):
            continue
        found[key] = tuple(
            Sitting(
                round(clock.minute(clock.on(begin))),
                round(clock.minute(clock.on(end))),
                tuple(names[name] for name in people),
                setup,
            )
            for begin, end, people, setup in rows
        )
    return found


def kept_of(plan: Schedule) -> Kept:
    """What is kept of a plan, of all works where several are planned at once."""
    rows: dict[str, list] = {}
    for slot in plan.slots:
        key = slot.step.key if slot.step.work else plan.own + slot.step.key
        rows.setdefault(key, []).append((slot.begin, slot.end, slot.people, slot.setup_minutes))
    return Kept({key: tuple(own) for key, own in rows.items()})


def check_hours(steps: Sequence[Step], means: Means, start: dt.datetime, pins: Mapping[str, str] = {}) -> None:
    """Raises `BadChoice` where no plan can hold these steps."""
    Problem(steps, means, start, pins)


def _slots(problem: Problem, made: Sittings) -> list[Slot]:
    """By the clock, in order; each sitting with its share of the parts."""
    people = problem.means.people
    rows: list[tuple[int, int, Slot]] = []
    for place, (key, sittings) in enumerate(made.items()):
        step, task = problem.steps[key], problem.by_key[key]
        done = 0
        for n, sitting in enumerate(sittings, 1):
            first, last = done, n == len(sittings)
            done += sitting.end - sitting.begin - sitting.setup
            share = [round(len(step.parts) * m / task.minutes) if task.minutes else 0 for m in (first, done)]
            slot = Slot(
                step,
                problem.clock.moment(sitting.begin),
                problem.clock.moment(sitting.end),
                problem.clock.moment(sitting.end + (task.wait if last else 0)),
                n,
                len(sittings),
                step.parts[share[0] :] if last else step.parts[share[0] : share[1]],
                tuple(people[i].name for i in sitting.people),
                sitting.setup,
                task.pinned,
            )
            rows.append((sitting.begin, place, slot))
    return [slot for _, _, slot in sorted(rows, key=lambda row: row[:2])]
