"""Routed fields and pools of resin: geometry of bits, passes and their order, volumes and parts worked by hand."""

import json
from dataclasses import replace
from math import pi, radians, tan

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.cli import main
from emberquilt.drawing.solid import packed
from emberquilt.errors import BadChoice, BadLength
from emberquilt.fields.inlay import grounds_of
from emberquilt.fields.resin import pours_of
from emberquilt.fields.routing import depth_for_line_mm, opened, routings_of, width_of_groove_mm
from emberquilt.formats.project import Project, read_planned, write_project
from emberquilt.outline.coverage import Coverage
from emberquilt.pattern.fresh import composition_of
from emberquilt.picture.parts import parts_of
from emberquilt.picture.render import picture
from emberquilt.plan import Plan
from emberquilt.relief.mass import hung, mass_of
from emberquilt.relief.section import section_of
from emberquilt.work.composition import Composition, Layer, Piece
from emberquilt.work.parts import job_of
from tests.core.test_slots import drawn_svg
from tests.spatial import METRIC, done, sunk
from workshop.compositions.demo import solids


def codes(work) -> set[str]:
    return {f.code for f in Plan(work).every_finding}


def board(*fields: shapely.Polygon, rim: shapely.Polygon | None = None, thick: float = 19.0) -> Composition:
    """A board with these fields beside each other; the first piece is what stays of its face."""
    whole = rim or shapely.box(0, 0, 300, 200)
    outlines = [shapely.difference(whole, shapely.union_all(list(fields))), *fields]
    pieces = tuple(Piece(k, k, "cherry", 0.0) for k in range(1, len(outlines) + 1))
    layer = Layer(1, "Board", "sheet", Coverage(range(1, len(outlines) + 1), outlines), pieces, thick)
    x1, y1 = whole.bounds[2:]
    return done(Composition("Board", x1, y1, (layer,), METRIC, last_key=len(outlines)), "routed")


@settings(max_examples=30)
@given(st.floats(0.5, 20), st.floats(20, 120))
def test_a_v_groove_is_as_deep_as_its_width_says(wide, angle):
    """depth = width / (2 tan(a / 2)): plane geometry; of 60 degrees a line of 6 mm is 5.196 deep, of 90 degrees 3."""
    assert depth_for_line_mm(wide, angle) == pytest.approx(wide / 2 / tan(radians(angle / 2)))
    assert width_of_groove_mm(depth_for_line_mm(wide, angle), angle) == pytest.approx(wide)
    assert depth_for_line_mm(6, 60) == pytest.approx(5.196, abs=1e-3)
    assert depth_for_line_mm(6, 90) == pytest.approx(3.0)


def test_a_line_takes_a_v_bit_and_a_field_an_end_mill():
    line, field = shapely.box(20, 20, 120, 24), shapely.box(20, 60, 120, 140)
    work = done(board(line, field), "rout", [2], depth="3 mm")
    work = done(work, "rout", [3], depth="9 mm")
    (routing,) = routings_of(job_of(work))
    one, other = routing.by_piece[2], routing.by_piece[3]
    assert one.bit.kind == "v"
    assert one.depth_mm == 3.0
    assert (other.bit.kind, other.bit.size) == ("flat", 12.7)
    # half a diameter a pass, and never more than 6 mm
    assert other.passes == (4.5, 9.0)
    assert routing.gauges_mm == (3.0, 4.5, 9.0)
    deeper = done(work, "rout", [2], depth="6 mm")
    assert routings_of(job_of(deeper))[0].by_piece[2].depth_mm == pytest.approx(depth_for_line_mm(4, 60), abs=0.1)
    assert "rout-v-depth" in codes(deeper)


