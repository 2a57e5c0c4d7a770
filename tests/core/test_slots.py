"""Parts that stand in slots: found in a drawing, drawn anew for the stock, put together in an order, standing by
statics worked by hand."""

import ctypes
import json
from dataclasses import replace
from math import atan2, cos, degrees, radians, tan

import numpy as np
import pypdfium2
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.cli import main
from emberquilt.drawing.print_pack import pack_pdf, print_pack
from emberquilt.errors import BadChoice, BadLength
from emberquilt.formats.project import Project, read_project, write_project
from emberquilt.formats.space_json import space_json
from emberquilt.outline.coverage import Coverage
from emberquilt.plan import Plan
from emberquilt.rack.rack import Board
from emberquilt.space.found import joints_in, rectangle_in
from emberquilt.space.order import together_of
from emberquilt.space.standing import hidden_of, stand_of
from emberquilt.work.composition import Composition, Layer, Piece
from emberquilt.work.contacts import contacts_of
from emberquilt.work.decisions import Decisions
from emberquilt.work.in_space import Joint, SpaceDecisions
from emberquilt.work.joints import jointed, slot_width_mm, slots_of
from emberquilt.work.parts import job_of
from emberquilt.work.poses import poses_of
from tests.spatial import METRIC, done, standing
from workshop.compositions.demo import solids


def codes(work) -> set[str]:
    return {f.code for f in Plan(work).every_finding}


def kit(outlines: list[shapely.Polygon], joints: tuple[Joint, ...] = (), thickness: float = 6.0) -> Composition:
    """Parts side by side, joined by hand."""
    coverage = Coverage(range(1, len(outlines) + 1), outlines)
    pieces = tuple(Piece(k, k, "cherry", 0.0, thickness) for k in coverage.keys)
    x1, y1 = coverage.bounds_mm[2:]
    decided = Decisions(space=SpaceDecisions(joints=joints))
    layer = Layer(1, "Parts", "kit", coverage, pieces)
    return Composition("Parts", x1, y1, (layer,), METRIC, decided, last_key=len(outlines))


def test_joints_are_found_in_a_drawing():
    work = standing()
    joints = work.decisions.space.joints
    assert [(j.tab, j.slot, j.kind) for j in joints] == [(1, 3, "tab")] * 2
    assert [j.wide_mm for j in joints] == [6.0, 6.0]
    assert [j.out_mm for j in joints] == [6.0, 6.0]
    assert [p.number for p in work.made] == [1, 2, 3]
    # tabs 20 mm apart go into slots 20 mm apart
    middles = [(np.array(j.middle[0]) + j.middle[1]) / 2 for j in joints]
    assert np.hypot(*(middles[0] - middles[1])) == pytest.approx(20)


def test_a_rectangle_is_a_slot_and_a_round_hole_is_none():
    assert rectangle_in(shapely.box(0, 0, 20, 6)) == (((0.0, 3.0), (20.0, 3.0)), 6.0)
    assert rectangle_in(shapely.Point(0, 0).buffer(5)) is None
    assert rectangle_in(shapely.box(0, 0, 90, 40)) is None


def test_notches_that_face_each_other_cross():
    one = shapely.Polygon([(0, 0), (60, 0), (60, 40), (33, 40), (33, 20), (27, 20), (27, 40), (0, 40)])
    other = shapely.Polygon([(80, 0), (107, 0), (107, 20), (113, 20), (113, 0), (140, 0), (140, 40), (80, 40)])
    (joint,) = joints_in({1: one, 2: other}, {})
    assert (joint.kind, joint.tab, joint.slot, joint.wide_mm) == ("half", 1, 2, 6.0)
    work = kit([one, other], (joint,))
    poses = poses_of(job_of(work))
    # they stand square to each other, and their slots end in one place
    assert abs(float(poses[1].turn[:, 2] @ poses[2].turn[:, 2])) < 1e-9
    ends = [poses[k].at(np.array([line[1]]), 3.0)[0] for k, line in ((1, joint.foot), (2, joint.middle))]
    assert ends[0] == pytest.approx(ends[1])
    assert together_of(job_of(work), work.layers[0]).trapped == ()


