"""Verbs that choose woods, how seams read, packs cut together, and all of it in the project file."""

from dataclasses import replace

import numpy as np
import pytest
import shapely

from emberquilt.bench.remake import other_board, remake_of
from emberquilt.errors import BadChoice, BadProject, EmberError
from emberquilt.formats.project import Project, read_project, write_project
from emberquilt.outline.coverage import Coverage
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.rack.boards import Board, Defect
from emberquilt.rack.rack import Rack
from emberquilt.rack.woods import typed_wood, wood, woods
from emberquilt.wood.contrast import contrast_of
from emberquilt.wood.packs import pack_in, pack_of
from emberquilt.work.change import applied, inverse
from emberquilt.work.composition import Composition, Placement
from emberquilt.work.decisions import Look
from emberquilt.work.parts import job_of
from emberquilt.work.verbs import edit
from tests.conftest import cells, composition, findings_of, grid

W1 = Board(
    1,
    "walnut",
    "W1",
    300,
    120,
    20,
    lab=(40.0, 10.0, 18.0),
    photo=1,
    defects=(Defect("knot", ((200, 20), (240, 20), (240, 60), (200, 60))),),
)
W2 = Board(2, "walnut", "W2", 300, 120, 20, lab=(50.0, 10.0, 18.0), photo=1)
C1 = Board(3, "cherry", "C1", 300, 120, 20)
RACK = Rack(boards=(W1, W2, C1))


def places_found(work):
    """What the Stock station finds."""
    return findings_of(work, "stock")


def woods_found(work: Composition) -> list:
    return findings_of(work, "wood")


def seams(work: Composition, seen=None):
    """How the seams of its one layer read."""
    return contrast_of(work, work.usual_layer, seen)


def do(work: Composition, verb: str, keys=(), **values) -> Composition:
    """The work after a verb; taking it back is exact."""
    made = edit(work, verb, list(keys), values)
    now = applied(work, made)
    assert applied(now, inverse(work, made)) == replace(work, last_key=now.last_key)
    return now


def six(woods_of="walnut", **more) -> Composition:
    return replace(composition(grid(3, 2), woods_of, **more), rack=RACK)


# verbs


def test_all_of_one_wood_is_swapped_but_for_what_is_locked():
    work = do(six(), "lock", [2], keep="yes")
    swapped = do(work, "swap", **{"from": "walnut", "to": "wenge"})
    assert [p.wood for p in swapped.usual_layer.without_openings.pieces] == [
        "wenge",
        "walnut",
        "wenge",
        "wenge",
        "wenge",
        "wenge",
    ]
    assert not do(work, "lock", [2], keep="no").usual_layer.without_openings.by_key[2].locked
    with pytest.raises(BadChoice, match="No piece is of holly"):
        edit(work, "swap", [], {"from": "holly", "to": "wenge"})


def test_palettes_are_kept_taken_and_let_go():
    dark = do(six(), "palette_keep", name=" Dark  water ")
    light = do(dark, "wood", range(1, 7), wood="holly")
    assert {p.wood for p in do(light, "palette_use", name="Dark water").usual_layer.without_openings.pieces} == {
        "walnut"
    }
    assert do(light, "palette_drop", name="Dark water").decisions.wood.palettes == ()
    for bad in ({"name": ""}, {"name": "   "}):
        with pytest.raises(BadChoice, match="name"):
            edit(light, "palette_keep", [], bad)
    with pytest.raises(BadChoice, match="No palette"):
        edit(light, "palette_use", [], {"name": "Noon"})
    with pytest.raises(BadChoice, match="no wood in this picture"):
        edit(composition(grid(1, 1), {}), "palette_keep", [], {"name": "Bare"})
    for i in range(11):
        light = applied(light, edit(light, "palette_keep", [], {"name": f"p{i}"}))
    with pytest.raises(BadChoice, match="12 palettes"):
        edit(light, "palette_keep", [], {"name": "one more"})


