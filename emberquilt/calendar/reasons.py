"""Why each sitting stands where it stands: what it waited for, the chain that decides the end, and the room it has."""

from bisect import bisect_left, bisect_right
from dataclasses import dataclass

from .passes import FAR
from .placing import _within
from .task import Problem, Sitting, Sittings, Task

LITTLE_ROOM = 15
"""Minutes under which a sitting has no room to speak of."""
MOST_NEXT = 4


@dataclass(frozen=True, slots=True)
class Stand:
    """Of a slot, by its key: `why` in words, `behind` the slot that it follows on, `room` the minutes by which it can
    be late without moving the end, `chain` whether it decides the end."""

    why: str
    behind: str = ""
    room: int = 0
    chain: bool = False


@dataclass(frozen=True, slots=True)
class _At:
    """One sitting with its slot's key."""

    key: str
    task: Task
    sitting: Sitting
    number: int
    last: bool

    @property
    def ready(self) -> int:
        return self.sitting.end + (self.task.wait if self.last else 0)


def stands_of(problem: Problem, made: Sittings) -> dict[str, Stand]:
    """By slot key."""
    rows = _rows(made, problem)
    before = _Before(rows)
    causes = {row.key: _cause(problem, row, before, made) for row in rows}
    rooms = _rooms(problem, rows)
    chain = _chain(rows, causes)
    return {row.key: Stand(causes[row.key][0], causes[row.key][1], rooms[row.key], row.key in chain) for row in rows}


def _rows(made: Sittings, problem: Problem) -> list[_At]:
    rows = []
    for key, sittings in made.items():
        for n, sitting in enumerate(sittings, 1):
            name = key if len(sittings) == 1 else f"{key}-{n}"
            rows.append(_At(name, problem.by_key[key], sitting, n, n == len(sittings)))
    # what takes no time comes in the order of the work
    place = {task.key: i for i, task in enumerate(problem.tasks)}
    return sorted(rows, key=lambda row: (row.sitting.begin, row.sitting.end, place[row.task.key]))


def _chain(rows: list[_At], causes: dict[str, tuple[str, str]]) -> set[str]:
    """From what ends last back to the first moment."""
    if not rows:
        return set()
    key = max(rows, key=lambda row: row.ready).key
    chain: set[str] = set()
    while key and key not in chain:
        chain.add(key)
        key = causes[key][1]
    return chain


def _cause(problem: Problem, row: _At, before: "_Before", made: Sittings) -> tuple[str, str]:
    """In words, and the slot behind which it stands."""
    task, begin = row.task, row.sitting.begin
    say = problem.clock.moment
    if task.pinned and row.number == 1:
        return "you pinned it here", ""
    held = [_waited(problem, row, made), before.handed(row), before.held(row)]
    blocks = [one for one in held if one is not None]
    until = max((minute for minute, _, _ in blocks), default=0)
    until = max(until, task.earliest if row.number == 1 else 0)
    last = max(blocks, key=lambda one: one[0], default=None)
    words = ""
    if last is not None and last[0] >= until and last[0] > 0:
        words = f"{last[1]} until {say(last[0]):%a %H:%M}"
    elif task.earliest and row.number == 1 and task.earliest == until:
        words = f"not before {say(until):%a %d %b}"
    behind = last[2] if last is not None and last[0] == until else ""
    if until >= begin:
        return words or "it is the first thing to do", behind
    opens = _opens(problem, row)
    if opens == begin:
        which = "the next hours are" if problem.windows and task.hands else "next"
        if task.place:
            which = "the next daylight that is warm enough is" if problem.means.places[task.place].daylight else which
        here = f"{which} {say(begin):%a %H:%M}"
        return (f"{words}; {here}" if words else f"{here.removeprefix('the next ')}"), behind
    if begin == 0:
        return "it is the first thing to do", ""
    # nothing was in its way: what else could be tried there was more urgent, or it is not wanted earlier
    return (f"{words}; it could begin a little earlier" if words else "it could begin earlier"), behind


def _waited(problem: Problem, row: _At, made: Sittings) -> tuple[int, str, str] | None:
    """What it waits for, or its own sitting before."""
    if row.number > 1:
        before = made[row.task.key][row.number - 2]
        return before.end, "it is put down", f"{row.task.key}-{row.number - 1}"
    waits = []
    for key in row.task.after:
        task = problem.by_key[key]
        sittings = made[key]
        name = key if len(sittings) == 1 else f"{key}-{len(sittings)}"
        words = f"“{task.label}” dries" if task.wait else f"“{task.label}” is done"
        waits.append((sittings[-1].end + task.wait, words, name))
    return max(waits, default=None)


