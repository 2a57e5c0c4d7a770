"""The way of the blade, swept with its kerf by a general geometry library, as somebody outside would check it."""

import math
from dataclasses import replace
from pathlib import Path

import networkx
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.bench.cards import cards
from emberquilt.cli import main
from emberquilt.drawing.way import way_scene
from emberquilt.errors import BadChoice
from emberquilt.formats.plan_json import plan_json
from emberquilt.formats.project import read_project
from emberquilt.outline.coverage import Coverage
from emberquilt.outline.details import Detail
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.rack.blades import LEAST_TEETH, blades, blades_of
from emberquilt.rack.boards import Board
from emberquilt.saw.cuts import holes_of
from emberquilt.saw.holding import blocks_of, held_by, long_and_wide
from emberquilt.saw.holes import BITS_MM, least_opening_mm
from emberquilt.saw.kerf import gape_mm, off_square_deg
from emberquilt.saw.network import OUTSIDE
from emberquilt.saw.planning import saw_plan
from emberquilt.saw.sequence import sequence_of
from emberquilt.saw.steps import SAW_VERBS
from emberquilt.saw.throat import COLUMN_MM, reach_of, swept
from emberquilt.saw.turning import CORNERS, bends_of, runs_along
from emberquilt.saw.wear import Worn, fresh_at, life_mm
from emberquilt.work.composition import Composition, Layer, Piece, Placement
from emberquilt.work.parts import job_of
from tests.conftest import cells, composition, edited, findings_of, grid

BY_NO = {blade.no: blade for blade in blades()}
TOUCH_MM = 0.03


def star(points: int = 5, outer: float = 30.0, inner: float = 12.0) -> shapely.Polygon:
    turn = math.pi / points
    radii = [outer if i % 2 == 0 else inner for i in range(2 * points)]
    return shapely.Polygon([(40 + r * math.sin(i * turn), 40 - r * math.cos(i * turn)) for i, r in enumerate(radii)])


def letter_e() -> shapely.Polygon:
    bars = [shapely.box(0, 0, 8, 40), *(shapely.box(0, y, 30, y + 8) for y in (0, 16, 32))]
    return shapely.union_all(bars)


def framed() -> Coverage:
    """A ring with an island standing free in it, a piece that fills another hole, and one beside it."""
    frame = shapely.box(0, 0, 90, 60) - shapely.box(10, 10, 40, 50) - shapely.box(50, 10, 80, 50)
    return Coverage(
        [1, 2, 3, 4], [frame, shapely.box(18, 18, 32, 42), shapely.box(50, 10, 80, 50), shapely.box(90, 0, 120, 60)]
    )


def outlines_of(told: dict) -> dict[str, shapely.Geometry]:
    """Every part's outline from its rings, as the plan prints them."""
    found = {}
    for part in told["parts"]:
        rings = [shapely.Polygon(ring) for ring in part["rings"]]
        shape = shapely.Polygon()
        for ring in rings:
            shape = shape.symmetric_difference(ring)
        found[part["id"]] = shape
    return found


def check_ways(work: Composition) -> dict:
    """Sweeps every blank's way with its kerf: every part comes free, once; none is cut into by more than the line is
    set off; and what drops out is the part, with no more waste on it than the kerf is wide."""
    told = plan_json(Plan(work))
    outlines = outlines_of(told)
    practice = work.practice
    for blank, way in zip(told["blanks"], told["way"], strict=True):
        strokes = [stroke for stroke in way["strokes"] if stroke["kind"] != "accent"]
        freed = [part for stroke in strokes for part in stroke["frees"]]
        assert sorted(freed) == sorted(blank["parts"])
        assert {stroke["corner"] for stroke in strokes} <= set(CORNERS)
        widest = max(stroke["kerf_mm"] for stroke in strokes)
        offset = 0.0 if blank["pack"] else practice.offset_mm(widest)
        cut = shapely.union_all(
            [
                shapely.LineString(s["path"]).buffer(s["kerf_mm"] / 2 - TOUCH_MM / 2)
                for s in strokes
                if len(s["path"]) > 1
            ]
        )
        left = shapely.get_parts(shapely.difference(shapely.Polygon(blank["stock"]).buffer(30), cut))
        lead_of: dict[str, shapely.Geometry] = {}
        for part in blank["parts"]:
            if not any(outlines[part].equals(other) for other in lead_of.values()):
                lead_of[part] = outlines[part]
        for hole in told["holes"]:
            if hole["blank"] == way["blank"] and hole["bit_mm"] and not hole["on_line"]:
                drilled = shapely.Point(hole["x_mm"], hole["y_mm"]).buffer(hole["bit_mm"] / 2)
                assert not any(drilled.intersects(outline) for outline in lead_of.values()), "a hole in the wood"
        closed = shapely.MultiPoint(
            [(h["x_mm"], h["y_mm"]) for h in told["holes"] if h["blank"] == way["blank"] and h["bit_mm"] is None]
        )
        for part, outline in lead_of.items():
            # what is sawn apart along one line gives half a kerf on either side
            kept = outline.buffer((0.0 if len(lead_of) > 1 else offset) - widest / 2 - TOUCH_MM)
            assert kept.intersection(cut).area < 0.02, f"{part} is cut into"
            for body in shapely.get_parts(kept):
                if body.area < 1.0:
                    continue
                (mine,) = [one for one in left if one.intersection(body).area > 0.5 * body.area]
                home = max(shapely.get_parts(outline), key=lambda one, body=body: one.intersection(body).area)
                more = mine.difference(home.buffer(max(0.0, offset - widest / 2) + TOUCH_MM))
                # an opening that no bit fits stays closed, and is said
                filled = [shapely.Polygon(ring) for ring in home.interiors]
                more = more.difference(shapely.union_all([ring for ring in filled if ring.intersects(closed)]))
                assert more.buffer(-widest / 2 - 0.05).is_empty, f"{part} keeps waste"
    return told


