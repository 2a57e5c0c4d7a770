"""Sections, backers, frames, weight and how it hangs, against geometry, trimesh and tables."""

import itertools
import json
import math
import re
from dataclasses import replace

import networkx
import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.drawing.back_pdf import back_pdf, words_on_back
from emberquilt.drawing.section import drawn
from emberquilt.errors import BadChoice, BadLength
from emberquilt.formats.project import Project, read_project, write_project
from emberquilt.outline.coverage import Coverage
from emberquilt.outline.insets import backer_outline
from emberquilt.picture.render import draft
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.relief.back_judged import movements_of
from emberquilt.relief.frame import ALLOWANCE_MM, frame_of, polygon_side
from emberquilt.relief.heights import Relief
from emberquilt.relief.layered import lies_on
from emberquilt.relief.mass import hung, mass_of
from emberquilt.relief.movement import change_mm, equilibrium_moisture
from emberquilt.relief.section import section_of, telling_line
from emberquilt.work.composition import Layer, Piece
from emberquilt.work.contacts import contacts_of
from emberquilt.work.parts import framing, job_of
from emberquilt.work.register import READINGS
from emberquilt.work.standing import SHEET_MM, spacer_heights, spacer_sheets
from emberquilt.work.view import View
from tests.conftest import cells, composition, edited, findings_of, grid

# sections


@settings(max_examples=25)
@given(st.integers(3, 25), st.integers(0, 999), st.tuples(*[st.floats(0, 1)] * 4))
def test_a_section_is_what_shapely_cuts(count, seed, ends):
    work = composition(cells(count, seed))
    work = edited(work, "shim", [1], length="3 mm")
    job = job_of(work)
    a, b = (ends[0] * 300, ends[1] * 200), (ends[2] * 300, ends[3] * 200)
    line = shapely.LineString([a, b])
    if line.length < 5:
        with pytest.raises(BadChoice):
            section_of(job, a, a)
        return
    section = section_of(job, a, b)
    for part in (*job.pieces.values(), *job.grounds, *job.shims):
        met = sum(s.to_mm - s.from_mm for s in section.slices if s.part is part)
        assert met == pytest.approx(line.intersection(part.outline).length, abs=0.05)
    # what is seen is the highest there is, all along
    for one in section.seen:
        point = line.interpolate((one.from_mm + one.to_mm) / 2)
        assert one.top_mm == max(p.top_mm for p in job.of_one if p.outline.intersects(point))
    for step in section.steps:
        if step.before is not None and step.after is not None:
            assert step.exposed_mm == pytest.approx(abs(step.before.top_mm - step.after.top_mm))


def test_a_section_outside_the_picture_is_refused():
    job = job_of(composition(grid(2, 2)))
    for a, b in (((-50, -50), (-10, -90)), ((10, 10), (10, 10))):
        with pytest.raises(BadChoice, match=r"section line|no length"):
            section_of(job, a, b)
    assert len(section_of(job, *telling_line(job)).seen) >= 2


# weight and centre of mass


def solid_of(part) -> trimesh.Trimesh:
    """A part as a closed body, by general libraries: its outline triangulated by Shapely, extruded by trimesh."""
    bodies = []
    for polygon in shapely.get_parts(part.outline):
        triangles = shapely.get_parts(shapely.constrained_delaunay_triangles(polygon))
        corners = np.array([shapely.get_coordinates(t)[:3] for t in triangles]).reshape(-1, 2)
        points, index = np.unique(corners.round(6), axis=0, return_inverse=True)
        body = trimesh.creation.extrude_triangulation(points, index.reshape(-1, 3), part.thickness_mm)
        body.apply_translation([0, 0, part.floor_mm])
        bodies.append(body)
    return trimesh.util.concatenate(bodies)