@settings(max_examples=30, deadline=None)
@given(st.floats(2.0, 14.0), st.floats(0.0, 0.5))
def test_a_slot_is_as_wide_as_what_goes_in_and_the_clearance(thick, clear):
    """Slot width = measured thickness of the tab + 0 to 0.1 mm: common practice, no source."""
    work = done(standing(), "thickness", [1], length=f"{thick:.3f} mm")
    work = done(work, "clearance", clearance=f"{clear:.3f} mm")
    job = job_of(work)
    base = job.pieces[3].outline
    for slot in slots_of(work, job.thickness_mm):
        assert slot.wide_mm == pytest.approx(round(thick, 3) + round(clear, 3), abs=1e-3)
    assert base.is_valid
    holes = [shapely.Polygon(ring) for ring in base.interiors]
    assert sorted(hole.bounds[3] - hole.bounds[1] for hole in holes) == pytest.approx([thick + clear] * 2, abs=0.01)


def test_a_tab_is_as_long_as_its_slot_is_deep():
    job = job_of(done(standing(), "thickness", [3], length="9 mm"))
    assert job.pieces[1].outline.bounds[3] == pytest.approx(50 + 9)
    thin = job_of(done(standing(), "thickness", [3], length="4 mm"))
    assert thin.pieces[1].outline.bounds[3] == pytest.approx(50 + 4)
    assert thin.pieces[1].outline.is_valid


def test_a_leaning_part_wants_a_wider_slot():
    """Of a part 6 mm thick that leans 20 degrees through 8 mm: 6 / cos 20 + 8 tan 20."""
    assert slot_width_mm(6.0, 8.0, 20.0, 0.1) == pytest.approx(6 / cos(radians(20)) + 8 * tan(radians(20)) + 0.1)
    work = done(standing(), "turn_part", [1], lean="20")
    pose = poses_of(job_of(work))[1]
    assert degrees(np.arccos(abs(pose.turn[2, 1]))) == pytest.approx(20)
    assert "tab-misses" not in codes(work)


def test_the_foot_of_every_tab_comes_to_its_slot():
    work = done(standing(), "thickness", [1, 3], length="5 mm")
    job = job_of(work)
    poses = poses_of(job)
    for joint in work.decisions.space.joints:
        for foot, middle in zip(joint.foot, joint.middle, strict=True):
            there = poses[joint.tab].at(np.array([foot]), 2.5)[0]
            assert there == pytest.approx(poses[joint.slot].at(np.array([middle]), 5.0)[0], abs=1e-6)
    # it stands upright on the base and looks at whoever stands before it
    assert poses[1].turn[:, 1] == pytest.approx([0, 0, 1])
    assert poses[1].turn[:, 2] == pytest.approx([0, -1, 0])


def test_a_part_is_turned_round_in_its_slots():
    work = standing()
    turned = done(work, "turn_part", [1])
    before, after = (poses_of(job_of(w))[1].turn[:, 2] for w in (work, turned))
    assert before == pytest.approx(-after)
    assert "tab-misses" not in codes(turned)
    assert done(turned, "turn_part", [1]).decisions.space.joints == work.decisions.space.joints


