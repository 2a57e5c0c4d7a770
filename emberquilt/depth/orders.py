"""What was said of depth: in front of, or level with; and the circles in which that contradicts itself."""

from collections import deque
from collections.abc import Iterable, Sequence
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


def circle(relations: Sequence[Relation]) -> tuple[int, ...]:
    """A shortest circle of relations that no heights can obey, as positions in `relations` in the order of the circle;
    empty where there is none. One that holds level relations holds at least one in front of as well."""
    graph = _graph(relations)
    best: tuple[int, ...] = ()
    for around in nx.strongly_connected_components(graph):
        if len(around) == 1:
            continue
        inside = [i for i, r in enumerate(relations) if not r.level and r.front in around and r.behind in around]
        for i in inside:
            way = _way(graph, relations[i].behind, relations[i].front)
            if way is not None and (not best or len(way) + 1 < len(best)):
                best = (i, *way)
            if len(best) in (1, 2):
                return best
    return best


def _graph(relations: Iterable[Relation]) -> nx.MultiDiGraph:
    graph = nx.MultiDiGraph()
    for i, r in enumerate(relations):
        graph.add_edge(r.front, r.behind, i)
        if r.level:
            graph.add_edge(r.behind, r.front, i)
    return graph


def _way(graph: nx.MultiDiGraph, begin: int, end: int) -> list[int] | None:
    """Relations from one thing down to another, as few as can be."""
    came: dict[int, tuple[int, int] | None] = {begin: None}
    waiting = deque([begin])
    while waiting:
        here = waiting.popleft()
        if here == end:
            way: list[int] = []
            step = came[here]
            while step is not None:
                way.append(step[1])
                step = came[step[0]]
            return way[::-1]
        for _, there, i in graph.out_edges(here, keys=True):
            if there not in came:
                came[there] = (here, i)
                waiting.append(there)
    return None


def without_circles(relations: Sequence[Relation]) -> tuple[list[Relation], list[tuple[Relation, ...]]]:
    """The relations that can be obeyed together, and the circles that were found: of each the sentence that was said
    last is left out, with all that follows from it."""
    left, circles = list(relations), []
    while around := circle(left):
        found = tuple(left[i] for i in around)
        circles.append(found)
        last = max(r.said for r in found)
        left = [r for r in left if r.said != last]
    return left, circles
