"""A block sawn through two faces against booleans of manifold3d: volume, silhouettes, parts, and the order in which
they come free, swept."""

import json

import manifold3d as m3
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.cli import main
from emberquilt.drawing.print_pack import print_pack
from emberquilt.errors import BadChoice, BadLength
from emberquilt.formats.make import Wishes, block_from
from emberquilt.formats.project import Project, read_planned, write_project
from emberquilt.intake.proposal import Proposal
from emberquilt.outline.coverage import Coverage
from emberquilt.plan import Plan
from emberquilt.solid.compound import bodies_of, columns_of, heights_of, mesh_of, solid_of
from emberquilt.solid.freeing import WAYS, freeing
from emberquilt.space.block import compounds_of
from emberquilt.work.parts import job_of
from tests.core.test_slots import drawn_svg
from tests.spatial import METRIC, crossed, done
from workshop.compositions.demo import solids


def prism(area: shapely.Polygon, deep: float) -> m3.Manifold:
    """Extruded along z from 0, by manifold3d."""
    rings = [np.asarray(area.exterior.coords)[:-1], *(np.asarray(ring.coords)[:-1] for ring in area.interiors)]
    return m3.Manifold.extrude(m3.CrossSection([r.tolist() for r in rings], m3.FillRule.EvenOdd), deep)


def boolean(front: shapely.Polygon, side: shapely.Polygon, deep: float = 200.0) -> m3.Manifold:
    """Front in (x, y), side in (z, y), both driven through and cut with each other."""
    one = prism(front, deep).translate((0, 0, -deep / 2))
    # (z, y, out) becomes (x, y, z): a turn about y
    other = prism(side, deep).translate((0, 0, -deep / 2)).rotate((0, -90, 0))
    return one ^ other


def wavy(seed: int, points: int, wide: float, high: float) -> shapely.Polygon:
    """A star-shaped outline of so many points whose height is `high`."""
    random = np.random.default_rng(seed)
    turns = np.linspace(0, 2 * np.pi, points, endpoint=False)
    far = 1 + 0.15 * np.sin(3 * turns + random.uniform(0, 6)) + 0.1 * np.sin(7 * turns + random.uniform(0, 6))
    xy = np.c_[wide / 2 * far * np.cos(turns), high / 2 * far * np.sin(turns)]
    xy[:, 1] = (xy[:, 1] - xy[:, 1].min()) / np.ptp(xy[:, 1]) * high
    return shapely.Polygon(xy)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10_000), st.integers(12, 120))
def test_what_stays_is_the_boolean_of_two_extrusions(seed, points):
    front, side = wavy(seed, points, 36, 90), wavy(seed + 1, points, 30, 90)
    boxes = solid_of(front, side, heights_of([front, side]))
    other = boolean(front, side)
    assert boxes.volume_mm3 == pytest.approx(other.volume(), rel=1e-5)
    assert mesh_of(boxes).volume_mm3 == pytest.approx(other.volume(), rel=1e-5)
    low, high = other.bounding_box()[:3], other.bounding_box()[3:]
    assert boxes.bounds[0] == pytest.approx([low[0], low[1], low[2]], abs=0.01)
    assert boxes.bounds[1] == pytest.approx([high[0], high[1], high[2]], abs=0.01)


def test_its_silhouettes_are_the_two_outlines():
    front, side = wavy(3, 200, 36, 90), wavy(4, 200, 30, 90)
    mesh = mesh_of(solid_of(front, side, heights_of([front, side])))
    triangles = mesh.points[mesh.faces]
    for axis, outline in ((0, front), (2, side)):
        flat = shapely.polygons(triangles[:, :, [axis, 1]])
        seen = shapely.union_all(shapely.buffer(flat[shapely.area(flat) > 1e-6], 1e-4))
        assert shapely.hausdorff_distance(seen, outline) < 0.1
        assert seen.area == pytest.approx(outline.area, rel=1e-3)


