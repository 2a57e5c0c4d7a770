"""Coats: before or after, how much, what stays bare; how the work looks after each; what is done while it dries."""

import datetime as dt
import json

import networkx as nx
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.assembly.finishing import coatings_of
from emberquilt.assembly.tried import as_after, states_of
from emberquilt.calendar.meanwhile import dead_minutes, waits_of
from emberquilt.cli import main
from emberquilt.formats.plan_json import plan_json
from emberquilt.formats.project import Project, write_project
from emberquilt.outline.details import Detail
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.rack.coats import coat_of, coated_lab
from emberquilt.work.change import decided
from emberquilt.work.parts import job_of
from tests.conftest import composition, edited, findings_of, grid
from tests.core.test_parts import layer, stacks, work_of
from tests.photos import photo_of

PLATE = shapely.box(0, 0, 300, 400)
MONDAY = dt.datetime(2026, 11, 23, 8, 0)


def check_coats(work) -> None:
    """No face is coated before something is glued on it, unless it is masked or a finding says so; each piece is
    finished once unless it stays raw; coats wait for each other."""
    plan = plan_json(Plan(work))
    known = {step["key"] for step in plan["steps"]}
    waits = nx.DiGraph([(before, s["key"]) for s in plan["steps"] for before in s["after"]])
    waits.add_nodes_from(known)
    said = {str(k) for f in plan["findings"] if f["code"] == "glue-on-coat" for k in f["pieces"]}
    glued = {b["a"]: 0.0 for s in plan["glue"] for b in s["bonds"] if b["kind"] == "face"}
    for s in plan["glue"]:
        for b in s["bonds"]:
            if b["kind"] == "face":
                glued[b["a"]] += b["area_mm2"]
    finish = work.practice.finish
    finished: list[str] = []
    for coat in plan["finishes"]:
        assert set(coat["steps"]) <= known
        for one, other in zip(coat["steps"], coat["steps"][1:], strict=False):
            assert nx.has_path(waits, one, other)
        if coat["when"] == "before" and coat["kind"] != "primer":
            for key in set(coat["parts"]) & set(glued):
                assert coat["masked"].get(key) == pytest.approx(glued[key]) if key in coat["masked"] else key in said
        if coat["kind"] == finish and coat["key"].startswith("coat"):
            finished += coat["parts"]
        if coat["when"] == "after" and "cure" in known:
            assert nx.has_path(waits, "cure", coat["steps"][0])
    assert len(finished) == len(set(finished))
    raw = {str(p.key) for p in work.made if coat_of(p.coat).kind in ("raw", "oil", "shellac", "lacquer")}
    if work.practice.coats:
        assert set(finished) == {str(p.key) for p in work.made} - raw


@settings(max_examples=20)
@given(stacks(), st.sampled_from(["before", "after"]), st.sampled_from(["", "paint", "wash", "dye", "oil", "raw"]))
def test_no_face_is_coated_before_it_is_glued_unless_it_is_masked(work, when, coat):
    work = edited(work, "practice", finish_when=when)
    first = work.made[0].key
    if coat:
        work = edited(work, "coat", [first], coat=coat, tint="#335577")
    check_coats(work)
    assert not [f for f in findings_of(work, "assembly") if f.code == "glue-on-coat"]
    # who wants the coat under the glue is told, and can have it masked again
    bold = edited(work, "mask", [p.key for p in work.made], off="yes")
    check_coats(bold)
    for finding in [f for f in findings_of(bold, "assembly") if f.code == "glue-on-coat"]:
        values = dict(finding.fix.values)
        bold = edited(bold, finding.fix.verb, values.pop("pieces"), **values)
    assert not [f for f in findings_of(bold, "assembly") if f.code == "glue-on-coat"]


def test_paint_on_ply_is_primed_and_its_amount_follows_its_area():
    sky = layer(1, PLATE, thickness_mm=6.0, material="ply_birch", wood="")
    hills = layer(2, shapely.box(0, 200, 300, 400), thickness_mm=6.0)
    work = edited(work_of(sky, hills), "coat", [100], coat="paint", tint="#8866aa")
    primer, paint, over = coatings_of(job_of(work))
    assert (primer.supply.code, paint.supply.code, over.supply.code) == ("primer", "paint", "gel")
    # 300 by 400 less the 300 by 200 that the hills are glued on
    assert (paint.area_mm2, paint.masked_mm2, paint.coats) == (60000, 60000, 2)
    # 100 ml of paint to a square metre and coat: common practice, no source
    assert paint.ml == pytest.approx(100 * 0.06 * 2)
    assert over.area_mm2 == pytest.approx(300 * 400)
    labels = [step.label for step in Plan(work).steps if step.verb == "coat"]
    assert labels[0].startswith("Prime 100")
    assert labels[1].startswith("Paint 100")
    bare = edited(work, "practice", prime="no")
    assert [c.supply.code for c in coatings_of(job_of(bare))] == ["paint", "gel"]