@settings(max_examples=10)
@given(st.integers(2, 12), st.integers(0, 99))
def test_volume_weight_and_centre_of_mass_are_those_of_trimesh(count, seed):
    coverage = cells(count, seed)
    woods = {key: ("cherry", "walnut", "ebony")[key % 3] for key in coverage.keys}
    work = edited(composition(coverage, woods), "shim", [1, 2], length="6 mm")
    job = job_of(work)
    shelf = work.rack.shelf
    weight, moment = 0.0, np.zeros(3)
    for part in hung(job):
        solid = solid_of(part)
        assert solid.is_watertight
        assert solid.volume == pytest.approx(part.area_mm2 * part.thickness_mm, rel=1e-5)
        own = solid.volume * 1e-9 * shelf[part.material].density_kg_m3
        weight, moment = weight + own, moment + own * solid.center_mass
    mass = Relief(job).mass
    assert mass.weight_kg == pytest.approx(weight, rel=1e-5)
    assert (mass.x_mm, mass.y_mm, mass.z_mm) == pytest.approx(moment / weight, rel=1e-4)
    assert mass.reckoned_kg == 0.0


def test_what_nobody_knows_the_weight_of_is_reckoned_with_and_said():
    mass = mass_of(job_of(composition(grid(2, 1), "")), hung(job_of(composition(grid(2, 1), ""))))
    assert 0 < mass.reckoned_kg < mass.weight_kg
    assert mass.x_mm == pytest.approx(30.0, abs=0.01)


# backers


def test_a_backer_keeps_inside_and_follows_what_is_lost_in_sawing():
    coverage = cells(20, 4)
    for inset in (1.0, 3.0, 8.0):
        backer = backer_outline(coverage, inset)
        assert coverage.outside.buffer(-inset / 2).contains(backer)
        assert backer.area > 0.98 * coverage.outside.buffer(-inset).area
    assert backer_outline(coverage, 3.0, 0.5).area < backer_outline(coverage, 3.0).area
    on_line = composition(coverage, practice=Practice(fit="on"))
    beside = composition(coverage, practice=Practice(fit="beside"))
    assert job_of(on_line).grounds[0].area_mm2 < job_of(beside).grounds[0].area_mm2


def test_a_backer_can_be_sawn_and_holds_together_at_a_neck():
    bar = shapely.box(0, 0, 100, 40).union(shapely.box(100, 18, 160, 23)).union(shapely.box(160, 0, 260, 40))
    coverage = Coverage([1], [bar])
    backer = backer_outline(coverage, 3.0)
    assert backer.geom_type == "Polygon"
    assert bar.contains(backer)
    ring = shapely.Point(0, 0).buffer(80).difference(shapely.Point(0, 0).buffer(30))
    (hole,) = backer_outline(Coverage([1], [ring]), 3.0).interiors
    assert shapely.Polygon(hole).area > math.pi * 30**2
    assert not backer_outline(Coverage([1], [ring]), 3.0, seen_through=True).interiors
    small = shapely.box(0, 0, 100, 60).difference(shapely.box(40, 25, 50, 30))
    assert not backer_outline(Coverage([1], [small]), 3.0).interiors


def test_bodies_that_are_apart_get_a_backer_each_and_it_is_said_why():
    apart = composition(Coverage([1, 2], [shapely.box(0, 0, 80, 80), shapely.box(110, 0, 190, 80)]))
    (found,) = [f for f in Plan(apart).findings("relief") if f.code == "several-backers"]
    assert "2 backers" in found.sentence
    assert "1 3/16 in apart" in found.sentence
    assert len(Relief(job_of(apart)).hanging.hangers) == 2


def test_support_is_the_share_that_lies_on_the_backer_and_both_ends_of_long_pieces():
    # a thin strip along the edge lies half on the backer, a long one sticks out at its end
    strip, rest = shapely.box(0, 0, 90, 4), shapely.box(0, 4, 90, 60)
    work = composition(Coverage([1, 2], [strip, rest]))
    ground = shapely.union_all([g.outline for g in job_of(work).grounds])
    by_piece = {one.part.id.piece: one for one in Relief(job_of(work)).supports}
    for key, outline in ((1, strip), (2, rest)):
        assert by_piece[key].share == pytest.approx(outline.intersection(ground).area / outline.area)
    assert by_piece[2].holds
    assert not by_piece[1].holds
    (found,) = [f for f in Plan(work).findings("relief") if f.code == "little-support"]
    assert found.pieces == (1,)
    mended = edited(edited(work, found.fix.verb, **found.fix.values), found.fix.verb, backer_inset_mm=0.5)
    assert not [f for f in Plan(mended).findings("relief") if f.code == "little-support"]


