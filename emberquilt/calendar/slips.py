"""Something slipped: the plan that people go by, from now on, with as few steps moved as can be."""

from .dispatch import in_order, tails_of
from .placing import Impossible, Placing
from .task import Problem, Sittings

MOST_ROUNDS = 400
"""Each moves at least one more step."""


def replanned(problem: Problem, kept: Sittings) -> tuple[Sittings, tuple[str, ...]]:
    """What stays of a kept plan stays to the minute; what cannot is placed anew, where it disturbs least. Gives also
    the keys that moved, those that are new among them. Raises `BadChoice`."""
    best: tuple[tuple[int, int], Sittings, tuple[str, ...]] | None = None
    refused: Impossible | None = None
    for give in (_gives_first, _gives_all):
        try:
            made = _around(problem, kept, give)
        except Impossible as found:
            refused = found
            continue
        moved = tuple(t.key for t in problem.tasks if kept.get(t.key) != made[t.key])
        end = max(s[-1].end + problem.by_key[key].wait for key, s in made.items())
        if best is None or (len(moved), end) < best[0]:
            best = ((len(moved), end), made, moved)
    if best is None:
        assert refused is not None
        raise refused
    return best[1], best[2]


def _around(problem: Problem, kept: Sittings, give) -> Sittings:
    """Round by round: what must move is placed between what stays; what then comes too early moves in the next."""
    place = {task.key: i for i, task in enumerate(problem.tasks)}
    soon = Placing(problem).soon
    tails = tails_of(problem)
    order = in_order(problem, lambda t: kept[t.key][0].begin if t.key in kept else -tails[t.key])
    moving: set[str] = set()
    gone = {task.key for task in problem.tasks if not kept.get(task.key)}
    for _ in range(MOST_ROUNDS):
        moving |= {key for one in gone for key in soon.get(one, [one])}
        placing = Placing(problem)
        # what must move waits for those that stay; those that stay are there first
        held = sorted((k for k in order if k not in moving), key=lambda k: (kept[k][0].begin, place[k]))
        gone = {key for key in held if not placing.keep(problem.by_key[key], kept[key])}
        if gone:
            continue
        for key in order:
            if key not in placing.made:
                placing.place(problem.by_key[key])
        early = [key for key in held if placing.released(problem.by_key[key]) > placing.made[key][0].begin]
        if not early:
            return placing.made
        gone = set(give(early))
    return Placing(problem).all(order)


def _gives_first(early: list[str]) -> list[str]:
    """Only the first that comes too early."""
    return early[:1]


def _gives_all(early: list[str]) -> list[str]:
    """All that come too early at once."""
    return early