def test_an_opening_goes_through_and_legs_multiply():
    legs = shapely.union_all([shapely.box(0, 20, 40, 60), shapely.box(0, 0, 8, 20), shapely.box(32, 0, 40, 20)])
    boxes = solid_of(legs, legs, heights_of([legs]))
    assert boxes.volume_mm3 == pytest.approx(40 * 40 * 40 + 4 * 8 * 8 * 20)
    assert columns_of(boxes) == [(0.0, 20.0, 4)]
    assert boxes.volume_mm3 == pytest.approx(boolean(legs, legs).volume(), rel=1e-6)
    holed = shapely.difference(shapely.box(0, 0, 40, 60), shapely.box(10, 10, 30, 30))
    assert solid_of(holed, shapely.box(0, 0, 20, 60), heights_of([holed])).volume_mm3 == pytest.approx(
        (2400 - 400) * 20
    )


def test_what_is_broken_off_is_another_body():
    one = shapely.union_all([shapely.box(0, 0, 40, 20), shapely.box(0, 30, 40, 60)])
    boxes = solid_of(one, shapely.box(0, 0, 30, 60), heights_of([one]))
    assert [body.volume_mm3 for body in bodies_of(boxes)] == pytest.approx([36000, 24000])


def test_five_parts_of_the_teapot_add_up_and_come_free_in_turn():
    (compound,) = compounds_of(job_of(crossed()))
    assert len(compound.fragments) == 5
    assert sum(part.boxes.volume_mm3 for part in compound.fragments) == pytest.approx(compound.whole.volume_mm3)
    assert not compound.locked
    assert [part.freed.turn for part in compound.in_order] == [1, 1, 1, 2, 3]


def swept_clear(moving: m3.Manifold, rest: m3.Manifold, way, steps=24, far=120.0) -> bool:
    """Whether a body that slides so far meets nothing: checked at many places on the way."""
    way = np.array(way)
    for share in np.linspace(0.01, 1, steps):
        if (moving.translate(tuple(way * far * share)) ^ rest).volume() > 1.0:
            return False
    return True


def test_parts_slide_out_at_their_turn_and_none_earlier():
    """Bodies of manifold3d, moved along each way: clear at its turn, stopped every way before it."""
    (compound,) = compounds_of(job_of(crossed()))
    solid = {part.name: _of_slabs(part.boxes) for part in compound.fragments}
    turns = {part.name: part.freed for part in compound.fragments}
    for name, freed in turns.items():
        # of the last two each could be drawn off the other
        last = freed.turn if freed.turn < compound.turns else compound.turns - 2
        for turn in range(1, last + 1):
            rest = [solid[other] for other in solid if other != name and turns[other].turn >= turn]
            whole = m3.Manifold.batch_boolean(rest, m3.OpType.Add)
            clear = [way for way, along in WAYS.items() if swept_clear(solid[name], whole, along)]
            if turn == freed.turn:
                assert freed.way in clear, (name, turn)
            else:
                assert not clear, (name, turn, clear)


def _of_slabs(boxes) -> m3.Manifold:
    """Every box of a part as a hull, all together."""
    whole = []
    for n, k in enumerate(boxes.slab.tolist()):
        y0, y1 = boxes.heights[k], boxes.heights[k + 1]
        low = [(x, y0, z) for x in boxes.x_low[n] for z in boxes.z_low[n]]
        high = [(x, y1, z) for x in boxes.x_high[n] for z in boxes.z_high[n]]
        hull = m3.Manifold.hull_points(np.array(low + high, np.float64))
        if not hull.is_empty():
            whole.append(hull)
    return m3.Manifold.batch_boolean(whole, m3.OpType.Add)


