"""How many paper copies: neighbours cannot be cut from the same one.

The graph of pieces that share a seam is planar, so four cutting copies always suffice (four-colour theorem).
One more stays whole as the placement sheet and one is traced for the backer.
"""

import networkx

from ..outline.coverage import Coverage

MOST_COPIES = 4
DSATUR_MOST = 400


def cutting_copies(coverage: Coverage) -> dict[int, int]:
    """For each piece the copy, 1 to at most 4, that it is cut from."""
    return colour_planar(seam_graph(coverage))


def seam_graph(coverage: Coverage) -> networkx.Graph:
    graph = networkx.Graph()
    graph.add_nodes_from(coverage.keys)
    graph.add_edges_from((seam.a, seam.b) for seam in coverage.seams)
    return graph


def colour_planar(graph: networkx.Graph) -> dict[int, int]:
    """Colours from 1. Greedy colouring first; where it takes more than four, a solver that proves four."""
    # the better strategy takes time that grows with the square of the pieces: a minute for 5,000
    strategy = "saturation_largest_first" if len(graph) <= DSATUR_MOST else "smallest_last"
    best = networkx.greedy_color(graph, strategy)
    if max(best.values(), default=0) >= MOST_COPIES:
        other = networkx.greedy_color(graph, "smallest_last", interchange=True)
        best = min(best, other, key=lambda colours: max(colours.values()))
    if max(best.values(), default=0) >= MOST_COPIES:
        best = _solved(graph) or best
    return {node: colour + 1 for node, colour in best.items()}


def _solved(graph: networkx.Graph) -> dict[int, int] | None:
    # the solver takes half a second to import and is wanted by few drawings
    from ortools.sat.python import cp_model

    model = cp_model.CpModel()
    colour = {node: model.new_int_var(0, MOST_COPIES - 1, f"c{node}") for node in graph}
    for a, b in graph.edges:
        model.add(colour[a] != colour[b])
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = 20
    solver.parameters.num_workers = 1
    if solver.solve(model) not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return None
    return {node: solver.value(variable) for node, variable in colour.items()}