def test_long_thin_backers_bow():
    long = composition(grid(20, 2))
    (found,) = [f for f in Plan(long).findings("relief") if f.code == "backer-bows"]
    assert (found.amount, found.limit) == (3.0, 6.0)
    mended = edited(long, found.fix.verb, **found.fix.values)
    assert not [f for f in Plan(mended).findings("relief") if f.code == "backer-bows"]


# movement


def test_moisture_is_that_of_the_handbook():
    """Equilibrium moisture content of wood at 70 F: Wood Handbook (USDA Forest Products Laboratory), the table in its
    chapter on moisture relations; values from memory."""
    table = {5: 1.3, 10: 2.5, 20: 4.5, 30: 6.2, 40: 7.7, 50: 9.2, 60: 11.0, 65: 12.0, 70: 13.1, 80: 16.0, 90: 20.5}
    for humidity, moisture in table.items():
        assert equilibrium_moisture(humidity, 21.1) == pytest.approx(moisture, abs=0.12)


def test_movement_is_that_of_the_handbooks_formula():
    """dD = D C (M2 - M1): Wood Handbook, chapter on drying and control of moisture content, whose coefficients are
    given for a change of 1 %. Red oak's tangential 0.00369 is its table's; a flat-sawn board of 10 in from 6 to 12 %
    gains 0.22 in. From memory."""
    assert change_mm(254.0, 0.00369, 6.0, 12.0) / 25.4 == pytest.approx(0.2214, abs=1e-4)
    sheet = composition(grid(1, 1, 300.0), "oak_red")
    sheet = replace(sheet, layers=(replace(sheet.layers[0], kind="sheet"),))
    (one,) = movements_of(job_of(sheet))
    wood = sheet.rack.shelf["oak_red"]
    dry, damp = (equilibrium_moisture(h) for h in (30, 65))
    assert one.across_mm == pytest.approx(300.0)
    assert one.moves_mm == pytest.approx(300.0 * wood.c_tangential * (damp - dry))
    (found,) = [f for f in Plan(sheet).findings("relief") if f.code == "panel-moves"]
    assert "across the grain" in found.sentence
    steady = edited(sheet, "practice", humid_low="50", humid_high="50")
    assert not [f for f in Plan(steady).findings("relief") if f.code == "panel-moves"]


def test_turned_grain_moves_the_other_way():
    wide = composition(Coverage([1], [shapely.box(0, 0, 400, 100)]), "cherry", grain_deg=0.0)
    wide = replace(wide, layers=(replace(wide.layers[0], kind="sheet"),))
    along, across = movements_of(job_of(wide)), movements_of(job_of(edited(wide, "grain", [1], deg="90")))
    assert (along[0].across_mm, across[0].across_mm) == (pytest.approx(100.0), pytest.approx(400.0))


# hanging


def test_a_hanger_sits_on_the_vertical_through_the_centre_of_mass():
    # the right half is of ebony: it hangs from the right of the middle
    coverage = grid(6, 6, 40.0)
    woods = {key: "ebony" if (key - 1) % 6 > 2 else "aspen" for key in coverage.keys}
    relief = Relief(job_of(composition(coverage, woods)))
    (hanger,) = relief.hanging.hangers
    assert hanger.x_mm == pytest.approx(relief.mass.x_mm, abs=0.01)
    assert hanger.x_mm > 130
    assert 0.1 < hanger.y_mm / 240 < 0.4
    assert hanger.behind_mm == pytest.approx(3.0 + 19.05)
    assert hanger.seam_mm >= 5.0