def test_coats_and_wanted_colours():
    work = do(six(), "coat", [1, 2], coat="dye", tint="#2A5C8A", coats="3")
    assert work.usual_layer.without_openings.by_key[1].coat == "dye #2a5c8a 3"
    assert do(work, "coat", [1], coat="").usual_layer.without_openings.by_key[1].coat == ""
    assert do(work, "colour", [3], colour="#AABBCC").usual_layer.without_openings.by_key[3].colour == "#aabbcc"
    for values in (
        {"coat": "glitter"},
        {"coat": "dye", "tint": "#2a5c8a", "coats": "many"},
        {"coat": "paint", "tint": "red"},
    ):
        with pytest.raises(BadChoice):
            edit(work, "coat", [1], values)


def test_how_the_picture_is_shown():
    work = do(six(), "look", gloss="gloss", from_deg="45", frame="oak_white", frame_width="2 in", wall="#D8CDBA")
    assert work.decisions.wood.look == Look("gloss", 45.0, "oak_white", 50.8, "#d8cdba")
    for values in (
        {"gloss": "wet"},
        {"frame": "plastic"},
        {"wall": "white"},
        {"from_deg": "up"},
        {"frame_width": "-3"},
    ):
        with pytest.raises(EmberError):
            edit(work, "look", [], values)


# contrast


def test_every_seam_is_rated():
    """Walnut beside holly separates, cherry beside alder shades, walnut beside walnut is lost; a clear step parts near
    tones."""
    coverage = grid(4, 1)
    work = composition(coverage, {1: "holly", 2: "walnut", 3: "walnut", 4: "bog_oak"})
    assert [r.reading for r in seams(work)] == ["reads", "melts", "shades"]
    assert seams(work)[2].apart == pytest.approx(work.seen.between(*map(work.look_of, work.made[2:])))
    raised = do(work, "shim", [4], length="1/8 in")
    assert seams(raised)[2].reading == "reads"
    assert seams(raised)[2].step_mm == pytest.approx(3.175)
    bare = composition(coverage, {1: "holly"})
    assert {r.reading for r in seams(bare)} == {"open"}


def test_a_seam_that_ages_is_said_and_a_step_keeps_it():
    """Cherry beside mahogany reads today; a year of light brings both to one brown."""
    work = composition(grid(2, 1), {1: "cherry", 2: "cedar_west"}, practice=Practice(reads_de=8.0))
    today, later = (seams(work, seen)[0] for seen in (work.seen, work.seen.older))
    assert later.apart != today.apart
    found = [f for f in woods_found(work) if f.code == "ages"]
    assert bool(found) == (today.reading != "melts" and later.reading == "melts")
    padauk = composition(grid(2, 1), {1: "padauk", 2: "merbau"})
    (finding,) = [f for f in woods_found(padauk) if f.code == "ages"]
    assert "after a year of light" in finding.sentence
    fixed = do(padauk, finding.fix.verb, finding.fix.values["pieces"], by_mm=finding.fix.values["by_mm"])
    assert not [f for f in woods_found(fixed) if f.code == "ages"]


# packs


def pack_of_work(work: Composition):
    return pack_in(work, work.usual_layer)


@pytest.mark.parametrize("count", [2, 3, 4])
def test_every_picture_of_a_pack_has_each_piece_in_another_wood(count):
    codes = ("holly", "walnut", "cherry", "padauk")[:count]
    layer = composition(cells(25, count), {}).usual_layer.without_openings
    pack = pack_of(layer, codes)
    for key in layer.coverage.keys:
        assert {pack.picture(k)[key] for k in range(count)} == set(codes)
    clashes = {(c.a, c.b) for c in pack.clashes}
    for seam in layer.coverage.seams:
        alike = [pack.picture(k)[seam.a] == pack.picture(k)[seam.b] for k in range(count)]
        assert all(alike) == any(alike) == ((seam.a, seam.b) in clashes)
    if count == 4:
        assert not clashes, "four colours suffice for a map"


def test_pieces_of_one_wood_are_cut_as_one():
    work = composition(grid(3, 2), {1: "holly", 2: "holly", 3: "walnut", 4: "walnut", 5: "holly", 6: "walnut"})
    pack = pack_of(work.usual_layer.without_openings, ("maple", "ebony"))
    assert pack.turn[1] == pack.turn[2] == pack.turn[5] != pack.turn[3] == pack.turn[4] == pack.turn[6]
    assert not pack.clashes