FITS = ["on", "beside", "gap", "stack"]


@settings(max_examples=30)
@given(st.integers(1, 30), st.integers(0, 999), st.sampled_from(FITS), st.sampled_from([6.0, 19.05]))
def test_the_way_leaves_every_cell_whole_and_frees_it(count, seed, fit, thick):
    check_ways(composition(cells(count, seed), practice=Practice(fit=fit, gap_mm=0.15), thickness_mm=thick))


@settings(max_examples=15)
@given(st.integers(2, 25), st.integers(0, 999), st.sampled_from(["on", "beside"]))
def test_out_of_one_sheet_too(count, seed, fit):
    work = composition(cells(count, seed), practice=Practice(fit=fit), thickness_mm=6.0)
    layers = (replace(work.layers[0], kind="sheet", thickness_mm=6.0),)
    told = check_ways(replace(work, layers=layers))
    assert sum(len(blank["parts"]) > 1 for blank in told["blanks"]) <= 1


@settings(max_examples=25)
@given(st.integers(6, 40), st.integers(0, 999), st.sampled_from(FITS), st.sampled_from(["mosaic", "sheet"]))
def test_with_openings_that_several_bodies_border(count, seed, fit, kind):
    """Cells of which four in ten are cut away: openings, islands and notches of all kinds."""
    cut_out, rng = cells(count, seed), np.random.default_rng(seed)
    keep = [key for key in cut_out.keys if rng.random() < 0.6] or [cut_out.keys[0]]
    work = composition(cut_out.only(keep), practice=Practice(fit=fit), thickness_mm=6.0)
    check_ways(replace(work, layers=(replace(work.layers[0], kind=kind, thickness_mm=6.0),)))


@settings(max_examples=30)
@given(st.integers(0, 9999), st.sampled_from(FITS), st.sampled_from(["mosaic", "sheet"]), st.sampled_from([3.0, 12.0]))
def test_shapes_nobody_drew(seed, fit, kind, thick):
    """Boxes and discs thrown together and cut out of each other, with slots, tips and holes of all sizes."""
    rng = np.random.default_rng(seed)
    heap = shapely.box(20, 20, 70, 70)
    for _ in range(int(rng.integers(1, 7))):
        x, y = rng.uniform(0, 90, 2)
        disc = shapely.Point(x, y).buffer(rng.uniform(3, 20), quad_segs=8)
        box = shapely.affinity.rotate(
            shapely.box(x, y, x + rng.uniform(4, 40), y + rng.uniform(4, 40)), rng.uniform(0, 90)
        )
        one = disc if rng.random() < 0.4 else box
        heap = heap.union(one) if rng.random() < 0.6 else heap.difference(one)
    parts = [
        p for p in shapely.get_parts(shapely.set_precision(heap, 0.001)) if p.geom_type == "Polygon" and p.area > 30
    ]
    apart = [p for i, p in enumerate(parts) if all(p.distance(other) > 1.5 for other in parts[:i])]
    if apart:
        work = composition(Coverage(range(1, len(apart) + 1), apart), practice=Practice(fit=fit), thickness_mm=thick)
        check_ways(replace(work, layers=(replace(work.layers[0], kind=kind, thickness_mm=thick),)))


@pytest.mark.parametrize("fit", ["on", "beside"])
def test_a_painted_drawing_as_a_stack_of_sheets(fit, tmp_path):
    """A real file: sheets with islands behind what stands in front of them."""
    drawing = Path(__file__).parents[2] / "workshop" / "compositions" / "demo" / "lighthouse.svg"
    made = tmp_path / "lighthouse.ember"
    asked = ["--width", "240mm", "--stack", "8mm", "--woods", "cherry", "--thickness", "6mm"]
    assert main(["make", str(drawing), *asked, "-o", str(made)]) == 0
    work = read_project(made.read_bytes()).composition
    check_ways(replace(work, practice=work.practice.changed(fit=fit)))


@pytest.mark.parametrize("fit", FITS)
@pytest.mark.parametrize("shape", [star(), star(8, 30, 24), letter_e(), shapely.Point(30, 30).buffer(12)])
def test_stars_letters_and_discs(shape, fit):
    check_ways(composition(Coverage([1], [shape]), practice=Practice(fit=fit), thickness_mm=12.0))


@pytest.mark.parametrize("fit", FITS)
@pytest.mark.parametrize("kind", ["mosaic", "sheet"])
def test_islands_and_what_fills_a_hole(kind, fit):
    work = composition(framed(), practice=Practice(fit=fit), thickness_mm=6.0)
    check_ways(replace(work, layers=(replace(work.layers[0], kind=kind, thickness_mm=6.0),)))


def test_the_koi_come_free_whole(koi):
    check_ways(composition(koi.coverage))