def test_wide_work_hangs_from_two_about_its_centre_of_mass():
    relief = Relief(job_of(composition(grid(12, 5, 50.0))))
    left, right = relief.hanging.hangers
    assert (left.x_mm + right.x_mm) / 2 == pytest.approx(relief.mass.x_mm, abs=0.01)
    assert left.y_mm == right.y_mm < relief.mass.y_mm
    assert right.x_mm - left.x_mm == pytest.approx(0.5 * 594, abs=1.0)


def test_where_a_hole_lies_above_the_centre_two_hangers_hold_it():
    ring = shapely.Point(150, 150).buffer(140).difference(shapely.Point(150, 150).buffer(100))
    gap = ring.difference(shapely.box(140, 0, 160, 80))
    halves = [gap.intersection(shapely.box(0, 0, 300, 150)), gap.intersection(shapely.box(0, 150, 300, 300))]
    pieces = [p for half in halves for p in shapely.get_parts(half).tolist()]
    work = composition(Coverage(range(1, len(pieces) + 1), pieces))
    hanging = Relief(job_of(work)).hanging
    assert len(hanging.hangers) == 2
    assert "two hangers beside it" in hanging.said[0]
    body = shapely.union_all([g.outline for g in job_of(work).grounds])
    assert all(body.contains(shapely.Point(h.x_mm, h.y_mm)) for h in hanging.hangers)


def test_how_it_hangs_is_decided_and_thin_places_are_said():
    work = composition(grid(4, 4, 40.0), thickness_mm=3.0)
    assert Relief(job_of(work)).hanging.kind == "sawtooth"
    keyhole = edited(work, "hanger", hanger="keyhole")
    (found,) = [f for f in Plan(keyhole).findings("relief") if f.code == "hanger-thin"]
    assert (found.amount, found.limit) == (6.0, 12.0)
    assert Relief(job_of(edited(work, "hanger", hanger="stand"))).hanging.hangers == ()
    with pytest.raises(BadChoice, match="no way to hang"):
        edited(work, "hanger", hanger="glue")


# frames


def test_a_frame_takes_the_stack_and_its_sides_are_mitred():
    frame = frame_of(300.0, 200.0, 40.0, 30.0, 18.0, 6.0, 4)
    (_, two, across, sight), (_, _, upright, _) = frame.sides
    assert (two, across, sight) == (
        2,
        pytest.approx(300 + ALLOWANCE_MM + 2 * (40 - 6)),
        pytest.approx(300 + ALLOWANCE_MM - 12),
    )
    assert upright == pytest.approx(200 + ALLOWANCE_MM + 68)
    assert frame.mitre_deg == 45
    assert frame.buy_mm > 2 * (across + upright)
    # a hexagon about a circle: its side is 2 r tan 30
    six = frame_of(200.0, 200.0, 30.0, 25.0, 10.0, 0.0, 6)
    ((_, count, outer, inner),) = six.sides
    middle = 100 + ALLOWANCE_MM / 2
    assert (count, six.mitre_deg) == (6, 30)
    assert inner == pytest.approx(2 * middle * math.tan(math.radians(30)))
    assert outer == pytest.approx(polygon_side(middle + 30, 6))


@pytest.mark.parametrize("sides", [3, 4, 5, 6, 8, 12])
def test_rails_are_equal_and_close_round_the_work(sides):
    work = edited(
        composition(grid(4, 3)), "rails", material="cherry", rail_width="20 mm", rabbet="5 mm", sides=str(sides)
    )
    rails = work.decisions.relief.rails
    made = framing(work.width_mm, work.height_mm, rails)
    assert len(made) == sides
    around = shapely.union_all(made)
    (hole,) = around.interiors
    assert around.area == pytest.approx(sum(one.area for one in made))
    if sides != 4:
        assert max(one.area for one in made) == pytest.approx(min(one.area for one in made))
    else:
        assert shapely.Polygon(hole).bounds == pytest.approx((5, 5, 115, 85))
    assert len(job_of(work).rails) == sides
    assert Plan(work).relief.frame.sides


