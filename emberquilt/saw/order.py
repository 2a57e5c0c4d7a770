"""The sequence of all cuts: what must come before what, and within that as few changes as can be.

Cuts are done setup by setup: a blade, and the tilt of the table. In a setup everything is done that can be; which setup
follows is searched for, so that blades are changed and the table is tilted as seldom as possible. That is exact: to do
more while a blade is mounted never makes a later change dearer.
"""

from collections import Counter
from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from heapq import heappop, heappush
from itertools import count, groupby

BLADE_MINUTES = 2.0
"""To change a blade and set its tension: common practice, no source."""
TILT_MINUTES = 1.5
"""To tilt the table, or set it square again and check: common practice, no source."""
SWAP_MINUTES = 0.5
"""To lay one wood away and fetch the next: own assumption."""
MOST_TRIED = 4000
"""States that the search looks at before it goes on with the best one so far."""


@dataclass(frozen=True, slots=True)
class Task:
    """One cut to be ordered: its setup (blade, tilt), its wood, which cuts must come before it, its rank among those
    that could be done as well, and its stage: nothing of a stage is done before all of the one before it."""

    setup: tuple[Hashable, float]
    wood: Hashable
    before: frozenset[int]
    rank: tuple
    stage: int = 0


def change_minutes(one: tuple[Hashable, float] | None, two: tuple[Hashable, float]) -> float:
    """From one setup to another; the first blade has to be mounted too, on a table that is square."""
    blade = one is None or one[0] != two[0]
    tilt = (0.0 if one is None else one[1]) != two[1]
    return BLADE_MINUTES * blade + TILT_MINUTES * tilt


def in_order(jobs: Sequence[Task]) -> list[int]:
    """All cuts in their order, by their place in `jobs`. Raises ValueError where they wait for each other in a
    circle."""
    order: list[int] = []
    done: set[int] = set()
    wood: Hashable = None
    blocks = []
    for setup in _setups(jobs):
        ready = _closure(jobs, setup, done)
        blocks.append((ready, frozenset(done)))
        done.update(ready)
    for n, (ready, before) in enumerate(blocks):
        following = {jobs[i].wood for i in blocks[n + 1][0]} if n + 1 < len(blocks) else set()
        own = _by_wood(jobs, ready, wood, following, before)
        order += own
        wood = jobs[own[-1]].wood
    if len(order) < len(jobs):
        raise ValueError("cuts wait for each other")
    return order


def _closure(jobs: Sequence[Task], setup, done: set[int] | frozenset[int]) -> list[int]:
    """Everything that can be done in a setup, one after another."""
    now = set(done)
    left = Counter(job.stage for i, job in enumerate(jobs) if i not in now)
    found: list[int] = []
    waiting = [i for i, job in enumerate(jobs) if job.setup == setup and i not in now]
    while left:
        stage = min(left)
        free = [i for i in waiting if jobs[i].stage == stage and jobs[i].before <= now]
        if not free:
            return found
        found += free
        now.update(free)
        left[stage] -= len(free)
        if not left[stage]:
            del left[stage]
        waiting = [i for i in waiting if i not in now]
    return found


def _setups(jobs: Sequence[Task]) -> list[tuple[Hashable, float]]:
    """The setups one after another, with the least minutes of changing between them."""
    every = sorted({job.setup for job in jobs}, key=lambda setup: min(j.rank for j in jobs if j.setup == setup))
    if not _bound(jobs):
        return _cheapest_chain(every)
    place = {setup: n for n, setup in enumerate(every)}
    tie = count()
    heap: list[tuple[float, tuple[int, ...], int, frozenset[int]]] = [(0.0, (), next(tie), frozenset())]
    seen: set[tuple[frozenset[int], int]] = set()
    while heap:
        minutes, way, _, done = heappop(heap)
        if len(done) == len(jobs):
            return [every[n] for n in way]
        last = way[-1] if way else -1
        if (done, last) in seen:
            continue
        seen.add((done, last))
        if len(seen) > MOST_TRIED:
            # too many ways to look at them all: on from here with whatever costs least next
            heap = []
        for setup in every:
            if place[setup] == last:
                continue
            more = _closure(jobs, setup, done)
            if more:
                then = minutes + change_minutes(every[last] if way else None, setup)
                # among equals the finest blade comes first
                heappush(heap, (then, (*way, place[setup]), next(tie), done | frozenset(more)))
    return []


def _bound(jobs: Sequence[Task]) -> bool:
    """Whether any cut waits for one of another setup."""
    if len({job.stage for job in jobs}) > 1:
        return True
    return any(jobs[i].setup != job.setup for job in jobs for i in job.before)


def _cheapest_chain(every: list) -> list:
    """Setups of which none waits for another: those of one blade together, square ones first."""
    blades = list(dict.fromkeys(blade for blade, _ in every))
    chain: list = []
    for blade in blades:
        own = sorted((setup for setup in every if setup[0] == blade), key=lambda setup: setup[1])
        if chain and own[-1][1] == chain[-1][1]:
            own.reverse()
        chain += own
    return chain


def _by_wood(
    jobs: Sequence[Task], ready: Iterable[int], wood: Hashable, following: set[Hashable], done: frozenset[int]
) -> list[int]:
    """Cuts of one setup, wood by wood, the one in hand first and one that goes on with the next setup last, each by
    rank; none before what it waits for."""
    ranked = sorted(ready, key=lambda i: (jobs[i].stage, jobs[i].rank))
    first = {w: n for n, w in reversed(list(enumerate(jobs[i].wood for i in ranked)))}
    last = next((w for w in sorted(first, key=first.__getitem__, reverse=True) if w in following and w != wood), None)
    waiting = sorted(
        ranked,
        key=lambda i: (
            jobs[i].stage,
            jobs[i].wood != wood,
            jobs[i].wood == last,
            first[jobs[i].wood],
            jobs[i].rank,
        ),
    )
    now = set(done)
    ordered: list[int] = []
    while waiting:
        held = []
        for i in waiting:
            if jobs[i].before <= now:
                ordered.append(i)
                now.add(i)
            else:
                held.append(i)
        waiting = held
    return ordered


def changes_of(jobs: Sequence[Task], order: Sequence[int]) -> dict[str, int]:
    """How often a blade is mounted, the table tilted or set back, and the wood swapped."""
    told = {"blades": 0, "tilts": 0, "woods": 0}
    last: tuple[Hashable, float] | None = None
    for setup, _ in groupby(jobs[i].setup for i in order):
        told["blades"] += last is None or last[0] != setup[0]
        told["tilts"] += (0.0 if last is None else last[1]) != setup[1]
        last = setup
    woods = [wood for wood, _ in groupby(jobs[i].wood for i in order)]
    told["woods"] = max(0, len(woods) - 1)
    return told
