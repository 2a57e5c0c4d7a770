"""Blades, holes, order, copies and the findings of the saw."""

import math
from dataclasses import replace

import networkx
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.outline.coverage import Coverage
from emberquilt.practice import Practice
from emberquilt.rack.blades import blades, choose_blade
from emberquilt.rack.woods import woods
from emberquilt.saw.copies import colour_planar, cutting_copies, seam_graph
from emberquilt.saw.corners import corner_rests
from emberquilt.saw.holes import BITS_MM, hole_in
from emberquilt.saw.lines import start_point
from emberquilt.saw.planning import saw_plan
from emberquilt.work.parts import job_of
from tests.conftest import cells, composition, edited, findings_of, grid

BY_NO = {blade.no: blade for blade in blades()}


@pytest.mark.parametrize(
    ("thickness", "hardness", "no"),
    # choice by thickness, common practice, no source
    [
        (3, 400, "1"),
        (6, 400, "3"),
        (6, 1450, "5"),
        (12, 400, "5"),
        (19, 950, "5"),
        (19, 1450, "7"),
        (25, 950, "7"),
        (38, 1450, "9"),
    ],
)
def test_blade_by_thickness(thickness, hardness, no):
    assert choose_blade(Practice(), thickness, hardness).no == no


@given(st.floats(3, 40), st.floats(300, 3000))
def test_the_second_school_keeps_6_to_10_teeth_in_the_cut(thickness, hardness):
    blade = choose_blade(Practice(blade_school="teeth"), thickness, hardness)
    nearest = min(abs(b.teeth_in_cut(thickness) - 8) for b in blades())
    assert abs(blade.teeth_in_cut(thickness) - 8) == nearest
    if 8 * 25.4 / 28 <= thickness <= 8 * 25.4 / 9.5:
        assert 6 <= blade.teeth_in_cut(thickness) <= 10


def test_the_third_school_takes_one_size():
    assert {choose_blade(Practice(blade_school="one", one_blade=7), t, 900).no for t in (6, 12, 30)} == {"7"}


@given(st.sampled_from(["thickness", "teeth", "one"]), st.floats(0.8, 60), st.floats(300, 3000), st.integers(0, 12))
def test_no_school_takes_fewer_than_two_teeth_in_the_cut(school, thickness, hardness, size):
    blade = choose_blade(Practice(blade_school=school, one_blade=size), thickness, hardness)
    assert blade.teeth_in_cut(thickness) >= 2 or blade == blades()[0]


def sawn(work):
    """The sawing plan without what is traced from the fitted pieces."""
    plan = saw_plan(job_of(work))
    early = tuple(cut for cut in plan.cuts if cut.piece)
    chapters = tuple(chapter for chapter in plan.chapters if not chapter.late)
    return replace(plan, cuts=early, chapters=chapters)


def notched(radius_mm: float) -> shapely.Polygon:
    """A block of 60 mm with a slot that ends in a half circle."""
    slot = shapely.box(30 - radius_mm, 30, 30 + radius_mm, 61)
    return shapely.box(0, 0, 60, 60).difference(slot.union(shapely.Point(30, 30).buffer(radius_mm, quad_segs=64)))


def blade_for(outline, thickness, wood="cherry", **practice):
    work = composition(Coverage([1], [outline]), wood, Practice(**practice), thickness_mm=thickness)
    return sawn(work).cuts[0].blade


def test_the_blade_follows_the_path_not_the_size_of_the_piece():
    """A small disc asks for nothing finer; a tight slot in a large block does."""
    disc = shapely.Point(10, 10).buffer(4, quad_segs=64)
    assert blade_for(disc, 19.05).no == "5"
    assert blade_for(notched(8), 19.05).no == "5"
    tight = (BY_NO["3"].inner_wall_mm + BY_NO["5"].inner_wall_mm) / 2
    assert blade_for(notched(tight), 19.05).no == "3"
    assert blade_for(notched(tight), 19.05, blade_school="one", one_blade=5).no == "5"