def test_a_frame_thinner_than_the_backer_is_said():
    work = edited(composition(grid(3, 3)), "rails", material="cherry", rail_thickness="2 mm", rabbet="5 mm")
    (found,) = [f for f in Plan(work).findings("relief") if f.code == "frame-shallow"]
    assert "thinner than the backer" in found.sentence
    thick = edited(composition(grid(3, 3)), "rails", material="cherry", rail_thickness="40 mm", rabbet="5 mm")
    assert not [f for f in Plan(thick).findings("relief") if f.code == "frame-shallow"]
    with pytest.raises(BadChoice, match="lip"):
        edited(work, "rails", material="cherry", rail_width="10 mm", rabbet="12 mm")
    with pytest.raises(BadChoice):
        edited(work, "rails", material="cherry", sides="2")


@pytest.mark.parametrize("built", ["strips", "groove"])
@pytest.mark.parametrize("sides", [4, 6])
def test_a_frame_built_of_strips_takes_the_work(built, sides):
    work = edited(composition(grid(5, 4, 40.0)), "shim", [1], length="12 mm")
    work = edited(
        work, "rails", material="cherry", rail_width="20 mm", rail_thickness="9 mm", rabbet="6 mm", sides=str(sides)
    )
    (shallow,) = [f for f in Plan(work).findings("relief") if f.code == "frame-shallow"]
    work = edited(work, shallow.fix.verb, **{**shallow.fix.values, "built": built})
    assert not [f for f in Plan(work).findings("relief") if f.code == "frame-shallow"]
    job, frame = job_of(work), Plan(work).relief.frame
    # the least number of strips that is as deep as the work and the room behind it
    count = math.ceil((job.depth_mm + 2.0) / 9.0)
    assert frame.strips[:2] == (("lip", 1, 20.0), ("filler", count, 14.0))
    assert frame.has_mm == count * 9.0 >= frame.rabbet_deep_mm > (count - 1) * 9.0
    layers = 1 + count + (built == "groove")
    assert len(job.rails) == layers * sides
    assert frame.buy_mm == pytest.approx(
        Plan(edited(work, "rails", **MOULDING, sides=str(sides))).relief.frame.buy_mm * layers
    )
    lips = [rail for rail in job.rails if "lip" in rail.name]
    fillers = [rail for rail in job.rails if "filler" in rail.name]
    sheet = shapely.box(0, 0, work.width_mm, work.height_mm) if sides == 4 else None
    if sheet is not None:
        # behind the lip there is room for the work, and the lip reaches over it
        assert all(rail.outline.intersection(sheet).area < 1e-6 for rail in fillers)
        assert sum(rail.outline.intersection(sheet).area for rail in lips) == pytest.approx(200 * 160 - 188 * 148)
    assert {rail.floor_mm for rail in lips} == {count * 9.0}
    behind = [rail for rail in job.rails if "back" in rail.name]
    assert {rail.top_mm for rail in behind} <= {0.0}
    # all strips of a frame are joined to one another, ring by ring and side by side
    graph = networkx.Graph((c.a, c.b) for c in contacts_of(job))
    assert networkx.is_connected(graph.subgraph([rail.key for rail in job.rails]))
    hangers = Plan(work).relief.hanging.hangers
    assert hangers
    backs = shapely.union_all([rail.outline for rail in (behind or fillers)])
    assert all(backs.contains(shapely.Point(h.x_mm, h.y_mm).buffer(2)) for h in hangers)


MOULDING = {"material": "cherry", "rail_width": "20 mm", "rail_thickness": "9 mm", "rabbet": "6 mm"}