def test_the_widest_bit_that_reaches_the_corners_is_taken():
    """A square of side s opened by a disc of radius r loses (4 - pi) r^2 in its corners: plane geometry."""
    square = shapely.box(0, 0, 40, 40)
    for radius in (3.175, 6.35):
        assert opened(square, radius).area == pytest.approx(1600 - (4 - pi) * radius**2, rel=2e-4)
    narrow = shapely.box(20, 20, 120, 29)
    work = done(board(narrow), "rout", [2], depth="4 mm", bit="flat")
    one = routings_of(job_of(work))[0].by_piece[2]
    assert one.bit.size == 6.35
    comb = shapely.union_all(
        [shapely.box(20, 20, 120, 60), *(shapely.box(20 + 8 * n, 60, 22 + 8 * n, 90) for n in range(12))]
    )
    work = done(board(comb), "rout", [2], depth="4 mm")
    assert "rout-corners" in codes(work)
    assert routings_of(job_of(work))[0].by_piece[2].bit.size == 3.175


def test_shallow_before_deep_and_the_outline_last():
    fields = [shapely.box(20 + 70 * n, 40, 70 + 70 * n, 120) for n in range(3)]
    work = board(*fields)
    for key, depth in ((2, "9 mm"), (3, "2 mm"), (4, "5 mm")):
        work = done(work, "rout", [key], depth=depth)
    (routing,) = routings_of(job_of(work))
    assert [one.piece for one in routing.fields] == [3, 4, 2]
    plan = Plan(work)
    labels = [step.label for step in plan.steps]
    routs = [n for n, label in enumerate(labels) if label.startswith("Rout")]
    assert max(routs) < next(n for n, label in enumerate(labels) if label.startswith("Saw"))
    assert all("clamp the board" in plan.steps[n].caution for n in routs)
    assert [part.role for part in plan.job.of_one] == ["board"]
    assert plan.job.boards[0].outline.equals(shapely.box(0, 0, 300, 200))


def test_islands_stand_and_their_heights_are_seen():
    island = shapely.box(60, 60, 120, 120)
    field = shapely.difference(shapely.box(20, 20, 200, 160), island)
    work = done(board(field, island), "rout", [2], depth="6 mm")
    job = job_of(work)
    assert routings_of(job)[0].by_piece[2].islands == (3,)
    assert job.standing.top_mm(2) == pytest.approx(13)
    assert job.standing.top_mm(3) == pytest.approx(19)


def test_where_the_router_tips_is_told():
    """A field of 400 mm: in its middle a base of 150 finds no wood; over one of 60 it rides."""
    rim = shapely.box(0, 0, 500, 500)
    work = done(board(shapely.box(40, 40, 460, 460), rim=rim), "rout", [2], depth="5 mm")
    one = routings_of(job_of(work))[0].by_piece[2]
    assert not one.rides
    assert one.base_mm > 400
    assert shapely.Point(one.tips).distance(shapely.Point(250, 250)) < 120
    assert "rout-tips" in codes(work)
    small = done(board(shapely.box(100, 100, 160, 160)), "rout", [2], depth="5 mm")
    assert routings_of(job_of(small))[0].by_piece[2].rides


@pytest.mark.parametrize(
    ("verb", "values", "words"),
    [
        ("rout", {"depth": "19 mm"}, "goes through"),
        ("rout", {"depth": "40 mm"}, "goes through"),
        ("rout", {"depth": "3 mm", "bit": "spade"}, "end mill"),
        ("rout", {"by_mm": "x"}, "no step"),
        ("rout_tones", {"deepest": "30 mm"}, "goes through"),
        ("rout_tones", {"levels": "1"}, "levels"),
        ("rout_tones", {}, "two colours"),
        ("pool", {"tint": "blue"}, "no colour"),
        ("routed", {}, "already"),
    ],
)
def test_what_cannot_be_routed_is_refused(verb, values, words):
    with pytest.raises((BadChoice, BadLength), match=words):
        done(board(shapely.box(40, 40, 100, 100)), verb, [2] if verb in ("rout", "pool") else [], **values)


def test_a_depth_through_thinner_stock_is_told():
    work = done(board(shapely.box(40, 40, 100, 100)), "rout", [2], depth="6 mm")
    thin = done(work, "layer", [], 1, layer_thickness="5 mm")
    assert "rout-through" in codes(thin)
    assert job_of(thin).thickness_mm[2] > 0
    finding = next(f for f in Plan(thin).every_finding if f.code == "rout-through")
    assert "rout-through" not in codes(done(thin, finding.fix.verb, list(finding.pieces), **finding.fix.values))


