"""Whether what is held while glue sets could suffice for a plan to end by then.

What a sum of minutes does not know: three of eight clamps left over are of no use to a joint that needs four, so
amounts are also weighed by dual feasible functions (common in packing; from memory). Glue is only put on while somebody
is there, so a night takes up clamps no longer than the longest of the glues sets. And of joints of an hour three fit an
evening and never three and a half: those that take turns are a queue, one behind the other.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from ..lazy import lazy
from .task import Problem, Task

FINEST = 4
"""Amounts are rounded to this many parts of what there is, and to fewer."""
MOST_BEGINS = 2400
"""So many begins of a queue are worked out, from the more moments the shorter it is."""
LONGEST = (0.0, 0.34, 0.67)
"""Queues are of all that take turns, and of those of them that hold the longest."""
Row = tuple[int, int, int]
Span = tuple[int, int, int]


@dataclass(frozen=True)
class Measure:
    """A way to weigh amounts so that what fits at once weighs no more than `full`."""

    weights: Mapping[int, int]
    full: int


def measures(amounts: Sequence[int], there: int) -> list[Measure]:
    """The amounts themselves, and what rounds them up where that is allowed; no two alike."""
    distinct = sorted(set(amounts))
    found = [Measure({a: a for a in distinct}, there)]
    for least in sorted({a for a in distinct} | {there - a + 1 for a in distinct}):
        if 1 <= least <= there // 2:
            found.append(Measure({a: _all_or_nothing(a, there, least) for a in distinct}, there))
    for parts in range(1, FINEST + 1):
        weighed = {a: a * parts if (parts + 1) * a % there == 0 else (parts + 1) * a // there * there for a in distinct}
        found.append(Measure(weighed, there * parts))
    kept: dict[tuple[float, ...], Measure] = {}
    for measure in found:
        kept.setdefault(tuple(measure.weights[a] / measure.full for a in distinct), measure)
    return list(kept.values())


def _all_or_nothing(amount: int, there: int, least: int) -> int:
    """What leaves less than `least` takes everything, and what is less than that nothing."""
    if amount > there - least:
        return there
    return amount if amount >= least else 0


@dataclass(frozen=True)
class Weighed:
    """Tasks that hold a thing, under one measure, with their weights."""

    tasks: tuple[tuple[Task, int], ...]
    full: int

    @lazy
    def longest_wait(self) -> int:
        return max(task.wait for task, _ in self.tasks)

    @lazy
    def by_hand(self) -> bool:
        """Every one of them begins with somebody there."""
        return all(task.hands for task, _ in self.tasks)

    def asked(self, heads: Mapping[str, int], dues: Mapping[str, int]) -> Iterator[Row]:
        """When it can be held at the earliest and latest, and for how much weight and time."""
        for task, weight in self.tasks:
            yield heads[task.key], dues[task.key] + task.wait, (task.minutes + task.wait) * weight

    def asked_of_hands(self, heads: Mapping[str, int], dues: Mapping[str, int]) -> Iterator[Row]:
        """The same of the minutes in which somebody is at it."""
        for task, weight in self.tasks:
            if task.minutes:
                yield heads[task.key], dues[task.key], task.minutes * weight

    def spans(self, hours: Sequence[Span], end: int) -> list[Span]:
        """When it can be held at all: while somebody is there, and as long after that as the longest of them sets."""
        if not self.by_hand:
            return [(0, end, self.full)]
        made: list[Span] = []
        for begin, close, _ in hours:
            until = min(close + self.longest_wait, end)
            if made and begin <= made[-1][1]:
                made[-1] = (made[-1][0], max(until, made[-1][1]), self.full)
            else:
                made.append((begin, until, self.full))
        return made


def weighed_in(problem: Problem) -> list[Weighed]:
    """Of every thing that is held, every measure of it."""
    found = []
    for thing, there in problem.means.held.items():
        holding = [(task, amount) for task in problem.tasks for name, amount in task.held if name == thing and amount]
        for measure in measures([amount for _, amount in holding], there) if holding else ():
            rows = tuple((task, measure.weights[amount]) for task, amount in holding if measure.weights[amount])
            if rows:
                found.append(Weighed(rows, measure.full))
    return found


@dataclass(frozen=True)
class Queue:
    """Tasks of which `at_once` can hold a thing at a time, as if all were the shortest of them: `hands` minutes for
    somebody to put it on, `turn` minutes until the thing is free again. `begins`: from some moments on, the earliest
    at which the first, the second and so on can begin."""

    tasks: tuple[Task, ...]
    hands: int
    begins: Mapping[int, Sequence[int]]

    def in_time(self, heads: Mapping[str, int], dues: Mapping[str, int]) -> bool:
        """Whether, of those that cannot begin before one of the moments, as many can begin as are due."""
        for moment, begins in self.begins.items():
            due = sorted(dues[task.key] for task in self.tasks if heads[task.key] >= moment)
            if any(begin + self.hands > by for begin, by in zip(begins, due, strict=False)):
                return False
        return True


def queues_in(problem: Problem, heads: Mapping[str, int], begin_in: Callable[[int, int], int]) -> list[Queue]:
    """Queues for all that is held. `begin_in(minutes, moment)`: when somebody is there for so long, from then on."""
    alone = len(problem.means.people) == 1
    found: dict[tuple[Task, ...], int] = {}
    for thing, there in problem.means.held.items():
        holding = [
            (amount, task) for task in problem.tasks for name, amount in task.held if name == thing and task.hands
        ]
        for least in sorted({amount for amount, _ in holding if amount}):
            taking = sorted((t for a, t in holding if a >= least), key=lambda t: t.minutes + t.wait)
            for share in LONGEST:
                tasks = tuple(taking[int(share * len(taking)) :])
                if len(tasks) > there // least:
                    # what the same tasks hold besides may be scarcer
                    found[tasks] = min(found.get(tasks, there), there // least)
    return [_queue(tasks, at_once, heads, begin_in, alone) for tasks, at_once in found.items()]


def _queue(
    tasks: tuple[Task, ...], at_once: int, heads: Mapping[str, int], begin_in: Callable[[int, int], int], alone: bool
) -> Queue:
    hands, turn = min(t.in_one_go for t in tasks), min(t.minutes + t.wait for t in tasks)
    moments = sorted({heads[t.key] for t in tasks})
    step = max(1, -(-len(moments) * len(tasks) // MOST_BEGINS))
    begins: dict[int, list[int]] = {}
    for moment in moments[::step]:
        row: list[int] = []
        for k in range(sum(heads[t.key] >= moment for t in tasks)):
            free = max(moment, row[k - at_once] + turn if k >= at_once else 0, row[-1] + hands if alone and row else 0)
            row.append(begin_in(hands, free))
        begins[moment] = row
    return Queue(tasks, hands, begins)