def test_a_stack_of_layers_frees_a_part_of_each():
    coverage = Coverage([1], [star()])
    other = Coverage([2], [star()])
    layers = (
        Layer(1, "One", "sheet", coverage, (Piece(1, 1, "cherry", 0.0),), 6.0),
        Layer(2, "Two", "sheet", other, (Piece(2, 2, "walnut", 0.0),), 6.0),
    )
    work = edited(Composition("Two stars", 80, 80, layers), "stack_layers", layer=1)
    told = check_ways(work)
    assert [blank["parts"] for blank in told["blanks"] if len(blank["parts"]) > 1] == [["1", "2"]]
    (blank,) = [blank for blank in told["blanks"] if blank["stack"] == 2]
    assert blank["thickness_mm"] == 12.0


# corners


def square(side: float = 40.0) -> np.ndarray:
    return np.array([[0.0, 0.0], [side, 0.0], [side, side], [0.0, side]])


@pytest.mark.parametrize("blade", blades(), ids=lambda b: b.no)
@pytest.mark.parametrize("share", [0.7, 1.4])
def test_a_curve_is_a_corner_when_the_blade_does_not_turn_it(blade, share):
    """The radius a blade follows, against a rectangle swept along the circle in its own kerf: it stands clear of both
    walls exactly where nothing is called a corner."""
    radius = share * blade.tightest_mm
    turn = np.linspace(0.0, math.pi, 60)
    arc = radius * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    straight = np.array([[radius, -20.0], *arc, [-radius, -20.0]])
    found = bends_of(straight, False, blade.tightest_mm)
    half, thick = blade.kerf_mm / 2, blade.thickness_mm
    # the blade stands with its back on the inner wall; its corners must not reach through the outer one
    corner = math.hypot(blade.width_mm / 2, max(radius - half, 0.0) + thick)
    stands = radius >= half and corner <= radius + half
    assert bool(found) != stands


def test_at_outer_corners_one_turns_in_the_waste_and_at_inner_ones_comes_from_both_sides():
    """Geometry: turning on the spot the blade's back swings to the outer side of the turn."""
    blade = BY_NO["5"]
    around = np.concatenate([square(), square()[:1]])
    runs = runs_along(around, 1, blade, lambda _: True)
    assert [run.corner for run in runs] == ["pivot", "pivot", "pivot", ""]
    inner = runs_along(around[::-1], 1, blade, lambda _: True)
    assert [run.corner for run in inner if run.kind == "line"].count("back") == 3
    assert [run.corner for run in inner].count("other side") == 3
    assert [run.kind for run in inner].count("waste") == 3
    # where the waste has no room one turns on the spot all the same
    assert {run.corner for run in runs_along(around[::-1], 1, blade, lambda _: False)} == {"pivot", ""}


def test_a_sharp_tip_is_run_past_in_a_loop_that_stays_in_the_waste():
    work = composition(Coverage([1], [star()]), thickness_mm=12.0)
    (cut,) = [cut for cut in saw_plan(job_of(work)).cuts if cut.piece]
    loops = [stroke for stroke, after in zip(cut.strokes, cut.strokes[1:], strict=False) if stroke.corner == "loop"]
    assert len(loops) == 4
    waste = [stroke for stroke in cut.strokes if stroke.kind == "waste"]
    for stroke in waste:
        assert not star().intersects(shapely.LineString(stroke.path).buffer(cut.blade.kerf_mm / 2 - TOUCH_MM))
    turns = [float(np.abs(_turns(stroke.path)).sum()) for stroke in waste if len(stroke.path) > 20]
    # past the tip the long way round: 360 degrees less what the line turns there
    tip = 180 - math.degrees(2 * math.atan2(12 * math.sin(math.pi / 5), 30 - 12 * math.cos(math.pi / 5)))
    assert turns == pytest.approx([math.radians(360 - tip)] * 4, rel=0.05)


def _turns(path: np.ndarray) -> np.ndarray:
    step = np.diff(path, axis=0)
    cross = step[:-1, 0] * step[1:, 1] - step[:-1, 1] * step[1:, 0]
    return np.arctan2(cross, (step[:-1] * step[1:]).sum(axis=1))


def test_a_way_begins_at_a_corner_or_where_a_person_wants_it_and_goes_round_as_wanted():
    work = composition(grid(1, 1), thickness_mm=12.0)
    (cut,) = [cut for cut in saw_plan(job_of(work)).cuts if cut.piece]
    assert shapely.box(0, 0, 30, 30).exterior.distance(shapely.Point(cut.start_mm)) < 1.0
    assert min(math.dist(cut.start_mm, corner) for corner in ((0, 0), (30, 0), (30, 30), (0, 30))) < 0.6
    assert not _ring(cut).is_ccw  # y runs downwards: clockwise as seen

    def other(**values):
        made = edited(work, "saw_way", [1], **values)
        return next(c for c in saw_plan(job_of(made)).cuts if c.piece)

    assert _ring(other()).is_ccw
    assert _ring(other(way="counter-clockwise")).is_ccw
    begun = edited(work, "saw_start", [1], x="30", y="30")
    (cut,) = [cut for cut in saw_plan(job_of(begun)).cuts if cut.piece]
    assert math.dist(cut.start_mm, (30, 30)) < 0.6
    with pytest.raises(BadChoice, match="clockwise"):
        edited(work, "saw_way", [1], way="sideways")


def _ring(cut) -> shapely.LinearRing:
    """The closed line of a cut, as the eye sees it: y upwards."""
    xy = np.concatenate([stroke.path for stroke in cut.strokes if stroke.kind == "line"])
    return shapely.LinearRing(xy * [1, -1])


# holes