@pytest.mark.parametrize("wood", ["aspen", "cherry", "maple", "ebony"])
@pytest.mark.parametrize("thickness", [1.0, 3.0, 6.0, 12.0, 19.05, 25.4, 38.0])
@pytest.mark.parametrize("radius", [0.4, 0.9, 1.2, 1.6, 2.0, 3.0])
def test_teeth_in_the_cut_keep_their_bounds(wood, thickness, radius):
    blade = blade_for(notched(radius), thickness, wood)
    usual = choose_blade(Practice(), thickness, woods()[wood].hardness_lbf)
    assert blade == usual or blade.teeth_in_cut(thickness) <= 14
    assert blade.teeth_in_cut(thickness) >= 2 or blade == blades()[0]
    if thickness == 19.05:
        assert blade.size >= 3


def test_a_corner_that_no_blade_turns_keeps_the_usual_one():
    wedge = shapely.box(0, 0, 60, 60).difference(shapely.Polygon([(25, 61), (30, 20), (35, 61)]))
    assert blade_for(wedge, 19.05).no == "5"


@pytest.mark.parametrize("blade", blades(), ids=lambda b: b.no)
def test_tightest_curve_by_standing_the_blade_in_its_kerf(blade):
    """Independent of the formula: a flat blade touching the inner wall must not reach the outer wall with its
    corners."""
    k, w, t = blade.kerf_mm, blade.width_mm, blade.thickness_mm

    def fits(middle: float) -> bool:
        return math.hypot(w / 2, middle - k / 2 + t) <= middle + k / 2

    assert fits(blade.tightest_mm + 1e-6)
    assert not fits(blade.tightest_mm - 1e-3)


@pytest.mark.parametrize("blade", blades(), ids=lambda b: b.no)
def test_walls_lie_half_a_kerf_from_the_middle(blade):
    """The walls of a kerf along the tightest circle, as two circles drawn by a general geometry library."""
    middle = shapely.Point(0, 0).buffer(blade.tightest_mm, quad_segs=256).exterior
    kerf = middle.buffer(blade.kerf_mm / 2, quad_segs=64)
    assert shapely.minimum_bounding_radius(kerf) == pytest.approx(blade.inner_wall_mm, rel=1e-3)
    (hole,) = kerf.interiors
    assert shapely.minimum_bounding_radius(shapely.Polygon(hole)) == pytest.approx(blade.outer_wall_mm, rel=1e-3)
    assert blade.line_mm(Practice(fit="on")) == blade.line_mm(Practice(fit="stack")) == blade.tightest_mm
    assert blade.line_mm(Practice()) == pytest.approx(blade.inner_wall_mm)


@pytest.mark.parametrize("angle", [20, 40, 60, 80])
@pytest.mark.parametrize("radius", [1.5, 3.0])
def test_what_is_left_standing_in_a_wedge(angle, radius):
    """Geometry: in a wedge of half angle a, between the corner and a disc of radius R that touches both walls, the
    largest circle that touches all three has the radius R (1 - sin a) / (1 + sin a)."""
    half = math.radians(angle / 2)
    wide = 200 * math.tan(half)
    wedge = shapely.Polygon([(0, 0), (wide, 200), (-wide, 200)])
    block = shapely.box(-80, -20, 80, 60).difference(wedge)
    expected = 2 * radius * (1 - math.sin(half)) / (1 + math.sin(half))
    (rest,) = corner_rests(radius, [1], np.array([block]))
    if expected < 0.4:
        assert rest is None or rest[0] == pytest.approx(0.4, abs=0.06)
    else:
        assert rest[0] == pytest.approx(expected, rel=0.06)
        assert rest[1] == pytest.approx((0, expected / 2 / math.sin(half)), abs=0.2 * radius)


