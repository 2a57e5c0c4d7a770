"""Tasks put into the hours that are left free, one after the other, each at the earliest that nothing forbids."""

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Mapping, Sequence

from ..errors import BadChoice
from .means import TOO_LONG, Windows
from .task import LEAST_SITTING, Problem, Sitting, Sittings, Task

MOST_TRIES = 400
"""Begins that are tried for tasks that must follow on each other in time."""


class Impossible(BadChoice):
    """What is pinned leaves no room for a task; `task` is its key."""

    def __init__(self, words: str, task: str):
        super().__init__(words)
        self.task = task


class _Free:
    """What is left of a person's windows."""

    __slots__ = ("begins", "ends", "taken", "windows")

    def __init__(self, windows: Windows):
        self.windows = windows
        self.begins: list[int] = []
        self.ends: list[int] = []
        self.taken = 0

    def upto(self, minute: int) -> None:
        while not self.ends or self.ends[-1] <= minute:
            self.extend()

    def extend(self) -> None:
        if not self.windows.known(self.taken):
            raise BadChoice(TOO_LONG)
        self.begins.append(self.windows.begins[self.taken])
        self.ends.append(self.windows.ends[self.taken])
        self.taken += 1

    def take(self, begin: int, end: int) -> None:
        """A stretch is free no longer; it may run on from one window into the next, as at midnight."""
        if end <= begin:
            return
        self.upto(end - 1)
        first = bisect_right(self.ends, begin)
        last = bisect_left(self.begins, end)
        left = [(self.begins[first], begin), (end, self.ends[last - 1])]
        left = [(a, b) for a, b in left if b > a]
        self.begins[first:last] = [a for a, _ in left]
        self.ends[first:last] = [b for _, b in left]

    def holds(self, begin: int, end: int) -> bool:
        """Whether all of a stretch is free."""
        self.upto(max(begin, end - 1))
        i, at = bisect_right(self.ends, begin), begin
        while i < len(self.begins) and self.begins[i] <= at < end:
            at = self.ends[i]
            i += 1
        return at >= end


class _Held:
    """How much of one thing is held when, as steps: `used[i]` from `times[i]` on."""

    __slots__ = ("there", "times", "used")

    def __init__(self, there: int):
        self.there, self.times, self.used = there, [-(10**12)], [0]

    def full_until(self, begin: int, end: int, amount: int) -> int:
        """When it can be tried again where something else is in the way between `begin` and `end`; else 0."""
        room = self.there - amount
        i = bisect_right(self.times, begin) - 1
        until = 0
        while i < len(self.times) and self.times[i] < end:
            if self.used[i] > room:
                until = self.times[i + 1] if i + 1 < len(self.times) else 10**12
            i += 1
        return until

    def take(self, begin: int, end: int, amount: int) -> None:
        if end <= begin:
            return
        first, last = self._at(begin), self._at(end)
        for i in range(first, last):
            self.used[i] += amount

    def _at(self, minute: int) -> int:
        i = bisect_left(self.times, minute)
        if i == len(self.times) or self.times[i] != minute:
            self.times.insert(i, minute)
            self.used.insert(i, self.used[i - 1])
        return i