def test_parts_are_joined_by_pointing_at_them():
    work = standing()
    assert "stands-alone" in codes(work)
    joined = done(work, "stand_in", [2, 3], count="1", points=json.dumps([[60, 110], [80, 110]]))
    assert "stands-alone" not in codes(joined)
    job = job_of(joined)
    (made,) = [j for j in joined.decisions.space.joints if j.tab == 2]
    assert job.pieces[2].outline.bounds[3] == pytest.approx(50 + 6)
    assert len(job.pieces[3].outline.interiors) == 3
    joints = [c for c in contacts_of(job) if c.kind == "joint"]
    # both cheeks of a tab: its width times the base's thickness
    own = next(c for c in joints if "2" in (c.a, c.b))
    assert own.area_mm2 == pytest.approx(2 * shapely.LineString(made.foot).length * 6.0)
    blind = done(work, "stand_in", [2, 3], count="1", deep="3 mm", points=json.dumps([[60, 110], [80, 110]]))
    assert len(job_of(blind).pieces[3].outline.interiors) == 2
    assert job_of(blind).pieces[2].outline.bounds[3] == pytest.approx(53)
    assert not [j for j in done(joined, "unjoin", [2]).decisions.space.joints if j.tab == 2]


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"count": "0"}, "1 to 12"),
        ({"count": "9", "tab_width": "20 mm"}, "find no room"),
        ({"deep": "6 mm"}, "comes through"),
        ({"kind": "dovetail"}, "tab in a slot"),
        (
            {"count": "1", "tab_width": "28 mm", "points": json.dumps([[12, 95], [8, 95]])},
            "wider than|part it|over the edge",
        ),
        ({"points": json.dumps([[60, 95], [60, 95]])}, "too short|line"),
    ],
)
def test_a_joint_that_cannot_be_is_refused(values, words):
    with pytest.raises((BadChoice, BadLength), match=words):
        done(standing(), "stand_in", [2, 3], **values)


def test_what_cannot_stand_is_refused():
    flat = done(standing(), "lay_flat")
    assert flat.layers[0].kind == "sheet"
    assert not flat.decisions.space.joints
    for verb, keys, words in (
        ("find_joints", [], "lie flat"),
        ("turn_part", [2], "no tabs"),
        ("unjoin", [2], "Nothing joins"),
        ("base_for", [], "lie flat"),
    ):
        with pytest.raises(BadChoice, match=words):
            done(flat if words == "lie flat" else standing(), verb, keys)
    with pytest.raises(BadChoice, match="stand already"):
        done(standing(), "kit")


def trapped_pair() -> Composition:
    """One post into a base from above, one from below, and a tab of the one in the other's side: no straight way in for
    the last."""
    base, one, other = shapely.box(0, 0, 80, 80), shapely.box(100, 0, 130, 40), shapely.box(150, 0, 180, 40)
    joints = (
        Joint(2, 1, ((105, 40), (125, 40)), ((20, 40), (40, 40)), (115, 46)),
        Joint(3, 1, ((155, 40), (175, 40)), ((60, 20), (60, 40)), (165, 46), behind=True),
        Joint(2, 3, ((130, 10), (130, 30)), ((165, 10), (165, 30)), (136, 20)),
    )
    return kit([base, one, other], joints)


def test_tabs_that_trap_each_other_are_told():
    work = trapped_pair()
    assert together_of(job_of(work), work.layers[0]).trapped
    assert "tabs-trapped" in codes(work)
    # without the tab between the posts one goes in from above, and the other from below
    free = replace(
        work,
        decisions=replace(work.decisions, space=SpaceDecisions(joints=work.decisions.space.joints[:2])),
    )
    order = together_of(job_of(free), free.layers[0])
    assert order.trapped == ()
    assert order.order[0].key == 1
    assert {going.way for going in order.order[1:]} == {(0.0, 0.0, -1.0), (0.0, 0.0, 1.0)}


def test_every_part_goes_in_once_and_after_what_it_stands_in():
    work = done(standing(), "stand_in", [2, 3], count="1", points=json.dumps([[60, 110], [80, 110]]))
    order = together_of(job_of(work), work.layers[0]).order
    assert sorted(going.key for going in order) == [1, 2, 3]
    seen: set[int] = set()
    for going in order:
        assert set(going.touches) <= seen
        seen.add(going.key)
    # what stands nearer to the eye goes in last
    assert order[-1].key == 2
    assert [step.piece for step in Plan(work).glue.steps] == [going.key for going in order]


