"""What sheets and stacks are judged for: each finding where it is due, at its limit, and its own fix clears it."""

import gc
import json
import weakref

import numpy as np
import pytest
import shapely

from emberquilt.findings import Finding
from emberquilt.intake.knobs import Knobs
from emberquilt.intake.propose import propose
from emberquilt.layers.judgement import GLUE_MM, weak_spans
from emberquilt.layers.stacked import scene_in
from emberquilt.outline.coverage import Coverage
from emberquilt.outline.plates import plate_round
from emberquilt.pattern.fresh import composition_of
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.units import Length
from emberquilt.work.change import applied
from emberquilt.work.composition import Composition, Layer, Piece
from emberquilt.work.parts import job_of
from emberquilt.work.verbs import edit
from emberquilt.work.view import View
from tests.conftest import composition, findings_of, grid


def sheet(solid: shapely.Geometry, key: int, name: str, kind: str = "sheet", first: int = 1) -> Layer:
    """A layer of a region, its holes as openings."""
    from emberquilt.layers.stack import sheet_faces

    made = sheet_faces("", solid)
    outlines = [*made.solid, *made.openings]
    keys = range(first, first + len(outlines))
    pieces = tuple(Piece(k, k, opening=i >= len(made.solid)) for i, k in enumerate(keys))
    return Layer(key, name, kind, Coverage(keys, outlines), pieces)


def stack(*regions: shapely.Geometry, practice: Practice | None = None) -> Composition:
    layers = tuple(sheet(r, i, f"Sheet {i}", first=100 * i) for i, r in enumerate(regions, 1))
    return Composition("A test", 300, 200, layers, practice or Practice())


def patterns_found(work: Composition) -> list[Finding]:
    return findings_of(work, "pattern")


def codes(work: Composition) -> list[str]:
    return [f.code for f in patterns_found(work)]


def fixed(work: Composition, finding: Finding, which: int = -1) -> Composition:
    fix = finding.fix if which < 0 else finding.more[which]
    keys = fix.values.get("pieces", list(finding.pieces))
    values = {name: value for name, value in fix.values.items() if name not in ("pieces", "layer")}
    layer = fix.values.get("layer", 0)
    return applied(work, edit(work, fix.verb, list(keys), values | {"finding": finding.id}, layer))


PLATE = shapely.box(0, 0, 120, 120)
RING = shapely.Point(60, 60).buffer(40) - shapely.Point(60, 60).buffer(25)


def test_a_plan_that_is_let_go_leaves_memory_at_once():
    """With its composition and what was worked out for both, and without a search for what is held in circles."""
    gc.collect()
    gc.disable()
    try:
        for make in (lambda: stack(PLATE, RING, PLATE - RING), lambda: composition(grid(3, 2), "walnut")):
            work = make()
            plan = Plan(work)
            assert plan.every_finding
            assert plan.pocket
            left = [weakref.ref(one) for one in (plan, work, *work.layers, *(layer.coverage for layer in work.layers))]
            del plan, work
            assert [one() for one in left] == [None] * len(left)
    finally:
        gc.enable()


def test_an_island_falls_out_and_each_of_its_fixes_holds_it():
    work = stack(PLATE - RING)
    floater = next(f for f in patterns_found(work) if f.code == "floater")
    assert "falls out" in floater.sentence
    for which in (-1, 0):
        assert "floater" not in codes(fixed(work, floater, which))


def test_an_island_that_lies_on_a_sheet_is_glued_there():
    work = stack(PLATE, PLATE - RING)
    assert "floater" not in codes(work)
    glued = next(f for f in patterns_found(work) if f.code == "glued-parts")
    assert glued.amount == 1
    assert glued.id in fixed(work, glued).accepted
    # the sheet below has a hole just there
    assert "floater" in codes(stack(PLATE - shapely.Point(60, 60).buffer(50), PLATE - RING))


def test_a_sheet_in_one_piece_has_nothing_to_say():
    assert codes(stack(PLATE)) == []
    assert codes(composition(grid(3, 3))) == []


def strip(width: float, length: float) -> shapely.Geometry:
    """Two blocks joined by a strip."""
    return shapely.union_all(
        [
            shapely.box(0, 0, 30, 60),
            shapely.box(30 + length, 0, 60 + length, 60),
            shapely.box(30, 28, 30 + length, 28 + width),
        ]
    )


@pytest.mark.parametrize(("width", "length", "weak"), [(3, 60, True), (3, 10, False), (8, 60, False)])
def test_a_strip_is_weak_when_it_is_thin_and_long(width, length, weak):
    found = weak_spans(strip(width, length), 5.0)
    assert bool(found) == weak
    for place, long, across in found:
        assert shapely.box(30, 28, 30 + length, 28 + width).buffer(0.1).contains(place)
        assert across == pytest.approx(width, rel=0.1)
        assert long == pytest.approx(length, rel=0.1)