def test_a_rabbet_is_drawn_as_it_is_milled():
    work = edited(composition(grid(5, 4, 40.0)), "rails", **(MOULDING | {"rail_thickness": "40 mm"}))
    job = job_of(work)
    shown = drawn(job, "", frozenset(), {})
    first, *_, last = [b for b in shown.blocks if b["name"].startswith("rail")]
    assert shown.reach_mm == 22.0
    for block in (first, last):
        xs = [float(x) for x in re.findall(r"[MH]([\d.]+)", block["path"])]
        across = (shown.wide - 88) / shown.length_mm
        # the whole is as wide as the rail, and what stands behind the lip as wide as the rail without it
        assert (max(xs) - min(xs)) / across == pytest.approx(20, abs=0.3)
        assert (abs(xs[2] - xs[0])) / across == pytest.approx(14, abs=0.3)
    # a square piece has square corners in the section, at the edge of the sheet every piece; others round ones

    def corners(work, cut="-5,20,205,20"):
        paths = {b["key"]: b["path"] for b in drawn(job_of(work), cut, frozenset(), {}).blocks if b["key"]}
        return {key: [float(x) for x in re.findall(r"q[-\d.]+ [-\d.]+ ([\d.]+)", path)] for key, path in paths.items()}

    high = edited(composition(grid(5, 4, 40.0)), "shim", [1, 3], length="8 mm")
    first, third = corners(high)[1], corners(high)[3]
    assert first[0] == 0.0 < min(first[1], *third)
    # where the line ends a piece is cut through, and has no edge
    assert corners(high, "10,20,100,20")[1][0] == 0.0 < corners(high, "10,20,100,20")[1][1]
    assert corners(high, "10,20,100,20")[3][1] == 0.0 < corners(high, "10,20,100,20")[3][0]
    square = corners(edited(high, "edge", [3], radius="square"))
    assert square[3] == [0.0, 0.0]
    assert square[1] == first
    with pytest.raises(BadChoice, match="no way to build"):
        edited(work, "rails", built="glue")


# spacers


@given(st.floats(1.0, 40.0), st.lists(st.floats(1.0, 12.0), min_size=1, max_size=4))
def test_spacers_are_glued_up_of_the_fewest_sheets(mm, sheets):
    made = spacer_sheets(mm, sheets)
    near = [h for h in spacer_heights(sheets) if abs(h - mm) < SHEET_MM]
    assert bool(made) == bool(near)
    if made:
        assert sum(made) == pytest.approx(mm)
        for mine in made:
            assert min(abs(mine - own) for own in sheets) <= SHEET_MM
        fewer = [
            some
            for count in range(1, len(made))
            for some in itertools.combinations_with_replacement(sheets, count)
            if abs(sum(some) - mm) < SHEET_MM
        ]
        assert not fewer


def test_a_layer_stands_off_by_sheets_and_says_where_none_come_to_it():
    upper = Layer(
        2, "Leaf", "sheet", Coverage([50], [shapely.box(10, 10, 110, 80)]), (Piece(50, 50),), 5.0, "ply_birch"
    )
    below = composition(grid(4, 3))
    work = type(below)("Two", 120, 90, (*below.layers, upper), below.practice)
    work = edited(work, "stand_off", [50], mm_off="2 x 1/4 in")
    assert work.decisions.relief.stand_off_mm(2) == pytest.approx(12.7)
    count, sheets = job_of(work).spacers_under(2)
    assert count >= 3
    assert sheets == pytest.approx((6.35, 6.35))
    job = job_of(work)
    assert len(job.stands) == 2 * count
    assert {round(part.top_mm, 3) for part in job.stands} >= {round(job.rests_mm[50], 3)}
    # from right under it to the very back
    on = lies_on(job, 50)
    assert [name for name, _ in on] == ["spacers", "Picture", "backer"]
    assert sum(mm for _, mm in on) == pytest.approx(job.rests_mm[50])
    # what is left of the work's own sheets will do
    assert job_of(edited(work, "stand_off", [50], mm_off="5 mm")).stands[0].material == "ply_birch"
    odd = edited(work, "stand_off", [50], mm_off="2 mm")
    (found,) = [f for f in findings_of(odd, "relief") if f.code == "no-spacer-stock"]
    assert "3/16 in" in found.sentence
    mended = edited(odd, found.fix.verb, found.fix.values["pieces"], mm_off=found.fix.values["mm_off"])
    assert "no-spacer-stock" not in [f.code for f in findings_of(mended, "relief")]
    with pytest.raises((BadChoice, BadLength)):
        edited(work, "stand_off", [50], mm_off="99 x 80 mm")