def test_a_post_tips_by_its_centre_of_mass():
    """A post 10 thick, 100 high, on a base 60 by 60 by 6 of one wood, its middle 10 mm behind the base's: by hand."""
    base, post = shapely.box(0, 0, 60, 60), shapely.box(100, 0, 140, 100)
    joint = Joint(2, 1, ((110, 100), (130, 100)), ((20, 20), (40, 20)), (120, 106))
    work = kit([base, post], (joint,))
    work = done(work, "thickness", [2], length="10 mm")
    stand = stand_of(job_of(work))
    # slot and tab: 20.1 x 10.1 x 6 leave the base, 20 x 6 x 10 come to the post
    masses = np.array([(3600 - 20.1 * 10.1) * 6, 4000 * 10, 20 * 6 * 10])
    base_y = (3600 * 0 - 20.1 * 10.1 * 10) / (3600 - 20.1 * 10.1)
    y = float(np.average([base_y, 10, 10], weights=masses))
    z = float(np.average([3, 56, 3], weights=masses))
    assert stand.middle[1] == pytest.approx(y, abs=0.05)
    assert stand.middle[2] == pytest.approx(z, abs=0.05)
    assert stand.lean_deg == pytest.approx(degrees(atan2(30 - y, z)), abs=0.1)
    assert stand.stands
    assert stand.tips == pytest.approx((0, 1))


def test_what_falls_over_is_told():
    base, post = shapely.box(0, 0, 60, 14), shapely.box(100, 0, 140, 300)
    joint = Joint(2, 1, ((110, 300), (130, 300)), ((20, 7), (40, 7)), (120, 306))
    work = kit([base, post], (joint,))
    assert stand_of(job_of(work)).lean_deg < 5
    assert "falls-over" in codes(work)


def test_what_stands_before_a_figure_hides_it():
    base = shapely.box(0, 0, 100, 60)
    back, front = shapely.box(120, 0, 180, 50), shapely.box(120, 60, 180, 90)
    joints = (
        Joint(2, 1, ((130, 50), (170, 50)), ((20, 15), (60, 15)), (150, 56)),
        Joint(3, 1, ((130, 90), (170, 90)), ((20, 45), (60, 45)), (150, 96)),
    )
    work = kit([base, back, front], joints)
    (hidden,) = [one for one in hidden_of(job_of(work)) if one.key == 2]
    assert hidden.behind == (3,)
    # 30 of 50 mm of its height and its tab, behind a front as wide
    assert hidden.share == pytest.approx((30 * 60 + 40 * 6) / (50 * 60 + 40 * 6), abs=0.01)
    assert "hidden-behind" in codes(work)


def test_the_base_becomes_as_large_as_what_stands_on_it():
    work = standing()
    made = done(work, "base_for", [], overhang="5 mm", rounded="2 mm")
    x0, y0, x1, y1 = made.layers[0].coverage.by_key[3].bounds
    # the figure is 40 wide, and as deep as it is thick
    assert (x1 - x0, y1 - y0) == pytest.approx((40 + 10, 6 + 10))
    assert made.decisions.relief.edges[3] == 2.0
    with pytest.raises(BadChoice, match="other parts"):
        done(work, "base_for", [], overhang="60 mm")