def test_two_weak_spans_of_one_sheet_are_accepted_one_by_one():
    frame = (
        shapely.box(0, 0, 200, 100)
        - shapely.box(20, 20, 100, 48)
        - shapely.box(20, 51, 100, 80)
        - shapely.box(110, 20, 190, 48)
        - shapely.box(110, 51, 190, 80)
    )
    work = stack(frame)
    spans = [f for f in patterns_found(work) if f.code == "weak-span"]
    assert len(spans) == 2
    assert len({f.id for f in spans}) == 2
    assert Finding.from_dict(spans[0].as_dict()).id == spans[0].id


def test_an_opening_too_small_for_a_bit_is_filled():
    """1/32 in bit and 0.5 mm of waste on both sides: 1.8 mm."""
    assert "small-opening" not in codes(stack(PLATE - shapely.Point(60, 60).buffer(1.0, quad_segs=32)))
    work = stack(PLATE - shapely.Point(60, 60).buffer(0.8))
    finding = next(f for f in patterns_found(work) if f.code == "small-opening")
    assert "small-opening" not in codes(fixed(work, finding))


def test_sheets_must_lie_on_each_other_by_a_strip():
    assert "no-overlap" not in codes(stack(PLATE, shapely.box(120 - GLUE_MM - 1, 0, 200, 120)))
    assert "no-overlap" in codes(stack(PLATE, shapely.box(120 - GLUE_MM + 1, 0, 200, 120)))


def test_what_is_covered_is_said():
    assert "hidden" in codes(stack(PLATE, PLATE.buffer(5)))
    assert "hidden" not in codes(stack(PLATE, PLATE.buffer(-5)))


def test_hairlines_are_joined_by_their_fix():
    boxes = [shapely.box(0, 0, 50, 50), shapely.box(50, 0, 51, 50), shapely.box(51, 0, 100, 50)]
    work = composition(Coverage([1, 2, 3], boxes))
    finding = next(f for f in patterns_found(work) if f.code == "hairline")
    assert finding.pieces == (2,)
    assert "hairline" not in codes(fixed(work, finding))


@pytest.mark.parametrize(("throat", "found"), [(400.0, True), (440.0, False)])
def test_work_must_turn_in_the_throat(throat, found):
    """A square of 300 mm is 424 mm across its corners."""
    work = composition(grid(1, 1, 300.0), practice=Practice(throat_mm=throat))
    assert ("throat" in codes(work)) == found


def test_words_that_read_backwards_are_said_until_mirrored_again():
    work = composition_of(
        propose(b"CANAL", Length(300), Knobs(kind="text", font="allerta-stencil")), "Words", Practice()
    )
    assert "mirrored-text" not in codes(work)
    turned = applied(work, edit(work, "mirror", [], {}))
    finding = next(f for f in patterns_found(turned) if f.code == "mirrored-text")
    assert "mirrored-text" not in codes(fixed(turned, finding))


@pytest.mark.parametrize("outline", ["rectangle", "oval", "arch"])
@pytest.mark.parametrize("box", [(0, 0, 100, 20), (0, 0, 20, 100), (-5, 3, 60, 50)])
def test_an_outline_round_a_box_holds_it_whole(outline, box):
    assert plate_round(outline, box, 1.0).buffer(1e-6).contains(shapely.box(*box))


@pytest.mark.parametrize("outline", ["oval", "arch"])
def test_letters_stay_inside_their_sheet(outline):
    found = propose(b"WALNUT", Length(300), Knobs(kind="text", outline=outline, margin_mm=5.0))
    whole = found.coverage.without_gaps
    border = shapely.boundary(whole)
    assert all(found.coverage.by_key[k].distance(border) > 2 for k in found.openings)


def test_the_stack_is_drawn_back_to_front_and_lifted_apart():
    work = stack(PLATE, PLATE - RING)
    job = job_of(work)
    flat, lifted = scene_in(job, View("front"), {}), scene_in(job, View("apart"), {})
    assert [s.key for s in flat.shapes] == [p.key for layer in work.layers for p in layer.without_openings.pieces]
    assert flat.stacked
    assert lifted.stacked
    assert {m.text for m in lifted.marks} == {"1 Sheet 1", "2 Sheet 2"}
    numbers = np.array(
        json.loads(
            "["
            + ",".join(
                s.path.replace("M", "").replace("Z", "").replace("L", ",").replace(" ", ",") for s in lifted.shapes[:1]
            )
            + "]"
        )
    )
    assert numbers.min() >= 0
    assert numbers[0::2].max() <= lifted.width_mm
    assert numbers[1::2].max() <= lifted.height_mm
