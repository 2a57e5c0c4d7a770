"""Everything that is worked out for a composition, in one place: a pure function of it, the rack and the day."""

import datetime as dt
from collections.abc import Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from threading import RLock
from typing import Any, TypeVar

from . import rooms  # noqa: F401  opens every room, so that all are entered in the register
from .assembly.glueup import GluePlan, glue_plan
from .bench.cards import Card, cards
from .bench.pocket import pocket_of
from .calendar.means import Means
from .calendar.placing import Impossible
from .calendar.schedule import Kept, Schedule, Wishes, schedule
from .calendar.shop import means_of
from .calendar.task import moment_on
from .calendar.together import WorkDates, named, seen_by, together
from .errors import BadChoice
from .findings import STATIONS, Finding
from .lazy import lazy
from .outline.coverage import Coverage
from .relief.heights import Relief
from .saw.copies import cutting_copies
from .saw.cuts import SawPlan
from .saw.planning import saw_plan
from .saw.steps import SAW_VERBS
from .stock.buying import Buying, buying_of
from .stock.milling import Milling, milling_of
from .stock.need import Need, needs_of
from .work.composition import Composition
from .work.parts import Job, job_of
from .work.register import JUDGEMENTS, STEPS
from .work.steps import Done, Gathered, Step, left_of, paced

T = TypeVar("T")


@dataclass(frozen=True)
class Beside:
    """Works that are planned at once from `start` on, this one (`own`) among them, with the means that they share."""

    own: str
    works: tuple[WorkDates, ...]
    means: Means
    start: dt.datetime


AT_A_MOMENT = ("left", "todo", "schedule", "_dated", "wished_dates")
"""What a plan works out of what is done, and from when on."""


class in_turn(lazy[T]):  # noqa: N801  used as a property is
    """Worked out by one of the threads that ask a plan for something; the others wait for it. Those that ask other
    plans do not."""

    def _of(self, instance: "Plan") -> T:
        with instance._turn:
            return instance.__dict__[self.name] if self.name in instance.__dict__ else super()._of(instance)


class of_work(in_turn[T]):  # noqa: N801  used as a property is
    """What hangs on the work alone: plans of one work at other moments share it."""

    def _of(self, instance: "Plan") -> T:
        return super()._of(instance if instance.base is None else instance.base)


