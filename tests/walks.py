"""Random walks of verbs over small works: whatever state they reach must be shown, planned and exported."""

import datetime as dt
import json
from dataclasses import replace

import numpy as np
import shapely
from hypothesis import strategies as st

from emberquilt.assembly.dryfit import fit_order
from emberquilt.assembly.knots import knots_of
from emberquilt.assembly.tried import as_after, states_of
from emberquilt.bench.cards import cards
from emberquilt.bench.mending import mends_of
from emberquilt.calendar.meanwhile import waits_of
from emberquilt.drawing.day_pdf import day_pdf
from emberquilt.drawing.evenings import Evenings, evenings, pieces_of
from emberquilt.drawing.lifted import lifted
from emberquilt.drawing.panel import dress_json, shapes_json
from emberquilt.drawing.read import read, readings_of
from emberquilt.drawing.way import way_scene
from emberquilt.errors import BadChoice, EmberError
from emberquilt.findings import STATIONS
from emberquilt.formats.export import export
from emberquilt.formats.plan_json import plan_json
from emberquilt.formats.project import Project, read_project, write_project
from emberquilt.keys import keys_in
from emberquilt.outline.coverage import Coverage
from emberquilt.outline.details import Detail
from emberquilt.picture.render import draft
from emberquilt.plan import Plan
from emberquilt.rack.boards import Board
from emberquilt.rack.rack import Rack
from emberquilt.rack.woods import woods
from emberquilt.saw.difficulty import difficulty_of
from emberquilt.saw.packs import packs_of
from emberquilt.saw.sequence import sequence_of
from emberquilt.saw.setup import setup_cards
from emberquilt.work.change import applied, inverse
from emberquilt.work.composition import LAYER_KINDS, Composition, Layer, Piece, Placement
from emberquilt.work.contacts import contacts_of
from emberquilt.work.copies import any_copy
from emberquilt.work.decisions import (
    AssemblyDecisions,
    Base,
    CalendarDecisions,
    Decisions,
    Flow,
    PatternDecisions,
    Rails,
    ReliefDecisions,
    SawDecisions,
    StandOff,
    WholeDecisions,
    WoodDecisions,
)
from emberquilt.work.fitted import fits_of
from emberquilt.work.parts import job_of
from emberquilt.work.register import VERBS
from emberquilt.work.steps import left_of
from emberquilt.work.verbs import edit
from emberquilt.work.view import View
from tests.conftest import composition, grid
from tests.spatial import crossed, stacked, standing, sunk

MONDAY = dt.datetime(2026, 11, 23, 8, 0)
CODES = ("", "cherry", "walnut", "holly", "padauk")
RACK = Rack(woods(), (Board(1, "cherry", "C1", 400, 150, 19.0), Board(2, "walnut", "W1", 90, 60, 19.0)))
PLACES = st.sampled_from([-20, 0, 15, 30, 45, 60, 90, 130])


def small_work(kind: str) -> Composition:
    """Squares of 30 mm: one layer; a frame round an opening with a figure in it; three layers with openings and pins;
    or a work that is not flat."""
    if kind in SPATIAL:
        return SPATIAL[kind](RACK)
    if kind == "one":
        return replace(composition(grid(2, 1)), rack=RACK, last_key=2)
    if kind == "sheet":
        eye = shapely.box(10, 10, 20, 20)
        coverage = Coverage([1, 2, 3], [shapely.box(0, 0, 40, 40).difference(eye), eye, shapely.box(40, 0, 80, 40)])
        pieces = (Piece(1, 1, "cherry", 0.0, 6.0), Piece(2, 0, opening=True), Piece(3, 2, "walnut", 90.0, 6.0))
        return Composition(
            "A sheet", 80, 40, (Layer(1, "Sheet", "sheet", coverage, pieces, 6.0),), rack=RACK, last_key=3
        )
    below, above = grid(3, 2), Coverage([11, 12], [shapely.box(15, 15, 45, 45), shapely.box(45, 15, 75, 45)])
    whole = Coverage([21], [shapely.box(0, 0, 90, 60)])
    layers = (
        Layer(1, "Backer", "backer", whole, (Piece(21, 9),), 3.0),
        Layer(2, "Picture", "mosaic", below, tuple(Piece(k, k, "cherry", 0.0, 19.05) for k in below.keys)),
        Layer(3, "Overlay", "overlay", above, (Piece(11, 7, "walnut"), Piece(12, 0, opening=True)), None, "", "", True),
    )
    decided = Decisions(
        WholeDecisions(copies=2),
        PatternDecisions(details=(Detail(((10.0, 10.0), (50.0, 40.0)), "painted"),)),
        wood=WoodDecisions(("fin",), (Flow(((0.0, 0.0), (60.0, 30.0)), "1-3"),)),
        relief=ReliefDecisions((StandOff(3, 5.0),), Rails("cherry", 20.0, 19.05), Base("cherry", 90.0, 40.0, 19.05)),
        saw=SawDecisions((4, 2)),
        assembly=AssemblyDecisions((5,)),
        calendar=CalendarDecisions("2026-12-01"),
    )
    places = {"1": Placement("C1", 40.0, 30.0), "1/2": Placement("C1", 90.0, 30.0), "2": Placement("C1")}
    return Composition("Three layers", 90, 60, layers, decisions=decided, rack=RACK, last_key=21, placements=places)


