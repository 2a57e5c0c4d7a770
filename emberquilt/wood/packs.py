"""Stack-cut swaps: N woods cut as one pack give N pictures, the woods handed round so that each piece goes where one
wants it."""

from collections import defaultdict
from dataclasses import dataclass

import networkx as nx

from ..work.composition import Composition, Layer

MOST_WOODS = 4
"""2 to 4 woods go into a pack: common practice, no source."""
MOST_SOLVED = 300
"""Larger pictures keep the greedy answer."""


@dataclass(frozen=True)
class Clash:
    """Two neighbouring pieces that have one wood in a picture, along a seam."""

    a: int
    b: int
    length_mm: float


@dataclass(frozen=True)
class Pack:
    """`codes` of the woods; `turn` of each piece: picture k (from 0) has piece p in wood codes[(turn[p] + k) % N]."""

    codes: tuple[str, ...]
    turn: dict[int, int]
    clashes: tuple[Clash, ...]

    def picture(self, k: int) -> dict[int, str]:
        """The wood of each piece in picture k."""
        return {key: self.codes[(turn + k) % len(self.codes)] for key, turn in self.turn.items()}


def pack_of(layer: Layer, codes: tuple[str, ...], decided: dict[int, int] | None = None) -> Pack:
    """Turns for every piece: what was decided stands, the others are coloured so that neighbours get different woods.

    Pieces that have one wood now are cut as one thing and keep together. The same turn in two neighbours would give
    them one wood in every picture, so turns are a colouring of the pieces; where N colours do not suffice, the
    shortest seams clash.
    """
    decided = decided or {}
    unit = {p.key: (p.wood or f"#{p.key}") for p in layer.pieces}
    graph = nx.Graph()
    graph.add_nodes_from(sorted(set(unit.values())))
    for seam in layer.coverage.seams:
        a, b = unit[seam.a], unit[seam.b]
        if a != b:
            had = graph.get_edge_data(a, b, {"length": 0.0})["length"]
            graph.add_edge(a, b, length=had + seam.length_mm)
    colour = _coloured(graph, len(codes))
    turn = {key: decided.get(key, colour[name]) % len(codes) for key, name in unit.items()}
    clashes = tuple(
        Clash(s.a, s.b, s.length_mm)
        for s in layer.coverage.seams
        if turn[s.a] == turn[s.b] and (unit[s.a] != unit[s.b] or layer.by_key[s.a].wood == "")
    )
    return Pack(codes, turn, clashes)


def _coloured(graph: nx.Graph, count: int) -> dict:
    """A colour 0 to count - 1 for each node: greedy by the longest borders, then moves while that shortens what
    clashes."""
    weight: dict = defaultdict(float)
    for a, b, data in graph.edges(data=True):
        weight[a] += data["length"]
        weight[b] += data["length"]
    colour: dict = {}
    for node in sorted(graph, key=lambda n: (-weight[n], n)):
        colour[node] = _cheapest(graph, colour, node, count)
    for _ in range(60):
        moved = False
        for node in sorted(graph):
            best = _cheapest(graph, colour, node, count)
            if _clash(graph, colour, node, best) < _clash(graph, colour, node, colour[node]) - 1e-9:
                colour[node], moved = best, True
        if not moved:
            break
    clashing = any(colour[a] == colour[b] for a, b in graph.edges)
    return _solved(graph, colour, count) if clashing and len(graph) <= MOST_SOLVED else colour


def _solved(graph: nx.Graph, colour: dict, count: int) -> dict:
    """The least length of clashing borders, from the greedy answer on."""
    from ortools.sat.python import cp_model  # half a second to import, and wanted by few

    model = cp_model.CpModel()
    own = {node: [model.new_bool_var("") for _ in range(count)] for node in sorted(graph)}
    for node, choice in own.items():
        model.add_exactly_one(choice)
        for c, variable in enumerate(choice):
            model.add_hint(variable, int(colour[node] == c))
    lost = []
    for a, b, data in graph.edges(data=True):
        clash = model.new_bool_var("")
        for c in range(count):
            model.add_bool_or([own[a][c].negated(), own[b][c].negated(), clash])
        lost.append(max(1, round(10 * data["length"])) * clash)
    model.minimize(sum(lost))
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.max_deterministic_time = 2.0
    if solver.solve(model) not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return colour
    return {node: next(c for c in range(count) if solver.value(choice[c])) for node, choice in own.items()}


def _clash(graph: nx.Graph, colour: dict, node, wanted: int) -> float:
    return sum(data["length"] for other, data in graph[node].items() if colour.get(other) == wanted)


def _cheapest(graph: nx.Graph, colour: dict, node, count: int) -> int:
    return min(range(count), key=lambda c: (_clash(graph, colour, node, c), c))


def pack_in(composition: Composition, layer: Layer) -> Pack | None:
    """The pack that is decided for a layer, or None."""
    kept = composition.decisions.wood.pack(layer.key)
    codes = tuple(code for code in kept.woods if code in composition.rack.shelf) if kept else ()
    if kept is None or len(codes) < 2:
        return None
    return pack_of(layer.without_openings, codes, dict(kept.turn))