def test_holes_lie_at_the_fattest_spot_of_the_waste_and_touch_no_wood():
    """The fattest spot by Shapely's own circle in the opening."""
    opening = shapely.union_all([shapely.box(10, 10, 18, 30), shapely.Point(34, 20).buffer(8)])
    block = shapely.box(0, 0, 60, 40) - opening.buffer(0)
    work = composition(Coverage([1], [block]), thickness_mm=12.0)
    holes = [one.hole for one in holes_of(saw_plan(job_of(work)))]
    assert len(holes) == 2
    for hole in holes:
        point = shapely.Point(hole.x_mm, hole.y_mm)
        assert block.distance(point.buffer(hole.bit_mm / 2)) >= 0.5 - 0.02
        mine = next(part for part in shapely.get_parts(opening) if part.contains(point))
        assert block.distance(point) == pytest.approx(shapely.maximum_inscribed_circle(mine).length, rel=0.03)
        assert hole.bit_mm == max(BITS_MM)


@pytest.mark.parametrize("wide", [1.0, 1.9, 2.6, 4.0, 9.0])
def test_an_opening_takes_a_finer_blade_or_is_named_with_the_least_size(wide):
    block = shapely.box(0, 0, 40, 40) - shapely.Point(20, 20).buffer(wide / 2, quad_segs=32)
    work = composition(Coverage([1], [block]), thickness_mm=4.0)
    plan = saw_plan(job_of(work))
    inside = next(cut for cut in plan.cuts if cut.holes)
    (hole,) = inside.holes
    finest = min(least_opening_mm(blade) for blade in blades() if blade.teeth_in_cut(4.0) <= 14)
    assert (hole.bit_mm is not None) == (wide * 0.98 >= finest)
    if hole.bit_mm is None:
        (found,) = [f for f in findings_of(work, "saw") if f.code == "no-bit-fits"]
        assert found.limit == pytest.approx(least_opening_mm(inside.blade), abs=0.05)
        assert found.amount == pytest.approx(wide, abs=0.15)
    else:
        assert hole.bit_mm >= inside.blade.width_mm + 0.1


def test_a_plate_is_sawn_inside_with_a_finer_blade_than_outside():
    """Met in practice: the outer oval of a plate with a coarser blade than its inside. Common practice, no source."""
    slots = [shapely.box(20 + 12 * i, 20, 22.2 + 12 * i, 40) for i in range(4)]
    plate = shapely.affinity.scale(shapely.Point(40, 30).buffer(30, quad_segs=32), 1.3, 1.0)
    work = composition(Coverage([1], [plate.difference(shapely.union_all(slots))]), thickness_mm=6.0)
    plan = Plan(work)
    inner, outer = [cut for cut in plan.saw.cuts if cut.piece]
    assert (inner.what, outer.what) == ("inside", "outline")
    assert inner.blade.size < outer.blade.size
    assert inner.frees == ()
    assert outer.frees == ("1",)
    assert outer.holes == ()
    check_ways(work)
    # either is a step of its own, and ticking the one does not tick the other
    steps = [step for step in plan.steps if step.verb in SAW_VERBS]
    assert [(step.verb, step.parts) for step in steps[:2]] == [("inside", ("1",)), ("saw", ("1",))]
    half = Plan(work, done=frozenset({steps[0].mark("1")}))
    assert [step.verb for step in half.left if step.verb in SAW_VERBS] == ["saw"]
    shown = [card for card in cards(plan.job, plan.steps, plan.saw, plan.glue) if card.step.verb in SAW_VERBS]
    assert [card.verb for card in shown] == ["Saw inside", "Saw"]
    assert plan.saw.cut_at(steps[0].key, "1") is inner


# bevels


def inside_one() -> Composition:
    """A disc in the middle of a board."""
    disc = shapely.Point(40, 40).buffer(15, quad_segs=32)
    disc = shapely.transform(disc, lambda xy: xy.round(3))
    return composition(Coverage([1, 2], [shapely.box(0, 0, 80, 80) - disc, disc]))


def test_a_bevelled_piece_comes_out_of_one_blank_with_what_it_jams_in():
    """Its hole lies on the line and is drilled at the table's tilt; what it lies in is sawn afterwards, square."""
    work = edited(inside_one(), "bevel", [2], rise="10 mm")
    told = check_ways(work)
    (blank,) = [one for one in told["blanks"] if "2" in one["parts"]]
    assert blank["parts"] == ["2", "1"]
    assert blank["stack"] == 1
    plan = Plan(work).saw
    tilt = plan.by_piece[2].tilt_deg
    assert blank["tilt_deg"] == pytest.approx(tilt, abs=1e-3)
    assert 1 < tilt < 4
    assert [(hole["part"], hole["on_line"], hole["tilt_deg"]) for hole in told["holes"]] == [
        ("2", True, pytest.approx(tilt, abs=1e-3))
    ]
    assert plan.by_piece[2].order < plan.by_piece[1].order
    assert plan.by_piece[1].tilt_deg == 0.0
    # the disc needs no board of its own, and nothing else is laid where it comes out
    (need,) = [one for one in Plan(work).needs if one.material == "cherry"]
    assert need.parts == ("1",)
    assert need.net_mm2 == pytest.approx(80 * 80, rel=1e-6)
    two = replace(
        work,
        layers=(
            replace(
                work.layers[0], pieces=(work.layers[0].pieces[0], replace(work.layers[0].pieces[1], wood="walnut"))
            ),
        ),
    )
    (pack,) = [one for one in plan_json(Plan(two))["blanks"] if "2" in one["parts"]]
    assert (pack["stack"], pack["thickness_mm"]) == (2, pytest.approx(2 * 19.05))


