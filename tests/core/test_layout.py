"""Parts on boards and in strips, judged by Shapely alone; nothing of the placer is used to check it."""

import json
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from emberquilt.errors import BadChoice
from emberquilt.formats.layout_json import boards_from, layout_json, strip_json
from emberquilt.formats.project import Project, write_project
from emberquilt.layout.boards import Task, boards_layout
from emberquilt.layout.bound import boards_bound, strip_bound
from emberquilt.layout.cells import Stamps, inside
from emberquilt.layout.checked import faults_of
from emberquilt.layout.effort import Effort
from emberquilt.layout.first import first_layout
from emberquilt.layout.settle import settled
from emberquilt.layout.strip import strip_layout
from emberquilt.layout.task import Face, Gaps, Item, Laid
from emberquilt.plan import Plan
from emberquilt.rack.boards import Board, Defect
from emberquilt.rack.rack import Rack, Spoken
from emberquilt.rack.woods import woods
from emberquilt.stock.laying import Laying
from emberquilt.work.change import applied
from emberquilt.work.composition import Placement
from emberquilt.work.on_boards import on_boards
from emberquilt.work.parts import job_of
from emberquilt.work.verbs import edit
from tests.conftest import cells, composition, edited

GAP, EDGE = 3.0, 2.0


def drawn(count: int, seed: int = 1, width: float = 457.0, height: float = 305.0) -> list[shapely.Polygon]:
    """Curved pieces such as a drawing gives: Voronoi cells with their borders bent, each turned at random."""
    rng = np.random.default_rng(seed)
    size = float(np.sqrt(width * height / count))
    phase = rng.uniform(0, 6.28, 4)

    def bent(xy: np.ndarray) -> np.ndarray:
        x, y = xy.T
        k = 2 * np.pi / (2.2 * size)
        dx = 0.13 * size * (np.sin(k * y + phase[0]) + 0.6 * np.sin(1.2 * k * (x + y) + phase[1]))
        dy = 0.13 * size * (np.sin(k * x + phase[2]) + 0.6 * np.sin(1.15 * k * (x - y) + phase[3]))
        x_in, y_in = np.minimum(x, width - x) / size, np.minimum(y, height - y) / size
        return np.c_[x + dx * np.clip(x_in, 0, 1), y + dy * np.clip(y_in, 0, 1)]

    made = []
    for outline in cells(count, seed, width, height).outlines:
        shape = shapely.transform(shapely.segmentize(outline, 2.0), bent).simplify(0.05)
        made.append(affinity.rotate(shape, rng.uniform(0, 360), origin=(0, 0)))
    return made


def items_of(outlines: list[shapely.Polygon], turns: tuple[float, ...] = (0.0, 180.0)) -> list[Item]:
    return [Item(str(i), p, p.representative_point().coords[0], turns) for i, p in enumerate(outlines, 1)]


def holds(laid, faces: list[Face], gap: float = GAP, edge: float = EDGE) -> None:
    """Every part whole, unmirrored and turned as it may be, within its board, off its flaws, apart from the others."""
    rooms = {face.key: face for face in faces}
    placed: dict[str, list[Laid]] = {}
    for one in laid:
        placed.setdefault(one.face, []).append(one)
        mine, item = shapely.get_coordinates(one.outline), shapely.get_coordinates(one.item.outline)
        turn = np.radians(-one.turn_deg)
        matrix = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        expected = (item - one.item.about) @ matrix.T + [one.x_mm, one.y_mm]
        assert np.abs(mine - expected).max() < 1e-6  # a turn and a shift, never a mirror image
        assert any(abs((one.turn_deg - turn + 180) % 360 - 180) < 1e-6 for turn in rooms[one.face].turns(one.item))
    for key, some in placed.items():
        face = rooms[key]
        for i, one in enumerate(some):
            assert face.region.covers(one.outline)
            assert edge == 0 or shapely.boundary(face.region).distance(one.outline) > edge - 2e-3
            assert face.flaws.is_empty or face.flaws.distance(one.outline) > edge - 2e-3
            for other in some[i + 1 :]:
                assert one.outline.distance(other.outline) > gap - 2e-3