def test_seams_that_hook_both_ways_lock_the_block():
    """A dovetail in the front and one in the side: nothing moves."""
    knob = shapely.Polygon([(15, 50), (12, 62), (26, 62), (23, 50)])
    lower, upper = shapely.box(0, 0, 38, 50).union(knob), shapely.box(0, 50, 38, 100).difference(knob)
    hook = shapely.Polygon([(19, 40), (27, 37), (27, 63), (19, 60)])
    behind, before = shapely.box(0, 0, 19, 100).union(hook), shapely.box(19, 0, 38, 100).difference(hook)
    heights = heights_of([lower, upper, behind, before])
    parts = [solid_of(f, s, heights) for f in (lower, upper) for s in (behind, before)]
    assert [one.turn for one in freeing(parts)] == [0, 0, 0, 0]
    # without the one in the front both halves slide apart sideways
    parts = [solid_of(shapely.box(0, 0, 38, 100), s, heights) for s in (behind, before)]
    freed = freeing(parts)
    assert sorted(one.turn for one in freed) == [1, 2]
    assert {one.way for one in freed if one.turn == 1} <= {"right", "left"}


def test_twelve_parts_that_nothing_locks():
    """Boxes, each in front of or behind one other: half of them come at once, the rest but one then."""
    fronts = [shapely.box(0, 20 * n, 40, 20 * n + 20) for n in range(6)]
    sides = [shapely.box(0, 0, 20, 120), shapely.box(20, 0, 40, 120)]
    heights = heights_of([*fronts, *sides])
    freed = freeing([solid_of(f, s, heights) for f in fronts for s in sides])
    assert sorted(one.turn for one in freed) == [1] * 11 + [2]


# -- as a work -------------------------------------------------------------------------------------------------------


def codes(work) -> set[str]:
    return {f.code for f in Plan(work).every_finding}


def test_a_block_is_planned_through_every_station():
    work = crossed()
    work = done(work, "wood", [p.key for p in work.made], wood="basswood")
    plan = Plan(work)
    (block,) = plan.job.blocks
    assert [part.role for part in plan.job.of_one] == ["block"]
    assert block.outline.bounds == (0, 0, 57, pytest.approx(work.decisions.space.blocks[0].long_mm))
    assert (block.thickness_mm, block.material) == (57, "basswood")
    assert [need.count for need in plan.needs] == [1]
    assert [(blank.profile, blank.thickness_mm) for blank in plan.saw.blanks] == [(1, 57.0), (2, 57.0)]
    # a new blade for each face
    firsts = [next(c for c in plan.saw.cuts if c.blank == at) for at in (0, 1)]
    assert firsts[1].fresh or firsts[0].blade != firsts[1].blade
    labels = [step.label for step in plan.steps]
    order = [
        next(n for n, label in enumerate(labels) if words in label)
        for words in ("square", "Print", "first face", "second face", "free 5 parts", "Shape", "coat 1")
    ]
    assert order == sorted(order)
    assert not any("Glue" in label for label in labels)
    assert plan.schedule.slots


def test_too_hard_a_wood_is_told_and_a_softer_one_offered():
    work = crossed()
    keys = [p.key for p in work.made]
    hard = done(work, "wood", keys, wood="maple")
    finding = next(f for f in Plan(hard).every_finding if f.code == "block-hard")
    softer = done(hard, finding.fix.verb, list(finding.pieces), **finding.fix.values)
    other = done(softer, "wood", keys, **finding.fix.values)
    assert "block-hard" not in codes(other)
    assert "block-woods" in codes(done(other, "wood", keys[:1], wood="cherry"))


def test_a_dowel_stays_inside_the_wood():
    post = proposal(wavy(5, 60, 34, 90))
    work = done(block_from(post, post, "Post", 38.0, Wishes("basswood"), METRIC), "dowel", bore="4 mm")
    block = work.decisions.space.blocks[0]
    (compound,) = compounds_of(job_of(work))
    bore = m3.Manifold.cylinder(block.long_mm, 2.0, 2.0, 48).rotate((-90, 0, 0))
    bore = bore.translate((block.dowel_x, 0.0, block.dowel_z))
    low, high = compound.whole.bounds[:, 1]
    # a wavy top and foot leave a little of the bore outside
    assert (bore ^ _of_slabs(compound.whole)).volume() > 0.9 * np.pi * 4 * (high - low)
    assert any("Bore" in step.label for step in Plan(work).steps)
    with pytest.raises(BadChoice, match="bore"):
        done(work, "dowel", bore="30 mm")
    assert done(work, "dowel", bore="0").decisions.space.blocks[0].dowel_mm == 0