@pytest.mark.parametrize("down", ["left", "right"])
@pytest.mark.parametrize("how", ["high", "low"])
def test_the_way_round_a_bevel_by_vectors(down, how):
    """In space: the blade is upright, the table leans; walked along the strokes the wall of the piece is wider below
    where it must rise and wider above where it must sink."""
    work = edited(inside_one(), "practice", table_down=down)
    work = edited(work, "bevel", [2], rise="10 mm", how=how)
    cut = Plan(work).saw.by_piece[2]
    path = np.concatenate([stroke.path for stroke in cut.strokes if stroke.kind == "line"])
    step = np.diff(path, axis=0)
    middle = (path[:-1] + path[1:]) / 2
    ahead = step / np.hypot(*step.T)[:, None]
    # as one stands at the saw the wood comes at the blade, ahead is away from the sawyer; y is down the picture,
    # z out of it towards the eye, so that right = ahead turned clockwise as seen
    right = np.stack([-ahead[:, 1], ahead[:, 0]], axis=1)
    lean = math.tan(math.radians(cut.tilt_deg)) * (1 if down == "left" else -1)
    # with its left side down the table, and the wood on it, is turned so that in the wood the blade's lower end lies
    # towards the right hand: per mm of depth by tan(tilt)
    outward = middle - np.array([40.0, 40.0])
    below = middle + lean * right
    grows = (np.hypot(*(below - 40.0).T) - np.hypot(*outward.T)).mean()
    assert (grows > 0) == (how == "high")


# the throat


def brute_reach(stock: shapely.Polygon, place, heading: float) -> float:
    """The farthest of the stock behind the blade in front of the column, by cutting it with a box."""
    box = shapely.box(0.0, -COLUMN_MM / 2, 4000.0, COLUMN_MM / 2)
    turned = shapely.affinity.rotate(box, math.degrees(heading) + 180, origin=(0, 0))
    strip = shapely.affinity.translate(turned, *place)
    part = stock.convex_hull.intersection(strip)
    if part.is_empty:
        return 0.0
    xy = shapely.get_coordinates(part) - np.array(place)
    return float(max(0.0, (xy @ -np.array([math.cos(heading), math.sin(heading)])).max()))


@settings(max_examples=60)
@given(st.floats(60, 600), st.floats(20, 200), st.floats(0, 1), st.floats(0, 1), st.floats(0, 2 * math.pi))
def test_how_far_the_work_reaches_back(long, wide, at_x, at_y, heading):
    stock = shapely.box(0, 0, long, wide)
    place = np.array([[at_x * long, at_y * wide]])
    reach = reach_of(place, np.array([heading]), stock)[0]
    assert reach == pytest.approx(brute_reach(stock, place[0], heading), abs=1e-6)


@pytest.mark.parametrize("throat", [120.0, 250.0, 420.0])
def test_the_sweep_finds_every_hit_that_steps_of_a_degree_and_a_millimetre_find(throat):
    stock = shapely.box(0, 0, 460, 90)
    ring = np.array([[300.0, 20], [380, 20], [380, 70], [300, 70], [300, 20]])
    sweep = swept([ring], stock, throat)
    worst = 0.0
    for a, b in zip(ring, ring[1:], strict=False):
        heading = math.atan2(*(b - a)[::-1])
        worst = max([worst, *(brute_reach(stock, a + t * (b - a), heading) for t in np.linspace(0, 1, 82))])
    for corner, turn in zip(ring[1:-1], (0, 90, 180), strict=True):
        worst = max([worst, *(brute_reach(stock, corner, math.radians(turn + d)) for d in range(91))])
    assert sweep.reach_mm == pytest.approx(worst, abs=1.5)
    assert bool(sweep.hits) == (worst > throat)


def test_what_is_offered_where_the_work_hits_the_column():
    """A strip of 800 mm: whatever is offered is free of hits once it is taken."""
    strip = shapely.box(0, 0, 800, 60) - shapely.Point(700, 30).buffer(12)
    work = composition(Coverage([1], [strip]), practice=Practice(throat_mm=406.4), thickness_mm=12.0)
    (found,) = [f for f in findings_of(work, "saw") if f.code == "hits-column"]
    assert found.amount > found.limit == 406.4
    offers = [fix for fix in (found.fix, *found.more) if fix and fix.verb != "accept"]
    assert offers
    for fix in offers:
        values = dict(fix.values)
        keys = values.pop("pieces", [])
        then = edited(work, fix.verb, keys, **values)
        assert "hits-column" not in [f.code for f in findings_of(then, "saw")], fix.label
    short = composition(Coverage([1], [shapely.box(0, 0, 300, 60)]), thickness_mm=12.0)
    assert "hits-column" not in [f.code for f in findings_of(short, "saw")]


def test_sawn_from_both_sides_of_its_start_where_the_throat_asks_it():
    work = composition(
        Coverage([1], [shapely.box(0, 0, 700, 40)]), practice=Practice(throat_mm=406.4), thickness_mm=12.0
    )
    both = edited(work, "saw_way", [1], way="both")
    cut = Plan(both).saw.by_piece[1]
    assert "back out" in [stroke.corner for stroke in cut.strokes]
    check_ways(both)


# blades


