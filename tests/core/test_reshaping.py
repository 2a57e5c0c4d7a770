"""Verbs that change outlines and layers: what they make, and that each can be taken back exactly."""

import json

import numpy as np
import pytest
import shapely

from emberquilt.errors import BadChoice, BadLength
from emberquilt.work.change import applied, inverse
from emberquilt.work.composition import Composition
from emberquilt.work.verbs import edit
from tests.conftest import cells, composition, grid


def same(a: Composition, b: Composition) -> None:
    assert (a.name, a.width_mm, a.height_mm, a.decisions, a.practice) == (
        b.name,
        b.width_mm,
        b.height_mm,
        b.decisions,
        b.practice,
    )
    assert len(a.layers) == len(b.layers)
    for one, other in zip(a.layers, b.layers, strict=True):
        assert one.pieces == other.pieces
        assert (one.key, one.name, one.kind, one.thickness_mm, one.note, one.trim_flush) == (
            other.key,
            other.name,
            other.kind,
            other.thickness_mm,
            other.note,
            other.trim_flush,
        )
        assert all(one.coverage.by_key[k].equals_exact(other.coverage.by_key[k]) for k in one.coverage.keys)


def do(work: Composition, verb: str, keys=(), layer: int = 0, **values) -> Composition:
    """Make an edit; on the way see that it leaves valid coverages and that undo gives back what was."""
    made = edit(work, verb, list(keys), values, layer)
    now = applied(work, made)
    same(applied(now, inverse(work, made)), work)
    assert all(layer.coverage.is_valid for layer in now.layers)
    assert len({p.key for p in now.pieces()}) == sum(1 for _ in now.pieces())
    numbers = [p.number for p in now.pieces() if not p.opening]
    assert len(set(numbers)) == len(numbers)
    return now


def test_a_key_that_is_gone_is_never_given_again():
    """The log and accepted findings may still speak of it."""
    cut = do(composition(grid(3, 3)), "split", [5], points=line((30, 45), (60, 45)))
    back = applied(
        cut,
        inverse(
            composition(grid(3, 3)), edit(composition(grid(3, 3)), "split", [5], {"points": line((30, 45), (60, 45))})
        ),
    )
    assert 10 not in back.usual_layer.by_key
    again = do(back, "split", [1], points=line((0, 15), (30, 15)))
    assert 11 in again.usual_layer.by_key
    assert 10 not in again.usual_layer.by_key


def line(*points) -> str:
    return json.dumps(points)


def test_a_split_leaves_printed_numbers_alone_and_takes_after_its_piece():
    work = composition(grid(3, 3), "walnut")
    now = do(work, "split", [5], points=line((30, 45), (60, 45)))
    numbers = {p.key: p.number for p in now.pieces()}
    assert all(numbers[p.key] == p.number for p in work.pieces())
    assert numbers[10] == 10
    assert now.usual_layer.by_key[10].wood == "walnut"
    joined = do(now, "join", [5, 10])
    assert joined.usual_layer.coverage.area_mm2[5 if 5 in joined.usual_layer.by_key else 10] == pytest.approx(900)


def test_openings_are_left_out_of_the_later_stations_and_filled_again():
    work = composition(grid(3, 3))
    cut = do(work, "opening", [5])
    assert 5 not in cut.usual_layer.without_openings.coverage.by_key
    assert 5 in cut.usual_layer.coverage.by_key
    assert cut.usual_layer.without_openings.coverage.sheet_area_mm2 == pytest.approx(8100)
    back = do(cut, "fill", [5])
    assert back.usual_layer.by_key[5].number == 5
    drawn = do(work, "opening", [], points=line((40, 40), (50, 40), (50, 50), (40, 50)))
    assert drawn.usual_layer.without_openings.coverage.area_mm2[5] == pytest.approx(800)


@pytest.mark.parametrize(("outline", "share"), [("rectangle", 1.0), ("oval", np.pi / 4)])
def test_a_background_fills_its_outline(outline, share):
    now = do(composition(grid(2, 2)), "background", outline=outline, margin="10mm")
    whole = now.usual_layer.coverage
    assert whole.sheet_area_mm2 == pytest.approx(now.width_mm * now.height_mm * share, rel=2e-3)
    left, top, right, bottom = whole.bounds_mm
    assert (left, top) == (0, 0)
    assert (right, bottom) == pytest.approx((now.width_mm, now.height_mm), abs=0.002)
    assert any(p.part == "background" for p in now.pieces())


def test_an_arch_stands_on_upright_sides():
    now = do(composition(grid(2, 2)), "background", outline="arch", margin="10mm")
    assert now.usual_layer.coverage.without_gaps.contains(
        shapely.box(1, now.height_mm - 50, now.width_mm - 1, now.height_mm - 1)
    )
    assert not now.usual_layer.coverage.without_gaps.contains(shapely.Point(2, 2))


