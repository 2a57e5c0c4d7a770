"""Milling: what boards give, how much is lost, what a machine does not take, checked by hand and by Shapely."""

from dataclasses import replace

import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from emberquilt.constants import MM_PER_INCH
from emberquilt.drawing.milling import milling_drawing, short_words
from emberquilt.drawing.rack import rack_drawing
from emberquilt.errors import BadChoice
from emberquilt.formats.layout_json import layout_json
from emberquilt.formats.plan_json import plan_json
from emberquilt.layout.effort import Effort
from emberquilt.outline.coverage import Coverage
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.rack.boards import Board, Panel
from emberquilt.rack.rack import Rack, Spoken
from emberquilt.rack.woods import woods
from emberquilt.stock.laying import Laying
from emberquilt.stock.leaves import leaves_of, serves, slices_of
from emberquilt.stock.milling import HOW, SETTING, milling_of
from emberquilt.stock.need import board_feet, bought_feet
from emberquilt.stock.panels import panel_for, too_wide
from emberquilt.work.composition import Placement
from emberquilt.work.on_boards import on_boards
from emberquilt.work.parts import job_of
from tests.conftest import cells, composition, edited, findings_of

IN = MM_PER_INCH
THIN = 6.35
LONG = Board(1, "cherry", "C1", 900.0, 150.0, 20.64)


def thin(count: int = 16, boards: tuple[Board, ...] = (LONG,), thickness_mm: float = THIN, wide=240.0, **practice):
    """Pieces of a small picture, so thick, and boards for them."""
    work = composition(cells(count, 4, wide, wide / 1.5), thickness_mm=thickness_mm, practice=Practice(**practice))
    return replace(work, rack=Rack(woods(), boards))


def mills(work):
    return milling_of(job_of(work)).mills


def test_a_surfaced_inch_board_gives_two_quarter_inch_leaves_and_three_are_too_many():
    """Worked by hand: two leaves of 1/4 in with 1/16 in planed off each and one 1/16 in kerf take 11/16 in, three of
    them 1 1/16 in; 13/16 in gives two."""
    sixteenth = IN / 16
    assert slices_of(13 * sixteenth, 4 * sixteenth, sixteenth, sixteenth) == 2
    assert slices_of(11 * sixteenth, 4 * sixteenth, sixteenth, sixteenth) == 2
    assert slices_of(10.9 * sixteenth, 4 * sixteenth, sixteenth, sixteenth) == 1
    assert slices_of(17 * sixteenth, 4 * sixteenth, sixteenth, sixteenth) == 3


@given(usable=st.floats(1, 100), finished=st.floats(1, 40), kerf=st.floats(0, 4), planing=st.floats(0, 4))
def test_slices_are_as_many_as_fit_and_not_one_more(usable, finished, kerf, planing):
    made = slices_of(usable, finished, kerf, planing)

    def taken(count: int) -> float:
        return count * (finished + planing) + (count - 1) * kerf

    assert made == 0 or taken(made) <= usable + 1e-6
    assert taken(made + 1) >= usable - 1e-6


def test_board_feet_as_the_yard_reckons_them():
    """Nominal 1 x 8 of 12 feet holds 8 board feet, 2 x 4 of 12 feet 8 too (144 cubic inches each); worked by hand."""
    area = 8 * IN * 144 * IN
    assert board_feet(area, 1 * IN) == pytest.approx(8.0)
    assert board_feet(4 * IN * 144 * IN, 2 * IN) == pytest.approx(8.0)
    assert bought_feet(area, 13 / 16 * IN) == pytest.approx(8.0)  # 13/16 is sold as 4/4
    assert board_feet(area, 13 / 16 * IN) == pytest.approx(6.5)


def test_resawn_half_the_length_is_enough_and_the_leaves_are_laid_apart():
    work = thin()
    both, one = Laying(job_of(work)).laid(Effort(0.0)), Laying(job_of(work), resaw=False).laid(Effort(0.0))
    reach = [max(laid.outline.bounds[2] for laid in made.laid) for made in (both, one)]
    assert {one.part for one in both.homeless} == {"backer"}
    assert reach[0] < 0.65 * reach[1]
    leaves = {place.leaf for place in both.placements.values()}
    assert leaves == {1, 2}
    for leaf in leaves:
        own = [o.outline for o in both.laid if both.placements[o.item.key].leaf == leaf]
        assert all(a.distance(b) > 6.34 for i, a in enumerate(own) for b in own[i + 1 :])
        assert all(shapely.box(3.1, 3.1, 896.9, 146.9).covers(outline) for outline in own)
    assert not Laying(job_of(work)).faults(both)
    assert both.density <= both.bound + 1e-9