def test_a_piece_is_handed_on_and_a_picture_taken():
    work = do(six({}), "pack", woods="maple, ebony")
    before = pack_of_work(work).picture(0)
    after = pack_of_work(do(work, "pack_turn", [1])).picture(0)
    assert {k for k in before if before[k] != after[k]} == {1}
    taken = do(work, "pack_use", which="1")
    assert {p.key: p.wood for p in taken.usual_layer.without_openings.pieces} == pack_of_work(work).picture(1)
    assert pack_of_work(do(work, "unpack")) is None
    for woods_given in ("maple", "maple,maple", "maple,ebony,holly,cherry,walnut", "maple,cheese"):
        with pytest.raises(BadChoice):
            edit(work, "pack", [], {"woods": woods_given})
    with pytest.raises(BadChoice, match="No pack"):
        edit(six(), "pack_turn", [1], {})


# boards


def test_a_place_on_a_board_is_kept_and_judged():
    work = do(six(), "place", [1], board="W1", x="60", y="60", deg="30")
    assert work.placements == {"1": Placement("W1", 60.0, 60.0)}
    assert work.by_key[1].grain_deg == 30
    assert not [f for f in places_found(work) if f.code == "place"]
    wrong = {
        "hangs over the edge": dict(x="5", y="60"),
        "over a knot": dict(x="220", y="40"),
    }
    for words, place in wrong.items():
        (finding,) = [f for f in places_found(do(work, "place", [1], board="W1", **place)) if f.code == "place"]
        assert words in finding.sentence
    both = do(work, "place", [2], board="W1", x="70", y="60")
    assert len([f for f in places_found(both) if "over each other" in f.sentence]) == 2
    gone = replace(work, rack=Rack())
    (finding,) = [f for f in places_found(gone) if f.code == "place"]
    assert "not on the rack" in finding.sentence
    cleared = do(gone, finding.fix.verb, finding.fix.values["pieces"])
    assert not [f for f in places_found(cleared) if f.code == "place"]


def test_another_wood_takes_a_piece_off_its_board():
    work = do(six(), "place", [1], board="W1", x="60", y="60")
    assert do(work, "wood", [1], wood="holly").placements == {}
    assert do(work, "wood", [1], wood="walnut").board_of(1) == "W1"
    assert do(work, "unplace", [1]).placements == {}
    for values in (
        {"board": "Z9", "x": "1", "y": "1"},
        {"board": "W1", "x": "far", "y": "1"},
        {"board": "W1", "x": "99999", "y": "1"},
    ):
        with pytest.raises(BadChoice):
            edit(work, "place", [1], values)
    with pytest.raises(BadChoice, match="One piece at a time"):
        edit(work, "place", [1, 2], {"board": "W1", "x": "1", "y": "1"})


def test_wood_stays_where_it_was_when_a_piece_is_split():
    """Both halves lie on the board where the whole did: together they cover the same wood."""
    from emberquilt.work.on_boards import on_boards

    work = do(six(), "place", [1], board="W2", x="60", y="60", deg="20")
    whole = on_boards(job_of(work))["W2"][0].outline
    halves = applied(work, edit(work, "split", [1], {"points": "[[15, -1], [15, 31]]"}))
    lying = on_boards(job_of(halves))["W2"]
    laid = shapely.union_all([one.outline for one in lying])
    assert len(lying) == 2
    assert laid.symmetric_difference(whole).area < 0.5
    assert not [f for f in places_found(halves) if f.code == "place"]


def test_a_remake_asks_for_the_same_board_and_warns_of_another():
    work = do(six(), "place", [1], board="W1", x="60", y="60")
    job = job_of(work)
    remake = remake_of(job, "1")
    assert "The same board, W1" in remake.lines[0]
    assert [name for name, _ in remake.boards] == ["W1", "W2"]
    assert remake.boards[1][1] > 5
    assert "will look different" in other_board(job, "1", "W2")
    assert other_board(job, "1", "W1") == ""
    unlit = replace(work, rack=Rack(boards=(W1, replace(W2, lab=None))))
    assert "no photo tells" in other_board(job_of(unlit), "1", "W2")
    assert "no longer on the rack" in remake_of(job_of(replace(work, rack=Rack())), "1").lines[0]
    assert "No board was noted" in remake_of(job, "2").lines[0]
    assert do(work, "from_board", [1], board="W2").placements["1"].point is None
    with pytest.raises(BadChoice, match="is cherry"):
        edit(work, "from_board", [1], {"board": "C1"})