SPATIAL = {"standing": standing, "stacked": stacked, "crossed": crossed, "sunk": sunk}


@st.composite
def steps(draw):
    """A verb with values that a page could send, some of them nonsense, and a rule that chooses pieces."""
    verb = draw(st.sampled_from(sorted(VERBS)))
    points = draw(st.lists(st.tuples(PLACES, PLACES), min_size=2, max_size=5))
    values = {
        "points": json.dumps(points) if draw(st.booleans()) else "",
        "curve": draw(st.sampled_from(["", "yes"])),
        "snap": "1",
        "wood": draw(st.sampled_from(CODES)),
        "from": "cherry",
        "to": "walnut",
        "woods": "cherry,walnut",
        "deg": "40",
        "by": draw(st.sampled_from(["colour", "part", "wood", "15"])),
        "by_mm": "1.5",
        "mm": draw(st.sampled_from(["0", "3", "19.05", "50"])),
        "part": draw(st.sampled_from(["", "fin", "plate"])),
        "name": draw(st.sampled_from(["", "Fin"])),
        "start": draw(st.sampled_from(["2026-12-01", "2026-02-31", "9999-12-31", "0001-01-01"])),
        "how": draw(st.sampled_from(["", "burnt", "sawn", "copy", "move", "figure", "mirrored", "down", "across"])),
        "kind": draw(st.sampled_from(["", *LAYER_KINDS])),
        "outline": draw(st.sampled_from(["", "oval", "arch", "rectangle"])),
        "frame": draw(st.sampled_from(["", "5 mm", "40 mm"])),
        "margin": "8 mm",
        "width": draw(st.sampled_from(["", "4 mm", "60 mm", "240 mm"])),
        "thickness": draw(st.sampled_from(["", "yes"])),
        "layer_thickness": draw(st.sampled_from(["", "3 mm"])),
        "trim_flush": "yes",
        "reach": draw(st.sampled_from(["", "0 mm", "4 mm"])),
        "front": draw(st.sampled_from(["dark", "light", "inner"])),
        "strength": "2 mm",
        "behind": draw(st.sampled_from(["", "1", "2", "4-6", "11", "99", "x"])),
        "numbers": draw(st.sampled_from(["", "", "2", "1 and 3", "88", "a"])),
        "level": draw(st.sampled_from(["", "yes"])),
        "whole": draw(st.sampled_from(["", "yes"])),
        "orders": draw(st.sampled_from(["", "0", "[0]", "7", "[x"])),
        "length": draw(st.sampled_from(["", "4 mm", "19 mm", "31 mm", "0", "-2 mm"])),
        "rise": draw(st.sampled_from(["", "6 mm", "0.2 mm", "30 mm"])),
        "tilt": draw(st.sampled_from(["", "", "2.5", "0", "89"])),
        "radius": draw(st.sampled_from(["", "square", "2 mm", "90 mm"])),
        "low": draw(st.sampled_from(["", "4 mm", "40 mm"])),
        "written": draw(st.sampled_from(["", "Made here", "x" * 130])),
        "hanger": draw(st.sampled_from(["", "keyhole", "wire", "stand", "glue"])),
        "rabbet": draw(st.sampled_from(["", "5 mm", "30 mm"])),
        "sides": draw(st.sampled_from(["", "4", "6", "40"])),
        "depth": draw(st.sampled_from(["", "2 mm", "20 mm", "60 mm"])),
        "smallest": draw(st.sampled_from(["2 mm", "25 mm"])),
        "number": "17",
        "times": "2",
        "count": "2",
        "colour": draw(st.sampled_from(["", "#aa3311", "#224488"])),
        "coat": draw(st.sampled_from(["", "paint", "dye", "oil", "raw", "wash", "speckle"])),
        "tint": "#8a5a10",
        "keep": draw(st.sampled_from(["yes", "no"])),
        "board": draw(st.sampled_from(["", "C1", "W1", "X9"])),
        "x": "60",
        "y": "40",
        "which": "1",
        "finding": draw(st.sampled_from(["hidden:1", "decision-gone:~00000000"])),
        "material": draw(st.sampled_from(["", "cherry", "ply_birch", "Birch plywood", "some old door"])),
        "mm_off": draw(st.sampled_from(["", "4 mm", "250 mm", "2 x 3 mm", "9 x 99 in"])),
        "built": draw(st.sampled_from(["", "strips", "groove", "glue"])),
        "rail_width": "20 mm",
        "base_depth": draw(st.sampled_from(["", "30 mm"])),
        "high": draw(st.sampled_from(["", "1", "3", "9", "12 mm"])),
        "copy": draw(st.sampled_from(["", "2"])),
        "frame_width": "20 mm",
        "gloss": "satin",
        "wall": "#aabbcc",
        "scope": "all",
    }
    if verb == "move_layer":
        values["to"] = draw(st.sampled_from(["front", "back"]))
    if verb in ("caliper", "set_down", "nail", "take_off"):
        values["part"] = draw(st.sampled_from(["1", "2", "3", "backer", "99"]))
        values["where"] = draw(st.sampled_from(["", "1:C1", "2:W1", "9:X9"]))
    values |= glued_values(draw, verb) | spatial_values(draw, verb)
    if verb == "saw_way":
        values["way"] = draw(st.sampled_from(["", "clockwise", "counter-clockwise", "both", "auto", "up"]))
    if verb == "saw_blade":
        values["blade"] = draw(st.sampled_from(["", "2/0", "5", "99"]))
    if verb == "saw_start":
        values = draw(st.sampled_from([{}, {"how": "auto"}, {"x": "10", "y": "1e9"}, {"x": "0", "y": "0"}]))
    if verb == "square_check":
        values = {
            "gap": draw(st.sampled_from(["", "0.5 mm", "90 mm"])),
            "thickness": draw(st.sampled_from(["", "6 mm"])),
        }
    if verb == "want":
        values["kind"] = draw(st.sampled_from(["", "knot", "stain", "moss"]))
    if verb == "look":
        values["frame"] = draw(st.sampled_from(["", "cherry"]))
    if verb == "practice":
        values = draw(
            st.sampled_from(
                [
                    {"fit": "stack"},
                    {"fit": "gap", "gap_mm": "0.3 mm"},
                    {"fit": "on", "accents": "mixed"},
                    {"accents": "before", "blade_kind": "pinned"},
                    {"blades": "5: 0.97 0.41 14 2"},
                    {"blades": ""},
                    {"throat_mm": "120 mm"},
                    {"glue": "ca"},
                    {"glue": "tape", "glue_small": "activated"},
                    {"glue_seams": "seams", "anchor": "parts"},
                    {"shop_c": "-5", "shop_humid": "90"},
                    {"shop_c": "68 F", "seconds_per_piece": "900"},
                    {"spring_clamps": "0", "screw_clamps": "0", "weights": "0", "sand_bags": "0"},
                    {"finish_when": "before", "prime": "all", "used": "food"},
                    {"stock_mm": "6 mm"},
                    {"self": "1"},
                ]
            )
        )
    values = {name: value for name, value in values.items() if value}
    return (
        verb,
        draw(st.sampled_from(["none", "first", "two", "all", "openings", "some"])),
        draw(st.integers(0, 5)),
        values,
    )