def test_a_mirror_turns_arrows_and_twice_is_nothing():
    work = composition(cells(12, 3), grain_deg=30.0)
    once = do(work, "mirror")
    assert {p.grain_deg for p in once.pieces()} == {150.0}
    twice = do(once, "mirror")
    assert all(twice.usual_layer.coverage.by_key[k].equals(o) for k, o in work.usual_layer.coverage.by_key.items())


def test_a_second_wing_takes_after_the_first():
    work = composition(grid(2, 1), {1: "walnut", 2: "maple"}, grain_deg=20.0)
    now = do(work, "repeat", [1, 2], how="mirrored")
    assert now.width_mm == pytest.approx(120)
    assert [p.wood for p in now.pieces()] == ["walnut", "maple", "walnut", "maple"]
    right = now.usual_layer.coverage.by_key
    assert max(right, key=lambda k: right[k].bounds[2]) in {
        p.key for p in now.pieces() if p.wood == "walnut" and p.grain_deg == 160.0
    }


def test_a_border_is_repeated_in_steps():
    now = do(composition(grid(1, 1)), "repeat", [1], times="3")
    assert (now.width_mm, len(now.usual_layer.pieces)) == (120, 4)


@pytest.mark.parametrize("thickness", ["yes", "no"])
def test_another_size_scales_the_thickness_when_asked(thickness):
    now = do(composition(cells(20, 1), thickness_mm=10.0, shim_mm=2.0), "resize", width="150mm", thickness=thickness)
    assert now.width_mm == 150
    expected = (5.0, 1.0) if thickness == "yes" else (10.0, 2.0)
    assert {(p.thickness_mm, p.shim_mm) for p in now.pieces()} == {expected}


def test_small_pieces_are_joined_and_numbers_run_again_only_when_asked():
    work = do(composition(grid(3, 1)), "draw", points=line((29, 10), (31, 10), (31, 14), (29, 14)))
    assert len(work.usual_layer.pieces) == 4
    now = do(work, "join_small", smallest="5mm")
    assert sorted(p.number for p in now.pieces()) == [1, 2, 3]
    numbered = do(do(work, "drop", [1]), "renumber")
    assert sorted(p.number for p in numbered.pieces()) == [1, 2, 3]


def coloured(work: Composition, colours: dict[int, str]) -> Composition:
    from dataclasses import replace

    layer = work.usual_layer
    pieces = tuple(replace(p, colour=colours[p.key]) for p in layer.pieces)
    return replace(work, layers=(replace(layer, pieces=pieces),))


def test_tones_become_sheets_that_reach_under_each_other():
    """A target of three rings: each sheet is the disc of its tone and everything inside it, hollow where nothing is
    glued."""
    rings = [shapely.Point(100, 100).buffer(r, quad_segs=32) for r in (100, 70, 40)]
    from emberquilt.outline.coverage import Coverage, on_grid

    outlines = [rings[0] - rings[1], rings[1] - rings[2], rings[2]]
    work = coloured(
        composition(Coverage([1, 2, 3], list(on_grid(np.array(outlines))))), {1: "#eeeeee", 2: "#888888", 3: "#222222"}
    )
    now = do(work, "stack", reach="10mm", front="dark")
    assert [layer.name for layer in now.layers] == ["Sheet 1", "Sheet 2", "Sheet 3"]
    areas = [sum(layer.without_openings.coverage.area_mm2.values()) for layer in now.layers]
    disc = [ring.area for ring in rings]
    hollow = shapely.Point(100, 100).buffer(30, quad_segs=32).area
    assert areas == pytest.approx([disc[0], disc[1] - hollow, disc[2]], rel=0.01)
    whole = do(work, "stack", reach="0", front="dark")
    assert sum(whole.layers[1].without_openings.coverage.area_mm2.values()) == pytest.approx(disc[1], rel=1e-3)


def test_a_figure_leaves_its_plate_behind():
    now = do(composition(grid(3, 3)), "overlay", [5, 6], how="figure")
    plate, figure = now.layers
    assert plate.kind == "sheet"
    assert sum(plate.coverage.area_mm2.values()) == pytest.approx(8100)
    assert sorted(p.number for p in figure.pieces) == [5, 6]
    copied = do(composition(grid(3, 3)), "overlay", [5], how="copy")
    assert [len(layer.pieces) for layer in copied.layers] == [9, 1]