def test_the_coupon_sets_the_clearance():
    work = done(standing(), "thickness", [1], length="6.3 mm")
    pack = print_pack(job_of(work), "coupon", "A4", {})
    (plane,) = {page.plane.name: page.plane for page in pack.pages}.values()
    coupon = plane.parts[0].outline
    wide = sorted(ring.bounds[2] - ring.bounds[0] for ring in map(shapely.Polygon, coupon.interiors))
    assert wide == pytest.approx([6.2, 6.3, 6.4, 6.5, 6.6])
    fits = done(work, "clearance", [], fits="5")
    assert slots_of(fits, job_of(fits).thickness_mm)[0].wide_mm == pytest.approx(6.6)
    eased = job_of(done(fits, "clearance", [], corners="eased")).pieces[3].outline
    assert eased.area < job_of(fits).pieces[3].outline.area
    for values in ({"fits": "9"}, {"clearance": "9 mm"}, {"corners": "round"}):
        with pytest.raises((BadChoice, BadLength)):
            done(work, "clearance", [], **values)
    with pytest.raises(BadChoice, match="Nothing stands"):
        print_pack(job_of(kit([shapely.box(0, 0, 9, 9)])), "coupon", "A4", {})


def test_the_printed_slot_is_as_wide_as_the_stock():
    """Paths of the printed page itself, read by pdfium: the slots of the base at the thickness measured."""
    work = done(standing(), "thickness", [1], length="7.2 mm")
    pack = print_pack(job_of(work), "ready", "A3", {})
    sizes = []
    for page in pypdfium2.PdfDocument(pack_pdf(job_of(work), pack)):
        for thing in page.get_objects(filter=(pypdfium2.raw.FPDF_PAGEOBJ_PATH,)):
            sizes += [ring_size_mm(ring) for ring in rings_on(thing)]
    words = [page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(pack_pdf(job_of(work), pack))]
    assert sum(text.split().count("1") for text in words) >= 4
    slots = [size for size in sizes if size == pytest.approx((7.3, 10.1), abs=0.02)]
    # on the sheet that is stuck on the wood, and on the one that parts are laid on
    assert len(slots) == 4
    assert any(size == pytest.approx((50, 80), abs=0.02) for size in sizes)


def rings_on(thing) -> list[list[tuple[float, float]]]:
    """The rings of a path on a page, in points."""
    raw, rings = pypdfium2.raw, []
    for n in range(raw.FPDFPath_CountSegments(thing.raw)):
        segment = raw.FPDFPath_GetPathSegment(thing.raw, n)
        x, y = ctypes.c_float(), ctypes.c_float()
        raw.FPDFPathSegment_GetPoint(segment, x, y)
        if raw.FPDFPathSegment_GetType(segment) == raw.FPDF_SEGMENT_MOVETO:
            rings.append([])
        rings[-1].append((x.value, y.value))
    return rings


def ring_size_mm(ring: list[tuple[float, float]]) -> tuple[float, float]:
    """How wide and high it is, the smaller first."""
    wide, high = np.ptp(np.array(ring), axis=0) * 25.4 / 72
    return tuple(sorted((float(wide), float(high))))


def test_joints_are_tried_before_they_are_glued():
    plan = Plan(standing())
    keys = [step.key for step in plan.steps]
    step = plan.steps[keys.index("try-joints")]
    assert keys.index("try-joints") < next(n for n, s in enumerate(plan.steps) if s.verb == "glue")
    kerf = plan.saw.cuts[0].blade.kerf_mm
    assert f"takes {kerf:.2f} mm" in step.lines[0]
    assert "1 into 3" in step.lines[2]


def test_a_slot_too_wide_for_its_part_is_told():
    work = done(standing(), "thickness", [1], length="60 mm")
    assert "slot-too-wide" in codes(work)
    # the part itself stays whole on every page
    assert job_of(work).pieces[3].outline.is_valid


def test_stock_that_is_as_thick_as_was_drawn_is_no_fault():
    """Slots of 6 mm for 5.9 mm and a clearance of 0.1: nothing changes, and nothing is told."""
    work = done(standing(), "thickness", [1, 3], length="5.9 mm")
    assert "slot-too-wide" not in codes(work)
    drawn = work.layers[0].coverage.by_key[3]
    assert job_of(work).pieces[3].outline.symmetric_difference(drawn).area < 2.5