def spatial_values(draw, verb: str) -> dict:
    """What pages send for works that are not flat."""
    table = {
        "slice": {
            "along": ["", "x", "y", "z", "w"],
            "slice_thickness": ["", "4 mm", "0.1 mm", "9 mm"],
            "body_height": ["", "48 mm", "9 m"],
            "pin": ["", "0", "3 mm"],
            "pins": ["", "2"],
            "islands": ["", "loose"],
        },
        "grow_body": {"times": ["2", "0.5", "99", "x"]},
        "stand_in": {
            "kind": ["", "tab", "half", "dovetail"],
            "count": ["", "1", "3", "99"],
            "tab_width": ["", "5 mm", "60 mm"],
            "deep": ["", "3 mm", "40 mm"],
            "swap": ["", "yes"],
        },
        "turn_part": {"lean": ["", "10", "90"], "behind": ["", "yes"], "upright": ["", "yes", "no"]},
        "clearance": {"clearance": ["", "0.2 mm", "9 mm"], "fits": ["", "2", "9"], "corners": ["", "eased", "round"]},
        "base_for": {"overhang": ["", "4 mm", "90 mm"], "rounded": ["", "2 mm"]},
        "block_size": {"block": ["", "60 mm", "20 mm", "x"]},
        "dowel": {"bore": ["", "4 mm", "0", "39 mm"]},
        "routed": {"off": ["", "yes"]},
        "rout": {
            "depth": ["", "4 mm", "18 mm", "40 mm"],
            "by_mm": ["", "1", "x"],
            "bit": ["", "v", "ball", "any", "drill"],
        },
        "rout_tones": {"deepest": ["", "5 mm"], "levels": ["", "3", "1"], "deep": ["", "light"]},
        "pool": {"tint": ["", "#2a6f8a", "red"], "pool_depth": ["", "2 mm"], "off": ["", "yes"]},
    }
    drawn = {name: draw(st.sampled_from(choices)) for name, choices in table.get(verb, {}).items()}
    return {name: value for name, value in drawn.items() if value}