class _Before:
    """What hands were on, and what held things, before each sitting."""

    def __init__(self, rows: list[_At]):
        self._handed: dict[str, _At] = {}
        self._held: dict[str, list[_At]] = {}
        last: dict[int, _At] = {}
        for row in rows:
            own = [last[person] for person in row.sitting.people if person in last]
            if own:
                self._handed[row.key] = max(own, key=lambda r: r.sitting.end)
            last |= dict.fromkeys(row.sitting.people, row)
        for row in sorted(rows, key=lambda r: r.ready):
            if row.last:
                for thing, _ in row.task.held:
                    self._held.setdefault(thing, []).append(row)
        self._ready = {thing: [row.ready for row in own] for thing, own in self._held.items()}

    def handed(self, row: _At) -> tuple[int, str, str] | None:
        """Whose hands it was that were busy just before."""
        last = self._handed.get(row.key)
        if last is None or last.sitting.end > row.sitting.begin:
            return None
        return last.sitting.end, f"hands are on “{last.task.label}”", last.key

    def held(self, row: _At) -> tuple[int, str, str] | None:
        """What held the clamps that it needs."""
        if row.number > 1:
            return None
        found = []
        for thing, _ in row.task.held:
            i = bisect_right(self._ready.get(thing, []), row.sitting.begin) - 1
            # what takes no time of its own may be the row itself
            if i >= 0 and self._held[thing][i] is not row:
                found.append((self._held[thing][i], thing))
        if not found:
            return None
        last, thing = max(found, key=lambda one: one[0].ready)
        return last.ready, f"“{last.task.label}” holds the {thing}", last.key


def _opens(problem: Problem, row: _At) -> int:
    """When the window it lies in opens."""
    place = problem.places.get(row.task.place)
    for person in row.sitting.people or ():
        windows = problem.windows[person]
        i = bisect_right(windows.begins, row.sitting.begin) - 1
        for begin, end in _within(windows.begins[i], windows.ends[i], place):
            if begin <= row.sitting.begin < end:
                return begin
    if place is not None:
        i = bisect_right(place.begins, row.sitting.begin) - 1
        return place.begins[i]
    return -1


def _rooms(problem: Problem, rows: list[_At]) -> dict[str, int]:
    """By how much each can be late with everything else in its order, and the end where it is."""
    end = max((row.ready for row in rows), default=0)
    latest: dict[str, int] = {}
    first_of: dict[str, str] = {}
    for row in rows:
        if row.number == 1:
            first_of[row.task.key] = row.key
    following = _handovers(rows)
    holders = _holders(rows)
    by_key = {row.key: row for row in rows}
    for row in reversed(rows):
        due = end - (row.ready - row.sitting.end)
        for key in following[row.key]:
            due = min(due, latest[key])
        if row.last:
            for key in problem.followers[row.task.key]:
                due = min(due, latest[first_of[key]] - row.task.wait)
        if row.last and row.task.held:
            for other in _next_holders(row, holders):
                due = min(due, latest.get(other, due + row.task.wait) - row.task.wait)
        latest[row.key] = _latest_begin(problem, by_key[row.key], due)
    return {row.key: max(latest[row.key] - row.sitting.begin, 0) for row in rows}


def _handovers(rows: list[_At]) -> dict[str, list[str]]:
    """For each sitting the next one of the same hands, and of the same step."""
    following: dict[str, list[str]] = {row.key: [] for row in rows}
    last: dict[object, str] = {}
    for row in rows:
        for who in (*row.sitting.people, row.task.key):
            if who in last:
                following[last[who]].append(row.key)
            last[who] = row.key
    return following


def _holders(rows: list[_At]) -> dict[str, tuple[list[int], list[_At]]]:
    """By thing when what holds it begins, and what that is."""
    found: dict[str, tuple[list[int], list[_At]]] = {}
    for row in rows:
        if row.number == 1:
            for thing, _ in row.task.held:
                begins, own = found.setdefault(thing, ([], []))
                begins.append(row.sitting.begin)
                own.append(row)
    return found


def _next_holders(row: _At, holders: dict[str, tuple[list[int], list[_At]]]) -> list[str]:
    """The next few that hold what it holds."""
    keys: list[str] = []
    for thing, _ in row.task.held:
        begins, own = holders[thing]
        i = bisect_left(begins, row.ready)
        keys += [other.key for other in own[i : i + MOST_NEXT] if other is not row]
    return keys


def _latest_begin(problem: Problem, row: _At, due: int) -> int:
    """The latest begin of a sitting as long as this that ends by then, in hours of the same hands."""
    length = row.sitting.end - row.sitting.begin
    if row.task.pinned and row.number == 1:
        return row.sitting.begin
    if not row.sitting.people:
        return due - length
    windows = problem.windows[row.sitting.people[0]]
    place = problem.places.get(row.task.place)
    windows.upto(min(due, FAR))
    i = min(bisect_right(windows.begins, due), len(windows.begins)) - 1
    while i >= 0 and windows.ends[i] > row.sitting.begin:
        for begin, end in reversed(_within(windows.begins[i], windows.ends[i], place)):
            at = min(end, due) - length
            if at >= begin:
                return at
        i -= 1
    return row.sitting.begin