class Placing:
    """One plan as it is made. `place` puts a task where it can begin earliest, `keep` where it is told, if it can."""

    def __init__(self, problem: Problem):
        self.problem = problem
        self.free = [_Free(windows) for windows in problem.windows]
        self.held = {thing: _Held(there) for thing, there in problem.means.held.items()}
        self.made: Sittings = {}
        self.ready: dict[str, int] = {}
        self._tags: dict[tuple[int, int], str] = {}
        """By person and minute what is set up there when a sitting ends."""
        self.soon = problem.once("soon", lambda: _soon(problem))

    def all(self, keys: Iterable[str]) -> Sittings:
        """Every task in this order; pinned ones and what they wait for are in it where they should be."""
        for key in keys:
            if key not in self.made:
                self.place(self.problem.by_key[key])
        return self.made

    def released(self, task: Task) -> int:
        """From when on it can begin, by what it waits for."""
        return max([task.earliest, *(self.ready[key] for key in task.after if key in self.ready)])

    def place(self, task: Task) -> None:
        """Raises `Impossible` where its pin leaves it no room, `BadChoice` where years would not do."""
        chain = self.soon.get(task.key)
        if chain is None:
            self._commit(task, self._found(task, self.released(task)))
            return
        self._place_chain([self.problem.by_key[key] for key in chain])

    def keep(self, task: Task, sittings: Sequence[Sitting]) -> bool:
        """Put it exactly there, if nothing is in the way."""
        if not self.can_keep(task, sittings):
            return False
        self._commit(task, tuple(sittings))
        return True

    def can_keep(self, task: Task, sittings: Sequence[Sitting]) -> bool:
        if not sittings or sittings[0].begin < self.released(task):
            return False
        if sum(s.end - s.begin - s.setup for s in sittings) != task.minutes:
            return False
        if task.latest is not None and sittings[0].begin > task.latest:
            return False
        if task.latest_end is not None and sittings[-1].end > task.latest_end:
            return False
        if task.hands and any(len(sitting.people) != task.hands for sitting in sittings):
            return False
        before: Sitting | None = None
        for sitting in sittings:
            if not all(self.free[i].holds(sitting.begin, sitting.end) for i in sitting.people):
                return False
            if task.setup_minutes and not sitting.setup:
                stands = self._tags.get((sitting.people[0], sitting.begin)) == task.setup
                if not stands and (before is None or (before.end, before.people) != (sitting.begin, sitting.people)):
                    return False
            before = sitting
        begin, end = sittings[0].begin, sittings[-1].end + task.wait
        return not any(self.held[thing].full_until(begin, end, n) for thing, n in task.held)

    # ---- one task

    def _found(self, task: Task, release: int) -> tuple[Sitting, ...]:
        while True:
            made = self._without_hands(task, release) if not task.hands else self._with_hands(task, release)
            begin, end = made[0].begin, made[-1].end + task.wait
            again = max((self.held[thing].full_until(begin, end, n) for thing, n in task.held), default=0)
            if not again:
                break
            if again >= 10**12:
                raise BadChoice(TOO_LONG)
            release = max(again, release + 1) if task.divisible else max(again, begin + 1)
        if task.latest is not None and made[0].begin > task.latest:
            raise Impossible(late_words(self.problem, task, made[0].begin), task.key)
        if task.latest_end is not None and made[-1].end > task.latest_end:
            raise Impossible(late_words(self.problem, task, made[0].begin), task.key)
        return made

    def _without_hands(self, task: Task, release: int) -> tuple[Sitting, ...]:
        if not task.place:
            return (Sitting(release, release + task.minutes),)
        windows, i = self.problem.places[task.place], 0
        while windows.known(i):
            begin = max(windows.begins[i], release)
            if windows.ends[i] - begin >= task.minutes:
                return (Sitting(begin, begin + task.minutes),)
            i += 1
        raise BadChoice(TOO_LONG)

    def _with_hands(self, task: Task, release: int) -> tuple[Sitting, ...]:
        if task.hands > 1:
            return (self._together(task, release),)
        if not task.divisible:
            begin, _, person, setup = self._earliest(task, release, task.minutes)
            return (Sitting(begin, begin + setup + task.minutes, (person,), setup),)
        made: list[Sitting] = []
        left, at = task.minutes, release
        while left > 0:
            begin, room, person, setup = self._earliest(task, at, min(left, LEAST_SITTING), made)
            take = min(left, room - begin - setup)
            if 0 < left - take < LEAST_SITTING:
                # nothing shorter than the least sitting is left over for another one
                take = max(min(LEAST_SITTING, left), left - LEAST_SITTING)
            at = begin + setup + take
            left -= take
            if made and made[-1].end == begin and made[-1].people == (person,):
                last = made.pop()
                made.append(Sitting(last.begin, at, (person,), last.setup))
            else:
                made.append(Sitting(begin, at, (person,), setup))
        return tuple(made)

    def _earliest(self, task: Task, release: int, need: int, made: Sequence[Sitting] = ()) -> tuple[int, int, int, int]:
        """Begin, end of that gap, who, and minutes to set up: whoever can begin first."""
        best: tuple[int, int, int, int] | None = None
        # nobody is waited for who is never there for so long
        for person in self.problem.able(task, need + task.setup_minutes) or task.by:
            begin, room, setup = self._gap(task, person, release, need, made)
            if best is None or (begin, setup) < (best[0], best[3]):
                best = (begin, room, person, setup)
        assert best is not None
        return best

    def _gap(self, task: Task, person: int, release: int, need: int, made: Sequence[Sitting]) -> tuple[int, int, int]:
        free = self.free[person]
        free.upto(release)
        i = bisect_right(free.ends, release)
        place = self.problem.places.get(task.place)
        while True:
            while i >= len(free.ends):
                free.extend()
            for a, b in _within(max(free.begins[i], release), free.ends[i], place):
                setup = task.setup_minutes
                if setup and self._set_up(task, person, a, made):
                    setup = 0
                if b - a >= need + setup:
                    return a, b, setup
            i += 1

    def _set_up(self, task: Task, person: int, minute: int, made: Sequence[Sitting]) -> bool:
        """What it needs stands there from the sitting that ends just then."""
        if made and made[-1].end == minute and made[-1].people == (person,):
            return True
        return self._tags.get((person, minute)) == task.setup

    def _together(self, task: Task, release: int) -> Sitting:
        """When so many people are free at once."""
        able = self.problem.able(task, task.minutes)
        people = able if len(able) >= task.hands else task.by
        while True:
            begins = sorted(self._gap(task, person, release, task.minutes, ())[0] for person in people)
            begin = begins[task.hands - 1]
            then = {person: self._gap(task, person, begin, task.minutes, ())[0] for person in people}
            free = [person for person, at in then.items() if at == begin]
            if len(free) >= task.hands:
                return Sitting(begin, begin + task.minutes, tuple(free[: task.hands]))
            release = min(at for at in then.values() if at > begin)

    def _commit(self, task: Task, sittings: tuple[Sitting, ...]) -> None:
        self._take(task, sittings)
        self.made[task.key] = sittings
        self.ready[task.key] = sittings[-1].end + task.wait

    def _take(self, task: Task, sittings: tuple[Sitting, ...]) -> None:
        """Hands and clamps are taken for it."""
        for sitting in sittings:
            for person in sitting.people:
                self.free[person].take(sitting.begin, sitting.end)
                if task.setup:
                    self._tags[person, sitting.end] = task.setup
        end = sittings[-1].end
        for thing, amount in task.held:
            self.held[thing].take(sittings[0].begin, end + task.wait, amount)

    # ---- tasks that must follow soon

    def _place_chain(self, chain: list[Task]) -> None:
        """Tasks that must begin soon after one another: the first begins when the others find their time too."""
        inner = {task.key for task in chain}
        for task in chain:
            self._place_before(task, inner)
        release = 0
        for task in chain:
            release = max([release, task.earliest, *(self.ready[k] for k in task.after if k in self.ready)])
        for _ in range(MOST_TRIES):
            placed, again = self._try_chain(chain, release)
            if placed is not None:
                for task in chain:
                    self._commit(task, placed[task.key])
                return
            release = again
        raise BadChoice(
            f"“{chain[-1].label}” must follow soon after “{chain[0].label}”, and no hours hold both: type longer ones."
        )

    def _place_before(self, task: Task, but: set[str]) -> None:
        """All that it waits for, and what that waits for."""
        for key in task.after:
            if key not in but and key not in self.made:
                before = self.problem.by_key[key]
                self._place_before(before, but)
                if key not in self.made:
                    self.place(before)

    def _try_chain(self, chain: list[Task], release: int):
        """Where all of them lie if the first is released then, or None and when to try again."""
        saved = [(list(f.begins), list(f.ends), f.taken) for f in self.free]
        tags = dict(self._tags)
        held = {thing: (list(one.times), list(one.used)) for thing, one in self.held.items()}
        placed: dict[str, tuple[Sitting, ...]] = {}
        ready: dict[str, int] = {}
        again = 0
        for task in chain:
            waits = [ready[key] for key in task.after if key in ready]
            own = max([release if task is chain[0] else 0, self.released(task), *waits])
            found = self._found(task, own)
            late = 0
            for key, minutes in task.within:
                if key in ready:
                    late = max(late, found[0].begin - ready[key] - minutes)
            if late > 0:
                again = placed[chain[0].key][0].begin + max(1, min(late, 15))
                break
            placed[task.key] = found
            ready[task.key] = found[-1].end + task.wait
            self._take(task, found)
        for free, (begins, ends, taken) in zip(self.free, saved, strict=True):
            free.begins, free.ends, free.taken = begins, ends, taken
        for thing, (times, used) in held.items():
            self.held[thing].times, self.held[thing].used = times, used
        self._tags = tags
        return (None, again) if len(placed) < len(chain) else (placed, 0)