def test_how_long_a_blade_lasts():
    """Common practice, no source: a first profile through 38 mm poplar takes 20 min and most of one blade; thicker and
    harder wood wears it sooner."""
    seven = BY_NO["7"]
    feed = 80 / ((38 / 19.05) ** 0.8 * (540 / 950) ** 0.5)
    assert 0.6 <= 20 * feed / life_mm(seven, 38.0, 540) <= 1.0
    assert life_mm(seven, 12, 950) > life_mm(seven, 19, 950) > life_mm(seven, 19, 3000)
    crown = replace(seven, kind="crown")
    assert life_mm(crown, 19, 950) > life_mm(seven, 19, 950)


@settings(max_examples=120)
@given(st.lists(st.tuples(st.floats(0.01, 1.4), st.booleans()), min_size=1, max_size=30))
def test_no_blade_saws_longer_than_it_lasts_where_that_can_be_helped(cuts):
    worn = [Worn(share, free) for share, free in cuts]
    fresh = fresh_at(worn)
    assert fresh == sorted(set(fresh))
    used = 0.0
    for n, one in enumerate(worn):
        used = one.share if n in fresh or n == 0 else used + one.share
        assert used <= 1.0 + 1e-9 or one.share > 1.0
    # and as few are mounted as a plain count allows, but for what a change where the blade is out gives away
    least = math.ceil(sum(one.share for one in worn if one.share <= 1) - 1e-9) - 1
    assert len(fresh) >= least or any(one.share > 1 for one in worn)


def test_blades_to_have_at_hand_are_counted_against_the_shops_own_table():
    coverage = grid(6, 6, 40.0)
    table = [["5", 0.97, 0.41, 14, 1], ["7", 1.14, 0.43, 12, 0]]
    work = composition(coverage, "maple", Practice(blades=None).changed(blades=table))
    plan = Plan(work)
    need = next(need for need in plan.saw.needs if need.blade.no == "7")
    assert need.count == 1 + len(need.fresh)
    assert need.count >= sum(cut.wears for cut in plan.saw.cuts if cut.piece) - 1e-6
    assert "blades-short" in [f.code for f in plan.findings("saw")]
    assert "blades-short" not in [f.code for f in Plan(composition(coverage, "maple")).findings("saw")]


@pytest.mark.parametrize(
    "bad",
    [
        [],
        "",
        "5",
        "5: 0.97",
        "5: wide thin 14",
        "5: 0.4 0.97 14",
        [["5", 0.97, 0.41, 14], ["5", 1.0, 0.4, 12]],
        7,
        [[]],
    ],
)
def test_a_table_that_is_none_ends_in_a_sentence(bad):
    with pytest.raises(BadChoice, match="blade"):
        Practice().changed(blades=bad)


def test_a_shops_own_table_decides_and_comes_back():
    own = Practice().changed(blades="5: 0.97 0.41 14 3\n2/0: 0.56, 0.25, 28, 0")
    assert [blade.no for blade in blades_of(own)] == ["2/0", "5"]
    assert [blade.size for blade in blades_of(own)] == [-1, 5]
    assert Practice.from_dict(own.as_dict()) == own
    assert own.changed(blades="usual") == Practice()
    assert "blades" not in Practice().as_dict()
    pins = Practice(blade_kind="pinned")
    assert all(least_opening_mm(blade) >= 6.0 for blade in blades_of(pins))


def test_wood_too_thin_for_any_blade_is_said():
    (found,) = [f for f in findings_of(composition(grid(1, 1), thickness_mm=1.2), "saw") if f.code == "few-teeth"]
    assert found.amount < found.limit == LEAST_TEETH


# joints


def test_the_gap_on_every_seam_is_what_the_kerfs_leave():
    """Shapely: between two neighbours sawn by the way's own kerfs the clear gap is what the plan says."""
    for practice in (Practice(fit="on"), Practice(fit="gap", gap_mm=0.2), Practice()):
        work = composition(grid(2, 1), practice=practice)
        plan = Plan(work).saw
        ((_, gap),) = plan.gaps(job_of(work)).items()
        sawn = []
        for key in (1, 2):
            cut = plan.by_piece[key]
            swath = shapely.union_all(
                [shapely.LineString(s.path).buffer(cut.blade.kerf_mm / 2, quad_segs=16) for s in cut.strokes]
            )
            sawn.append(
                max(
                    shapely.get_parts(shapely.box(-5, -5, 65, 35) - swath),
                    key=lambda one, k=key: one.intersection(grid(2, 1).by_key[k].buffer(-3)).area,
                )
            )
        assert sawn[0].distance(sawn[1]) == pytest.approx(gap, abs=0.01)
        assert gap == pytest.approx(practice.joint_mm(plan.by_piece[1].blade.kerf_mm), abs=1e-9)


def test_a_blade_out_of_square():
    """Geometry, also by the two lines themselves: faces that lean by e apart at T are 2 T tan e."""
    assert gape_mm(19.05, 1.0) == pytest.approx(2 * 19.05 * math.sin(math.radians(1)) / math.cos(math.radians(1)))
    assert off_square_deg(gape_mm(38.0, 0.7), 38.0) == pytest.approx(0.7)
    work = edited(composition(grid(2, 1)), "square_check", gap="0.7 mm", thickness="19.05 mm")
    assert work.practice.square_deg == pytest.approx(1.05, abs=0.02)
    assert "out-of-square" in [f.code for f in findings_of(work, "saw")]
    square = edited(work, "square_check", gap="", thickness="19 mm")
    assert square.practice.square_deg == 0.0


# holding


