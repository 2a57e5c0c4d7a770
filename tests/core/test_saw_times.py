"""Minutes at the saw against what workers report: common practice, no source. Within a factor of 1.6 either way."""

import numpy as np
import pytest
import shapely

from emberquilt.outline.coverage import Coverage, on_grid
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.saw.difficulty import difficulty_of
from emberquilt.saw.minutes import feed_mm_per_minute, turned_rad
from emberquilt.saw.packs import packs_of
from emberquilt.saw.setup import setup_cards
from emberquilt.work.composition import Composition, Layer, Piece
from tests.conftest import cells, composition, grid

FACTOR = 1.6


def near(minutes: float, low: float, high: float) -> bool:
    return low / FACTOR <= minutes <= high * FACTOR


def sawing(work) -> float:
    """Minutes of what is sawn before anything is fitted."""
    saw = Plan(work).saw
    return sum(cut.minutes for cut in saw.cuts if cut.piece)


def wavy(wide: float, high: float, waves: int) -> shapely.Polygon:
    """A sheet with a wavy upper edge: a far shore, a hill."""
    x = np.linspace(0, wide, 60)
    top = 0.3 * high + 0.12 * high * np.sin(2 * np.pi * waves * x / wide)
    return on_grid(shapely.Polygon([*zip(x, top, strict=True), (wide, high), (0, high)]))


def test_a_scene_of_three_sheets():
    """Three sheets of 6 mm with few inside cuts: 25 to 30 min."""
    sheets = [wavy(250, 180, 1), wavy(250, 150, 3), wavy(250, 120, 5)]
    sheets[1] = sheets[1] - shapely.box(60, 90, 80, 110) - shapely.box(120, 90, 140, 110)
    layers = tuple(
        Layer(n, f"Sheet {n}", "sheet", Coverage([n], [one]), (Piece(n, n, "white_pine", 0.0),), 6.0)
        for n, one in enumerate(sheets, 1)
    )
    assert near(sawing(Composition("A shore", 250, 180, layers)), 25, 30)


def test_a_scene_of_25_parts_of_three_thicknesses():
    """Milled to 19, 12 and 6 mm out of one shelf board: 35 to 40 min."""
    coverage = cells(25, 4, 200.0, 150.0)
    work = composition(coverage, "white_pine")
    layer = work.layers[0]
    thick = (19.05, 12.7, 6.35)
    pieces = tuple(Piece(p.key, p.number, p.wood, 0.0, thick[p.key % 3]) for p in layer.pieces)
    made = Composition("A scene", 200, 150, (Layer(1, "Scene", "mosaic", coverage, pieces),))
    assert near(sawing(made), 35, 40)


def oval(x: float, y: float, wide: float, high: float) -> shapely.Polygon:
    return shapely.affinity.scale(shapely.Point(x, y).buffer(0.5, quad_segs=24), wide, high)


def test_a_small_layered_figure_with_slots():
    """An acorn a hand high in 6 mm, its cap and leaves slotted over each other: 15 min."""
    body = oval(45, 70, 70, 100) - shapely.box(42, 15, 48, 60)
    cap = oval(45, 30, 90, 50) - shapely.box(42, 30, 48, 60) - shapely.box(20, 28, 34, 34) - shapely.box(56, 28, 70, 34)
    foot = oval(45, 45, 80, 80) - shapely.box(20, 42, 70, 48)
    leaves = [oval(150, y, 80, 36) - shapely.box(140, y - 20, 146, y) for y in (25, 70)]
    layers = tuple(
        Layer(n, f"Sheet {n}", "sheet", Coverage([n], [on_grid(one)]), (Piece(n, n, "white_pine", 0.0),), 6.0)
        for n, one in enumerate([body, cap, foot, *leaves], 1)
    )
    assert near(sawing(Composition("An acorn", 200, 120, layers)), 15, 15)


def test_one_profile_through_thick_poplar():
    """38 mm: 20 min, here along a metre and a quarter of line: see `wear`, that begins from the same."""
    minutes = 1219 / feed_mm_per_minute(Practice(), 38.0, 540)
    assert near(minutes, 20, 20)


def test_curves_take_longer_than_straight_lines():
    turn = np.linspace(0, 2 * np.pi, 300)
    circle = np.stack([np.cos(turn), np.sin(turn)], axis=1) * 20
    assert turned_rad(circle) == pytest.approx(2 * np.pi, rel=0.01)
    assert turned_rad(np.array([[0, 0], [9, 0], [20.0, 0]])) == 0
    round_one = sawing(composition(Coverage([1], [shapely.Point(30, 30).buffer(20, quad_segs=64)])))
    side = shapely.Point(30, 30).buffer(20, quad_segs=64).length / 4
    assert round_one > 0.9 * sawing(composition(grid(1, 1, side)))


def test_how_hard_a_work_is_says_why():
    """Squares are straight lines; waves, a star and letters are harder, in that order."""
    plan = Plan(composition(grid(4, 4)))
    assert difficulty_of(plan.job, plan.saw).level == 1
    waves = Coverage([1, 2, 3, 4], [shapely.affinity.translate(wavy(200, 100, 2), 0, 120 * i) for i in range(4)])
    plan = Plan(composition(waves))
    assert difficulty_of(plan.job, plan.saw).level == 2
    tiny = shapely.box(0, 0, 60, 60)
    for x in (10, 20, 30, 40):
        tiny -= shapely.box(x, 20, x + 3, 40)
    plan = Plan(composition(Coverage([1], [tiny]), thickness_mm=6.0))
    told = difficulty_of(plan.job, plan.saw)
    assert told.level == 5
    assert any("4 openings" in words for words in told.why)


def test_packs_are_told_with_how_they_are_held():
    thin = Plan(
        composition(
            grid(3, 2), {k: ("cherry", "maple")[k % 2] for k in range(1, 7)}, Practice(fit="stack"), thickness_mm=3.0
        )
    )
    (pack,) = packs_of(thin.job, thin.saw)
    assert pack.woods == ("Black cherry", "Hard maple") or len(pack.woods) == 2
    assert "hot glue" in pack.held[0]
    assert pack.saves_minutes > 0
    assert pack.thickness_mm == pytest.approx(6.0)
    thick = Plan(composition(grid(3, 2), {k: ("cherry", "maple")[k % 2] for k in range(1, 7)}, Practice(fit="stack")))
    assert any("pins" in words for words in packs_of(thick.job, thick.saw)[0].held)


def test_what_is_set_before_the_first_cut():
    """Common practice: a blade of 5 in gives by at most 1/8 in; burrs are sanded off where holes are drilled."""
    plan = Plan(composition(grid(2, 1)))
    told = {card.key: card.words for card in setup_cards(plan.job, plan.saw)}
    assert "5 in" in told["tension"]
    assert "1/8 in" in told["tension"]
    assert "twice the error" in told["square"]
    assert "burrs" not in told
    holed = Plan(composition(Coverage([1], [shapely.box(0, 0, 60, 60) - shapely.box(20, 20, 40, 40)]), "maple"))
    told = {card.key: card.words for card in setup_cards(holed.job, holed.saw)}
    assert "120 grit" in told["burrs"]
    assert "75 to 90 %" in told["speed"]