def ring(hole_radius: float) -> shapely.Polygon:
    return shapely.box(0, 0, 60, 60).difference(shapely.Point(30, 25).buffer(hole_radius, quad_segs=64))


@pytest.mark.parametrize(("radius", "bit"), [(8, 3.2), (2.15, 3.2), (1.6, 2.0), (1.35, 1.6), (1.2, None), (0.95, None)])
def test_the_largest_bit_that_leaves_half_a_millimetre_of_waste(radius, bit):
    hole = hole_in(shapely.Polygon(ring(radius).interiors[0]), BY_NO["5"])
    assert hole.bit_mm == bit
    assert (hole.x_mm, hole.y_mm) == pytest.approx((30, 25), abs=0.1)


def test_bits_let_the_blade_through():
    for blade in blades():
        hole = hole_in(shapely.Polygon(ring(8).interiors[0]), blade)
        assert hole.bit_mm in BITS_MM
        assert hole.bit_mm >= blade.width_mm + 0.1


def stack(coverage, woods="cherry", codes=("cherry", "walnut"), **piece):
    work = composition(coverage, woods, Practice(fit="stack"), **piece)
    return sawn(edited(work, "pack", woods=",".join(codes)))


@settings(max_examples=20)
@given(st.integers(2, 60), st.integers(0, 999))
def test_in_a_stack_every_seam_is_sawn_once(count, seed):
    """All borders of the pattern, put together by a general geometry library, are what is sawn."""
    coverage = cells(count, seed)
    lines = shapely.union_all([shapely.boundary(o) for o in coverage.outlines])
    assert sum(c.length_mm for c in stack(coverage).cuts) == pytest.approx(shapely.length(lines), rel=1e-6)
    alone = sawn(composition(coverage))
    assert sum(c.length_mm for c in alone.cuts) == pytest.approx(sum(o.length for o in coverage.outlines))


def test_a_stack_saves_minutes():
    """Two pictures out of one pack take less than twice one picture, though the wood is twice as thick."""
    coverage = cells(40, 2)
    one, pack = sawn(composition(coverage, thickness_mm=6.0)), stack(coverage, thickness_mm=6.0)
    assert pack.boards == 2
    assert one.minutes < pack.minutes * 1.5
    assert pack.minutes < 2 * one.minutes * 0.8
    thickest = stack(coverage, codes=("cherry", "walnut", "maple", "holly"), thickness_mm=6.0)
    assert thickest.boards == 4
    assert thickest.cuts[0].teeth_in_cut == pytest.approx(thickest.cuts[0].blade.teeth_in_cut(24.0))
    assert thickest.minutes > pack.minutes


def strokes_of(plan) -> list:
    """Every stroke of the blade in its order."""
    return [
        (cut.part, cut.blade.name, round(cut.first_minutes, 6), stroke.kind, stroke.path.tolist())
        for cut in plan.cuts
        for stroke in cut.strokes
    ]


@pytest.mark.parametrize(
    ("verb", "keys", "values"),
    [
        ("saw_last", [9], {}),
        ("saw_way", [4], {"way": "counter-clockwise"}),
        ("saw_first", [7], {}),
        ("thickness", list(range(1, 15)), {"mm": "12"}),
        ("redraw", [], {}),
    ],
)
def test_what_is_kept_of_a_stack_is_what_is_found_afresh(verb, keys, values):
    """The ways are kept with the outlines: after an edit they are those of a work that knows of none."""
    work = edited(composition(cells(14, 5), thickness_mm=6.0), "pack", woods="cherry,walnut")
    before = strokes_of(sawn(work))
    if verb == "redraw":
        layer = work.layers[0]
        moved = {key: shapely.transform(o, lambda xy: xy * 1.25) for key, o in layer.coverage.by_key.items()}
        layer = replace(layer, coverage=layer.coverage.replaced(moved))
        work = replace(work, layers=(layer,))
    else:
        work = edited(work, verb, keys, **values)
    after = strokes_of(sawn(work))
    fresh = tuple(
        replace(layer, coverage=Coverage(layer.coverage.keys, list(layer.coverage.outlines))) for layer in work.layers
    )
    assert after == strokes_of(sawn(replace(work, layers=fresh)))
    assert after != before