def rack(seed: int = 5) -> list[Face]:
    """Nine off-cuts and five boards, some with knots."""
    rng = np.random.default_rng(seed)
    faces = []
    for k in range(14):
        small = k < 9
        long = rng.uniform(120, 330) if small else rng.uniform(500, 900)
        wide = rng.uniform(70, 140) if small else rng.uniform(100, 200)
        region = shapely.box(0, 0, long, wide)
        if small:
            region = shapely.Polygon(
                [(0, 8), (long * 0.4, 0), (long - 18, 6), (long, wide * 0.6), (long - 20, wide), (5, wide - 9)]
            )
        spots = [
            shapely.Point(rng.uniform(0.1, 0.9) * long, rng.uniform(0.2, 0.8) * wide).buffer(rng.uniform(5, 15))
            for _ in range(1 if small else 3)
        ]
        faces.append(Face(f"B{k}", region, shapely.union_all(spots), (0 if small else 1, region.area)))
    return faces


def test_cells_are_those_whose_middle_lies_inside():
    shape = drawn(12, 3)[4].buffer(-2).difference(shapely.Point(drawn(12, 3)[4].centroid).buffer(6))
    x0, y0, x1, y1 = shape.bounds
    made = inside(shape, x0 - 2, y0 - 2, int(y1 - y0) + 4, int(x1 - x0) + 4, 1.0)
    rows, columns = np.mgrid[: made.shape[0], : made.shape[1]]
    expected = shapely.contains_xy(shape, x0 - 2 + columns.ravel() + 0.5, y0 - 2 + rows.ravel() + 0.5)
    assert (made.ravel() != expected).sum() <= 2  # a middle right on a border counts either way


def test_the_first_layout_holds_on_boards_with_knots():
    faces, items = rack(), items_of(drawn(120))
    made = first_layout(items, faces, Gaps(GAP, EDGE), Stamps(1.0, GAP))
    assert not made.unplaced
    holds(made.laid, faces)
    assert not faults_of(made.laid, faces, Gaps(GAP, EDGE))
    # off-cuts are used up before boards are begun: those that hold any are full for the smallest part
    assert {one.face for one in made.laid} >= {f"B{k}" for k in range(9)}


def test_a_better_layout_holds_too_and_the_same_seed_gives_the_same():
    faces, items = rack(), items_of(drawn(40))
    task = Task(tuple(items), tuple(faces), Gaps(GAP, EDGE))
    one, again = (boards_layout(task, Effort(1.5), seed=3) for _ in range(2))
    holds(one.laid, faces)
    assert [(a.item.key, a.face, a.x_mm, a.y_mm, a.turn_deg) for a in one.laid] == [
        (b.item.key, b.face, b.x_mm, b.y_mm, b.turn_deg) for b in again.laid
    ]


def test_a_search_finds_room_that_the_first_layout_did_not():
    face = Face("tight", shapely.box(0, 0, 400, 230))
    task = Task(tuple(items_of(drawn(16, 3, 300.0, 200.0))), (face,), Gaps(GAP, EDGE))
    first, made = boards_layout(task, Effort(0.0)), boards_layout(task, Effort(5.0))
    holds(made.laid, [face])
    assert made.area_mm2 > first.area_mm2


def test_settling_shifts_parts_to_their_gap_and_no_nearer():
    boxes = [affinity.translate(shapely.box(0, 0, 30, 20), 33.5 * i, 0.4 * i) for i in range(4)]
    made = settled(boxes, shapely.box(0, 0, 400, 40), GAP, Effort(5.0))
    assert made is not None
    assert made.reach_mm == pytest.approx(4 * 30 + 3 * GAP, abs=0.05)
    for a, b in zip(made.outlines, made.outlines[1:], strict=False):
        assert a.distance(b) > GAP - 1e-6


@given(st.integers(0, 10_000))
@settings(max_examples=6, deadline=None)
def test_strips_hold_whatever_the_drawing(seed):
    items = items_of(drawn(14, seed, 300.0, 200.0))
    strip = strip_layout(items, 180.0, GAP, Effort(0.4), seed)
    holds(strip.layout.laid, [Face("strip", shapely.box(0, 0, strip.length_mm + 1e-6, 180.0))], edge=0)
    too_wide = [item for item in items if np.ptp(shapely.get_coordinates(item.outline)[:, 1]) > 178.0]
    assert {item.key for item in strip.layout.unplaced} <= {item.key for item in too_wide}
    assert strip.density <= strip_bound(items, 180.0, GAP) + 1e-9