@pytest.mark.parametrize("bit", ["v", "ball"])
def test_walls_of_a_groove_are_lit_as_they_lean(bit):
    """The lamp stands at the upper left: of a hollow groove the lower wall catches it, more than the floor that
    an end mill leaves there, and the upper one does not. Wood goes on through all fields."""
    work = board(shapely.box(40, 80, 260, 92))
    hollow, flat = (
        picture(done(work, "rout", [2], depth="6 mm", bit=kind), 600).astype(float).mean(axis=2)
        for kind in (bit, "flat")
    )
    upper, lower = (slice(163, 167), slice(300, 420)), (slice(178, 182), slice(300, 420))
    assert hollow[lower].mean() > 1.15 * hollow[upper].mean()
    assert hollow[lower].mean() > 1.03 * flat[lower].mean()
    assert len({part.to_figure for part in parts_of(work)}) == 1


def test_depths_follow_tones():
    fields = [shapely.box(20 + 50 * n, 40, 60 + 50 * n, 120) for n in range(4)]
    work = board(*fields)
    layer = work.layers[0]
    colours = {2: "#000000", 3: "#555555", 4: "#aaaaaa", 5: "#ffffff", 1: "#ffffff"}
    pieces = tuple(replace(p, colour=colours[p.key]) for p in layer.pieces)
    work = replace(work, layers=(replace(layer, pieces=pieces),))
    dark = done(work, "rout_tones", [], deepest="6 mm", levels="3").decisions.fields.depths
    assert dark[2] == 6.0
    assert 5 not in dark
    assert dark[2] >= dark[3] >= dark.get(4, 0.0)
    light = done(work, "rout_tones", [], deepest="6 mm", levels="2", deep="light").decisions.fields.depths
    assert light[5] == 6.0
    assert 2 not in light


def test_fields_are_pieces_of_their_own_again():
    work = done(board(shapely.box(40, 40, 100, 100)), "rout", [2], depth="6 mm")
    back = done(work, "routed", off="yes")
    assert back.layers[0].kind == "mosaic"
    assert not back.decisions.fields.depths
    with pytest.raises(BadChoice, match="no fields"):
        done(back, "rout", [2], depth="3 mm")
    data = write_project(Project(work, "2026-01-01T00:00:00+00:00"))
    assert read_planned(data).composition.decisions == work.decisions


# -- resin -----------------------------------------------------------------------------------------------------------


def panes(*colours: str, thick: float = 6.0, apart: float = 20.0) -> Composition:
    """A frame with openings of 50 by 100 mm, each filled."""
    holes = [shapely.box(20 + (50 + apart) * n, 20, 70 + (50 + apart) * n, 120) for n in range(len(colours))]
    rim = shapely.box(0, 0, 40 + (50 + apart) * len(colours), 140)
    outlines = [shapely.difference(rim, shapely.union_all(holes)), *holes]
    pieces = (Piece(1, 1, "cherry", 0.0), *(Piece(k + 2, 0, opening=True) for k in range(len(colours))))
    layer = Layer(1, "Frame", "sheet", Coverage(range(1, len(outlines) + 1), outlines), pieces, thick)
    work = Composition("Panes", rim.bounds[2], 140, (layer,), METRIC, last_key=len(outlines))
    for n, colour in enumerate(colours):
        work = done(work, "pool", [n + 2], tint=colour)
    return work


def test_volume_parts_and_colour_worked_by_hand():
    """50 x 100 x 6 mm are 30 ml; a tenth more 33; 5 % colour 1.65; of 31.35 two parts resin 20.9, one of hardener
    10.45."""
    pours = pours_of(job_of(panes("#aa3311")))
    (pool,) = pours.pools
    assert (pool.ml, pool.deep_mm, pool.through, pool.floor) == (pytest.approx(30), 6.0, True, False)
    (batch,) = pours.batches
    assert (batch.ml, batch.colour_ml) == (pytest.approx(33), pytest.approx(1.65))
    assert (batch.resin, batch.hardener, batch.unit) == (pytest.approx(20.9), pytest.approx(10.45), "ml")


