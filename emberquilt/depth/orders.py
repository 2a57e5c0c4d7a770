"""What was said of depth: in front of, or level with; and the circles in which that contradicts itself."""

from collections import defaultdict, deque
from collections.abc import Sequence
from dataclasses import dataclass

import networkx as nx


@dataclass(frozen=True, slots=True)
class Relation:
    """`front` stands in front of `behind`, or both are level. Both are numbers of things; `said` tells which sentence
    it follows from: the later, the higher."""

    front: int
    behind: int
    level: bool = False
    said: int = 0


Ways = dict[int, list[tuple[int, Relation]]]


def without_circles(relations: Sequence[Relation]) -> tuple[list[Relation], list[tuple[Relation, ...]]]:
    """The relations that can be obeyed together, and circles that no heights obey, in their order round: sentences are
    taken as they were said, and one that closes a circle with those before is left out, with all that follows from
    it."""
    tangled = _tangled(relations)
    if not tangled:
        return list(relations), []
    inside: dict[int, list[Relation]] = defaultdict(list)
    for r in relations:
        if tangled.get(r.front, -1) == tangled.get(r.behind, -2):
            inside[r.said].append(r)
    ways: Ways = defaultdict(list)
    dropped: set[int] = set()
    circles = []
    for said in sorted(inside):
        own = inside[said]
        for r in own:
            _enter(ways, r)
        around = next((found for r in own if (found := _circle(ways, r))), None)
        if around is not None:
            circles.append(around)
            dropped.add(said)
            for r in own:
                _leave(ways, r)
    return [r for r in relations if r.said not in dropped], circles


def _tangled(relations: Sequence[Relation]) -> dict[int, int]:
    """Things that lead back to themselves with a step on the way, each with the number of its tangle."""
    graph = nx.DiGraph()
    for r in relations:
        graph.add_edge(r.front, r.behind)
        if r.level:
            graph.add_edge(r.behind, r.front)
    number = {thing: n for n, around in enumerate(nx.strongly_connected_components(graph)) for thing in around}
    bad = {number[r.front] for r in relations if not r.level and number[r.front] == number[r.behind]}
    return {thing: n for thing, n in number.items() if n in bad}


def _enter(ways: Ways, r: Relation) -> None:
    ways[r.front].append((r.behind, r))
    if r.level:
        ways[r.behind].append((r.front, r))


def _leave(ways: Ways, r: Relation) -> None:
    ways[r.front].remove((r.behind, r))
    if r.level:
        ways[r.behind].remove((r.front, r))


def _circle(ways: Ways, last: Relation) -> tuple[Relation, ...] | None:
    """A shortest circle that this relation closes, itself first; it holds one in front of at least."""
    for begin, end in (
        ((last.behind, last.front), (last.front, last.behind)) if last.level else ((last.behind, last.front),)
    ):
        way = _way(ways, begin, end, not last.level)
        if way is not None:
            return (last, *way)
    return None


def _way(ways: Ways, begin: int, end: int, stepped: bool) -> list[Relation] | None:
    """Relations from one thing to another, as few as can be; with a step among them unless there is one already."""
    start = (begin, stepped)
    came: dict[tuple[int, bool], tuple[tuple[int, bool], Relation] | None] = {start: None}
    waiting = deque([start])
    while waiting:
        here = waiting.popleft()
        if here == (end, True):
            way: list[Relation] = []
            before = came[here]
            while before is not None:
                way.append(before[1])
                before = came[before[0]]
            return way[::-1]
        for there, r in ways.get(here[0], ()):
            state = (there, here[1] or not r.level)
            if state not in came:
                came[state] = (here, r)
                waiting.append(state)
    return None