def test_a_strip_beside_a_general_packing_engine():
    """spyrrow (MIT, irregular strip packing) in three seconds; ours in as many, of the same parts. How near they come
    in longer runs is measured by the benchmark."""
    spyrrow = pytest.importorskip("spyrrow")
    outlines = drawn(24, 2, 300.0, 200.0)
    parts = [
        spyrrow.Item(str(i), [tuple(c) for c in p.exterior.coords], demand=1, allowed_orientations=[0, 180])
        for i, p in enumerate(outlines)
    ]
    task = spyrrow.StripPackingInstance("yardstick", strip_height=180.0, items=parts)
    theirs = task.solve(
        spyrrow.StripPackingConfig(
            early_termination=False, total_computation_time=3, min_items_separation=GAP, num_workers=1, seed=1
        )
    ).width
    ours = strip_layout(items_of(outlines), 180.0, GAP, Effort(3.0)).length_mm
    assert ours < theirs / 0.9


def test_bounds_are_never_beaten_and_plain_where_all_is_square():
    face = Face("a", shapely.box(0, 0, 100, 100))
    squares = items_of([shapely.box(0, 0, 49, 49)] * 4)
    assert boards_bound(squares, [face], Gaps(2.0, 0.0)) == pytest.approx(0.9604, abs=1e-3)
    assert boards_bound(squares, [face, Face("b", shapely.box(0, 0, 400, 400))], Gaps(2.0, 0.0)) <= 0.97
    # two by two of 30 in a board of 67: nothing is lost but the gap
    squares, face = items_of([shapely.box(0, 0, 30, 30)] * 4), Face("c", shapely.box(0, 0, 70, 70))
    made = boards_layout(Task(tuple(squares), (face,), Gaps(2.0, 0.0)), Effort(0.0))
    assert len(made.laid) == 4
    assert made.area_mm2 / face.region.area <= boards_bound(squares, [face], Gaps(2.0, 0.0))


# -- works -----------------------------------------------------------------------------------------------------------

W1 = Board(1, "cherry", "C1", 400.0, 150.0, 20.0, 0.0, (), (Defect("knot", ((90, 60), (110, 60), (110, 80))),))
W2 = Board(2, "cherry", "C2", 300.0, 120.0, 20.0, 10.0)


def small(boards=(W1, W2), count: int = 12, **piece):
    work = composition(cells(count, 3, 180.0, 120.0), **piece)
    return replace(work, rack=Rack(woods(), tuple(boards)))


def test_parts_of_a_work_lie_along_the_grain():
    work = edited(small(grain_deg=30.0), "lay")
    job = job_of(work)
    lying = on_boards(job)
    assert sum(map(len, lying.values())) == 12
    assert all(not place.nailed for place in work.placements.values())
    for name, some in lying.items():
        board = work.rack.by_name[name]
        for one in some:
            # the piece's own arrow, carried to the board by the same turn as its outline, runs along the board's grain
            turn = board.grain_deg - 30.0 + one.place.turned_deg
            assert one.place.turned_deg in (0.0, 180.0, -180.0)
            moved = affinity.rotate(one.part.outline, -turn, origin=(0, 0))
            shift = np.subtract(one.outline.bounds[:2], moved.bounds[:2])
            assert affinity.translate(moved, *shift).symmetric_difference(one.outline).area < 0.5
    assert not Laying(job).faults(Laying(job).laid(Effort(0.0)))


def test_woods_that_flash_are_never_turned_half_round():
    code = next(wood.code for wood in woods().values() if wood.flash)
    boards = (replace(W1, wood=code, defects=()),)
    work = edited(small(boards, woods=code), "lay")
    assert work.placements
    assert {place.turned_deg for place in work.placements.values()} == {0.0}