def test_a_resawn_board_is_jointed_sawn_and_each_leaf_planed():
    work = edited(thin(), "lay")
    made = mills(work)
    assert [mill.how for mill in made] == sorted((mill.how for mill in made), key=HOW.index)
    hows = [mill.how for mill in made if mill.how != "section"]
    assert hows == ["crosscut", "joint", "resaw", "plane"]
    cross, joint, resaw, plane = made[:4]
    assert cross.rest is not None
    assert cross.rest.long_mm == pytest.approx(900 - cross.after.long_mm - 3.2)
    assert joint.after.thick_mm == pytest.approx(20.14)
    assert resaw.count == plane.count == 2
    assert plane.after.thick_mm == pytest.approx(THIN + work.practice.sanding_mm)
    # two slices and one kerf are what the flat board was
    assert 2 * resaw.after.thick_mm + 1.6 == pytest.approx(joint.after.thick_mm)
    assert resaw.lost_mm3 == pytest.approx(1.6 * resaw.before.long_mm * 150)
    lost = plane.count * (plane.before.thick_mm - plane.after.thick_mm) * plane.before.long_mm * 150
    assert plane.before == resaw.after
    assert plane.lost_mm3 == pytest.approx(lost)


@pytest.mark.parametrize(
    ("board", "practice", "leaves"),
    [
        (LONG, {}, 2),
        (replace(LONG, thickness_mm=12.7), {}, 1),
        (replace(LONG, thickness_mm=44.0), {}, 4),
        (replace(LONG, width_mm=200.0), {}, 1),
        (LONG, {"resaw_high_mm": 0.0}, 1),
        (replace(LONG, wood="ply_birch"), {}, 1),
    ],
)
def test_what_is_too_thin_too_wide_or_a_sheet_is_not_resawn(board, practice, leaves):
    rack = Rack(woods(), (board,))
    assert leaves_of(board, THIN, Practice(**practice), rack) == leaves
    assert leaves_of(board, THIN, Practice(**practice), rack, ("C1",)) == 1


def test_a_board_kept_whole_is_planed_down_and_it_is_said_what_that_costs():
    work = edited(edited(thin(), "whole", board="C1"), "lay")
    assert {place.leaf for place in work.placements.values()} == {0}
    plane = next(mill for mill in mills(work) if mill.how == "plane")
    assert plane.count == 1
    assert "Kept whole" in plane.instead
    again = edited(work, "whole", board="C1", keep="no")
    assert again.decisions.stock.whole == ()


def test_a_leaf_that_is_no_more_is_said():
    work = edited(thin(), "lay")
    work = edited(work, "whole", board="C1")
    said = [f.sentence for f in findings_of(work, "stock") if f.code == "place"]
    assert any("wants leaf 2 of board C1, which gives no leaves so thick" in one for one in said)


def test_short_stock_goes_on_a_carrier_tiny_by_hand_and_wide_is_ripped_or_done_by_hand():
    short = edited(thin(3, (replace(LONG, length_mm=250.0, width_mm=300.0),), 12.7), "lay")
    assert {mill.how for mill in mills(short)} >= {"carrier"}
    carrier = next(mill for mill in mills(short) if mill.how == "carrier")
    assert "only" in carrier.label
    assert carrier.instead
    tiny = composition(cells(2, 4, 90.0, 60.0), thickness_mm=12.7)
    tiny = edited(replace(tiny, rack=Rack(woods(), (replace(LONG, length_mm=120.0),))), "lay")
    assert {mill.how for mill in mills(tiny)} == {"hand"}
    wide = thin(3, (replace(LONG, length_mm=500.0, width_mm=420.0),), 12.7)
    wide = edited(wide, "set_down", part="1", board="C1", x="120", y="100")
    assert [mill.how for mill in mills(wide)][:2] == ["crosscut", "rip"]
    rip = next(mill for mill in mills(wide) if mill.how == "rip")
    assert rip.after.wide_mm <= wide.practice.planer_wide_mm < rip.before.wide_mm
    assert rip.rest is not None
    assert rip.rest.wide_mm + rip.after.wide_mm == pytest.approx(420 - 3.2)
    full = edited(thin(12, (replace(LONG, length_mm=420.0, width_mm=420.0),), 12.7), "lay")
    hand = next(mill for mill in mills(full) if mill.how == "hand")
    assert "wider than the planer" in hand.label
    assert "glue them up again" in hand.instead


