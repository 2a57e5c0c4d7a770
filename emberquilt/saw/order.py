"""The sequence of all cuts: what must come before what, and within that as few changes as can be.

A change is a blade mounted, the table tilted or set back, one wood laid away for the next. In a *state* (a blade, a
tilt, a wood) everything is done that can be: to do more while they are set never makes a later change dearer. Which
state follows is searched for. Few cuts are searched exactly, woods and all; of many first the blades and tilts, then
the woods within each of their blocks.
"""

from collections import Counter
from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass
from heapq import heappop, heappush
from itertools import count, groupby, pairwise
from typing import Any

Setup = tuple[Hashable, float]
"""A blade, and by how many degrees the table is tilted."""
BLADE_MINUTES = 2.0
"""To change a blade and set its tension: common practice, no source."""
TILT_MINUTES = 1.5
"""To tilt the table, or set it square again and check: common practice, no source."""
SWAP_MINUTES = 0.5
"""To lay one wood away and fetch the next: own assumption."""
MOST_TRIED = 4000
"""So many states are looked at in one search, before it goes on with the best one so far."""
FEW = 14
"""So many cuts are ordered exactly, woods and all."""


@dataclass(frozen=True, slots=True)
class Task:
    """One cut to be ordered: its setup (blade, tilt), its wood, which cuts must come before it, its rank among those
    that could be done as well, and its stage: nothing of a stage is done before all of the one before it."""

    setup: Setup
    wood: Hashable
    before: frozenset[int]
    rank: tuple
    stage: int = 0


def change_minutes(one: Setup | None, two: Setup) -> float:
    """From one setup to another; the first blade has to be mounted too, on a table that is square."""
    blade = one is None or one[0] != two[0]
    tilt = (0.0 if one is None else one[1]) != two[1]
    return BLADE_MINUTES * blade + TILT_MINUTES * tilt


def in_order(tasks: Sequence[Task]) -> list[int]:
    """All cuts in their order, by their place in `tasks`. Raises ValueError where they wait for each other in a
    circle."""
    if len(tasks) <= FEW:
        blocks = _blocks(tasks, lambda task: (task.setup, task.wood), _state_minutes)
        order, done = [], set[int]()
        for ready in blocks:
            order += _by_wood(tasks, ready, None, None, done)
            done.update(ready)
    else:
        blocks = _blocks(tasks, lambda task: task.setup, change_minutes)
        order = _woods_in(tasks, blocks)
    if len(order) < len(tasks):
        raise ValueError("cuts wait for each other")
    return order


def _state_minutes(one: tuple[Setup, Hashable] | None, two: tuple[Setup, Hashable]) -> float:
    swap = one is not None and one[1] != two[1]
    return change_minutes(one[0] if one else None, two[0]) + SWAP_MINUTES * swap


def _blocks(tasks: Sequence[Task], state_of: Callable, minutes: Callable) -> list[list[int]]:
    """Cuts state by state, with the least minutes of changing between the states."""
    states = [state_of(task) for task in tasks]
    every = sorted(set(states), key=lambda state: min(t.rank for t, s in zip(tasks, states, strict=True) if s == state))
    bound = _bound(tasks, states)
    chain = _searched(tasks, states, every, minutes) if bound else _cheapest_chain(every, minutes)
    done: set[int] = set()
    blocks = []
    for state in chain:
        ready = _closure(tasks, states, state, done)
        blocks.append(ready)
        done.update(ready)
    return blocks


def _bound(tasks: Sequence[Task], states: Sequence) -> bool:
    """Whether any cut waits for one of another state."""
    if len({task.stage for task in tasks}) > 1:
        return True
    return any(states[i] != state for task, state in zip(tasks, states, strict=True) for i in task.before)


def _closure(tasks: Sequence[Task], states: Sequence, state, done: set[int] | frozenset[int]) -> list[int]:
    """Everything that can be done in a state, one after another."""
    now = set(done)
    left = Counter(task.stage for i, task in enumerate(tasks) if i not in now)
    found: list[int] = []
    waiting = [i for i in range(len(tasks)) if states[i] == state and i not in now]
    while left:
        stage = min(left)
        free = [i for i in waiting if tasks[i].stage == stage and tasks[i].before <= now]
        if not free:
            return found
        free.sort(key=lambda i: tasks[i].rank)
        found += free
        now.update(free)
        left[stage] -= len(free)
        if not left[stage]:
            del left[stage]
        waiting = [i for i in waiting if i not in now]
    return found