def test_a_tolerance_lets_a_part_turn_a_little_and_no_more():
    # a board 30 mm wide whose grain runs askew: a bar of 200 fits only if it may turn off it
    long_part = composition(cells(1, 1, 200.0, 12.0))
    board = replace(W2, length_mm=260.0, width_mm=30.0, grain_deg=12.0)
    work = replace(long_part, rack=Rack(woods(), (board,)))
    assert not edited(work, "lay").placements
    work = edited(edited(work, "within", [1], deg="12"), "lay")
    (place,) = work.placements.values()
    assert abs(abs((place.turned_deg + 90) % 180 - 90)) == pytest.approx(12.0)
    with pytest.raises(BadChoice, match="0 to 45"):
        edit(work, "within", [1], {"deg": "60"})
    with pytest.raises(BadChoice, match="off its arrow"):
        edit(work, "set_down", [1], {"part": "1", "board": "C2", "x": "100", "y": "30", "turned": "30"})


def test_what_is_nailed_stays_and_the_rest_is_laid_round_it():
    work = edited(small(), "set_down", part="5", board="C1", x="200", y="75")
    nailed = work.placements["5"]
    assert nailed == Placement("C1", 200.0, 75.0)
    work = edited(work, "lay")
    assert work.placements["5"] == nailed
    assert len(work.placements) == 12
    outlines = [one.outline for one in on_boards(job_of(work))["C1"]]
    gap = work.practice.part_gap_mm
    assert all(a.distance(b) > gap - 2e-3 for i, a in enumerate(outlines) for b in outlines[i + 1 :])
    work = edited(work, "nail", part="5", keep="no")
    assert not work.placements["5"].nailed
    assert len(edited(work, "take_off", all="yes").placements) == 0


def test_what_lay_well_gives_way_to_what_is_nailed_over_it_later():
    """Laid once, then one part put right over another by hand: laid again, nothing lies under the hand's part."""
    work = edited(small(), "lay")
    mine, theirs = work.placements["5"], next(p for k, p in work.placements.items() if k != "5" and p.board == "C1")
    work = edited(work, "set_down", part="5", board="C1", x=str(theirs.x_mm), y=str(theirs.y_mm))
    assert work.placements["5"] != mine
    work = edited(work, "lay")
    outlines = [one.outline for one in on_boards(job_of(work))["C1"]]
    gap = work.practice.part_gap_mm
    assert all(a.distance(b) > gap - 2e-3 for i, a in enumerate(outlines) for b in outlines[i + 1 :])


def test_parts_nailed_over_each_other_end_in_a_sentence():
    work = edited(small(), "set_down", part="5", board="C1", x="200", y="75")
    work = edited(work, "set_down", part="6", board="C1", x="205", y="75")
    with pytest.raises(BadChoice, match="nailed over each other on board C1"):
        edit(work, "lay", [], {})


def test_what_other_works_have_spoken_for_is_left_alone():
    theirs = shapely.box(0, 0, 250, 150)
    work = small((W1,), count=6)
    work = edited(replace(work, rack=replace(work.rack, spoken_for=(Spoken("C1", "Lighthouse", theirs),))), "lay")
    for one in on_boards(job_of(work)).get("C1", ()):
        assert one.outline.distance(theirs) > work.practice.part_gap_mm - 2e-3
    assert [f for f in Plan(work).findings("stock") if f.code == "on-no-board" and "Lighthouse" in f.sentence]


@pytest.mark.parametrize(
    ("boards", "why"),
    [
        ((), "No board of cherry is on the rack"),
        ((replace(W1, thickness_mm=10.0),), "no board of cherry is as thick: C1 has"),
        ((replace(W1, length_mm=60.0, defects=()),), "longer than every board"),
        ((replace(W1, width_mm=30.0, defects=()),), "wider than every board"),
        ((replace(W1, defects=(Defect("stain", ((-1, -1), (401, -1), (401, 151), (-1, 151))),)),), "Flaws leave no"),
    ],
)
def test_what_fits_nowhere_says_why_and_what_would_do(boards, why):
    job = job_of(small(boards, count=3))
    made = Laying(job).laid(Effort(0.0))
    told = {one.part: one for one in made.homeless}
    largest = max(job.pieces.values(), key=lambda part: part.area_mm2)
    assert why in told[largest.key].why
    assert "would do" in told[largest.key].would


def test_copies_lie_each_in_a_place_of_its_own():
    work = edited(small((replace(W1, length_mm=1200.0),)), "copies", count="3")
    work = edited(work, "lay")
    assert {f"5{copy}" for copy in ("", "/2", "/3")} <= set(work.placements)
    outlines = [one.outline for some in on_boards(job_of(work)).values() for one in some]
    assert all(a.intersection(b).area < 1e-6 for i, a in enumerate(outlines) for b in outlines[i + 1 :])