def test_a_thin_wall_beside_a_slot_is_told():
    base, post = shapely.box(0, 0, 60, 30), shapely.box(100, 0, 140, 30)
    joint = Joint(2, 1, ((110, 30), (130, 30)), ((20, 25), (40, 25)), (120, 36))
    assert "slot-wall" in codes(kit([base, post], (joint,)))


def test_joints_go_with_their_parts():
    work = standing()
    assert jointed(work, job_of(work).thickness_mm).keys() == {1, 3}
    gone = done(work, "drop", [1])
    assert not gone.decisions.space.joints
    assert any("joint" in lost.words for lost in gone.decisions.whole.lost)
    twice = done(work, "resize", [], width="200 mm")
    joint = twice.decisions.space.joints[0]
    assert joint.wide_mm == pytest.approx(12)
    assert "tab-misses" not in codes(twice)
    mirrored = done(work, "mirror")
    assert "tab-misses" not in codes(mirrored)
    assert poses_of(job_of(mirrored))[1].turn[:, 1] == pytest.approx([0, 0, 1])


def test_four_copies_of_the_desk_lighthouse(tmp_path, capsys):
    """From the drawing by the command line: joints, slots by the caliper, and the order."""
    svg = drawn_svg(solids.desk_lighthouse())
    (tmp_path / "light.svg").write_text(svg, encoding="utf-8")
    out = tmp_path / "light.ember"
    make = ["make", str(tmp_path / "light.svg"), "--percent", "100", "--slots", "--thickness", "5.5mm"]
    assert main([*make, "--woods", "cherry", "--copies", "4", "-o", str(out)]) == 0
    assert main(["plan", str(out)]) == 0
    told = json.loads(capsys.readouterr().out)
    assert len(told["joints"]) == 6
    for joint in told["joints"]:
        (slot,) = joint["slots"]
        assert slot["width_mm"] == pytest.approx(5.6)
        assert shapely.Polygon(slot["ring"]).area == pytest.approx(slot["width_mm"] * slot["length_mm"], rel=1e-3)
    assert told["copies"] == 4
    assert told["space"]["stands"]
    assert told["space"]["order"][0]["why"] == "it carries the rest"
    glued = [t["label"] for t in told["tasks"] if t["label"].startswith("Glue")]
    assert len(glued) == 4
    back = read_project(out.read_bytes()).composition
    again = read_project(write_project(Project(back, "2026-01-01T00:00:00+00:00"))).composition
    assert again.decisions == back.decisions
    assert space_json(job_of(again))["joints"] == told["joints"]


@pytest.mark.parametrize("pack", ["copies", "ready", "boards"])
def test_a_blind_slot_is_drawn_where_it_lies_on_its_part(pack):
    """As wide as the figure is thick and a clearance, as far from the base's edges as in the work, however it lies."""
    line = json.dumps([[60, 110], [80, 110]])
    work = done(standing(), "stand_in", [2, 3], count="1", tab_width="12 mm", deep="2.5 mm", points=line)
    planks = (Board(1, "cherry", "C1", 400.0, 200.0, 6.0), Board(2, "walnut", "W1", 400.0, 200.0, 6.0))
    work = replace(work, rack=replace(work.rack, boards=planks))
    if pack == "boards":
        work = done(work, "lay", [])
    job, copies = job_of(work), {1: 1, 2: 1, 3: 2}
    (slot,) = [s for s in slots_of(work, job.thickness_mm) if s.takes == 2]
    own = [part for page in print_pack(job, pack, "A3", copies).pages for part in page.plane.parts if part.key == "3"]
    assert own
    home = job.pieces[3].outline.exterior.distance(slot.area)
    for part in own:
        ((drawn, words),) = part.sunk
        assert words == "2: 2.5 mm deep"
        assert drawn.area == pytest.approx((job.thickness_mm[2] + 0.1) * 12.1)
        assert part.outline.contains(drawn)
        assert part.outline.exterior.distance(drawn) == pytest.approx(home, abs=0.01)
    pdf = pypdfium2.PdfDocument(pack_pdf(job, print_pack(job, pack, "A3", copies)))
    assert "2.5 mm deep" in " ".join(page.get_textpage().get_text_range() for page in pdf)