def glued_values(draw, verb: str) -> dict:
    """What pages send for verbs of Fit and glue."""
    table = {
        "found": ["", "ok", "tight", "gap", "perhaps"],
        "sand": ["", "1", "2", "4", "5"],
        "mm": ["", "0.3 mm", "2 mm", "x"],
        "copy": ["", "1", "2"],
        "glue": ["", "ca", "epoxy", "tape", "honey"],
        "hold": ["", "spring", "cauls", "weights", "bag", "hand", "luck"],
        "deg": ["", "2", "40", "-1"],
        "off": ["", "yes"],
    }
    names = {
        "fit": ("found", "mm", "copy"),
        "sanded": ("sand", "mm", "copy"),
        "glue_with": ("glue",),
        "hold": ("hold",),
        "draft": ("deg",),
        "mask": ("off",),
        "seal": ("off",),
    }
    return {name: draw(st.sampled_from(table[name])) for name in names.get(verb, ())}


def chosen(layer: Layer, rule: str, turn: int) -> list[int]:
    keys = [p.key for p in layer.pieces]
    return {
        "none": [],
        "first": keys[:1],
        "two": keys[:2],
        "all": keys,
        "openings": list(layer.openings),
        "some": keys[turn % 2 :: 2],
    }[rule]


def walk(work: Composition, path) -> Composition:
    """The work after these steps; what a verb refuses changes nothing, and every edit can be taken back exactly."""
    for verb, rule, turn, values in path:
        layer = work.layers[turn % len(work.layers)]
        shown = layer.key if turn % 3 else 0
        try:
            made = edit(work, verb, chosen(layer, rule, turn), values, shown)
        except EmberError:
            continue
        then = applied(work, made)
        assert state(applied(then, inverse(work, made))) == state(work)
        subjects_stand(then)
        work = then
    return work