def test_layers_are_added_named_moved_and_taken_out():
    work = do(composition(grid(3, 3)), "add_layer", kind="backer", name="Back")
    assert [layer.name for layer in work.layers] == ["Back", "Picture"]
    framed = do(work, "add_layer", kind="sheet", name="Frame", frame="10mm")
    assert sum(framed.layers[-1].without_openings.coverage.area_mm2.values()) == pytest.approx(8100 - 70 * 70)
    back, front = framed.layers[0].key, framed.layers[-1].key
    named = do(
        framed, "layer", layer=back, name="Plywood back", layer_thickness="6mm", trim_flush="yes", note="painted"
    )
    assert (named.layers[0].thickness_mm, named.layers[0].trim_flush, named.layers[0].note) == (6.0, True, "painted")
    assert [layer.name for layer in do(named, "move_layer", layer=back, to="front").layers] == [
        "Picture",
        "Plywood back",
        "Frame",
    ]
    assert [layer.name for layer in do(named, "drop_layer", layer=back).layers] == ["Picture", "Frame"]
    assert [layer.name for layer in do(named, "drop_layer", layer=1).layers] == ["Plywood back", "Frame"]
    assert [layer.name for layer in do(named, "drop_layer", layer=front).layers] == ["Plywood back", "Picture"]
    with pytest.raises(BadChoice, match="Choose a layer first"):
        do(named, "drop_layer")
    with pytest.raises(BadChoice, match="several layers"):
        do(named, "join", [1, named.layers[0].pieces[0].key])


def test_a_bridge_holds_what_would_fall_out():
    """A ring cut out of a sheet leaves an island; two bridges make sheet and island one piece."""
    from emberquilt.outline.bridges import bodies

    work = composition(grid(1, 1, side=100.0))
    disc = shapely.Point(50, 50).buffer(30)
    cut = do(work, "opening", points=json.dumps(shapely.get_coordinates(disc).tolist()))
    inner = shapely.Point(50, 50).buffer(15)
    island = do(cut, "draw", points=json.dumps(shapely.get_coordinates(inner)[:-1].tolist()))
    layer = island.usual_layer
    assert len(bodies(layer.coverage, set(layer.coverage.keys) - set(layer.openings))) == 2
    loose = min(layer.without_openings.coverage.keys, key=lambda k: layer.coverage.area_mm2[k])
    held = do(island, "bridge", [loose], width="4mm", count="2").usual_layer
    assert len(bodies(held.coverage, set(held.coverage.keys) - set(held.openings))) == 1
    wood = sum(held.without_openings.coverage.area_mm2.values())
    # two strips 4 mm wide across a ring of 15 mm
    assert wood == pytest.approx(10000 - disc.area + inner.area + 2 * 4 * 15, rel=0.002)


@pytest.mark.parametrize(
    ("verb", "keys", "values", "problem", "words"),
    [
        ("split", [1], {"points": "nonsense"}, BadChoice, "could not be read"),
        ("split", [1], {"points": "[[1,2]]"}, BadChoice, "two points"),
        ("split", [1], {"points": "[[1,2],[1e9,NaN]]"}, BadChoice, "could not be read"),
        ("split", [1], {"points": "[[1,2],[1e9,3]]"}, BadChoice, "two points"),
        ("split", [1], {"points": "[" * 5000}, BadChoice, "could not be read"),
        ("join", [1, 9], {}, BadChoice, "share a seam"),
        ("seam", [1], {"points": "[[1,2],[3,4]]"}, BadChoice, "two pieces"),
        ("smooth", [], {}, BadChoice, "Choose a piece"),
        ("opening", [1, 2, 3, 4, 5, 6, 7, 8, 9], {}, BadChoice, "must stay"),
        ("fill", [1], {}, BadChoice, "opening to fill"),
        ("draw", [], {"points": "[[0,0],[10,10],[10,0],[0,10]]"}, BadChoice, "cross itself"),
        ("background", [], {"margin": "9 m"}, BadLength, "out of range"),
        ("background", [], {"outline": "star"}, BadChoice, "no outline"),
        ("resize", [], {"width": "0"}, BadLength, "out of range"),
        ("repeat", [1], {"times": "500"}, BadChoice, "out of range"),
        ("join_small", [], {"smallest": "1mm"}, BadChoice, "No piece"),
        ("number", [1], {"number": "4"}, BadChoice, "on another piece"),
        ("number", [1], {"number": "x"}, BadChoice, "whole number"),
        ("stack", [], {}, BadChoice, "nothing to stack"),
        ("overlay", [], {}, BadChoice, "Choose a piece"),
        ("add_layer", [], {"kind": "mosaic"}, BadChoice, "backer"),
        ("add_layer", [], {"frame": "80mm"}, BadChoice, "no opening"),
        ("layer", [], {"name": " "}, BadChoice, "a name"),
        ("move_layer", [], {"to": "front"}, BadChoice, "already"),
        ("drop_layer", [], {}, BadChoice, "only layer"),
        ("bridge", [1], {}, BadChoice, "held already"),
    ],
)
def test_what_makes_no_sense_is_said(verb, keys, values, problem, words):
    with pytest.raises(problem, match=words):
        edit(composition(grid(3, 3)), verb, keys, values)
