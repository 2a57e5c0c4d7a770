"""How early and how late each task can lie, and before when no plan can end.

The bound is a destructive one: an end is refused when, with every task between its earliest begin and its latest end,
more hands (or more of what is held) would be needed in some span than there is; what is left over of it is preemptive
and so easily tested, by who is due first. Of what is held `holding.py` says more.
"""

from bisect import bisect_right
from collections.abc import Iterator
from heapq import heappop, heappush

from ..lazy import lazy
from .holding import Queue, Weighed, queues_in, weighed_in
from .means import Windows
from .placing import _within
from .task import A_YEAR, Problem, Task

FAR = 10**9


class Passes:
    """Windows of each group of people at each place, and passes through them."""

    def __init__(self, problem: Problem):
        self.problem = problem
        self._open: dict[tuple[tuple[int, ...], str], Windows] = {}
        self.before = _ancestors(problem)
        self._set_ups = _SetUps(problem, self.before)
        self.heads = self._heads()

    @lazy
    def _held(self) -> list[Weighed]:
        return weighed_in(self.problem)

    @lazy
    def _queues(self) -> list[Queue]:
        return queues_in(self.problem, self.heads, self.begin_in_one_go)

    def windows(self, task: Task) -> Windows | None:
        """When somebody who may do it is there, at its place; None where it can be at any time."""
        if not task.hands:
            return self.problem.places[task.place] if task.place else None
        return self._open_to(task.by, task.place)

    def _open_to(self, by: tuple[int, ...], place: str) -> Windows:
        if (by, place) not in self._open:
            self._open[by, place] = Windows(self._somebody(by, self.problem.places.get(place)))
        return self._open[by, place]

    def begin_in_one_go(self, minutes: int, release: int) -> int:
        """When somebody, whoever it is, is there for so long."""
        everybody = self._open_to(tuple(range(len(self.problem.means.people))), "")
        return _in_one_go(everybody, minutes, release)[0]

    def _somebody(self, by: tuple[int, ...], place: Windows | None) -> Iterator[tuple[int, int]]:
        if len(by) == 1:
            own = self.problem.windows[by[0]]
            i = 0
            while own.known(i):
                yield from _within(own.begins[i], own.ends[i], place)
                i += 1
            return
        day, at = 24 * 60, 0
        while at < 10 * 366 * day:
            spans: list[tuple[int, int]] = []
            for person in by:
                own = self.problem.windows[person]
                own.upto(at + 7 * day)
                first = bisect_right(own.ends, at)
                for i in range(first, len(own.begins)):
                    if own.begins[i] >= at + 7 * day:
                        break
                    spans += _within(max(own.begins[i], at), min(own.ends[i], at + 7 * day), place)
            yield from _joined(spans)
            at += 7 * day

    def earliest_end(self, task: Task, release: int) -> tuple[int, int]:
        """Begin and end of its hands if it is released then and nothing else is there."""
        windows = self.windows(task)
        if windows is None:
            return release, release + task.minutes
        minutes = task.minutes + self._set_ups.at_first(task)
        if not (task.divisible and task.hands):
            return _in_one_go(windows, minutes, release)
        begin, end = _packed(windows, release, minutes)
        again = self._set_ups.again(task)
        if again and minutes > again:
            # every stretch gives what is left of it after setting up, and one of them, the first or not, all of it
            end = max(end, _packed(windows, release, minutes - again, again)[1])
        return begin, end

    def latest_begin(self, task: Task, due: int) -> int:
        """If its hands must end by then; below 0 where they cannot."""
        windows = self.windows(task)
        if windows is None:
            return due - task.minutes
        windows.upto(due)
        left, again = task.minutes, self._set_ups.again(task)
        for i in range(min(bisect_right(windows.begins, due), len(windows.begins)) - 1, -1, -1):
            end = min(windows.ends[i], due)
            room = end - windows.begins[i]
            if room >= left:
                return end - left
            if task.divisible and task.hands:
                left -= max(room - (again if i and windows.begins[i] > windows.ends[i - 1] else 0), 0)
        return -1

    def _heads(self) -> dict[str, int]:
        """The earliest begin of each: by what it waits for, and by all the work that must be done before it."""
        problem = self.problem
        heads: dict[str, int] = {}
        alone = len(problem.means.people) == 1
        everybody = problem.windows[0] if alone else None
        sums = _Packing(everybody, self._set_ups) if everybody is not None else None
        for task in problem.tasks:
            release = task.earliest
            waits = []
            for key in task.after:
                before = problem.by_key[key]
                release = max(release, self.earliest_end(before, heads[key])[1] + before.wait)
                waits.append(before.wait)
            if sums is not None and waits:
                own = [problem.tasks[i] for i in _bits(self.before[task.key]) if problem.tasks[i].hands]
                if own:
                    release = max(release, sums.done(own, heads) + min(waits))
            heads[task.key] = self.earliest_end(task, release)[0]
        return heads

    def dues(self, end: int) -> dict[str, int] | None:
        """The latest end of each task's hands for the whole to be done and dry by `end`; None where one has no room."""
        problem, dues = self.problem, {}
        latest: dict[str, int] = {}
        for task in reversed(problem.tasks):
            due = end - task.wait
            for key in problem.followers[task.key]:
                due = min(due, latest[key] - task.wait)
            if task.latest_end is not None:
                due = min(due, task.latest_end)
            if task.latest is not None and task.latest_end is None and not task.divisible:
                due = min(due, task.latest + task.minutes + task.setup_minutes)
            dues[task.key] = due
            latest[task.key] = self.latest_begin(task, due)
            if latest[task.key] < self.heads[task.key]:
                return None
        return dues

    def bound(self, end: int) -> int:
        """No plan can be done and dry before this; `end` is when one is."""
        low = max(self.earliest_end(t, self.heads[t.key])[1] + t.wait for t in self.problem.tasks)
        high = end
        while low < high:
            middle = (low + high) // 2
            if self._may_end(middle):
                high = middle
            else:
                low = middle + 1
        return low

    def _may_end(self, end: int) -> bool:
        dues = self.dues(end)
        if dues is None:
            return False
        tasks = [t for t in self.problem.tasks if t.hands]
        rows = [(self.heads[t.key], dues[t.key], t.minutes * t.hands) for t in tasks]
        hours = hands_in(self.problem, end)
        if not _in_time(rows, hours):
            return False
        if not all(queue.in_time(self.heads, dues) for queue in self._queues):
            return False
        for weighed in self._held:
            if not _in_time(list(weighed.asked(self.heads, dues)), weighed.spans(hours, end)):
                return False
            there = [(begin, close, weighed.full) for begin, close, _ in hours]
            if weighed.by_hand and not _in_time(list(weighed.asked_of_hands(self.heads, dues)), there):
                return False
        return True