def drawn_svg(proposal) -> str:
    """Outlines as hairlines of 0.3 mm, in millimetres."""
    wide, high = proposal.width_mm + 4, proposal.height_mm + 4
    paths = []
    for outline in proposal.coverage.outlines:
        for ring in (outline.exterior, *outline.interiors):
            points = " ".join(f"{x + 2:.3f},{y + 2:.3f}" for x, y in ring.coords)
            paths.append(f'<polygon points="{points}" fill="none" stroke="#000" stroke-width="0.3"/>')
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide}mm" height="{high}mm" viewBox="0 0 {wide} {high}">'
        + "".join(paths)
        + "</svg>"
    )


def on_a_line(*outlines: shapely.Polygon) -> Composition:
    """Parts that stand in one plane in a base, each by a tab at its own foot: their x is the base's, the sheet's y
    their height over it."""
    made, joints = [shapely.box(0, 200, 200, 240)], []
    for n, outline in enumerate(outlines):
        sheet = shapely.affinity.translate(outline, 0, -300 * (n + 1))
        x0, foot = sheet.bounds[0], sheet.bounds[3]
        made.append(sheet)
        middle = ((x0 + 2, 220.0), (x0 + 10, 220.0))
        joints.append(Joint(n + 2, 1, ((x0 + 2, foot), (x0 + 10, foot)), middle, (x0 + 6, foot + 6)))
    lowered = [shapely.affinity.translate(one, 0, 900) for one in made]
    moved = tuple(joint.moved((1, 0, 0, 0, 1, 900)) for joint in joints)
    return kit(lowered, moved)


def order_of(work: Composition) -> tuple[list[int], tuple[int, ...]]:
    found = together_of(job_of(work), work.layers[0])
    return [going.key for going in found.order], found.trapped


POST = shapely.box(60, -30, 80, 0)
HOOK = shapely.union(shapely.box(20, -60, 40, 0), shapely.box(20, -60, 90, -40))


def test_a_part_goes_in_before_what_comes_to_hang_over_it():
    """The hook's arm reaches over the post, whichever of the two is drawn first; beside it either can be last."""
    assert order_of(on_a_line(POST, HOOK)) == ([1, 2, 3], ())
    assert order_of(on_a_line(HOOK, POST)) == ([1, 3, 2], ())
    beside = shapely.affinity.translate(POST, 60, 0)
    orders = {tuple(order_of(on_a_line(*two))[0]) for two in ((beside, HOOK), (HOOK, beside))}
    assert orders == {(1, 3, 2)}
    assert "parts-collide" not in codes(on_a_line(POST, HOOK))


def test_hooks_in_each_other_go_in_as_one_or_not_at_all():
    """Each hooks under the other's arm: neither comes out upwards alone, both together do, and beside the work they
    come apart sideways."""
    other = shapely.union_all(
        [shapely.box(60, -30, 100, 0), shapely.box(90, -90, 100, 0), shapely.box(30, -90, 100, -75)]
    )
    order, trapped = order_of(on_a_line(HOOK, other))
    assert (order[0], set(order), trapped) == (1, {1, 2, 3}, ())
    work = on_a_line(HOOK, other)
    whys = [going.why for going in together_of(job_of(work), work.layers[0]).order]
    assert any("go in as one" in why for why in whys)


def test_two_parts_in_one_place_are_told():
    work = on_a_line(POST, shapely.affinity.translate(POST, 8, 0))
    assert "parts-collide" in codes(work)
    assert "parts-collide" not in codes(on_a_line(POST, shapely.affinity.translate(POST, 20, 0)))
