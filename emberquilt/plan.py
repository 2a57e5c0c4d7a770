"""Everything that is worked out for a composition, in one place: a pure function of it, the rack and the day."""

import datetime as dt
from dataclasses import dataclass
from functools import cached_property

from .assembly.glueup import GluePlan, glue_findings, glue_plan
from .calendar.schedule import Schedule, check_hours, schedule
from .calendar.tasks import Done, Task, tasks_of
from .errors import BadChoice
from .findings import STATIONS, Finding
from .layers.judgement import pattern_findings
from .relief.heights import Relief, relief_findings, relief_of
from .saw.copies import cutting_copies
from .saw.cuts import SawPlan, saw_plan
from .saw.judgement import saw_findings
from .stock.need import Need, needs_of, stock_findings
from .wood.judgement import wood_findings
from .work.composition import Composition


@dataclass(frozen=True)
class Plan:
    """Parts are worked out when first asked for. `start` is the first moment of work, `done` what the bench has ticked off."""

    composition: Composition
    start: dt.datetime = dt.datetime(2026, 1, 5)
    done: Done = frozenset()

    @cached_property
    def relief(self) -> Relief:
        return relief_of(self.composition.in_hand, self.composition.practice, self.composition.rack.shelf)

    @cached_property
    def needs(self) -> tuple[Need, ...]:
        return needs_of(self.composition.in_hand, self.composition.practice, self.composition.rack.boards)

    @cached_property
    def saw(self) -> SawPlan:
        return saw_plan(self.composition)

    @cached_property
    def copies(self) -> dict[int, int]:
        coverage = self.composition.in_hand.coverage
        return coverage.once("copies", lambda: cutting_copies(coverage))

    @cached_property
    def glue(self) -> GluePlan:
        return glue_plan(self.composition)

    @cached_property
    def tasks(self) -> tuple[Task, ...]:
        return tasks_of(self.composition, self.saw, self.glue, self.done)

    @cached_property
    def schedule(self) -> Schedule:
        """Raises `BadChoice` when the hours cannot hold the job."""
        return schedule(self.tasks, self.composition.practice.hours, self.start)

    @cached_property
    def every_finding(self) -> tuple[Finding, ...]:
        return tuple(finding for station in STATIONS for finding in self._of_station[station])

    @cached_property
    def _of_station(self) -> "_Findings":
        return _Findings(self)

    def _calendar_findings(self) -> list[Finding]:
        try:
            check_hours(self.tasks, self.composition.practice.hours, self.start)
        except BadChoice as problem:
            return [Finding("no-dates", "calendar", str(problem), "Every task needs a window that holds it.")]
        return []

    def findings(self, station: str) -> list[Finding]:
        """Findings of a station that are not accepted."""
        return [f for f in self._of_station[station] if f.id not in self.composition.accepted]

    def accepted(self, station: str) -> list[Finding]:
        return [f for f in self._of_station[station] if f.id in self.composition.accepted]

    @cached_property
    def left(self) -> dict[str, int]:
        """Findings left at each station."""
        table = dict.fromkeys(STATIONS, 0)
        for finding in self.every_finding:
            if finding.id not in self.composition.accepted:
                table[finding.station] += 1
        return table


class _Findings(dict):
    """Findings by station, each station's worked out when it is first asked for."""

    def __init__(self, plan: Plan):
        super().__init__()
        self.plan = plan

    def __missing__(self, station: str) -> list[Finding]:
        plan, composition = self.plan, self.plan.composition
        layer, practice = composition.in_hand, composition.practice
        number = {p.key: p.number for p in layer.pieces}
        make = {
            "pattern": lambda: [*composition.intake_findings, *pattern_findings(composition)],
            "wood": lambda: wood_findings(composition),
            "relief": lambda: relief_findings(layer, practice),
            "stock": lambda: stock_findings(plan.needs, practice, composition.rack.shelf, number),
            "saw": lambda: saw_findings(composition, plan.saw),
            "assembly": lambda: glue_findings(composition, plan.glue),
            "calendar": plan._calendar_findings,
        }.get(station)
        self[station] = list(make()) if make else []
        return self[station]