def test_pieces_of_one_body_come_from_one_board_next_to_each_other():
    boards = tuple(replace(W1, key=k, name=f"C{k}", defects=()) for k in range(1, 4))
    work = small(boards, count=24)
    body = [3, 9, 14, 20]
    for key in body:
        work = edited(work, "part", [key], part="sky")
    work = edited(work, "together", body)
    assert "sky" in work.decisions.wood.together
    work = edited(work, "lay")
    assert len({work.placements[str(key)].board for key in body}) == 1


def test_a_thinner_group_begins_where_a_thicker_one_ends():
    work = small((replace(W1, length_mm=900.0, defects=()),))
    for key in range(1, 5):
        work = edited(work, "thickness", [key], mm="10")
    lying = on_boards(job_of(edited(work, "lay")))["C1"]
    thick = max(one.outline.bounds[2] for one in lying if one.part.thickness_mm > 15)
    thin = min(one.outline.bounds[0] for one in lying if one.part.thickness_mm < 15)
    assert thin > thick + 3.0


# -- the command line ------------------------------------------------------------------------------------------------

BOARDS = [
    {
        "name": "L",
        "material": "Cherry",
        "thickness_mm": 20.0,
        "rings": [[[0, 0], [420, 8], [430, 150], [0, 140]]],
        "flaws": [[[90, 60], [110, 60], [110, 80]]],
        "grain_deg": 2.0,
    }
]


def run(*words: object) -> subprocess.CompletedProcess:
    return subprocess.run(
        [sys.executable, "-m", "emberquilt.cli", *map(str, words)], capture_output=True, text=True, check=False
    )


def test_the_command_line_lays_on_boards_and_in_a_strip(tmp_path: Path):
    file, boards = tmp_path / "work.ember", tmp_path / "boards.json"
    file.write_bytes(write_project(Project(replace(small(), rack=Rack()), "", b"", (), "")))
    boards.write_text(json.dumps(BOARDS))
    told = json.loads(run("layout", file, "--boards", boards).stdout)
    room = shapely.Polygon(BOARDS[0]["rings"][0])
    shapes = [shapely.Polygon(p["rings"][0], p["rings"][1:]) for p in told["placements"]]
    assert len(shapes) + len(told["unplaced"]) == len(Plan(small()).job.of_one)
    assert all(room.covers(shape) for shape in shapes)
    assert all(a.distance(b) > told["spacing_mm"] - 2e-3 for i, a in enumerate(shapes) for b in shapes[i + 1 :])
    assert told["density"] == pytest.approx(sum(s.area for s in shapes) / room.area, abs=1e-3)
    assert told["density"] <= told["bound"] <= 1
    strip = json.loads(run("layout", file, "--strip", "180mm", "--spacing", "2mm").stdout)
    shapes = [shapely.Polygon(p["rings"][0]) for p in strip["placements"]]
    assert max(s.bounds[2] for s in shapes) == pytest.approx(strip["length_mm"], abs=1e-3)
    assert all(a.distance(b) > 2 - 2e-3 for i, a in enumerate(shapes) for b in shapes[i + 1 :])


@pytest.mark.parametrize(
    ("told", "why"),
    [
        ("no json", "no JSON"),
        ([], "a list of 1 to"),
        ([{"name": "A"}], "of no material"),
        ([BOARDS[0] | {"rings": []}], "no outline"),
        ([BOARDS[0] | {"rings": [[[0, 0], [10, 10], [10, 0], [0, 10]]]}], "crosses itself"),
        ([BOARDS[0] | {"rings": [[[0, 0], ["x", 1], [2, 2]]]}], "no list of points"),
        ([BOARDS[0] | {"thickness_mm": -3}], "thickness of -3"),
        ([BOARDS[0] | {"thickness_mm": "thick"}], "no number"),
        ([BOARDS[0], BOARDS[0]], "Two boards are called L"),
    ],
)
def test_bad_boards_end_in_a_sentence(told, why):
    data = told.encode() if isinstance(told, str) else json.dumps(told).encode()
    with pytest.raises(BadChoice, match=why):
        boards_from(data, woods())