def test_by_weight_as_the_label_says():
    """The same 31.35 ml of a mix of 1.1 g/ml weigh 34.485 g: 1 to 1 by weight are 17.24 g each."""
    work = done(panes("#aa3311"), "practice", resin_by="weight", resin_ratio="1")
    (batch,) = pours_of(job_of(work)).batches
    assert (batch.resin, batch.hardener, batch.unit) == (pytest.approx(17.243), pytest.approx(17.243), "g")


def test_colour_is_never_more_than_a_tenth():
    work = done(panes("#aa3311"), "practice", colour_share="0.3")
    (batch,) = pours_of(job_of(work)).batches
    assert batch.colour_ml == pytest.approx(0.1 * batch.ml)


def test_a_warm_shop_halves_the_pot_life_for_each_ten_degrees():
    at = {c: pours_of(job_of(done(panes("#aa3311"), "practice", shop_c=str(c)))) for c in (20, 30, 40)}
    assert [at[c].pot_minutes for c in (20, 30, 40)] == [40, 20, 10]
    assert at[30].cure_minutes == pytest.approx(12 * 60)


def test_cups_are_empty_within_the_pot_life_and_add_up():
    work = done(panes(*["#aa3311"] * 8, thick=6.0), "practice", pot_minutes="10")
    pours = pours_of(job_of(work))
    assert len(pours.batches) > 1
    assert all(batch.minutes <= 0.6 * pours.pot_minutes + 0.6 for batch in pours.batches)
    assert sum(batch.ml for batch in pours.batches) == pytest.approx(8 * 33, rel=1e-6)
    assert pours.by_colour["#aa3311"] == pytest.approx(264, rel=1e-6)


def test_a_deep_pool_is_poured_in_layers():
    pours = pours_of(job_of(panes("#aa3311", thick=20.0)))
    assert pours.pools[0].layers == 4
    assert [batch.layer for batch in pours.batches] == [1, 2, 3, 4]
    steps = [step for step in Plan(panes("#aa3311", thick=20.0)).steps if step.verb == "pour"]
    # each is solid before the next
    assert all(step.wait_minutes == 24 * 60 for step in steps)
    assert all("label" in step.caution for step in steps)


def test_low_rims_before_high_ones_and_light_before_dark():
    pours = pours_of(job_of(panes("#101010", "#f0f0f0")))
    assert [pool.colour for pool in pours.pools] == ["#f0f0f0", "#101010"]
    work = sunk()
    work = done(work, "pool", [2], tint="#ffffff", pool_depth="3 mm")
    job = job_of(work)
    pools = {pool.piece: pool for pool in pours_of(job).pools}
    # the field's island takes none of it; it has a floor of its own
    assert pools[2].ml == pytest.approx((50 * 44 - 400) * 3 / 1000)
    assert (pools[2].floor, pools[2].through) == (True, False)


def test_resin_is_seen_and_weighed():
    """30 ml at 1.1 g a millilitre weigh 33 g, worked by hand."""
    filled = panes("#aa3311")
    bare = done(filled, "pool", [2], off="yes")
    job, pool = job_of(filled), pours_of(job_of(filled)).pools[0]
    more_g = 1000 * (mass_of(job, hung(job)).weight_kg - mass_of(job_of(bare), hung(job_of(bare))).weight_kg)
    assert more_g == pytest.approx(33)
    x, y = shapely.point_on_surface(filled.layers[0].coverage.by_key[pool.piece]).coords[0]
    shown = picture(filled, round(filled.width_mm))[int(y), int(x)].astype(float)
    paint = np.array([0xAA, 0x33, 0x11], float)
    assert np.abs(shown / shown.max() - paint / paint.max()).max() < 0.2
    across = section_of(job, (0.0, y), (filled.width_mm, y))
    assert any(one.part.role == "resin" and one.floor_mm <= 0.01 for one in across.slices)
    head = packed(job)
    told = json.loads(head[8 : 8 + int.from_bytes(head[4:8], "little")])
    assert [(b["wood"], b["piece"]) for b in told["bodies"] if b["role"] == "resin"] == [("#aa3311", pool.piece)]