class _SetUps:
    """Minutes that setting up is sure to take, whatever is done in what order."""

    def __init__(self, problem: Problem, before: dict[str, int]):
        self.alone = len(problem.means.people) == 1
        alike: dict[str, list[int]] = {}
        for i, task in enumerate(problem.tasks):
            alike.setdefault(task.setup, []).append(i)
        self.least = {setup: min(problem.tasks[i].setup_minutes for i in rows) for setup, rows in alike.items()}
        self.firsts = frozenset(
            problem.tasks[rows[0]].key
            for rows in alike.values()
            if all(before[problem.tasks[i].key] >> rows[0] & 1 for i in rows[1:])
        )

    def at_first(self, task: Task) -> int:
        """Minutes to set up for it that no other work can have paid: all that is alike comes after it."""
        return task.setup_minutes if not task.setup or task.key in self.firsts else 0

    def again(self, task: Task) -> int:
        """Minutes that every stretch of hours but its first loses to setting up for it again, or to other work that it
        was set up for: as many as whatever is alike takes at least. Of several people each is set up by himself, and
        where it is done at a place the other work may have been done elsewhere before: of these nothing is said."""
        if not self.alone or task.place:
            return 0
        return self.least[task.setup] if task.setup else task.setup_minutes


class _Packing:
    """How long one pair of hands is busy with tasks that cannot begin before their heads."""

    def __init__(self, windows: Windows, set_ups: "_SetUps"):
        self.windows, self.set_ups = windows, set_ups
        self._sums: list[int] = [0]

    def _upto(self, i: int) -> None:
        while len(self._sums) <= i and self.windows.known(len(self._sums) - 1):
            at = len(self._sums) - 1
            self._sums.append(self._sums[-1] + self.windows.ends[at] - self.windows.begins[at])

    def after(self, release: int, minutes: int) -> int:
        """The end of so many minutes from then on."""
        windows = self.windows
        windows.upto(release + 1)
        i = bisect_right(windows.ends, release)
        if not windows.known(i):
            return FAR
        self._upto(i + 1)
        lost = max(0, release - windows.begins[i])
        wanted = self._sums[i] + lost + minutes
        while self._sums[-1] < wanted:
            have = len(self._sums)
            self._upto(have + 8)
            if len(self._sums) == have:
                return FAR
        k = bisect_right(self._sums, wanted - 1) - 1
        return windows.begins[k] + wanted - self._sums[k]

    def done(self, tasks: list[Task], heads: dict[str, int]) -> int:
        """When all of them can be done at the earliest: the worst of their latest released."""
        rows = sorted(((heads[t.key], t) for t in tasks), key=lambda row: row[0], reverse=True)
        worst, work = 0, 0
        alike: dict[tuple[str, int], int] = {}
        for i, (head, task) in enumerate(rows):
            work += task.minutes + self.set_ups.at_first(task)
            if again := self.set_ups.again(task):
                kind = task.setup, again
                alike[kind] = alike.get(kind, 0) + task.minutes
            if i + 1 == len(rows) or rows[i + 1][0] < head:
                set_up = sum(self._set_up_again(minutes, again) for (_, again), minutes in alike.items())
                worst = max(worst, self.after(head, work + set_up))
        return worst

    @lazy
    def longest(self) -> int:
        """The longest stretch of hours in a year, also through midnight, where what is set up stays so."""
        self.windows.upto(A_YEAR)
        stretches = _joined(list(zip(self.windows.begins, self.windows.ends, strict=True)))
        return max(end - begin for begin, end in stretches)

    def _set_up_again(self, minutes: int, again: int) -> int:
        """What so many minutes of one set-up lose to it at least: once in every stretch of hours but their first."""
        if again >= self.longest:
            return 0
        return again * -(-max(0, minutes - self.longest) // (self.longest - again))


def _packed(windows: Windows, release: int, minutes: int, lost: int = 0) -> tuple[int, int]:
    """Begin and end of so many minutes, where every stretch of hours first loses some."""
    windows.upto(release + 1)
    i, left, first = bisect_right(windows.ends, release), minutes, -1
    while windows.known(i):
        begin = max(windows.begins[i], release)
        if first < 0 or begin > windows.ends[i - 1]:
            begin += lost
        if first < 0:
            first = begin
        if windows.ends[i] - begin >= left:
            return first, begin + left
        left -= max(windows.ends[i] - begin, 0)
        i += 1
    return FAR, FAR


def _in_one_go(windows: Windows, minutes: int, release: int) -> tuple[int, int]:
    windows.upto(release + 1)
    i = bisect_right(windows.ends, release)
    while windows.known(i):
        begin = max(windows.begins[i], release)
        # beside each other two people's hours may look like one window: still no task can begin earlier
        if windows.ends[i] - begin >= minutes:
            return begin, begin + minutes
        i += 1
    return FAR, FAR


def hands_in(problem: Problem, end: int) -> list[tuple[int, int, int]]:
    """Spans with how many people are there."""
    steps: list[tuple[int, int]] = []
    for windows in problem.windows:
        windows.upto(end)
        for begin, close in zip(windows.begins, windows.ends, strict=True):
            if begin < end:
                steps += [(begin, 1), (min(close, end), -1)]
    steps.sort()
    spans, count, at = [], 0, 0
    for minute, change in steps:
        if count and minute > at:
            spans.append((at, minute, count))
        count, at = count + change, minute
    return spans


def _in_time(rows: list[tuple[int, int, int]], spans: list[tuple[int, int, int]]) -> bool:
    """Whether work (release, due, minutes) can be done in spans (begin, end, how much at once), if it could be cut at
    will and shared at will: whoever is due first goes first."""
    rows = sorted(row for row in rows if row[2])
    waiting: list[tuple[int, float]] = []
    i = 0
    for begin, end, count in spans:
        at = float(begin)
        while at < end:
            while i < len(rows) and rows[i][0] <= at:
                heappush(waiting, (rows[i][1], rows[i][2]))
                i += 1
            following = min(end, rows[i][0]) if i < len(rows) else end
            if not waiting:
                at = max(following, at)
                if following >= end:
                    break
                continue
            due, left = heappop(waiting)
            takes = min((following - at) * count, left)
            at += takes / count
            if at > due + 1e-6:
                return False
            if left - takes > 1e-9:
                heappush(waiting, (due, left - takes))
    return i == len(rows) and not waiting


def _ancestors(problem: Problem) -> dict[str, int]:
    """For each task those before it, as bits by their place."""
    place = {task.key: i for i, task in enumerate(problem.tasks)}
    before: dict[str, int] = {}
    for task in problem.tasks:
        bits = 0
        for key in task.after:
            bits |= before[key] | 1 << place[key]
        before[task.key] = bits
    return before


def _bits(value: int) -> list[int]:
    found = []
    while value:
        low = value & -value
        found.append(low.bit_length() - 1)
        value ^= low
    return found


def _joined(spans: list[tuple[int, int]]) -> list[tuple[int, int]]:
    made: list[tuple[int, int]] = []
    for begin, end in sorted(spans):
        if made and begin <= made[-1][1]:
            made[-1] = (made[-1][0], max(end, made[-1][1]))
        else:
            made.append((begin, end))
    return made