@settings(max_examples=25)
@given(st.integers(3, 25), st.integers(0, 999))
def test_what_hangs_together_by_networkx(count, seed):
    """Blocks that come away are the parts of the graph of lines that are not sawn yet, without the waste's."""
    work = composition(cells(count, seed), practice=Practice(fit="stack"))
    plan = Plan(work).saw
    net, leads = plan.nets[0]
    assert sorted(leads) == sorted(plan.blanks[0].leads)
    sawn = [n for cut in plan.cuts for n in cut.lines]
    assert sorted(sawn) == list(range(len(net.lines)))
    seen = set()
    for block in blocks_of(net, sawn):
        graph = networkx.Graph()
        graph.add_nodes_from(range(len(net.bodies)))
        for n in sawn[block.after :]:
            line = net.lines[n]
            graph.add_edge(*(side if side >= 0 else "waste" for side in (line.left, line.right)))
        together = networkx.node_connected_component(graph, block.bodies[0])
        assert together == set(block.bodies)
        assert "waste" not in together
        seen.add(block.bodies)
    assert len(net.of_body) == len(net.bodies)


def test_the_net_has_every_neighbour_that_the_coverage_has():
    coverage = cells(30, 3)
    net, leads = Plan(composition(coverage, practice=Practice(fit="stack"))).saw.nets[0]
    pairs = {
        frozenset(int(leads[side]) for side in (line.left, line.right))
        for line in net.lines
        if line.left >= 0 and line.right >= 0
    }
    assert pairs == {frozenset((seam.a, seam.b)) for seam in coverage.seams}
    outside = [line for line in net.lines if OUTSIDE in (line.left, line.right)]
    assert sum(line.drawn_mm for line in outside) == pytest.approx(1000.0)


def test_an_arm_that_hangs_free_is_said():
    assert long_and_wide([shapely.box(0, 0, 80, 10)]) == pytest.approx((80, 10))
    # a long thin pair within two halves of a frame: it comes away in one piece before it is parted
    room = shapely.box(10, 10, 110, 20)
    halves = [shapely.box(0, 0, 120, 15) - room, shapely.box(0, 15, 120, 30) - room]
    bodies = [halves[0], shapely.box(10, 10, 110, 15), shapely.box(10, 15, 110, 20), halves[1]]
    work = composition(Coverage([1, 2, 3, 4], bodies), thickness_mm=6.0)
    work = replace(work, layers=(replace(work.layers[0], kind="sheet", thickness_mm=6.0),))
    work = edited(work, "saw_first", [1, 4])
    (found,) = [f for f in findings_of(work, "saw") if f.code == "long-arm"]
    assert found.pieces == (2, 3)


# accents, packs, pins


@pytest.mark.parametrize("school", ["after", "before", "mixed"])
def test_lines_that_free_nothing_are_sawn_where_the_school_puts_them(school):
    work = composition(Coverage([1], [shapely.box(0, 0, 60, 40)]), practice=Practice(accents=school), thickness_mm=12.0)
    line = Detail(((0.0, 20.0), (25.0, 22.0)), "sawn")
    decided = replace(work.decisions, pattern=replace(work.decisions.pattern, details=(line,)))
    work = replace(work, decisions=decided)
    cut = Plan(work).saw.by_piece[1]
    kinds = [stroke.kind for stroke in cut.strokes]
    at = kinds.index("accent")
    lines = [i for i, kind in enumerate(kinds) if kind == "line"]
    assert {"after": at > max(lines), "before": at < min(lines), "mixed": min(lines) < at < max(lines)}[school]
    assert cut.strokes[at].length_mm == pytest.approx(line.geometry.length, abs=0.4)
    check_ways(work)
    inner = Detail(((20.0, 20.0), (40.0, 22.0)), "sawn")
    decided = replace(work.decisions, pattern=replace(work.decisions.pattern, details=(inner,)))
    assert len(Plan(replace(work, decisions=decided)).saw.by_piece[1].holes) == 1


def test_a_pack_that_the_saw_does_not_take_is_said():
    work = composition(grid(2, 2), practice=Practice(fit="stack"), thickness_mm=25.4)
    thick = edited(work, "pack", woods="cherry,walnut,maple")
    (found,) = [f for f in findings_of(thick, "saw") if f.code == "too-thick"]
    assert (found.amount, found.limit) == (pytest.approx(76.2), 50.0)
    assert "too-thick" not in [f.code for f in findings_of(composition(grid(2, 2)), "saw")]


def test_what_a_person_wants_last_comes_last_but_never_what_lies_inside():
    work = composition(grid(4, 1))
    plan = Plan(edited(work, "saw_last", [1])).saw
    assert [cut.piece for cut in plan.cuts if cut.piece][-1] == 1
    assert plan.by_piece[1].reason == "you put it last"
    assert Plan(edited(edited(work, "saw_last", [1]), "saw_first", [1])).saw.by_piece[1].order == 1
    nested = composition(framed(), practice=Practice(fit="stack"), thickness_mm=6.0)
    order = [cut.piece for cut in Plan(edited(nested, "saw_last", [3])).saw.cuts if cut.piece]
    assert order.index(3) < order.index(1)


# what the player is told