def test_a_routed_board_weighs_less_and_resin_in_it_more():
    """A field of 50 by 44 mm with an island of 400 mm2, 5 mm deep: 9 ml of cherry gone, as many of resin instead."""
    face, deep = sunk(), done(sunk(), "rout", [2], depth="5 mm")
    level = done(face, "rout", [2], depth="0")
    filled = done(deep, "pool", [2], tint="#2a6f8a")

    def grams(work: Composition) -> float:
        return 1000 * mass_of(job_of(work), hung(job_of(work))).weight_kg

    volume_ml = (50 * 44 - 400) * 5 / 1000
    cherry = job_of(face).composition.rack.shelf["cherry"].density_kg_m3 / 1000
    assert grams(level) - grams(deep) == pytest.approx(volume_ml * cherry)
    assert grams(filled) - grams(deep) == pytest.approx(volume_ml * 1.1)


def test_pools_that_touch_or_nearly_are_told():
    assert "pools-touch" in codes(touching())
    assert "pool-wall" in codes(panes("#aa3311", "#112233", apart=1.5))
    assert "pools-touch" not in codes(panes("#aa3311", "#aa3311", apart=1.5))
    assert "pool-wall" not in codes(panes("#aa3311", "#112233"))


def touching() -> Composition:
    """Two openings side by side with nothing between them."""
    one, other = shapely.box(20, 20, 70, 120), shapely.box(70, 20, 120, 120)
    rim = shapely.difference(shapely.box(0, 0, 140, 140), shapely.union_all([one, other]))
    pieces = (Piece(1, 1, "cherry", 0.0), Piece(2, 0, opening=True), Piece(3, 0, opening=True))
    layer = Layer(1, "Frame", "sheet", Coverage([1, 2, 3], [rim, one, other]), pieces, 6.0)
    work = Composition("Panes", 140, 140, (layer,), METRIC, last_key=3)
    return done(done(work, "pool", [2], tint="#aa3311"), "pool", [3], tint="#112233")


def test_a_pool_needs_a_floor_and_a_sealed_rim():
    work = panes("#aa3311")
    assert "pool-no-floor" in codes(work)
    backed = done(work, "add_layer", [], kind="backer", name="Backer")
    backed = done(backed, "wood", [p.key for p in backed.layers[0].pieces], wood="cherry")
    assert "pool-no-floor" not in codes(backed)
    assert "pool-leaks" in codes(backed)
    sealed = done(backed, "seal", [1])
    assert "pool-leaks" not in codes(sealed)
    assert not done(sealed, "pool", [2], off="yes").decisions.fields.pools
    filled = done(sealed, "fill", [2])
    # an opening that is filled with wood holds no resin
    assert pours_of(job_of(filled)) is None


def test_a_gap_beside_a_pool_leaks():
    one, other = shapely.box(0, 0, 40, 60), shapely.box(40, 0, 80, 60)
    hole = shapely.box(50, 10, 70, 30)
    outlines = [one, shapely.difference(other, hole), hole]
    pieces = (Piece(1, 1, "cherry", 0.0, 6.0), Piece(2, 2, "walnut", 0.0, 6.0), Piece(3, 0, opening=True))
    layer = Layer(1, "Picture", "mosaic", Coverage([1, 2, 3], outlines), pieces)
    work = done(Composition("Two", 80, 60, (layer,), METRIC, last_key=3), "pool", [3], tint="#2a6f8a")
    assert "pool-gap" not in codes(work)
    assert "pool-gap" in codes(done(work, "fit", [1, 2], found="gap", mm="0.3 mm"))


def test_what_stands_in_a_pool_is_set_first_and_takes_its_room():
    work = panes("#aa3311")
    fish = shapely.box(35, 40, 55, 80)
    coverage = Coverage([50], [fish])
    layer = Layer(2, "Fish", "overlay", coverage, (Piece(50, 9, "walnut", 0.0, 6.0),))
    work = replace(work, layers=(*work.layers, layer), last_key=50)
    (pool,) = pours_of(job_of(work)).pools
    assert pool.floaters == (50,)
    assert pool.ml == pytest.approx((5000 - 800) * 6 / 1000)
    seal = next(step for step in Plan(work).steps if step.verb == "seal")
    assert any("first: 9" in line for line in seal.lines)


