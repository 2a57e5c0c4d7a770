"""Woods for the whole picture: against the optimum that OR-tools' CP-SAT proves."""

from dataclasses import replace

import numpy as np
import pytest

from emberquilt.colour import hex_of, lab_of
from emberquilt.errors import BadChoice
from emberquilt.rack.boards import Board
from emberquilt.rack.rack import Rack
from emberquilt.rack.woods import woods
from emberquilt.wood.match import alternatives, problem_of, solve
from emberquilt.work.composition import Composition
from emberquilt.work.verbs import edit
from tests.conftest import cells, composition, grid
from tests.core.proof import proven


def coloured(count: int, colours: int, seed: int, boards: bool = False) -> Composition:
    """Voronoi cells in colours near those of woods, from random middles; boards of every second wood where asked
    for."""
    rng = np.random.default_rng(seed)
    coverage = cells(count, seed)
    codes = [code for code, wood in woods().items() if wood.kind != "sheet"]
    near = [
        hex_of(np.array(lab_of(woods()[codes[rng.integers(len(codes))]].finished)) + rng.normal(0, 7, 3))
        for _ in range(colours)
    ]
    middles = rng.random((colours, 2)) * [300, 200]
    work = composition(coverage, {}, grain_deg=None)
    pieces = []
    for p in work.usual_layer.without_openings.pieces:
        spot = coverage.spots[p.key]
        group = int(np.argmin(((middles - [spot.x_mm, spot.y_mm]) ** 2).sum(axis=1)))
        pieces.append(replace(p, colour=near[group]))
    rack = Rack(
        boards=tuple(
            Board(i, code, f"B{i}", 300, float(rng.uniform(8, 60)), 19) for i, code in enumerate(codes[::2]) if boards
        )
    )
    return replace(work, layers=(replace(work.layers[0], pieces=tuple(pieces)),), rack=rack)


@pytest.mark.parametrize(
    ("count", "colours", "boards"), [(30, 12, False), (60, 40, True), (60, 25, False), (40, 40, True)]
)
def test_the_answer_is_the_proven_optimum(count, colours, boards):
    """Up to 60 groups; the solver proves in up to half a minute what ours finds in under one second."""
    work = coloured(count, colours, count + colours, boards)
    task = problem_of(work, work.usual_layer.without_openings.pieces, own_only=boards)
    answer = solve(task)
    cost, bound, status = proven(task, 60, answer.choice)
    assert status == "OPTIMAL"
    assert cost == bound
    # each board's shortage is rounded to whole numbers in the solver's model
    assert answer.cost <= cost + len(task.codes)


def test_the_same_problem_has_the_same_answer():
    work = coloured(80, 30, 4)
    task = problem_of(work, work.usual_layer.without_openings.pieces)
    assert solve(task) == solve(task)


def test_the_nearest_wood_where_nothing_else_counts():
    work = composition(grid(1, 1), {}, grain_deg=None)
    piece = replace(work.usual_layer.without_openings.pieces[0], colour=woods()["padauk"].finished)
    task = problem_of(work, [piece])
    assert task.codes[solve(task).choice[0]] == "padauk"
    assert alternatives(task, 0)[0] == ("padauk", pytest.approx(0, abs=0.01))


def two(first: str, second: str, **more) -> Composition:
    work = composition(grid(2, 1), {}, grain_deg=None)
    a, b = work.usual_layer.without_openings.pieces
    pieces = replace(a, colour=first, **more), replace(b, colour=second)
    return replace(work, layers=(replace(work.layers[0], pieces=pieces),))


def test_neighbours_are_kept_apart():
    """Two colours nearest to one wood, yet not one colour: they get two woods."""
    walnut = np.array(lab_of(woods()["walnut"].finished))
    work = two(hex_of(walnut + [1.5, 0, 0]), hex_of(walnut - [2.5, 0, 0]))
    task = problem_of(work, work.usual_layer.without_openings.pieces, among=["walnut", "rosewood", "ipe", "bog_oak"])
    assert {task.cost[i].argmin() for i in (0, 1)} == {0}, "each by itself would be walnut"
    assert len(set(solve(task).choice)) == 2


def test_locked_pieces_keep_their_wood_and_count_as_neighbours():
    work = two("#5d3f2b", "#e8dcc2", wood="holly", locked=True)
    made = edit(work, "suggest", [], {})
    assert 1 not in made.pieces
    assert made.pieces[2]["wood"] != "holly"


def test_boards_are_overdrawn_only_for_a_price_that_is_told():
    work = coloured(40, 8, 9, boards=True)
    few = Rack(boards=(Board(1, "cherry", "C1", 100, 50, 19), Board(2, "maple", "M1", 3000, 300, 19)))
    task = problem_of(replace(work, rack=few), work.usual_layer.without_openings.pieces, own_only=True)
    answer = solve(task)
    assert {task.codes[c] for c in answer.choice} <= {"cherry", "maple"}
    used = task.used_mm2(np.array(answer.choice))
    for code, mm2 in answer.short_mm2.items():
        i = task.codes.index(code)
        assert mm2 == pytest.approx(used[i] - task.stock_mm2[i])


def test_what_cannot_be_matched_ends_in_a_sentence():
    bare = composition(grid(2, 1), {}, grain_deg=None)
    with pytest.raises(BadChoice, match="no colour to match"):
        problem_of(bare, bare.usual_layer.without_openings.pieces)
    work = two("#5d3f2b", "#e8dcc2")
    with pytest.raises(BadChoice, match="No board is on the rack"):
        problem_of(work, work.usual_layer.without_openings.pieces, own_only=True)


def test_one_wood_and_200_woods():
    work = coloured(30, 10, 2)
    alone = problem_of(work, work.usual_layer.without_openings.pieces, among=["walnut"])
    assert set(solve(alone).choice) == {0}
    many = woods().with_own(replace(w, code=f"{w.code}_{i}") for i in range(2) for w in list(woods().values())[:60])
    task = problem_of(replace(work, rack=Rack(many)), work.usual_layer.without_openings.pieces)
    assert len(task.codes) > 190
    assert solve(task).cost <= task.total(task.cost.argmin(axis=1))