def subjects_stand(work: Composition) -> None:
    """Nothing is decided about what is not there."""
    made, layers = {p.key for p in work.made}, {layer.key for layer in work.layers}
    decided = work.decisions
    saw = decided.saw
    assert set(saw.first) | set(saw.last) | set(saw.spiral) <= made
    assert set(saw.starts) | set(saw.ways) | set(saw.blades) <= made
    glued = decided.assembly
    assert set(glued.anchors) | set(glued.unmasked) | set(glued.sealed) <= made
    assert set(glued.glues) | set(glued.holds) | set(glued.drafts) <= made
    assert all(set(keys_in(run)) <= made for run in glued.bundles)
    assert all({fit.a, fit.b} <= made and fit.sanded in (0, fit.a, fit.b) for fit in fits_of(work))
    assert set(decided.stock.within) | set(decided.stock.wanted) <= made
    assert all(set(keys_in(flow.keys)) <= made for flow in decided.wood.flows)
    assert all(set(keys_in(keys)) <= made for kept in decided.wood.palettes for _, keys in kept.woods)
    assert {pack.layer for pack in decided.wood.packs} <= layers
    assert {stand.layer for stand in decided.relief.stand_offs} <= layers
    assert {layer for stack in decided.saw.stacks for layer in stack} <= layers
    assert {int(key) for part in work.placements if (key := any_copy(part)).isdecimal()} <= made


def state(work: Composition) -> tuple:
    """All of a work that is kept, in values that can be compared."""

    def outlines(layer: Layer) -> dict[int, bytes]:
        binaries = shapely.to_wkb(np.array(layer.coverage.outlines, object))
        return dict(zip(layer.coverage.keys, binaries, strict=True))

    layers = [
        (layer.key, layer.name, layer.kind, layer.thickness_mm, layer.material, layer.pieces, outlines(layer))
        for layer in work.layers
    ]
    return work.name, work.width_mm, work.height_mm, work.practice, work.decisions, dict(work.placements), layers


def open_everything(work: Composition) -> None:
    """Every station in every view and reading, every card, every export."""
    plan = Plan(work, MONDAY)
    for station in STATIONS:
        findings = plan.findings(station)
        assert len({f.id for f in findings}) == len(findings)
        json.dumps([f.as_dict() for f in findings], allow_nan=False)
    for view in (View("front"), View("apart"), *(View("", layer.key) for layer in work.layers)):
        for station in ("pattern", "wood", "relief", "stock", "saw", "assembly", "calendar", "log"):
            for show in readings_of(station, work):
                scene = read(plan, station, show, plan.findings(station), view)
                json.dumps([shapes_json(scene), dress_json(scene)], allow_nan=False)
    assert plan.relief is not None
    assert all(need.rough_mm2 >= need.net_mm2 for need in plan.needs)
    parts_stand(plan)
    ways_stand(plan)
    assembly_stands(plan)
    steps_stand(plan)
    for kind in ("svg", "dxf", "csv", "parts", "pdf"):
        assert export(plan, kind)
    for pack in ("labels", "template", "fold"):
        assert export(plan, "pdf", pack=pack)
    json.dumps(plan_json(plan), allow_nan=False)
    try:
        assert export(plan, "ics")
    except BadChoice:
        assert any(f.code == "no-dates" for f in plan.findings("calendar"))
    assert draft(work, 60).shape[1] == 60
    back = read_project(write_project(Project(work, "2026-11-25T10:00:00"))).composition
    assert state(back) == state(replace(work, rack=back.rack))


def ways_stand(plan: Plan) -> None:
    """Everything of anything is sawn free once, out of one blank, and the player knows how."""
    saw = plan.saw
    parts = [key for blank in saw.blanks for key in blank.parts]
    assert len(parts) == len(set(parts))
    freed = [key for cut in saw.cuts for stroke in cut.strokes for key in stroke.frees]
    assert sorted(freed) == sorted(parts) or any(hole.bit_mm is None for cut in saw.cuts for hole in cut.holes)
    assert [action.cut for action in sequence_of(plan.job, saw) if action.kind == "saw"] == [c.order for c in saw.cuts]
    assert 1 <= difficulty_of(plan.job, saw).level <= 5
    assert setup_cards(plan.job, saw)
    for pack in packs_of(plan.job, saw):
        assert pack.held
    for cut in saw.cuts[:3]:
        json.dumps(way_scene(plan.job, saw, cut.part), allow_nan=False)