def test_a_short_stretch_takes_enough_of_the_board_for_the_planer():
    work = edited(thin(4, (LONG,), 15.0, 120.0, section_mm=900.0), "lay")
    cross = next(mill for mill in mills(work) if mill.how == "crosscut")
    assert cross.after.long_mm == pytest.approx(work.practice.planer_long_mm)


def test_two_thicknesses_on_one_board_are_two_stretches():
    work = thin(8, (replace(LONG, width_mm=200.0),), 19.05)
    work = edited(work, "thickness", [1, 2, 3], mm="12.7")
    work = edited(work, "lay")
    (stretches,) = milling_of(job_of(work)).stretches.values()
    assert [round(one.thickness_mm, 2) for one in stretches] == [19.05, 12.7]
    assert stretches[0].end_mm < stretches[1].begin_mm
    planed = sorted(mill.after.thick_mm for mill in mills(work) if mill.how in ("plane", "carrier", "hand"))
    assert planed == pytest.approx([13.2, 19.55])
    made = Laying(job_of(work)).laid(Effort(0.0))
    assert made.density <= made.bound + 1e-9


def test_plywood_is_never_planed_and_a_thick_sheet_is_no_thin_one():
    rack = Rack(woods(), (Board(1, "ply_birch", "Q1", 900, 500, 6.35),))
    assert serves(rack.boards[0], "ply_birch", 6.0, rack)
    assert not serves(rack.boards[0], "ply_birch", 3.0, rack)
    work = composition(cells(4, 4, 240.0, 160.0), woods="ply_birch", thickness_mm=6.35)
    work = edited(replace(work, rack=rack), "lay")
    assert {mill.how for mill in mills(work)} <= {"crosscut", "section"}
    work = edited(edited(work, "thickness", [1, 2, 3, 4], mm="3"), "lay")
    assert not any(key in work.placements for key in "1234")
    made = Laying(job_of(work)).laid(Effort(0.0))
    assert "no sheet on the rack is of that" in next(one.why for one in made.homeless if one.part == "1")


def test_sections_are_cut_between_parts_and_none_is_longer_than_the_hand_takes_where_that_goes():
    board = replace(LONG, length_mm=1500.0, width_mm=75.0, thickness_mm=19.05)
    squares = Coverage(range(1, 10), [shapely.box(60 * i, 0, 60 * i + 60, 60) for i in range(9)])
    work = edited(replace(composition(squares), rack=Rack(woods(), (board,))), "lay")
    cuts = [cut for mill in mills(work) if mill.how == "section" for cut in mill.cuts_mm]
    assert cuts
    lying = on_boards(job_of(work))["C1"]
    ends = [0.0, *cuts, max(one.outline.bounds[2] for one in lying)]
    assert all(b - a <= work.practice.section_mm for a, b in zip(ends, ends[1:], strict=False))
    for cut in cuts:
        line = shapely.LineString([(cut, -1), (cut, 200)])
        assert all(one.outline.distance(line) >= 1.5 for one in lying)


def test_nothing_grows_in_any_mill():
    for boards in (
        (LONG,),
        (replace(LONG, width_mm=420.0),),
        (replace(LONG, length_mm=280.0), replace(LONG, name="C2")),
    ):
        for mill in mills(edited(thin(boards=boards), "lay")):
            kept = mill.count * mill.after.mm3 + (mill.rest.mm3 if mill.rest else 0)
            assert kept <= mill.blanks * mill.before.mm3 + 1e-6
            assert mill.minutes > 0
            assert mill.parts


