"""A plan made better by a solver, as long as it is let: it begins from one that is valid and stops at proof.

Work that can be put down is a row of sittings, each as long as is best; hours in which a person is away are sittings
nobody may overlap. What comes out is moved to the left by the same placing that makes every plan.
"""

import math
import time
from collections.abc import Callable
from dataclasses import dataclass

from ortools.sat.python import cp_model

from ..errors import BadChoice
from .dispatch import Due, Worth, in_order, placed
from .passes import Passes
from .placing import _within
from .task import LEAST_SITTING, Problem, Sitting, Sittings, Task

Told = Callable[[float, Sittings, int], None]
"""Told now and then: the share of the time that is over, the best plan so far, the bound in minutes."""
WORKERS = 2
MOST_TASKS = 600
"""Of more tasks the model alone takes longer than one waits."""


@dataclass(frozen=True)
class Polished:
    """`proven`: no plan is better."""

    made: Sittings
    bound: int
    proven: bool


def polished(problem: Problem, passes: Passes, made: Sittings, due: Due, seconds: float, tell: Told) -> Polished:
    """The best that is found within so many seconds, from a plan that is valid. `tell` may raise to end it."""
    best = _Best(problem, due, made)
    end = best.ends_at
    low = passes.bound(end)
    if end <= low and not best.worth[0]:
        return Polished(made, low, True)
    if len(problem.tasks) > MOST_TASKS or seconds <= 0:
        return Polished(made, low, False)
    model = _Model(problem, passes, made, due, end, low)
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = seconds
    solver.parameters.num_workers = WORKERS
    # where its bound is none it only looks for better plans
    solver.parameters.use_lns_only = not model.exact
    watch = _Watch(model, best, low, seconds, tell, solver.stop_search)
    solver.best_bound_callback = watch.on_bound
    status = solver.solve(model.model, watch)
    if watch.raised is not None:
        raise watch.raised
    bound = low
    # a model without some plans says nothing of what no plan can do
    if model.exact and status in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        bound = max(low, math.ceil(solver.best_objective_bound - 1e-6))
    end = best.ends_at
    in_time = end <= bound and not best.worth[0]
    return Polished(best.made, min(bound, end), in_time or (model.exact and status == cp_model.OPTIMAL))


class _Best:
    """The best plan so far."""

    def __init__(self, problem: Problem, due: Due, made: Sittings):
        self.problem, self.due = problem, due
        self.made, self.worth = made, due.worth(problem, made)

    @property
    def ends_at(self) -> int:
        return max(s[-1].end + self.problem.by_key[key].wait for key, s in self.made.items())

    def offer(self, made: Sittings) -> bool:
        worth: Worth = self.due.worth(self.problem, made)
        if worth < self.worth:
            self.made, self.worth = made, worth
            return True
        return False


class _Watch(cp_model.CpSolverSolutionCallback):
    """Keeps what the solver finds, and stops it when told to."""

    def __init__(self, model: "_Model", best: _Best, low: int, seconds: float, tell: Told, stop: Callable[[], None]):
        super().__init__()
        self.made_by, self.best, self.low, self.seconds, self.tell, self.stop = model, best, low, seconds, tell, stop
        self.raised: Exception | None = None
        self.began = time.monotonic()

    def on_solution_callback(self) -> None:
        made = self.made_by.read(self.value)
        self.best.offer(made)
        self.best.offer(left_shifted(self.best.problem, made) or made)
        self._say()
        if self.best.ends_at <= self.low and not self.best.worth[0]:
            self.stop()

    def on_bound(self, bound: float) -> None:
        if self.made_by.exact:
            self.low = max(self.low, math.ceil(bound - 1e-6))
        self._say()

    def _say(self) -> None:
        if self.raised is not None:
            return
        try:
            self.tell(min((time.monotonic() - self.began) / self.seconds, 1.0), self.best.made, self.low)
        except Exception as stop:
            # an exception cannot pass through the solver: it is kept, and raised when the solver has stopped
            self.raised = stop
            self.stop()


def left_shifted(problem: Problem, made: Sittings) -> Sittings | None:
    """The same order, each task as early as it can then be; None where pins forbid it."""
    try:
        return placed(problem, in_order(problem, lambda t: made[t.key][0].begin))
    except BadChoice:
        return None


@dataclass(frozen=True)
class _Part:
    """One sitting in the model; `there` is None where it always is."""

    begin: cp_model.IntVar
    size: cp_model.IntVar | int
    end: cp_model.LinearExprT
    there: cp_model.IntVar | None
    by: dict[int, cp_model.IntVar]


