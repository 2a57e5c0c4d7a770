"""A valid plan at once: the best of several orders in which tasks are given their time."""

from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from dataclasses import replace
from functools import partial
from heapq import heapify, heappop, heappush

import numpy as np

from ..errors import BadChoice
from .passes import Passes
from .placing import Impossible, Placing, late_words
from .task import Problem, Sittings, Task

SAMPLES = 24
"""Orders drawn beside the rules, for up to `MANY` tasks; fewer for more."""
MANY = 150
Worth = tuple[int, int, int]


class Due:
    """By work the minute by which it must be ready."""

    def __init__(self, due: Mapping[str, int] | None = None):
        self.due = dict(due or {})

    def worth(self, problem: Problem, made: Sittings) -> Worth:
        """What a plan is judged by, less is better: minutes too late, the end, and the ends of all works and steps
        together."""
        ends: dict[str, int] = {}
        soon = 0
        for task in problem.tasks:
            ready = made[task.key][-1].end + task.wait
            ends[task.work] = max(ends.get(task.work, 0), ready)
            soon += ready
        late = sum(max(0, end - self.due[work]) for work, end in ends.items() if work in self.due)
        return late, max(ends.values(), default=0), sum(ends.values()) * len(problem.tasks) + soon


def dispatch(problem: Problem, passes: Passes, due: Due) -> tuple[Sittings, str]:
    """The best plan that rules and samples find, and by which rule. Raises `BadChoice`."""
    if not problem.tasks:
        return {}, ""
    rules = rules_of(problem, passes)
    best: tuple[Worth, str, Sittings] | None = None
    refused: Impossible | None = None
    for name, rank in rules:
        try:
            made = placed(problem, in_order(problem, rank))
        except Impossible as problem_found:
            refused = problem_found
            continue
        worth = due.worth(problem, made)
        if best is None or worth < best[0]:
            best = (worth, name, made)
    if best is None:
        assert refused is not None
        # what it could begin at with nothing else in the way says more than where one rule left it
        task = problem.by_key[refused.task]
        head = passes.heads[task.key]
        raise Impossible(late_words(problem, task, head), task.key) if head > (task.latest or 0) else refused
    return _settled(problem, due, best)


def _settled(problem: Problem, due: Due, best: tuple[Worth, str, Sittings]) -> tuple[Sittings, str]:
    """Once more as they lie: what was squeezed in between may share a set-up now."""
    worth, name, made = best
    with suppress(BadChoice):
        again = placed(problem, in_order(problem, lambda t: made[t.key][0].begin))
        if due.worth(problem, again) < worth:
            made = again
    return made, name


def rules_of(problem: Problem, passes: Passes) -> Iterable[tuple[str, Callable[[Task], float]]]:
    """Rules with what they rank tasks by: lower goes first."""
    place = {task.key: i for i, task in enumerate(problem.tasks)}
    tails = tails_of(problem)
    serial = sum(t.minutes for t in problem.tasks)
    horizon = max((passes.heads[t.key] for t in problem.tasks), default=0) + 14 * 1440 + 8 * serial
    dues = passes.dues(horizon) or {key: -tail for key, tail in tails.items()}
    yield "least time to spare first", lambda t: dues[t.key]
    yield "longest tail first", lambda t: -tails[t.key]
    yield "as told", lambda t: place[t.key]
    yield "longest wait first", lambda t: -t.wait * 1000 - tails[t.key] / 1000
    yield "earliest first", lambda t: passes.heads[t.key]
    spread = max(tails.values(), default=1) or 1
    count = SAMPLES if len(problem.tasks) <= MANY else SAMPLES * MANY // (len(problem.tasks) * 8)
    for seed in range(count):
        much = (0.05, 0.15, 0.4)[seed % 3] * spread
        off = np.random.default_rng(seed).uniform(-much, much, len(problem.tasks))
        table = {t.key: float(o) - tails[t.key] for t, o in zip(problem.tasks, off, strict=True)}
        yield "drawn", partial(_from, table)


def _from(table: Mapping[str, float], task: Task) -> float:
    return table[task.key]


def placed(problem: Problem, order: Iterable[str]) -> Sittings:
    """Tasks in this order; what is pinned to a minute has that before all others. Raises `Impossible`."""
    placing = Placing(problem)
    pinned = [t for t in problem.tasks if t.latest is not None and t.latest_end is None]
    for task in pinned:
        placing.place(task)
    placing.all(order)
    for task in pinned:
        late = max((placing.ready[key] for key in task.after), default=0)
        if late > placing.made[task.key][0].begin:
            raise Impossible(late_words(problem, task, late), task.key)
    return placing.made


def in_order(problem: Problem, rank: Callable[[Task], float]) -> list[str]:
    """Keys by rank, each after what it waits for; what is pinned, and what leads to it, before the rest."""
    urgent = _leading_to_pins(problem)
    missing = {t.key: len(t.after) for t in problem.tasks}
    place = {t.key: i for i, t in enumerate(problem.tasks)}

    def entry(task: Task):
        return (task.key not in urgent, rank(task), place[task.key], task.key)

    ready = [entry(t) for t in problem.tasks if not t.after]
    heapify(ready)
    made = []
    while ready:
        key = heappop(ready)[3]
        made.append(key)
        for after in problem.followers[key]:
            missing[after] -= 1
            if not missing[after]:
                heappush(ready, entry(problem.by_key[after]))
    return made


def _leading_to_pins(problem: Problem) -> set[str]:
    urgent: set[str] = set()
    for task in reversed(problem.tasks):
        if task.pinned or any(key in urgent for key in problem.followers[task.key]):
            urgent.add(task.key)
    return urgent


def tails_of(problem: Problem) -> dict[str, int]:
    """Minutes from a task's begin to the end of everything that follows on it, with nothing between."""
    tail: dict[str, int] = {}
    for task in reversed(problem.tasks):
        after = max((tail[key] for key in problem.followers[task.key]), default=0)
        tail[task.key] = task.minutes + task.wait + after
    return tail


def one_after_another(problem: Problem) -> int:
    """When all would be done and dry if nothing were done during waits."""
    placing = Placing(problem)
    at = 0
    for task in problem.tasks:
        placing.place(task if task.earliest >= at or task.pinned else _released(task, at))
        at = max(at, placing.ready[task.key])
    return at


def _released(task: Task, at: int) -> Task:
    return replace(task, earliest=at)