def test_bad_numbers_end_in_a_sentence():
    plan = Plan(small())
    for spacing in (0.0, -1.0, float("nan")):
        with pytest.raises(BadChoice, match="room for the blade"):
            strip_json(plan, 100.0, spacing)
        with pytest.raises(BadChoice, match="room for the blade"):
            layout_json(plan, spacing_mm=spacing)
    with pytest.raises(BadChoice, match="more than 0"):
        strip_json(plan, 0.0)
    thin = strip_json(plan, 10.0)
    assert not thin["placements"]
    assert "wider than the strip" in thin["unplaced"][0]["why"]


def test_a_layout_is_undone_exactly():
    from emberquilt.work.change import inverse

    work = edited(small(), "set_down", part="5", board="C1", x="200", y="75")
    made = edit(work, "lay", [], {})
    assert applied(applied(work, made), inverse(work, made)).placements == work.placements


def test_a_flaw_that_is_wanted_comes_into_the_piece_that_wants_it():
    knot = Defect("knot", tuple(shapely.Point(180, 75).buffer(6, quad_segs=3).exterior.coords[:-1]))
    work = small((replace(W1, defects=(knot,)),))
    work = edited(work, "want", [7], kind="knot")
    work = edited(work, "lay")
    lying = {one.key: one.outline for one in on_boards(job_of(work))["C1"]}
    flaw = shapely.Polygon(knot.ring)
    assert lying["7"].covers(flaw.centroid)
    assert all(outline.distance(flaw) > 0 for key, outline in lying.items() if key != "7")
    gap = work.practice.part_gap_mm
    outlines = list(lying.values())
    assert all(a.distance(b) > gap - 2e-3 for i, a in enumerate(outlines) for b in outlines[i + 1 :])
    assert not work.placements["7"].nailed
    assert not [f for f in Plan(work).findings("stock") if f.code == "place"]
    plain = edited(work, "want", [7], kind="")
    assert any("lies over a knot" in f.sentence for f in Plan(plain).findings("stock"))
    elsewhere = edited(edited(work, "want", [7], kind="stain"), "lay")
    assert any("wants a stain in it" in f.sentence for f in Plan(elsewhere).findings("stock"))
    with pytest.raises(BadChoice, match="nothing that a board has"):
        edit(work, "want", [7], {"kind": "moss"})


def test_a_pack_is_laid_once_with_its_pieces_as_they_stand_in_the_picture():
    boards = (replace(W1, defects=(), width_mm=200.0), Board(3, "maple", "M1", 400.0, 200.0, 20.0))
    work = composition(cells(12, 3, 180.0, 120.0), {k: "cherry" if k % 2 else "maple" for k in range(1, 20)})
    work = replace(work, rack=Rack(woods(), boards), practice=work.practice.changed(fit="stack"))
    work = edited(work, "lay")
    job = job_of(work)
    for name, lying in on_boards(job).items():
        first = lying[0]
        about = first.part.outline.centroid
        shift = np.subtract(first.outline.centroid.coords[0], about.coords[0])
        assert {one.part.material for one in lying} == {work.rack.by_name[name].wood}
        for one in lying:
            moved = affinity.translate(one.part.outline, *shift)
            turned = affinity.rotate(moved, 180, origin=first.outline.centroid)
            assert min(one.outline.symmetric_difference(m).area for m in (moved, turned)) < 0.5
    assert len(work.placements) == 12
    assert not [f for f in Plan(work).findings("stock") if f.code in ("too-near", "place")]
    small_boards = replace(work, placements={}, rack=Rack(woods(), tuple(replace(b, width_mm=90.0) for b in boards)))
    made = Laying(job_of(small_boards)).laid(Effort(0.0))
    told = [one for one in made.homeless if one.part.isdecimal()]
    assert len(told) == 12
    assert all("wider than every board" in one.why for one in told)


def test_copies_that_are_no_longer_made_lie_on_no_board():
    work = edited(small((replace(W1, length_mm=1200.0),)), "copies", count="3")
    work = edited(edited(work, "lay"), "copies", count="1")
    assert {one.key for some in on_boards(job_of(work)).values() for one in some} == {str(n) for n in range(1, 13)}