class _Model:
    """`exact`: every plan there is, is one of the model's, so that its bound is one. It is not where set-ups could be
    shared, nor where work could be put down more often than the model lets it, nor where a work that is in time could
    be worth a later end of all."""

    def __init__(self, problem: Problem, passes: Passes, made: Sittings, due: Due, end: int, low: int):
        self.problem, self.passes, self.made, self.end = problem, passes, made, end
        self.exact = not due.due and not any(t.setup_minutes for t in problem.tasks)
        self.model = cp_model.CpModel()
        dues = passes.dues(end) or {}
        self.dues = {key: min(dues.get(key, end), end) for key in problem.by_key}
        self.of_person: list[list[cp_model.IntervalVar]] = [[] for _ in problem.means.people]
        self.of_thing: dict[str, list[tuple[cp_model.IntervalVar, int]]] = {}
        self.ends: dict[str, cp_model.LinearExprT] = {}
        self.parts = {task.key: self._parts(task) for task in problem.tasks}
        self._away()
        self._waits()
        for person in self.of_person:
            self.model.add_no_overlap(person)
        for thing, rows in self.of_thing.items():
            self.model.add_cumulative([i for i, _ in rows], [n for _, n in rows], problem.means.held[thing])
        self._aim(due, low)

    def _parts(self, task: Task) -> list[_Part]:
        sittings = self.made[task.key]
        count = 1
        if task.divisible:
            windows = self.passes.windows(task)
            longest = max((self.problem.longest[i] for i in task.by), default=task.minutes)
            count = max(len(sittings) + 1, -(-task.minutes // max(longest, 1)) + 1) if windows else 1
            most = max(1, -(-task.minutes // LEAST_SITTING)) if windows else 1
            count = min(count, most)
            self.exact &= count == most
        begins = self._begins(task)
        parts = [self._part(task, n, count, begins, sittings) for n in range(count)]
        if count > 1:
            self.model.add(sum(part.size for part in parts) == task.minutes + self._setup_size(task, parts))
            for a, b in zip(parts, parts[1:], strict=False):
                assert b.there is not None
                # a sitting that there is not lies anywhere; of the last that there is, its minutes are what is left
                self.model.add(b.begin >= a.end).only_enforce_if(b.there)
                self.model.add(a.size >= LEAST_SITTING + task.setup_minutes).only_enforce_if(b.there)
                if a.there is not None:
                    self.model.add_implication(b.there, a.there)
        self.ends[task.key] = self._end(parts, sittings[-1].end)
        for thing, amount in task.held:
            until = self._int(sittings[-1].end + task.wait)
            self.model.add(until == self.ends[task.key] + task.wait)
            held = self._int(sittings[-1].end + task.wait - sittings[0].begin)
            self.of_thing.setdefault(thing, []).append(
                (self.model.new_interval_var(parts[0].begin, held, until, ""), amount)
            )
        return parts

    def _int(self, hint: int) -> cp_model.IntVar:
        """A minute. Every one is hinted: the solver takes the plan it is given for one only if it is whole."""
        made = self.model.new_int_var(0, self.end, "")
        self.model.add_hint(made, hint)
        return made

    def _end(self, parts: list[_Part], hint: int) -> cp_model.LinearExprT:
        """The end of its last sitting that there is."""
        if len(parts) == 1:
            return parts[0].end
        end = self._int(hint)
        for part, following in zip(parts, [*parts[1:], None], strict=True):
            here: list[cp_model.LiteralT] = [] if part.there is None else [part.there]
            if following is not None:
                assert following.there is not None
                here.append(~following.there)
            self.model.add(end == part.end).only_enforce_if(here)
        return end

    def _setup_size(self, task: Task, parts: list[_Part]) -> cp_model.LinearExprT:
        """Minutes to set up that its sittings hold: each its own."""
        if not task.setup_minutes:
            return 0
        return sum(task.setup_minutes * (1 if part.there is None else part.there) for part in parts)

    def _begins(self, task: Task) -> cp_model.Domain:
        """When a sitting of it may begin: what it needs is set up there first."""
        head, late = self.passes.heads[task.key], self.dues[task.key]
        windows = self.passes.windows(task)
        least = (task.in_one_go if task.hands else task.minutes) + task.setup_minutes
        if windows is None:
            return cp_model.Domain(head, max(late - least, head))
        windows.upto(late)
        spans = [
            (max(a, head), min(b, late) - (1 if task.divisible else least))
            for a, b in zip(windows.begins, windows.ends, strict=True)
            if a < late
        ]
        spans = [span for span in spans if span[1] >= span[0]]
        return cp_model.Domain.from_intervals(spans) if spans else cp_model.Domain(head, head)

    def _part(self, task: Task, n: int, count: int, begins: cp_model.Domain, sittings: tuple[Sitting, ...]) -> _Part:
        model = self.model
        begin = model.new_int_var_from_domain(begins, "")
        hint = sittings[n] if n < len(sittings) else Sitting(begins.min(), begins.min())
        there = None if n == 0 else model.new_bool_var("")
        size: cp_model.IntVar | int
        if count == 1:
            size = task.minutes + task.setup_minutes
        else:
            most = task.minutes + task.setup_minutes
            size = model.new_int_var_from_domain(
                cp_model.Domain.from_intervals([(0, 0), (1 + task.setup_minutes, most)]), ""
            )
            if there is None:
                model.add(size > 0)
            else:
                model.add(size > 0).only_enforce_if(there)
                model.add(size == 0).only_enforce_if(~there)
                model.add_hint(there, n < len(sittings))
            model.add_hint(size, hint.end - hint.begin)
        model.add_hint(begin, hint.begin)
        if isinstance(size, int):
            end: cp_model.LinearExprT = begin + size
        else:
            end = self._int(hint.end)
            model.add(end == begin + size)
        return _Part(begin, size, end, there, self._by(task, begin, size, end, there, hint))

    def _by(self, task: Task, begin, size, end, there, hint: Sitting) -> dict[int, cp_model.IntVar]:
        """Who does it."""
        model = self.model
        if not task.hands:
            return {}
        if len(task.by) == task.hands:
            for person in task.by:
                self.of_person[person].append(
                    model.new_interval_var(begin, size, end, "")
                    if there is None
                    else model.new_optional_interval_var(begin, size, end, there, "")
                )
            return {}
        by = {person: model.new_bool_var("") for person in task.by}
        model.add(sum(by.values()) == (task.hands if there is None else task.hands * there))
        for person, does in by.items():
            self.of_person[person].append(model.new_optional_interval_var(begin, size, end, does, ""))
            model.add_hint(does, person in hint.people)
        return by

    def _away(self) -> None:
        """Nobody works between two windows."""
        for person, windows in enumerate(self.problem.windows):
            windows.upto(self.end)
            at = 0
            for begin, close in zip(windows.begins, windows.ends, strict=True):
                if begin > at:
                    self.of_person[person].append(
                        self.model.new_fixed_size_interval_var(at, min(begin, self.end) - at, "")
                    )
                at = close
                if at >= self.end:
                    break
            if at < self.end:
                self.of_person[person].append(self.model.new_fixed_size_interval_var(at, self.end - at, ""))
        for task in self.problem.tasks:
            if task.place and task.divisible:
                self._at_place(task)

    def _at_place(self, task: Task) -> None:
        """Sittings outdoors lie within one span of daylight."""
        for n, part in enumerate(self.parts[task.key]):
            spans = _spans(self.problem, task.place, self.end)
            inside = [self.model.new_bool_var("") for _ in spans]
            self.model.add_exactly_one(inside if part.there is None else [*inside, ~part.there])
            sitting = self.made[task.key][n] if n < len(self.made[task.key]) else None
            for (begin, end), here in zip(spans, inside, strict=True):
                self.model.add_hint(here, sitting is not None and begin <= sitting.begin and sitting.end <= end)
                self.model.add(part.begin >= begin).only_enforce_if(here)
                self.model.add(part.end <= end).only_enforce_if(here)

    def _waits(self) -> None:
        for task in self.problem.tasks:
            first = self.parts[task.key][0]
            for key in task.after:
                before = self.problem.by_key[key]
                self.model.add(first.begin >= self.ends[key] + before.wait)
            for key, minutes in task.within:
                before = self.problem.by_key[key]
                self.model.add(first.begin <= self.ends[key] + before.wait + minutes)
            if task.latest is not None:
                self.model.add(first.begin <= task.latest)
            if task.latest_end is not None:
                self.model.add(self.ends[task.key] <= task.latest_end)

    def _aim(self, due: Due, low: int) -> None:
        model, tasks = self.model, self.problem.tasks
        end = model.new_int_var(low, self.end, "")
        model.add_hint(end, self.end)
        late = []
        for work, minute in due.due.items():
            own = [t for t in tasks if t.work == work]
            if own:
                by = model.new_int_var(0, max(self.end - minute, 0), "")
                model.add_hint(by, max(0, *(self.made[t.key][-1].end + t.wait - minute for t in own)))
                for task in own:
                    model.add(by >= self.ends[task.key] + task.wait - minute)
                late.append(by)
        for task in tasks:
            model.add(end >= self.ends[task.key] + task.wait)
        model.minimize(end + 10 * sum(late))

    def read(self, value: Callable[[cp_model.LinearExprT], int]) -> Sittings:
        """A solution as sittings; those that follow on each other become one."""
        made: Sittings = {}
        for task in self.problem.tasks:
            rows: list[Sitting] = []
            for part in self.parts[task.key]:
                begin, size = value(part.begin), value(part.size)
                if size == 0 and part.there is not None:
                    continue
                people = tuple(p for p, does in part.by.items() if value(does)) if part.by else task.by[: task.hands]
                row = Sitting(begin, begin + size, people if task.hands else (), task.setup_minutes)
                if rows and rows[-1].end == begin and rows[-1].people == row.people and not task.setup_minutes:
                    rows[-1] = Sitting(rows[-1].begin, row.end, row.people)
                else:
                    rows.append(row)
            made[task.key] = tuple(rows)
        return made


def _spans(problem: Problem, place: str, end: int) -> list[tuple[int, int]]:
    windows = problem.places[place]
    windows.upto(end)
    return _within(0, end, windows)