# what comes and goes


def test_words_on_the_back_lie_inside_it_and_off_the_hangers():
    work = edited(composition(grid(6, 4, 40.0)), "back", written="Tinder Lane\n2026")
    letters = words_on_back(job_of(work), Relief(job_of(work)).hanging.hangers)
    back = shapely.box(3, 3, 237, 157)
    assert back.contains(letters)
    hanger = Relief(job_of(work)).hanging.hangers[0]
    assert letters.distance(shapely.Point(240 - hanger.x_mm, hanger.y_mm)) >= 13.9
    assert back_pdf(job_of(work), "A4").startswith(b"%PDF")
    with pytest.raises(BadChoice, match="letters"):
        edited(work, "back", written="x" * 130)


def test_what_was_decided_comes_through_a_project_file():
    work = composition(grid(3, 2), thickness_mm=None)
    work = edited(edited(work, "order", [2], behind="1"), "order", [3], behind="4", level="yes")
    work = edited(edited(work, "top", [5], length="30 mm"), "deep", depth="60 mm")
    work = edited(edited(work, "hanger", hanger="keyhole"), "back", written="Made here")
    work = edited(work, "rails", material="cherry", rabbet="4 mm", sides="6")
    there = read_project(write_project(Project(work, "2026-11-26T12:00:00"))).composition
    assert there.decisions == work.decisions
    assert json.dumps(there.decisions.as_dict()) == json.dumps(work.decisions.as_dict())
    assert job_of(there).standing == job_of(work).standing


def test_heights_go_with_the_wood_when_all_is_made_thicker():
    work = edited(edited(composition(grid(3, 2)), "top", [1], length="30 mm"), "deep", depth="60 mm")
    work = edited(edited(work, "edge", [2], radius="1 mm"), "slope", [2], points="[[32, 5], [58, 5]]", low="10 mm")
    relief = edited(work, "resize", width="180 mm", thickness="yes").decisions.relief
    assert (relief.tops[1], relief.depth_mm, relief.edges[2]) == (60.0, 120.0, 2.0)
    assert (relief.slopes[2].low_mm, relief.slopes[2].high) == (20.0, (64.0, 10.0))
    flat = edited(work, "resize", width="180 mm").decisions.relief
    assert (flat.tops[1], flat.slopes[2].low_mm, flat.slopes[2].high) == (30.0, 10.0, (64.0, 10.0))


def test_orders_follow_pieces_that_are_split_joined_and_gone():
    work = composition(grid(3, 1), thickness_mm=None)
    work = edited(edited(work, "order", [1], behind="2"), "order", [2], behind="3")
    work = edited(work, "top", [1], length="30 mm")
    split = edited(work, "split", [3], points="[[75, -5], [75, 35]]")
    behind = split.decisions.relief.orders[1].behind
    assert behind == "3-4"
    joined = edited(work, "join", [1, 2])
    assert len(joined.decisions.relief.orders) == 1
    lost = [one.words for one in joined.decisions.whole.lost]
    assert any("order" in words for words in lost)


@pytest.mark.parametrize("length", ["0", "-3 mm", "abc", "900 mm"])
def test_heights_that_cannot_be_end_in_a_sentence(length):
    with pytest.raises((BadChoice, BadLength)):
        edited(composition(grid(2, 1)), "top", [1], length=length)
    with pytest.raises((BadChoice, BadLength)):
        edited(composition(grid(2, 1)), "thickness", [1], length=length)


def test_shim_stock_that_does_not_exist_is_refused():
    for text in ("", "x", "0", "200 mm"):
        with pytest.raises((BadChoice, BadLength)):
            edited(composition(grid(2, 1)), "practice", shims_mm=text)
    work = edited(composition(grid(2, 1)), "practice", shims_mm="3 mm, 4 mm")
    assert work.practice.shims_mm == (3.0, 4.0)
    assert Practice.from_dict(json.loads(json.dumps(work.practice.as_dict()))) == work.practice