def test_in_a_stack_no_hole_is_drilled_into_what_is_wood_there():
    """A ring with an eye in it, and a ring with nothing in it."""
    plan = stack(nested())
    holes = [(c.piece, h) for c in plan.cuts for h in c.holes]
    assert [(key, h.on_line) for key, h in holes] == [(2, True)]
    (_, hole) = holes[0]
    line = shapely.box(12, 12, 22, 22).exterior
    assert line.distance(shapely.Point(hole.x_mm, hole.y_mm)) < 1e-6
    assert hole.bit_mm == min(bit for bit in BITS_MM if bit >= plan.by_piece[2].blade.width_mm + 0.1)
    assert plan.by_piece[2].start_mm == (hole.x_mm, hole.y_mm)
    (waste,) = [h for c in stack(Coverage([1], [ring(8)])).cuts for h in c.holes]
    assert not waste.on_line
    assert waste.bit_mm == 3.2
    # each from its own board the inside of the ring is waste
    assert [h.on_line for c in sawn(composition(nested())).cuts for h in c.holes] == [False]


@settings(max_examples=25)
@given(st.integers(2, 60), st.integers(0, 999), st.lists(st.integers(1, 60), max_size=4))
def test_in_a_stack_the_blade_gets_to_every_line(count, seed, first):
    """Whatever somebody wants first: a piece lies at the edge, beside one that is sawn, or has a hole on its own
    line."""
    coverage = cells(count, seed)
    keys = [key for key in dict.fromkeys(first) if key in coverage.by_key]
    work = composition(coverage, "cherry", Practice(fit="stack"))
    plan = sawn(edited(work, "saw_first", keys) if keys else work)
    assert [c.piece for c in plan.cuts][: len(keys)] == keys
    edge = shapely.box(0, 0, 300, 200).exterior
    void = shapely.Polygon()
    for cut in plan.cuts:
        line = coverage.by_key[cut.piece].exterior
        open_beside = line.intersection(edge).length > 0.01 or line.intersection(void.buffer(0.01)).length > 0.05
        assert open_beside == (not cut.holes)
        for hole in cut.holes:
            assert hole.on_line
            assert line.distance(shapely.Point(hole.x_mm, hole.y_mm)) < 1e-6
        void = void.union(coverage.by_key[cut.piece])


def test_a_stack_is_sawn_from_the_edge_inwards():
    """Of 25 squares none needs a hole, unless the middle one is wanted first."""
    assert [c for c in stack(grid(5, 5)).cuts if c.holes] == []
    work = composition(grid(5, 5), "cherry", Practice(fit="stack"))
    plan = sawn(edited(work, "saw_first", [13]))
    assert [(c.piece, len(c.holes)) for c in plan.cuts if c.holes] == [(13, 1)]
    assert plan.cuts[-1].reason == "from the edge inwards"


def test_round_an_island_the_hole_is_drilled_beside_it():
    """An opening with a piece standing free in it: the waste is what lies between."""
    frame = shapely.box(0, 0, 60, 60).difference(shapely.box(10, 10, 50, 50))
    island = shapely.box(22, 22, 38, 38)
    (hole,) = [h for c in stack(Coverage([1, 2], [frame, island])).cuts for h in c.holes if not h.on_line]
    assert not island.buffer(hole.bit_mm / 2).contains(shapely.Point(hole.x_mm, hole.y_mm))
    assert not frame.intersects(shapely.Point(hole.x_mm, hole.y_mm).buffer(hole.bit_mm / 2))