@dataclass(frozen=True)
class Plan:
    """What each room works out is worked out when first asked for, for the whole work. `start` is the first moment of
    work, `done` what the bench has ticked off, `kept` the dates that people go by, `beside` the works that
    are planned with it, `base` a plan of the same work at another moment."""

    composition: Composition
    start: dt.datetime = dt.datetime(2026, 1, 5)
    done: Done = frozenset()
    kept: Kept | None = None
    beside: "Beside | None" = field(default=None, repr=False, compare=False)
    base: "Plan | None" = field(default=None, repr=False, compare=False)
    _turn: Any = field(default_factory=RLock, init=False, repr=False, compare=False)

    def __getstate__(self) -> dict[str, Any]:
        return {name: kept for name, kept in self.__dict__.items() if name != "_turn"}

    def __setstate__(self, kept: dict[str, Any]) -> None:
        self.__dict__.update(kept, _turn=RLock())

    def at(self, start: dt.datetime, done: Done, kept: Kept | None = None, beside: "Beside | None" = None) -> "Plan":
        """The same work at another moment: only what hangs on that is worked out again."""
        return Plan(self.composition, start, done, kept, beside, self.base or self)

    @of_work
    def job(self) -> Job:
        return job_of(self.composition)

    @of_work
    def relief(self) -> Relief:
        return Relief(self.job)

    @of_work
    def needs(self) -> tuple[Need, ...]:
        return needs_of(self.job)

    @of_work
    def milling(self) -> Milling:
        return milling_of(self.job)

    @of_work
    def buying(self) -> Buying:
        return buying_of(self.job)

    @of_work
    def saw(self) -> SawPlan:
        return saw_plan(self.job)

    @of_work
    def paper(self) -> dict[int, int]:
        """The paper copy that each piece is cut from, 1 to at most 4, layer by layer."""
        table: dict[int, int] = {}
        for layer in self.composition.layers:
            table |= _paper(layer.without_openings.coverage)
        return table

    @of_work
    def glue(self) -> GluePlan:
        return glue_plan(self.job)

    @of_work
    def steps(self) -> tuple[Step, ...]:
        """All steps of all copies, in an order in which they could be done one after another."""
        gathered = Gathered()
        for _, tell in sorted(STEPS, key=lambda entry: entry[0]):
            tell(self.job, self, gathered)
        pace = self.composition.pace
        # a cut has the shop's own pace in its minutes already
        return tuple(step if step.verb in SAW_VERBS else paced(step, pace) for step in gathered.steps)

    @of_work
    def cards(self) -> tuple[Card, ...]:
        """What is done at the bench, one after another."""
        return cards(self.job, self.steps, self.saw, self.glue)

    @of_work
    def pocket(self) -> dict[str, Any]:
        """The cards as a phone carries them."""
        return pocket_of(self.job, self.steps, self.cards, self.saw)

    @in_turn
    def left(self) -> tuple[Step, ...]:
        """The steps that are not done."""
        return left_of(self.steps, self.done)

    @in_turn
    def marks_left(self) -> frozenset[tuple[str, str]]:
        """What is still to be ticked."""
        return frozenset(
            mark for step in self.left for mark in (map(step.mark, step.parts) if step.each else [step.mark()])
        )

    @property
    def todo(self) -> tuple[Sequence[Step], dt.datetime, Wishes]:
        """The steps that are left, the first moment of work, and what is wished."""
        return self.left, self.start, self.wishes

    @in_turn
    def schedule(self) -> Schedule:
        """Raises `BadChoice` when the hours cannot hold the job. Pins that cannot be kept are left out of it."""
        return self._dated[0]

    @property
    def dated(self) -> bool:
        """Whether its dates are worked out already, and there are any."""
        return "_dated" in self.__dict__

    @in_turn
    def _dated(self) -> tuple[Schedule, tuple[Impossible, ...]]:
        refused: dict[str, Impossible] = {}
        while True:
            try:
                made = self._scheduled(refused)
            except Impossible as problem:
                if problem.task in refused:
                    raise
                refused[problem.task] = problem
                continue
            own = f"{self.beside.own}:" if self.beside else ""
            mine = (Impossible(str(one), key.removeprefix(own)) for key, one in refused.items() if key.startswith(own))
            return made, tuple(mine)

    def with_pin(self, step: str, at: str) -> Schedule:
        """The schedule if a step were pinned there. Raises `BadChoice` where that cannot be kept."""
        return self._scheduled((), {step: at})

    def _scheduled(self, but: Collection[str], more: Mapping[str, str] = {}) -> Schedule:
        """Alone, or with the works beside it, in the shop's order of them; `but` for these pins, and with `more`."""
        if self.beside is None:
            wishes = self.wishes
            pins = {key: pin for key, pin in wishes.pins.items() if key not in but}
            return schedule(self.left, self.means, self.start, replace(wishes, pins={**pins, **more}))
        own = self.work_dates(self.beside.own, self.beside.start)
        own = replace(own, pins={**own.pins, **more})
        works = [
            replace(one, pins={key: pin for key, pin in one.pins.items() if named(one.work, key) not in but})
            for one in (own if other.work == own.work else other for other in self.beside.works)
        ]
        return seen_by(together(works, self.beside.means, self.beside.start), own)

    def work_dates(self, work: str, start: dt.datetime) -> WorkDates:
        """What it brings to a plan of several that begins at `start`."""
        wishes = self.wishes
        late = self.start.isoformat(timespec="minutes") if self.start > start else ""
        steps = tuple(replace(step, earliest=late) for step in self.left) if late else self.left
        return WorkDates(work, self.composition.name, steps, wishes.pins, wishes.ready_by.get(""), self.kept)

    @property
    def wished_dates(self) -> tuple[Schedule, tuple[Impossible, ...]] | None:
        """The schedule and the pins that it cannot keep, where anything is wished of it and dates can be given."""
        if not self.wishes.pins and not self.wishes.ready_by:
            return None
        with suppress(BadChoice):
            return self._dated
        return None

    @of_work
    def means(self) -> Means:
        """People, clamps and places. Raises `BadChoice`."""
        return means_of(self.composition.practice)

    @property
    def wishes(self) -> Wishes:
        """What was decided about dates."""
        decided = self.composition.decisions.calendar
        left = {step.key for step in self.left}
        pins = {key: pin for key, pin in decided.pins.items() if key in left}
        ready_by = {"": moment_on(decided.ready_by, self.start)} if decided.ready_by else {}
        return Wishes(pins, ready_by, self.kept)

    def of(self, room: str) -> Any:
        """What a room has worked out, as its readings and judgements ask for it; nothing where none is named."""
        return getattr(self, room) if room else None

    @in_turn
    def _of_station(self) -> dict[str, list[Finding]]:
        """Findings by station, as far as they were asked for. It does not hold the plan: what is held in a circle stays
        in memory until all of it is looked through."""
        return {}

    def _found_at(self, station: str) -> list[Finding]:
        if (known := self._of_station.get(station)) is not None:
            return known
        judges = JUDGEMENTS.get(station, ())
        if self.base is not None and not any(entry.plan in AT_A_MOMENT for entry in judges):
            found = self.base._found_at(station)
        else:
            found = [one for entry in judges for one in entry.judge(self.job, self.of(entry.plan))]
        return self._of_station.setdefault(station, found)

    @property
    def amount(self) -> int:
        """How much of it is worked out: it grows when a station, or something of another kind, is asked for."""
        kinds = {name[0] if isinstance(name, tuple) else name for name in self.job.worked_out}
        # asking for the findings begins a table of them, which counts as well
        stations = len(self._of_station)
        return len(self.__dict__) + stations + len(kinds)

    @in_turn
    def every_finding(self) -> tuple[Finding, ...]:
        return tuple(finding for station in STATIONS for finding in self._found_at(station))

    def findings(self, station: str) -> list[Finding]:
        """Findings of a station that are not accepted."""
        return [f for f in self._found_at(station) if f.id not in self.composition.accepted]

    def accepted(self, station: str) -> list[Finding]:
        return [f for f in self._found_at(station) if f.id in self.composition.accepted]

    @in_turn
    def counts(self) -> dict[str, int]:
        """Findings left at each station."""
        return {station: len(self.findings(station)) for station in STATIONS}


def _paper(coverage: Coverage) -> dict[int, int]:
    return coverage.once("copies", lambda: cutting_copies(coverage))