def _searched(tasks: Sequence[Task], states: Sequence, every: list, minutes: Callable) -> list:
    """The states one after another, with the least minutes of changing; nothing where cuts wait for each other."""
    tie = count()
    heap: list[tuple[float, tuple[int, ...], int, frozenset[int]]] = [(0.0, (), next(tie), frozenset())]
    seen: set[tuple[frozenset[int], int]] = set()
    while heap:
        spent, way, _, done = heappop(heap)
        if len(done) == len(tasks):
            return [every[n] for n in way]
        last = way[-1] if way else -1
        if (done, last) in seen:
            continue
        seen.add((done, last))
        if len(seen) > MOST_TRIED:
            # too many ways to look at them all: on from here with whatever costs least next
            heap = []
        for n, state in enumerate(every):
            more = _closure(tasks, states, state, done) if n != last else []
            if more:
                then = spent + minutes(every[last] if way else None, state)
                # among equals the finest blade comes first
                heappush(heap, (then, (*way, n), next(tie), done | frozenset(more)))
    return []


def _cheapest_chain(every: list, minutes: Callable) -> list:
    """States of which none waits for another: always on to the nearest one, the finest first among equals."""
    left, chain = list(every), list[Any]()
    while left:
        last = chain[-1] if chain else None
        following = min(left, key=lambda state: (minutes(last, state), left.index(state)))
        left.remove(following)
        chain.append(following)
    return chain


def _woods_in(tasks: Sequence[Task], blocks: list[list[int]]) -> list[int]:
    """Cuts of blocks of one setup each, wood by wood within a block, so that as many blocks as can be begin with the
    wood that the one before ended with."""
    ends = _ends(tasks, blocks)
    order: list[int] = []
    done: set[int] = set()
    for ready, (first, last) in zip(blocks, ends, strict=True):
        order += _by_wood(tasks, ready, first, last, done)
        done.update(ready)
    return order


def _ends(tasks: Sequence[Task], blocks: list[list[int]]) -> list[tuple[Hashable, Hashable]]:
    """The first and last wood of each block: as many of them as can be agree with their neighbours'."""
    woods = [list(dict.fromkeys(tasks[i].wood for i in ready)) for ready in blocks]
    links: list[Hashable] = []
    taken: Hashable = None
    for one, two in pairwise(woods):
        shared = [wood for wood in one if wood in two and (len(one) == 1 or wood != taken)]
        # what the next block could hand on is spared for it, where there is a choice
        taken = min(shared, key=lambda wood: (len(two) > 1 and wood == two[-1], one.index(wood)), default=None)
        links.append(taken)
    return [(links[n - 1] if n else None, links[n] if n < len(links) else None) for n in range(len(blocks))]


def _by_wood(tasks: Sequence[Task], ready: Iterable[int], begin: Hashable, end: Hashable, done: set[int]) -> list[int]:
    """Cuts of one setup, stage by stage and wood by wood, a given one first and a given one last, each by rank; none
    before what it waits for."""
    own = sorted(ready, key=lambda i: (tasks[i].stage, tasks[i].rank))
    place = {i: n for n, i in enumerate(own)}
    missing = {i: sum(k in place for k in tasks[i].before) for i in own}
    follows: dict[int, list[int]] = {}
    for i in own:
        for k in tasks[i].before:
            if k in place:
                follows.setdefault(k, []).append(i)
    ordered: list[int] = []
    for stage, several in groupby(own, lambda i: tasks[i].stage):
        mine = set(several)
        last_stage = stage == tasks[own[-1]].stage
        free: dict[Hashable, list[int]] = {}
        for i in sorted(mine, key=place.__getitem__):
            if not missing[i]:
                heappush(free.setdefault(tasks[i].wood, []), place[i])
        wood = tasks[ordered[-1]].wood if ordered else begin
        while free:
            if wood not in free:
                others = [w for w in free if not (last_stage and w == end)] or list(free)
                wood = min(others, key=lambda w: free[w][0])
            i = own[heappop(free[wood])]
            if not free[wood]:
                del free[wood]
            ordered.append(i)
            for k in follows.get(i, ()):
                missing[k] -= 1
                if not missing[k] and k in mine:
                    heappush(free.setdefault(tasks[k].wood, []), place[k])
    return ordered


def changes_of(tasks: Sequence[Task], order: Sequence[int]) -> dict[str, int]:
    """How often a blade is mounted, the table tilted or set back, and the wood swapped."""
    told = {"blades": 0, "tilts": 0, "woods": 0}
    last: Setup | None = None
    for setup, _ in groupby(tasks[i].setup for i in order):
        told["blades"] += last is None or last[0] != setup[0]
        told["tilts"] += (0.0 if last is None else last[1]) != setup[1]
        last = setup
    woods = [wood for wood, _ in groupby(tasks[i].wood for i in order)]
    told["woods"] = max(0, len(woods) - 1)
    return told