def test_what_a_stack_is_told_about_its_gaps():
    """Nobody is sent to a stack for a gap that a stack has too."""
    found = codes(composition(grid(12, 1), practice=Practice(fit="on")))["row-growth"]
    assert "stack" not in found.sentence
    assert found.fix.values == {"fit": "beside"}
    work = composition(grid(12, 1), practice=Practice(fit="stack"))
    assert "pack" in codes(work)["row-growth"].sentence


def nested() -> Coverage:
    eye = shapely.box(12, 12, 22, 22)
    return Coverage([1, 2, 3], [shapely.box(0, 0, 40, 40).difference(eye), eye, shapely.box(40, 0, 120, 40)])


def test_inside_before_outside_small_before_large():
    plan = sawn(composition(nested(), "cherry"))
    assert [cut.piece for cut in plan.cuts] == [2, 1, 3]
    assert plan.cuts[0].holes == ()
    assert len(plan.by_piece[1].holes) == 1


def test_woods_are_kept_together_and_blades_change_seldom():
    coverage = cells(40, 5)
    woods = {k: ("holly", "walnut", "wenge", "aspen")[k % 4] for k in coverage.keys}
    plan = sawn(composition(coverage, woods))
    runs = [woods[c.piece] for c in plan.cuts]
    assert sum(a != b for a, b in zip(runs, runs[1:], strict=False)) <= 2 * 4
    assert len(plan.chapters) == len({c.blade for c in plan.cuts})
    assert sorted(c.piece for c in plan.cuts) == sorted(coverage.keys)
    assert [c.order for c in plan.cuts] == list(range(1, len(plan.cuts) + 1))
    assert plan.minutes == pytest.approx(sum(c.minutes for c in plan.chapters))


def test_what_the_person_put_first_comes_first():
    work = composition(grid(4, 1), "cherry")
    plan = sawn(edited(work, "saw_first", [3, 2]))
    assert [c.piece for c in plan.cuts][:2] == [3, 2]
    assert plan.cuts[0].reason == "you put it first"


def test_a_small_scene_in_pine_takes_about_forty_minutes():
    """Common practice, no source: 35 pieces in 6 mm pine, about 40 min of sawing; here squares of 30 mm."""
    plan = sawn(composition(grid(7, 5), "white_pine", thickness_mm=6.0))
    assert 30 <= plan.minutes <= 50


def test_longer_thicker_and_harder_takes_longer():
    def minutes(code, thickness, side):
        return sawn(composition(grid(1, 1, side), code, thickness_mm=thickness)).minutes

    assert minutes("cherry", 19, 60) > minutes("cherry", 19, 30)
    assert minutes("cherry", 25, 30) > minutes("cherry", 12, 30)
    assert minutes("ebony", 19, 30) > minutes("aspen", 19, 30)


def test_the_logs_ratio_multiplies_every_estimate():
    once = sawn(composition(grid(3, 1)))
    twice = sawn(composition(grid(3, 1), practice=Practice(estimate_ratio=2.0)))
    assert twice.minutes == pytest.approx(2 * once.minutes)


@pytest.mark.parametrize(("fit", "kerfs"), [("on", 1), ("beside", 0), ("stack", 1)])
def test_gaps_by_practice_add_up_along_the_longest_row(fit, kerfs):
    """Geometry: on the line every joint opens by one kerf; a row of six squares has five joints."""
    plan = sawn(composition(grid(6, 2), practice=Practice(fit=fit)))
    assert plan.gap_mm == pytest.approx(kerfs * plan.cuts[0].blade.kerf_mm)
    assert plan.row.joints == 5
    assert plan.row.growth_mm == pytest.approx(5 * plan.gap_mm)


def test_a_start_is_a_sharp_corner():
    drop = shapely.union_all([shapely.Point(0, 0).buffer(10), shapely.Polygon([(-9, 4), (0, 40), (9, 4)])])
    assert start_point(drop) == pytest.approx((0, 40))
    assert start_point(shapely.Polygon(shapely.get_coordinates(drop.exterior)[::-1])) == pytest.approx((0, 40))