# shims from sheets


def test_shims_are_of_the_sheets_at_hand_and_neighbours_share_the_lowest():
    work = composition(grid(4, 1))
    for number, length in ((1, "1/8 in"), (2, "1/4 in"), (3, "3/8 in"), (4, "1/4 in")):
        work = edited(work, "shim", [number], length=length)
    job = job_of(work)
    by_key = {shim.key: shim for shim in job.shims}
    assert sorted(round(shim.thickness_mm, 3) for shim in job.shims) == [3.175, 3.175, 6.35]
    # 2, 3 and 4 share one sheet of 1/4 in; on it 3 has one of 1/8 in
    (broad,) = [shim for shim in job.shims if len(job.carried[shim.key]) == 3]
    assert (broad.thickness_mm, job.carried[broad.key]) == (6.35, (2, 3, 4))
    (upper,) = [shim for shim in job.shims if job.carried[shim.key] == (3,)]
    assert upper.floor_mm == pytest.approx(broad.top_mm)
    assert upper.top_mm == pytest.approx(job.pieces[3].floor_mm)
    assert by_key.keys() == job.carried.keys()
    # in gluing order every shim goes down once, before the first piece that it carries and after what it lies on
    glue = Plan(work).glue
    down = [key for step in glue.steps for key in (*step.under, step.part)]
    assert sorted(key for key in down if key in by_key) == sorted(by_key)
    for key, carried in job.carried.items():
        assert all(down.index(key) < down.index(str(piece)) for piece in carried)
    assert down.index(broad.key) < down.index(upper.key)


def test_a_shim_that_no_sheet_makes_is_said():
    work = edited(composition(grid(2, 1)), "shim", [1], length="2 mm")
    (found,) = [f for f in Plan(work).findings("relief") if f.code == "no-shim-stock"]
    assert found.pieces == (1,)
    assert "1/8 in, 1/4 in" in found.sentence
    there = edited(work, "practice", shims_mm="2 mm, 6 mm")
    assert not [f for f in Plan(there).findings("relief") if f.code == "no-shim-stock"]
    # a sheet sold as 1/8 in is taken for one of 3 mm
    near = edited(composition(grid(2, 1)), "shim", [1], length="3 mm")
    assert not [f for f in Plan(near).findings("relief") if f.code == "no-shim-stock"]
    assert job_of(near).shims[0].thickness_mm == 3.0


def test_veins_and_textures_are_seen_on_the_picture_of_the_result():
    plain = composition(grid(2, 1, 40.0))
    before = draft(plain, 400)
    for how in ("vein", "textured", "burnt", "sawn", "painted"):
        drawn = edited(plain, "detail", points="[[10, 20], [70, 20]]", how=how)
        after = draft(drawn, 400)
        changed = np.abs(after.astype(int) - before).max(axis=2) > 12
        rows = np.flatnonzero(changed.any(axis=1))
        assert len(rows), how
        # 5 pixels a millimetre: all of it lies about 20 mm down, and is darker
        assert 90 <= rows.min() <= rows.max() <= 110
        assert after[100, 100:300].mean() < before[100, 100:300].mean()


def test_the_map_of_heights_runs_from_dark_to_light():
    work = edited(composition(grid(3, 1)), "shim", [2], length="1/4 in")
    plan = Plan(work)
    read = READINGS["relief"]["map"].read(plan.job, None, View("", 1))[0]
    light = {key: sum(bytes.fromhex(one.colour[1:])) for key, one in read.items()}
    assert light[2] > light[1] == light[3]
    marks = READINGS["relief"]["steps"].read(plan.job, None, View("", 1))[1]
    assert {mark.kind for mark in marks} == {"seam-reads"}
    level = Plan(composition(grid(2, 1)))
    assert [mark.kind for mark in READINGS["relief"]["steps"].read(level.job, None, View("", 1))[1]] == ["seam-melts"]