def test_what_stays_raw_is_left_out_and_burnt_lines_are_spoken_of():
    work = edited(composition(grid(2, 1)), "coat", [2], coat="raw")
    burnt = Detail(((5.0, 5.0), (25.0, 25.0)), "burnt")
    made = decided(work, "burn", "pattern", details=(burnt,))
    from emberquilt.work.change import applied

    work = applied(work, made)
    (over,) = coatings_of(job_of(work))
    assert (over.parts, over.bare) == (("1",), ("2",))
    assert any("Keep it off 2" in line for line in over.lines)
    assert any("Burnt lines on 1: do not brush" in line for line in over.lines)
    sprayed = edited(work, "practice", finish="lacquer")
    assert any("sprayed, they hold" in line for line in coatings_of(job_of(sprayed))[0].lines)
    food = edited(work, "practice", used="food")
    assert any("local rules" in s.caution for s in Plan(food).steps if s.verb == "coat")
    outdoors = edited(work, "practice", used="outdoors")
    assert [f.fix.values for f in findings_of(outdoors, "assembly") if f.code == "not-outdoors"] == [{"glue": "epoxy"}]


def test_a_wash_lies_between_wood_and_paint():
    raw, finished, blue = "#c99a72", "#b0754a", "#2244aa"
    wood, paint = (coated_lab(raw, finished, text, "gel") for text in ("", f"paint {blue}"))
    for text in (f"wash {blue}", f"speckle {blue}"):
        lab = coated_lab(raw, finished, text, "gel")
        assert min(wood[2], paint[2]) < lab[2] < max(wood[2], paint[2])


def test_the_work_is_looked_at_after_each_coat():
    work = edited(composition(grid(2, 1)), "coat", [1], coat="dye", tint="#2a5c8a", coats="4")
    job = job_of(work)
    assert states_of(job) == ("bare", "Dye blue, 4 coats", "Gel polyurethane, 3 coats")

    def seen(count: int) -> list[str]:
        made = as_after(job, count)
        return [made.seen.hex(made.look_of(p)) for p in made.made]

    wood = work.rack.shelf["cherry"]
    assert seen(0) == [wood.raw, wood.raw]
    assert seen(1)[1] == wood.raw
    assert seen(1)[0] != wood.raw
    assert seen(2) == [work.seen.hex(work.look_of(p)) for p in work.made]


def test_what_dries_and_what_is_done_meanwhile_fill_the_hours():
    work = composition(grid(3, 3), practice=Practice(finish_when="before"))
    plan = Plan(work, start=MONDAY)
    waits = waits_of(plan.schedule, work.practice.hours)
    slots = plan.schedule.slots
    assert {w.step for w in waits} == {s.step.key for s in slots if (s.ready - s.end).total_seconds() >= 1200}
    for wait in waits:
        inside = [s for s in slots if s.step.key != wait.step and s.begin < wait.end and s.end > wait.begin]
        done = sum((min(s.end, wait.end) - max(s.begin, wait.begin)).total_seconds() / 60 for s in inside)
        assert sum(minutes for _, minutes in wait.meanwhile) == pytest.approx(done)
        assert wait.dead_minutes >= 0
    assert dead_minutes(plan.schedule, work.practice.hours) >= 0


def test_the_command_line_finds_a_part_and_prints_its_pattern(tmp_path, capsys):
    work = composition(grid(1, 1))
    ell = shapely.Polygon([(0, 0), (60, 0), (60, 20), (22, 20), (22, 50), (0, 50)])
    work = work_of(layer(1, ell, shapely.box(70, 0, 130, 50), kind="mosaic"))
    file, photo, sheet = tmp_path / "a.ember", tmp_path / "a.jpg", tmp_path / "a.pdf"
    file.write_bytes(write_project(Project(work, "2026-11-25T10:00:00")))
    photo.write_bytes(photo_of(ell, (150, 95, 60), 3))
    assert main(["which", str(file), str(photo)]) == 0
    assert json.loads(capsys.readouterr().out)["found"][0]["part"] == "100"
    photo.write_bytes(b"nothing")
    assert main(["which", str(file), str(photo)]) == 2
    assert "no picture" in capsys.readouterr().err
    assert main(["export", str(file), "--to", "pdf", "--parts", "100", "-o", str(sheet)]) == 0
    assert sheet.read_bytes().startswith(b"%PDF")
    assert main(["export", str(file), "--to", "pdf", "--parts", "7", "-o", str(sheet)]) == 2