def late_words(problem: Problem, task: Task, begin: int) -> str:
    """That a pinned task can begin only then."""
    assert task.latest is not None
    say, day = problem.clock.moment, task.latest_end is not None
    told = f"{say(task.latest - 1):%a %d %b}" if day else f"{say(task.latest):%a %d %b %H:%M}"
    waits = [problem.by_key[key].label for key in task.after]
    after = f": it comes after {' and '.join(f'“{label}”' for label in waits[:3])}" if waits else ""
    return f"“{task.label}” is pinned to {told} and can begin {say(begin):%a %d %b %H:%M} at the earliest{after}."


def _within(begin: int, end: int, place: Windows | None) -> list[tuple[int, int]]:
    """Of a gap what a place can be used in."""
    if place is None:
        return [(begin, end)] if end > begin else []
    place.upto(end)
    i = bisect_right(place.ends, begin)
    found = []
    while i < len(place.begins) and place.begins[i] < end:
        found.append((max(begin, place.begins[i]), min(end, place.ends[i])))
        i += 1
    return found


def _soon(problem: Problem) -> Mapping[str, list[str]]:
    """By the first of tasks that must begin soon after one another all of them, in order; so it is for each."""
    head: dict[str, str] = {}
    chains: dict[str, list[str]] = {}
    for task in problem.tasks:
        firsts = list(dict.fromkeys(head.get(key, key) for key, _ in task.within))
        if not firsts:
            continue
        first = firsts[0]
        own = chains.setdefault(first, [first])
        for other in firsts[1:]:
            own += [key for key in chains.pop(other, [other]) if key not in own]
        own.append(task.key)
        head |= dict.fromkeys(own, first)
    whole = [_closed(problem, own) for own in chains.values()]
    # chains that wait for each other, or share a task, are placed as one
    merged = True
    while merged:
        merged = False
        for i, one in enumerate(whole):
            j = next((j for j in range(i + 1, len(whole)) if _entwined(problem, one, whole[j])), 0)
            if j:
                whole[i] = _closed(problem, [*one, *whole.pop(j)])
                merged = True
                break
    return {key: own for own in whole for key in own}


def _entwined(problem: Problem, one: list[str], other: list[str]) -> bool:
    """Whether neither can be placed whole before the other."""
    return bool(set(one) & set(other)) or (_waits(problem, one, other) and _waits(problem, other, one))


def _waits(problem: Problem, one: list[str], other: list[str]) -> bool:
    """Whether some task of the one comes after some of the other."""
    below = set(other)
    for task in problem.tasks:
        if any(key in below for key in task.after):
            below.add(task.key)
    return any(key in below for key in one if key not in other)


def _closed(problem: Problem, keys: list[str]) -> list[str]:
    """With what lies between them, in order."""
    below: set[str] = set()
    for task in problem.tasks:
        if any(key in below or key in keys for key in task.after):
            below.add(task.key)
    between, above = set(keys), set(keys)
    for task in reversed(problem.tasks):
        if task.key in above or any(key in above for key in problem.followers[task.key]):
            above.add(task.key)
            if task.key in below:
                between.add(task.key)
    return [task.key for task in problem.tasks if task.key in between]