def test_copies_of_a_map_that_needs_four():
    """Three cells round a fourth, all touching: the least map that needs four copies."""
    hub = shapely.Point(0, 0).buffer(5, quad_segs=6)
    big = shapely.Point(0, 0).buffer(20, quad_segs=6)
    cuts = shapely.union_all(
        [
            hub.exterior,
            big.exterior,
            *(shapely.LineString([(0, 0), (30 * math.cos(a), 30 * math.sin(a))]) for a in (0.1, 2.2, 4.3)),
        ],
        grid_size=0.001,
    )
    faces = [
        f for f in shapely.get_parts(shapely.polygonize(shapely.get_parts(cuts))) if not hub.buffer(-0.1).intersects(f)
    ]
    coverage = Coverage(
        [1, 2, 3, 4],
        [
            shapely.union_all(
                [
                    f
                    for f in shapely.get_parts(shapely.polygonize(shapely.get_parts(cuts)))
                    if hub.buffer(-0.1).intersects(f)
                ],
                grid_size=0.001,
            ),
            *faces,
        ],
    )
    assert max(cutting_copies(coverage).values()) == 4


@settings(max_examples=25)
@given(st.integers(3, 200), st.integers(0, 10_000))
def test_neighbours_never_share_a_copy_and_four_suffice(count, seed):
    """networkx says the graph is planar; the four-colour theorem then promises four."""
    coverage = cells(count, seed)
    graph = seam_graph(coverage)
    assert networkx.check_planarity(graph)[0]
    copies = cutting_copies(coverage)
    assert all(copies[a] != copies[b] for a, b in graph.edges)
    assert set(copies.values()) <= {1, 2, 3, 4}


@pytest.mark.parametrize(
    ("graph", "colours"),
    [
        (networkx.icosahedral_graph(), 4),
        (networkx.wheel_graph(8), 4),
        (networkx.wheel_graph(7), 3),
        (networkx.dodecahedral_graph(), 3),
        (networkx.cycle_graph(9), 3),
        (networkx.grid_2d_graph(5, 6), 2),
        (networkx.complete_graph(4), 4),
    ],
)
def test_graphs_whose_chromatic_number_is_known(graph, colours):
    found = colour_planar(graph)
    assert all(found[a] != found[b] for a, b in graph.edges)
    assert len(set(found.values())) == colours


def codes(work) -> dict:
    return {f.code: f for f in findings_of(work, "saw")}


def test_a_piece_too_small_to_hold():
    found = codes(composition(grid(2, 1, 8.0)))
    assert found["too-small"].pieces == (1, 2)
    assert found["too-small"].amount == pytest.approx(8.0)
    assert "too-small" not in codes(composition(grid(2, 1, 12.0)))


def test_an_inner_corner_tighter_than_the_blade():
    block = shapely.box(0, 0, 60, 60)
    slot = block.difference(shapely.box(28, 20, 28.6, 61))
    found = codes(composition(Coverage([1], [slot])))["tight-corner"]
    # what stands in the slot is measured against what may stand, and it is no wider than the slot
    assert found.limit == 0.4
    assert 0.4 <= found.amount <= 0.65
    wide = block.difference(shapely.union_all([shapely.box(15, 30, 45, 61), shapely.Point(30, 30).buffer(15)]))
    assert "tight-corner" not in codes(composition(Coverage([1], [wide])))


def test_an_opening_that_no_bit_fits():
    found = codes(composition(Coverage([1], [ring(1.0)])))
    assert found["no-bit-fits"].pieces == (1,)


def test_kerfs_that_add_up_are_said():
    assert "row-growth" in codes(composition(grid(12, 1), practice=Practice(fit="on")))
    assert "row-growth" not in codes(composition(grid(12, 1)))