def test_the_player_is_told_every_stroke_and_what_is_left():
    work = composition(framed(), practice=Practice(fit="stack"), thickness_mm=6.0)
    plan = Plan(work)
    scene = way_scene(plan.job, plan.saw, "1")
    assert [body["key"] for body in scene["bodies"]] == ["1", "2", "3", "4"] or len(scene["bodies"]) == 4
    left = [stroke["left"] for stroke in scene["strokes"]]
    assert left == sorted(left, reverse=True)
    assert left[-1] == pytest.approx(0.0, abs=0.2)
    assert {key for stroke in scene["strokes"] for key in stroke["frees"]} == {"1", "2", "3", "4"}
    assert scene["strokes"][scene["begin"]]["part"] == "1"
    assert all(stroke["words"].endswith(".") for stroke in scene["strokes"])
    assert way_scene(plan.job, plan.saw, "nothing") == {}


def test_a_path_of_a_hundred_thousand_points_is_planned():
    turn = np.linspace(0, 2 * math.pi, 100_000, endpoint=False)
    radius = 80 + 2 * np.sin(9 * turn)
    disc = shapely.Polygon(np.stack([100 + radius * np.cos(turn), 100 + radius * np.sin(turn)], axis=1))
    told = check_ways(composition(Coverage([1], [disc]), thickness_mm=12.0))
    assert sum(len(stroke["path"]) for way in told["way"] for stroke in way["strokes"]) < 5000


def test_a_part_laid_within_another_is_begun_from_a_hole_beside_it():
    """On the board a disc lies in the opening of a ring that is sawn later: no straight way leads in."""
    ring = shapely.Point(60, 60).buffer(50, quad_segs=16) - shapely.Point(60, 60).buffer(32, quad_segs=16)
    disc = shapely.Point(160, 60).buffer(16, quad_segs=16)
    shapes = [shapely.transform(one, lambda xy: xy.round(3)) for one in (ring, disc)]
    work = composition(Coverage([1, 2], shapes), thickness_mm=12.7)
    board = Board(1, "cherry", "C1", 400.0, 150.0, 12.7)
    work = replace(work, rack=replace(work.rack, boards=(board,)))
    for key, x, y in ((1, 100.0, 75.0), (2, 100.0, 75.0)):
        about = work.layers[0].coverage.spots[key]
        shift = (about.x_mm - (60.0 if key == 1 else 160.0), about.y_mm - 60.0)
        places = dict(work.placements) | {str(key): Placement("C1", x + shift[0], y + shift[1])}
        work = replace(work, placements=places)
    plan = Plan(work).saw
    assert plan.rooms[plan.by_piece[2].blank].board == "C1"
    cut = plan.by_piece[2]
    assert cut.order < plan.by_piece[1].order
    (hole,) = cut.holes
    point = shapely.Point(hole.x_mm, hole.y_mm).buffer(hole.bit_mm / 2)
    assert not point.intersects(disc)
    assert not point.intersects(shapely.affinity.translate(ring, 100, 0).buffer(-0.4))
    lead = cut.strokes[0]
    assert lead.kind == "in"
    assert tuple(lead.path[0].round(3)) == (hole.x_mm, hole.y_mm)
    # once the ring is gone nothing stands in the way
    first = edited(work, "saw_first", [1])
    assert Plan(first).saw.by_piece[2].holes == ()


def test_what_is_left_to_hold_of_a_section():
    """A strip of 14 mm between others: first there is a board round it, last there is only itself."""
    stock = shapely.box(0, 0, 200, 60)
    strips = [shapely.box(5, y, 195, y + 14) for y in (4, 23, 42)]
    assert held_by([(stock, strips)], 15.0) == [[True, True, True]]
    assert held_by([(stock, strips)], 30.0) == [[True, True, False]]
    narrow = shapely.box(0, 0, 200, 18)
    assert held_by([(narrow, [shapely.box(5, 2, 195, 16)])], 20.0) == [[False]]


def test_parts_nearer_than_the_kerf_are_said_and_no_others():
    def work(apart: float):
        two = Coverage([1, 2], [shapely.box(0, 0, 40, 40), shapely.box(40 + apart, 0, 80, 40)])
        made = composition(two, thickness_mm=6.0)
        return replace(made, layers=(replace(made.layers[0], kind="sheet", thickness_mm=6.0),))

    assert "too-near" in [f.code for f in findings_of(work(0.3), "saw")]
    assert "too-near" not in [f.code for f in findings_of(work(1.0), "saw")]
    check_ways(work(1.0))


def test_a_blade_is_mounted_as_often_as_the_sequence_says():
    work = composition(cells(40, 2), {k: ("ebony", "aspen")[k % 2] for k in range(1, 60)})
    plan = Plan(work)
    assert any(cut.fresh for cut in plan.saw.cuts)
    kinds = [action.kind for action in sequence_of(plan.job, plan.saw)]
    assert plan.saw.mounted == kinds.count("mount") + kinds.count("fresh")


def test_a_start_that_is_pointed_at_lies_on_the_outline():
    work = edited(composition(grid(1, 1)), "saw_start", [1], x="999999", y="12")
    assert work.decisions.saw.starts == {1: (30.0, 12.0)}


def test_a_seam_shorter_than_the_kerf_is_said_and_all_comes_free():
    """Two halves that touch along a fifth of a millimetre, with a bay behind it: found by chance among cells."""
    cut_out, rng = cells(37, 205), np.random.default_rng(205)
    keep = [key for key in cut_out.keys if rng.random() < 0.6]
    work = composition(cut_out.only(keep), thickness_mm=6.0)
    work = replace(work, layers=(replace(work.layers[0], kind="sheet", thickness_mm=6.0),))
    assert "too-near" in [f.code for f in findings_of(work, "saw")]
    check_ways(work)