def assembly_stands(plan: Plan) -> None:
    """Every knot can be drawn, every part is drawn once; coats, the dry fit and what looks alike can be told."""
    job, knots = plan.job, knots_of(plan.steps, plan.glue)
    shown = [part.key for part in job.of_one if part.id.role not in ("rail", "base", "block")]
    shown = sorted([*shown, *map(str, job.fronts)])
    for knot in (None, *knots[:2], *knots[-2:]):
        drawn = lifted(plan, knot, knots)
        keys = [p["key"] for leaf in drawn["leaves"] for p in leaf["parts"]]
        assert sorted(key for key in keys if not key.startswith(("rail", "base"))) == shown
        json.dumps(drawn, allow_nan=False)
    for count in range(len(states_of(job))):
        assert job_of(as_after(job, count)).pieces.keys() == job.pieces.keys()
    for seam in fit_order(job, plan.glue):
        assert seam.laid in job.pieces
        assert seam.lies in job.pieces
    for key in job.pieces:
        assert mends_of(job, plan.saw, str(key))
    try:
        waits_of(plan.schedule, plan.composition.practice.hours)
        dates_stand(plan)
    except BadChoice:
        assert any(f.code == "no-dates" for f in plan.findings("calendar"))


def dates_stand(plan: Plan) -> None:
    """The calendar is drawn whole: every sitting is a block within it, with its reason."""
    drawn = evenings(plan.schedule, plan.composition)
    slots = plan.schedule.slots
    assert (drawn is None) == (not slots)
    if drawn is None:
        return
    assert (
        sorted(b.slot.key for b in drawn.blocks) == sorted(slot.key for slot in slots) == sorted(plan.schedule.stands)
    )
    assert all(0 <= b.x <= b.x + b.wide <= drawn.wide for b in drawn.blocks)
    leaves_stand(plan, drawn)
    assert drawn.bound_x <= drawn.finish_x + 1e-6
    assert day_pdf(plan.schedule, plan.composition, [slots[0].begin.date()])


def leaves_stand(plan: Plan, drawn: Evenings) -> None:
    """Where all days are drawn, at the close of each the pieces are sawn that no sitting is left for."""
    if drawn.more_days:
        return
    made = {piece.key for piece in plan.composition.made}
    seen: list[int] = []
    for leaf in drawn.leaves:
        seen += keys_in(leaf.sawn)
        later = {
            key
            for slot in plan.schedule.own_slots
            if slot.step.verb == "saw" and slot.end.date() > leaf.day
            for key in pieces_of(slot)
        }
        assert leaf.off or set(seen) == made - later
    assert sorted(seen) == sorted(made) == sorted(key for leaf in drawn.leaves for key in keys_in(leaf.made))


def parts_stand(plan: Plan) -> None:
    """Keys tell parts apart; every part of a copy is in exactly one assembly; copies are alike."""
    job = plan.job
    keys = [part.key for part in job.parts()]
    assert len(keys) == len(set(keys)) == job.copies * len(job.of_one)
    assert all(job.part(key) is not None for key in keys)
    placed = [key for one in (*plan.glue.tree.every(),) for key in one.parts]
    # a block comes apart, nothing is put together of it
    assert sorted(placed) == sorted(part.key for part in job.of_one if part.id.role != "block")
    assert all(part.thickness_mm > 0 for part in job.of_one)
    # the strip that closes a frame's groove lies behind the work
    assert all(part.floor_mm >= 0 or part.role == "rail" for part in job.of_one)
    assert all(c.a in job.by_key and c.b in job.by_key for c in contacts_of(job))


def steps_stand(plan: Plan) -> None:
    """Steps wait only for steps before them, and what they speak of exists; each part is glued down once at most."""
    known: set[str] = set()
    for step in plan.steps:
        assert step.key not in known
        assert set(step.after) <= known
        assert all(plan.job.part(key) is not None for key in step.parts)
        assert not step.shares or len(step.shares) == len(step.parts)
        known.add(step.key)
    glued = [part for step in plan.steps if step.verb == "glue" for part in step.parts]
    assert len(glued) == len(set(glued))
    table = cards(plan.job, plan.steps, plan.saw, plan.glue)
    assert len({mark for card in table for mark in card.marks}) == sum(len(card.marks) for card in table)
    done = frozenset(mark for card in table[: len(table) // 2] for mark in card.marks)
    left = left_of(plan.steps, done)
    assert {key for step in left for key in step.after} <= {step.key for step in left}
    assert left_of(plan.steps, frozenset(mark for card in table for mark in card.marks)) == ()