def test_milling_stands_before_the_paper_in_steps_and_calendar():
    work = edited(thin(), "lay")
    plan = Plan(work)
    keys = [step.key for step in plan.steps]
    assert keys[:2] == ["buy", "mill-crosscut"]
    assert keys.index("mill-resaw") < keys.index("paste")
    paste = next(step for step in plan.steps if step.key == "paste")
    assert "mill-plane-6.85" in paste.after
    assert any("leaves" in line for step in plan.steps for line in step.lines)
    begun = {slot.step.key: slot.begin for slot in plan.schedule.slots}
    assert begun["mill-crosscut"] < begun["mill-resaw"] < begun["paste"]
    told = plan_json(plan)["milling"]
    assert [one["order"] for one in told] == list(range(1, len(told) + 1))
    assert sum(one["minutes"] for one in told) > 0
    assert Plan(thin()).milling.mills == ()
    # what is sawn needs no milling any more
    sawn = frozenset(("saw", key) for key in list(map(str, range(1, 9))))
    left = {step.key: step for step in Plan(work, done=sawn).left}
    steps = {step.key: step for step in plan.steps}
    assert left["mill-resaw"].minutes < steps["mill-resaw"].minutes
    assert left["mill-resaw"].minutes > SETTING["resaw"]


def test_the_drawing_shows_every_leaf_and_every_mill():
    work = edited(thin(), "lay")
    job = job_of(work)
    faces = [board for board in rack_drawing(job).boards if board.parts]
    assert [face.leaf for face in faces] == [1, 2]
    assert sum(len(face.parts) for face in faces) == len(job.pieces)
    drawn = milling_drawing(milling_of(job))
    assert len(drawn) == len(mills(work))
    for one in drawn:
        assert short_words(one.mill, str)
        assert all(0 <= y <= one.tall and h <= one.tall for _, y, _, h in one.lost)


def test_the_command_line_resaws_only_where_it_is_asked_to():
    plan = Plan(thin())
    flat, sawn = layout_json(plan), layout_json(plan, resaw=True)
    assert {one["leaf"] for one in flat["placements"]} == {0}
    assert {one["leaf"] for one in sawn["placements"]} == {1, 2}
    assert {one["board"] for one in sawn["placements"]} == {"C1"}


def test_a_part_is_put_on_a_leaf_by_hand_and_stays_there():
    work = edited(thin(), "lay")
    work = edited(work, "set_down", part="5", where="2:C1", x="200", y="70")
    assert work.placements["5"] == Placement("C1", 200.0, 70.0, 0.0, 2)
    work = edited(work, "lay")
    assert work.placements["5"].leaf == 2
    assert work.placements["5"].nailed
    lying = on_boards(job_of(work))["C1"]
    second = [one.outline for one in lying if one.place.leaf == 2]
    assert all(a.distance(b) > 6.34 for i, a in enumerate(second) for b in second[i + 1 :])


WIDE = Board(1, "cherry", "C1", 1500.0, 150.0, 22.0)


def with_panel(board=WIDE, **practice):
    """One piece of 300 by 280 mm, the arrow along its length, and a board that is half as wide."""
    whole = Coverage([1], [shapely.box(0, 0, 300, 280)])
    return replace(composition(whole, practice=Practice(**practice)), rack=Rack(woods(), (board,)))


def test_a_part_wider_than_every_board_gets_a_panel_of_strips():
    """280 mm and its edges and 6 mm to trim are 292.4 mm: three strips of at most 127 mm, each 1.6 mm wider before its
    edges are jointed; one after the other along the board, for only one lies in 150 mm."""
    job = job_of(with_panel())
    assert too_wide(job, job.pieces[1])
    plan = panel_for(job, "1")
    assert plan.width_mm == pytest.approx(280 + 2 * 3.175 + 6)
    assert plan.length_mm == pytest.approx(300 + 2 * 3.175 + 20)
    assert plan.strips == 3
    assert plan.strip_mm == pytest.approx(plan.width_mm / 3 + 1.6)
    assert plan.takes_mm == pytest.approx(3 * (plan.length_mm + 3.2))
    assert plan.thickness_mm == pytest.approx(20.5)
    double = panel_for(job_of(with_panel(replace(WIDE, width_mm=230.0))), "1")
    assert double.takes_mm == pytest.approx(2 * (double.length_mm + 3.2))  # two strips beside each other
    said = findings_of(edited(with_panel(), "lay"), "stock")
    assert not any("panel glued up" in f.sentence for f in said if f.code == "on-no-board")  # nothing of it is laid yet