def test_a_block_that_came_out_smaller_is_measured():
    work = crossed()
    before = compounds_of(job_of(work))[0].whole.volume_mm3
    made = done(work, "block_size", block="55.6 mm")
    job = job_of(made)
    assert job.blocks[0].outline.bounds[2] == pytest.approx(55.6)
    assert {job.thickness_mm[key] for key in job.pieces} == {55.6}
    assert compounds_of(job)[0].whole.volume_mm3 == pytest.approx(before, rel=1e-4)
    low, high = compounds_of(job)[0].whole.bounds
    # both outlines lie in the middle of their faces
    assert (low[0] + high[0]) / 2 == pytest.approx(27.8, abs=0.01)
    assert (low[2] + high[2]) / 2 == pytest.approx(27.8, abs=0.01)
    with pytest.raises(BadChoice, match="too small"):
        done(work, "block_size", block="20 mm")


def test_the_template_has_both_faces_and_the_fold():
    work = crossed()
    pack = print_pack(job_of(work), "faces", "A4", {})
    plane = pack.pages[0].plane
    block = work.decisions.space.blocks[0]
    assert (plane.width_mm, plane.height_mm) == (block.wide_mm + block.deep_mm, block.long_mm)
    assert ((block.wide_mm, -5.0), (block.wide_mm, block.long_mm + 5.0)) in plane.lines
    fronts = {str(p.key) for p in work.layer(1).without_openings.pieces}
    for part in plane.parts:
        x0, _, x1, _ = part.outline.bounds
        assert (x1 <= block.wide_mm) if part.key in fronts else (x0 >= block.wide_mm)


def proposal(area: shapely.Polygon) -> Proposal:
    x0, y0, x1, y1 = area.bounds
    size = (x1 - x0, y1 - y0)
    coverage = Coverage([1], [shapely.transform(area, lambda xy: xy - (x0, y0))])
    return Proposal(coverage, *size, "boxes", 1, (0, 0, *size))


def test_outlines_of_two_heights_are_refused_or_stretched():
    front, side = proposal(shapely.box(0, 0, 30, 80)), proposal(shapely.box(0, 0, 30, 60))
    with pytest.raises(BadChoice, match="one height"):
        block_from(front, side, "Post", 38.0, Wishes(), METRIC)
    work = block_from(front, side, "Post", 38.0, Wishes(), METRIC, None, True)
    assert "side-stretched" in {f.code for f in work.intake_findings}
    (compound,) = compounds_of(job_of(work))
    assert compound.whole.volume_mm3 == pytest.approx(35 * (35 * 80 / 30) * 35, rel=1e-3)
    with pytest.raises(BadChoice, match="thicker block"):
        block_from(front, front, "Post", 38.0, Wishes(), METRIC, 200.0)
    with pytest.raises((BadChoice, BadLength), match="square"):
        block_from(front, front, "Post", 3.0, Wishes(), METRIC)


def test_the_command_and_its_file(tmp_path, capsys):
    for name, drawn in (("front", solids.teapot_front()), ("side", solids.teapot_side())):
        (tmp_path / f"{name}.svg").write_text(drawn_svg(drawn), encoding="utf-8")
    out = tmp_path / "teapot.ember"
    command = ["compound", str(tmp_path / "front.svg"), str(tmp_path / "side.svg"), "--block", "57mm"]
    assert main([*command, "--wood", "basswood", "-o", str(out)]) == 0
    assert main(["plan", str(out)]) == 0
    (told,) = json.loads(capsys.readouterr().out)["compound"]
    assert told["block_mm"][:2] == [57, 57]
    assert sum(part["volume_mm3"] for part in told["parts"]) == pytest.approx(told["volume_mm3"])
    back = read_planned(out.read_bytes()).composition
    again = read_planned(write_project(Project(back, "2026-01-01T00:00:00+00:00"))).composition
    assert again.decisions == back.decisions
    assert (
        main(["compound", str(tmp_path / "front.svg"), str(tmp_path / "none.svg"), "--block", "57mm", "-o", "x"]) == 2
    )