def test_the_board_travels_to_the_bench_the_pattern_and_the_list():
    from emberquilt.bench.cards import cards
    from emberquilt.drawing.svg import pattern_svg
    from emberquilt.formats.piece_list import piece_list_csv

    work = do(six(), "place", [1], board="W1", x="60", y="60")
    plan = Plan(work)
    card = next(c for c in cards(plan.job, plan.steps, plan.saw, plan.glue) if c.key == ("saw", "1"))
    assert any("From board W1" in told for told in card.lines)
    assert b"1 Wa W1" in pattern_svg(plan.job)
    assert ",W1,60.0,60.0," in piece_list_csv(plan)


# the project file


def full() -> Composition:
    own = typed_wood("own_river", {"name": "River walnut", "mark": "Rw", "finished": "#4a3222"}, wood("walnut"))
    work = replace(
        six({1: "own_river", 2: "cherry", 3: "walnut"}, part="water"), rack=Rack(woods().with_own([own]), RACK.boards)
    )
    work = do(work, "place", [3], board="W1", x="60", y="60")
    work = do(work, "coat", [2], coat="dye", tint="#112233", coats="2")
    work = do(work, "lock", [2], keep="yes")
    work = do(work, "flow", [1, 2], points="[[0, 0], [50, 20]]")
    work = do(work, "together", [1], keep="yes")
    work = do(work, "palette_keep", name="First")
    work = do(work, "pack", woods="own_river,maple")
    work = do(work, "pack_turn", [1])
    return do(work, "look", gloss="raw", wall="#ffffff")


def wood_of(document: dict) -> dict:
    return document["decisions"]["wood"]


def test_all_that_was_chosen_leaves_and_comes_back():
    data = write_project(Project(full(), "2026-11-25T10:00:00+00:00"))
    back = read_project(data)
    assert write_project(back) == data
    assert back.composition.usual_layer.without_openings.pieces == full().usual_layer.without_openings.pieces
    assert back.composition.decisions == full().decisions
    assert back.composition.placements == full().placements
    assert back.composition.rack.shelf["own_river"].name == "River walnut"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda d: wood_of(d).update(flows=[{"line": "zigzag", "keys": "1"}]), "wood/flows"),
        (lambda d: wood_of(d).update(palettes=[{"name": "x", "woods": [["walnut", "1-"]]}]), "wood/palettes"),
        (lambda d: wood_of(d).update(packs=[{"layer": 1, "woods": ["walnut"]}]), "wood/packs"),
        (lambda d: wood_of(d).update(look={"gloss": "wet"}), "wood/look"),
        (lambda d: d["placements"].update({"not a part": {"board": "W1"}}), "placements"),
        (lambda d: d["layers"][0]["pieces"][0].update(coat="glitter"), "coat"),
        (lambda d: d["woods"][0].update(sg=99), "wood in this project file is damaged"),
        (lambda d: d.update(woods=[]), "not on this shelf"),
    ],
)
def test_damaged_choices_are_refused_in_a_sentence(change, words):
    import io
    import json
    import zipfile

    source = zipfile.ZipFile(io.BytesIO(write_project(Project(full(), "2026-11-25"))))
    document = json.loads(source.read("composition.json"))
    change(document)
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("composition.json", json.dumps(document))
    with pytest.raises(BadProject, match=words):
        read_project(buffer.getvalue())


def test_outlines_of_one_piece_still_stand():
    """A composition of one piece has no seams: nothing to rate, nothing to clash."""
    work = composition(Coverage([1], [shapely.box(0, 0, 30, 30)]), "walnut")
    assert len(seams(work)) == 0
    assert not pack_of(work.usual_layer.without_openings, ("maple", "ebony")).clashes
    assert np.isfinite(work.seen.lab_of(work.look_of(work.made[0]))).all()