# -- a figure in its ground ------------------------------------------------------------------------------------------


def test_a_figure_lies_in_its_ground():
    figure = [shapely.box(0, 0, 30, 40), shapely.box(30, 0, 60, 40)]
    pieces = (Piece(1, 1, "cherry", 0.0, 6.0), Piece(2, 2, "walnut", 0.0, 6.0))
    layer = Layer(1, "Figure", "mosaic", Coverage([1, 2], figure), pieces)
    work = Composition("Figure", 60, 40, (layer,), METRIC, last_key=2)
    assert grounds_of(job_of(work), 0.5) == []
    work = done(work, "background", [], margin="20 mm", outline="rectangle")
    ground = next(p for p in work.made if p.part == "background")
    work = done(work, "wood", [ground.key], wood="holly")
    (one,) = grounds_of(job_of(work), 0.5)
    assert one.figure == (1, 2)
    assert one.border_mm == pytest.approx(200)
    assert one.gap_mm == pytest.approx(work.practice.joint_mm(0.5))
    step = next(step for step in Plan(work).steps if step.key.startswith("foundation"))
    assert any("locator" in line or "shows where" in line for line in step.lines)


def test_the_house_number_from_the_command(tmp_path, capsys):
    drawn = solids.house_number()
    (tmp_path / "number.svg").write_text(drawn_svg(drawn), encoding="utf-8")
    assert main(["pieces", str(tmp_path / "number.svg"), "--percent", "100"]) == 0
    found = json.loads(capsys.readouterr().out)["pieces"]
    sunk_piece = max(found, key=lambda p: p["area_mm2"])["number"]
    (tmp_path / "depths.json").write_text(json.dumps([{"piece": sunk_piece, "depth": "5mm"}]), encoding="utf-8")
    out = tmp_path / "number.ember"
    make = ["make", str(tmp_path / "number.svg"), "--percent", "100", "--thickness", "19mm", "--woods", "cherry"]
    assert main([*make, "--depths", str(tmp_path / "depths.json"), "-o", str(out)]) == 0
    assert main(["plan", str(out)]) == 0
    told = json.loads(capsys.readouterr().out)
    (field,) = told["fields"][0]["fields"]
    assert (field["number"], field["depth_mm"]) == (sunk_piece, 5.0)
    assert len(field["islands"]) == 2
    assert told["pours"] is None
    (tmp_path / "bad.json").write_text('[{"piece": 99, "depth": "5mm"}]', encoding="utf-8")
    assert main([*make, "--depths", str(tmp_path / "bad.json"), "-o", str(out)]) == 2
    assert "99" in capsys.readouterr().err
    (tmp_path / "bad.json").write_text('{"piece": 1}', encoding="utf-8")
    assert main([*make, "--depths", str(tmp_path / "bad.json"), "-o", str(out)]) == 2


def test_the_lantern_from_the_command(tmp_path, capsys):
    lantern = composition_of(solids.pane_lantern(), "Lantern", METRIC)
    assert len(lantern.layers[0].openings) == 4
    (tmp_path / "lantern.svg").write_text(drawn_svg(solids.pane_lantern()), encoding="utf-8")
    assert main(["pieces", str(tmp_path / "lantern.svg"), "--percent", "100"]) == 0
    found = json.loads(capsys.readouterr().out)["pieces"]
    rows = [{"piece": p["number"], "colour": "#2a6f8a"} for p in found if p["area_mm2"] < 3000]
    assert len(rows) == 4
    (tmp_path / "pools.json").write_text(json.dumps(rows), encoding="utf-8")
    out = tmp_path / "lantern.ember"
    make = ["make", str(tmp_path / "lantern.svg"), "--percent", "100", "--thickness", "6mm", "--woods", "cherry"]
    assert main([*make, "--pools", str(tmp_path / "pools.json"), "-o", str(out)]) == 0
    assert main(["plan", str(out)]) == 0
    told = json.loads(capsys.readouterr().out)["pours"]
    area = sum(p["area_mm2"] for p in found if p["area_mm2"] < 3000)
    assert told["by_colour_ml"]["#2a6f8a"] == pytest.approx(area * 6 / 1000 * 1.1, rel=1e-3)