def test_a_pack_that_wants_a_knot_lies_over_it_whole():
    """The largest piece stands for the sheet: with it over the knot the whole sheet still lies on the board."""
    knot = Defect("knot", tuple(shapely.Point(150, 90).buffer(5, quad_segs=3).exterior.coords[:-1]))
    boards = (replace(W1, defects=(knot,), width_mm=220.0),)
    work = composition(cells(12, 3, 180.0, 120.0))
    work = replace(work, rack=Rack(woods(), boards), practice=work.practice.changed(fit="stack"))
    largest = max(job_of(work).pieces.values(), key=lambda part: part.area_mm2).id.piece
    work = edited(edited(work, "want", [largest], kind="knot"), "lay")
    lying = on_boards(job_of(work))["C1"]
    assert len(lying) == 12
    region = boards[0].region.buffer(1e-6)
    assert all(region.covers(one.outline) for one in lying)
    mine = next(one for one in lying if one.key == str(largest))
    assert mine.outline.covers(shapely.Polygon(knot.ring).centroid)


def comb(teeth: int, pitch: float, deep: float) -> shapely.Polygon:
    """A comb: shapes that meet in many places at once."""
    points = [(0.0, 0.0), (teeth * pitch, 0.0)]
    for i in reversed(range(teeth)):
        points += [
            ((i + 1) * pitch, deep + 10),
            ((i + 0.5) * pitch, deep + 10),
            ((i + 0.5) * pitch, 10),
            (i * pitch, 10),
        ]
    return shapely.make_valid(shapely.Polygon(points).buffer(0))


@pytest.mark.parametrize("seed", [0, 1, 2, 3])
def test_shapes_that_meet_in_many_places_settle_without_ever_coming_too_near(seed):
    rng = np.random.default_rng(seed)
    shapes, x = [], 5.0
    for _ in range(8):
        shape = comb(int(rng.integers(2, 5)), float(rng.uniform(12, 20)), float(rng.uniform(15, 40)))
        shape = affinity.rotate(shape, float(rng.choice([0, 180])), origin=(0, 0))
        x0, y0, x1, _ = shape.bounds
        shapes.append(affinity.translate(shape, x - x0, float(rng.uniform(3, 30)) - y0))
        x += x1 - x0 + 6.0
    room = shapely.box(0, 0, x + 20, 90)
    made = settled(shapes, room, 3.0, Effort(20.0))
    assert made is not None
    assert made.reach_mm < max(shape.bounds[2] for shape in shapes)
    for i, one in enumerate(made.outlines):
        assert room.covers(one)
        assert one.equals_exact(affinity.translate(shapes[i], *np.subtract(one.bounds[:2], shapes[i].bounds[:2])), 1e-6)
        assert all(one.distance(other) >= 3.0 for other in made.outlines[i + 1 :])


@pytest.mark.parametrize("count", [8, 30])
def test_what_lies_over_each_other_is_drawn_apart_or_given_up(count):
    """Squares thrown together in a room that is large enough: either none comes, or one that holds."""
    rng = np.random.default_rng(count)
    shapes = [shapely.box(x, y, x + 20, y + 20) for x, y in rng.uniform(3, 40 * count**0.5, (count, 2))]
    room = shapely.box(0, 0, 2000, 60 * count**0.5)
    made = settled(shapes, room, 2.0, Effort(20.0))
    if made is None:
        return
    assert all(a.distance(b) >= 2.0 for i, a in enumerate(made.outlines) for b in made.outlines[i + 1 :])
    assert all(room.covers(one) for one in made.outlines)


def test_leaves_of_one_board_count_as_far_as_any_is_used():
    """Twelve squares on two leaves lie six to a leaf; without a stack the second is begun when the first is full."""
    squares = items_of([shapely.box(0, 0, 40, 40)] * 12, (0.0,))
    region = shapely.box(0, 0, 800, 50)
    faces = [Face(f"L{n}", region, rank=(n,), stack="B") for n in (1, 2)]
    made = first_layout(squares, faces, Gaps(GAP, EDGE), Stamps(1.0, GAP))
    assert {key: len(some) for key, some in made.by_face.items()} == {"L1": 6, "L2": 6}
    alone = first_layout(squares, [replace(face, stack="") for face in faces], Gaps(GAP, EDGE), Stamps(1.0, GAP))
    assert {key: len(some) for key, some in alone.by_face.items()} == {"L1": 12}
