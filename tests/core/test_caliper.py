"""The caliper's thickness in heights, shims, backer and blades."""

from dataclasses import replace

import pytest

from emberquilt.errors import EmberError
from emberquilt.plan import Plan
from emberquilt.rack.boards import Board
from emberquilt.rack.rack import Rack
from emberquilt.rack.woods import woods
from emberquilt.work.parts import job_of
from emberquilt.work.verbs import edit
from tests.conftest import cells, composition, edited, findings_of

BOARDS = (
    Board(1, "cherry", "C1", 900.0, 200.0, 20.0),
    Board(2, "ply_birch", "Q1", 600.0, 400.0, 3.3),
    Board(3, "ply_birch", "Q2", 600.0, 400.0, 6.1),
)


def work():
    made = composition(cells(6, 4, 240.0, 160.0), thickness_mm=19.05)
    made = edited(replace(made, rack=Rack(woods(), BOARDS)), "shim", [3], mm="6.35")
    return edited(made, "lay")


def told(made):
    return {f.part or f.pieces: f for f in findings_of(made, "stock") if f.code == "caliper"}


def test_a_milled_stretch_measured_thinner_lowers_what_lies_on_it():
    before = work()
    tops = job_of(before).standing.top_mm(1)
    after = edited(before, "caliper", part="1", length="18.5 mm")
    job = job_of(after)
    assert {job.thickness_mm[key] for key in range(1, 7)} == {18.0}  # 18.5 as planed, 0.5 to sand
    assert job.standing.top_mm(1) == pytest.approx(tops - 1.05)


def test_a_thicker_pack_takes_another_blade():
    before = work()
    after = edited(before, "caliper", part="1", length="9 mm")
    blades = [{cut.blade.no for cut in Plan(one).saw.cuts if cut.piece} for one in (before, after)]
    assert min(blades[1]) < min(blades[0])


def test_sheets_go_by_the_caliper_into_backer_and_shims():
    before = work()
    said = told(before)
    assert len(said) == 2
    assert "Q1 measures 0.130 in" in said["backer"].sentence
    after = before
    for finding in said.values():
        after = edited(after, finding.fix.verb, **finding.fix.values)
    assert after.practice.backer_mm == pytest.approx(3.3)
    assert after.practice.shims_mm == pytest.approx((3.175, 6.1))
    assert after.by_key[3].shim_mm == pytest.approx(6.1)
    assert told(after) == {}
    tops = [job_of(one).standing.top_mm(3) for one in (before, after)]
    assert tops[1] - tops[0] == pytest.approx(0.3 - 0.25)


@pytest.mark.parametrize(
    ("part", "length"), [("1", "nothing"), ("1", "0.2 mm"), ("1", "3 m"), ("99", "18 mm"), ("1", "")]
)
def test_bad_measures_end_in_a_sentence(part, length):
    with pytest.raises(EmberError):
        edit(work(), "caliper", [], {"part": part, "length": length})


def test_what_lies_on_no_board_has_nothing_to_measure():
    bare = composition(cells(3, 4))
    with pytest.raises(EmberError, match="lies on no board yet"):
        edit(bare, "caliper", [], {"part": "1", "length": "18 mm"})