def test_no_panel_where_the_rack_has_too_little_or_none_is_needed():
    short = job_of(with_panel(replace(WIDE, length_mm=700.0)))
    with pytest.raises(BadChoice, match="enough left for a panel"):
        panel_for(short, "1")
    thin_board = job_of(with_panel(replace(WIDE, thickness_mm=19.0)))
    with pytest.raises(BadChoice, match="enough left for a panel"):
        panel_for(thin_board, "1")
    wide = job_of(with_panel(replace(WIDE, width_mm=320.0)))
    with pytest.raises(BadChoice, match="needs no panel"):
        panel_for(wide, "1")


def test_a_panel_is_ripped_jointed_glued_and_flattened_before_it_is_cut():
    glued = Panel(3, 99.0, "C1", 988.0, 150.0, 22.0)
    board = Board(2, "cherry", "C2", 326.35, 292.35, 20.5, panel=glued)
    work = edited(with_panel(board, section_mm=900.0), "lay")
    made = mills(work)
    assert [mill.how for mill in made][:4] == ["rip", "joint", "panel", "flatten"]
    rip, joint, glue, flatten = made[:4]
    assert (rip.count, joint.blanks, glue.blanks) == (3, 3, 3)
    assert joint.lost_mm3 == pytest.approx(3 * (99.0 - 292.35 / 3) * 326.35 * 22.0)
    assert glue.lost_mm3 == pytest.approx(0.0)
    assert flatten.lost_mm3 == pytest.approx(326.35 * 292.35 * 1.5)
    assert glue.instead == ""
    narrow = edited(replace(work, practice=work.practice.changed(planer_wide_mm=200.0)), "lay")
    assert "two halves" in next(mill.instead for mill in mills(narrow) if mill.how == "panel")
    steps = {step.key: step for step in Plan(work).steps}
    assert steps["mill-panel"].wait_minutes > 60
    assert "Cauls across" in steps["mill-panel"].caution
    made_already = replace(work, rack=Rack(woods(), (replace(board, panel=replace(glued, made=True)),)))
    assert not {"rip", "joint", "panel"} & {mill.how for mill in mills(made_already)}
    assert all(one.cuts for one in milling_drawing(milling_of(job_of(work))) if one.mill.how == "panel")


def test_what_other_works_mill_is_left_to_them():
    """Another work's parts reach to 300 mm: this one lies beyond, and a crosscut parts the two."""
    work = thin(8, thickness_mm=19.05)
    theirs = Spoken("C1", "Lighthouse", shapely.box(20, 20, 300, 60))
    work = edited(replace(work, rack=replace(work.rack, spoken_for=(theirs,))), "lay")
    lying = on_boards(job_of(work))["C1"]
    assert all(one.outline.bounds[0] > 303 for one in lying)
    first = mills(work)[0]
    assert first.how == "crosscut"
    assert "is for Lighthouse" in first.label
    assert first.after.long_mm == pytest.approx(900 - 303.2)
    assert first.rest is not None
    assert first.rest.long_mm == pytest.approx(300.0)
    drawn = milling_drawing(milling_of(job_of(work)))[0]
    assert drawn.stays is not None
    assert drawn.stays[0] == 0.0
    right = Spoken("C1", "Lighthouse", shapely.box(500, 20, 880, 60))
    other = edited(replace(thin(4, thickness_mm=19.05), rack=replace(work.rack, spoken_for=(right,))), "lay")
    assert all(one.outline.bounds[2] < 497 for one in on_boards(job_of(other))["C1"])


def test_thin_parts_put_among_thick_ones_are_said():
    work = edited(thin(6, thickness_mm=19.05), "thickness", [1], mm="12.7")
    work = edited(work, "lay")
    assert not [f for f in findings_of(work, "stock") if f.code == "among-thicker"]
    other = next(place for key, place in work.placements.items() if key == "2")
    for key in ("1", "3"):
        work = edited(work, "take_off", part=key)
    work = edited(work, "set_down", part="1", board="C1", x=str(other.x_mm), y="20")
    (said,) = [f for f in findings_of(work, "stock") if f.code == "among-thicker"]
    assert said.pieces == (1,)
    assert "milled to these" in said.sentence
    (stretch, *_) = milling_of(job_of(work)).stretches["C1"]
    assert stretch.thinner == ("1",)
