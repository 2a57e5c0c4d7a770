"""Fit and glue: the tree, the order, what is glued when, clamps, air, drafts. Connectedness and waits are looked at
with networkx on what the command line prints, areas with Shapely, insertion by a sweep along the normal."""

import math
from collections import Counter
from dataclasses import replace

import networkx as nx
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.assembly.clamping import hold_of
from emberquilt.assembly.dryfit import advice_for, fit_order
from emberquilt.assembly.insertion import insertions_of
from emberquilt.assembly.knots import knots_of
from emberquilt.assembly.placing import anchor_of, placing_order, rounds_of
from emberquilt.assembly.squeeze import squeezed_out
from emberquilt.assembly.supplies import finish_of, glue_of
from emberquilt.assembly.trimming import trim_of
from emberquilt.drawing.lifted import lifted
from emberquilt.errors import BadChoice, EmberError
from emberquilt.formats.plan_json import plan_json
from emberquilt.formats.project import Project, read_project, write_project
from emberquilt.outline.coverage import Coverage
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.work.fitted import found_at
from emberquilt.work.parts import job_of
from tests.conftest import cells, composition, edited, findings_of, grid
from tests.core.test_parts import layer, stacks, work_of

PLATE = shapely.box(0, 0, 300, 400)


def ring_with_island(practice: Practice | None = None):
    """A disc in a square frame of four pieces, and the disc's own middle: whatever comes last is closed in."""
    middle = shapely.Point(60, 60)
    disc, eye = middle.buffer(30), middle.buffer(10)
    quarters = [shapely.box(x, y, x + 60, y + 60).difference(disc) for x in (0, 60) for y in (0, 60)]
    outlines = [*quarters, disc.difference(eye), eye]
    rounded = [shapely.set_precision(one, 0.001) for one in outlines]
    return composition(Coverage(range(1, 7), rounded), practice=practice)


# order


@settings(max_examples=40)
@given(st.integers(2, 120), st.integers(0, 999), st.sampled_from(["outer", "middle"]))
def test_no_piece_is_dropped_into_a_closed_gap_where_there_is_another_way(count, seed, school):
    """Cells of a sheet have no islands: an order that closes none in exists from every anchor (discs in the plane can
    be shelled from any of them), and what is down stays one piece without holes. Looked at with Shapely's unions."""
    coverage = cells(count, seed)
    order = placing_order(coverage, anchor_of(coverage, school))
    assert [placed.key for placed in order if placed.closed or placed.closes] == []
    assert sorted(placed.key for placed in order) == sorted(coverage.keys)
    down = shapely.Polygon()
    for placed in order[:: max(1, count // 12)]:
        before = [p.key for p in order[: order.index(placed) + 1]]
        down = shapely.union_all([coverage.by_key[key] for key in before])
        assert down.geom_type == "Polygon"
        assert not [hole for hole in down.interiors if shapely.Polygon(hole).area > 0.01]


def test_an_island_is_known_to_be_closed_in():
    work = ring_with_island()
    coverage = work.layers[0].coverage
    assert rounds_of(coverage)[5].islands == (6,)
    order = placing_order(coverage, 1)
    last = order[-1]
    assert (last.key, last.closed) in ((6, True), (5, True))
    assert not any(placed.closed for placed in order[:-2])


# what the command line tells, looked at from outside


def told(work) -> dict:
    return plan_json(Plan(work))


def every_node(tree: dict):
    for inner in tree["inside"]:
        yield from every_node(inner)
    yield tree


def check_assembly(work) -> None:
    """Each step's assembly hangs together, every contact that is to be glued is glued once, nothing is glued to what is
    not dry, and every part of a copy is in exactly one assembly."""
    plan = told(work)
    nodes = {node["key"]: node for node in every_node(plan["assembly"])}
    parts = {p["id"] for p in plan["parts"] if p["copy"] == 1}
    assert Counter(key for node in nodes.values() for key in node["parts"]) == Counter(parts)
    glued = Counter((b["a"], b["b"], b["kind"]) for step in plan["glue"] for b in step["bonds"])
    assert glued == Counter(to_glue(plan, nodes, work.practice))
    hangs_together(plan, nodes, parts)
    nothing_wet(plan, nodes)


def to_glue(plan: dict, nodes: dict, practice: Practice):
    """What is glued: faces and joints over the practice's least area; seams within a bundle, or of what lies on
    nothing."""
    one = [c for c in plan["contacts"] if "/" not in c["a"]]
    faces = [c for c in one if c["kind"] != "edge" and c["area_mm2"] >= practice.least_glue_mm2]
    lies = {c["b"] for c in faces if c["kind"] == "face"}
    bundle = {key: node["key"] for node in nodes.values() if node["apart"] for key in node["parts"]}
    for c in one:
        bound = bundle.get(c["a"], 1) == bundle.get(c["b"], 2) or practice.glue_seams == "seams"
        if c["kind"] == "edge" and c["length_mm"] >= 3.0 and (bound or not {c["a"], c["b"]} <= lies):
            yield c["a"], c["b"], c["kind"]
    yield from ((c["a"], c["b"], c["kind"]) for c in faces)


def hangs_together(plan: dict, nodes: dict, parts: set) -> None:
    """After each step what is together hangs together, and only what lies on one bench is glued to each other."""
    flagged = [f for f in plan["findings"] if f["code"] in ("off-backer", "held-by-nothing")]
    graphs: dict[str, nx.Graph] = {}
    where: dict[str, str] = {}
    for step in plan["glue"]:
        node = nodes[step["assembly"]]
        home = node["key"] if node["apart"] else "work"
        graph = graphs.setdefault(home, nx.Graph())
        brings = [*step["under"], *([step["part"]] if step["part"] else [])]
        if step["whole"]:
            graph.update(graphs[step["whole"]])
            brings += [key for inner in every_node(nodes[step["whole"]]) for key in inner["parts"]]
        here = set(graph) - set(brings)
        graph.add_nodes_from(brings)
        graph.add_edges_from((b["a"], b["b"]) for b in step["bonds"])
        assert {where.get(b[x], home) for b in step["bonds"] for x in "ab"} <= {home, step["whole"] or home, "work"}
        where |= dict.fromkeys(brings, home)
        alone = flagged or not (step["part"] or step["whole"]) or node["key"] in ("frame", "work")
        if here and not alone and sum(key.startswith("backer") for key in parts) < 2:
            assert here & nx.node_connected_component(graph, brings[-1])


def nothing_wet(plan: dict, nodes: dict) -> None:
    """What lies there was glued in a step that the next one waits for, as long as its clamps are on."""
    waits = nx.DiGraph([(before, s["key"]) for s in plan["steps"] for before in s["after"]])
    known = {s["key"]: s for s in plan["steps"]}
    waits.add_nodes_from(known)
    batches = [(node, batch) for node in nodes.values() for batch in node["batches"] if batch["step"] in known]
    step_of = {key: batch["step"] for _, batch in batches for key in batch["parts"]}
    for node, batch in batches:
        rows = [s for s in plan["glue"] if s["assembly"] == node["key"] and s["batch"] == batch["number"]]
        lie = {b[x] for row in rows for b in row["bonds"] for x in "ab"} - set(batch["parts"])
        for key in lie:
            assert step_of.get(key) is None or nx.has_path(waits, step_of[key], batch["step"])
        if batch["clamp_minutes"] > 2:
            assert known[batch["step"]]["wait_minutes"] == pytest.approx(batch["clamp_minutes"])


@settings(max_examples=20)
@given(
    st.integers(2, 40), st.integers(0, 99), st.sampled_from(["outer", "middle", "parts"]), st.sampled_from([0.0, 3.0])
)
def test_mosaics_hang_together(count, seed, school, shim):
    work = composition(cells(count, seed), practice=Practice(anchor=school), shim_mm=shim)
    if count > 6:
        work = edited(work, "part", [1, 2, 3, 4], part="the pear")
    check_assembly(work)


@settings(max_examples=25)
@given(stacks(), st.sampled_from(["faces", "seams"]))
def test_stacks_hang_together(work, seams):
    check_assembly(replace(work, practice=replace(work.practice, glue_seams=seams)))


def test_bundles_and_bevels_hang_together():
    work = composition(grid(4, 4))
    tied = edited(edited(work, "bundle", [1, 2, 5]), "bundle", [11, 12])
    check_assembly(tied)
    nodes = {node["key"]: node for node in every_node(told(tied)["assembly"])}
    assert nodes["bundle-1"]["parts"] == ["1", "2", "5"]
    # put together by themselves, edge to edge, and then on the backer as one
    steps = [s for s in told(tied)["glue"] if s["assembly"] == "bundle-1" or s["whole"] == "bundle-1"]
    assert [(s["part"], s["whole"]) for s in steps][-1] == ("", "bundle-1")
    assert {b["kind"] for s in steps[:-1] for b in s["bonds"]} == {"edge"}
    assert {(b["a"], b["kind"]) for b in steps[-1]["bonds"]} == {("backer", "face")}
    loose = edited(tied, "untie", [1])
    assert [n["key"] for n in every_node(told(loose)["assembly"]) if n["apart"]] == ["bundle-11"]
    with pytest.raises(BadChoice, match="two pieces or more"):
        edited(work, "bundle", [1])
    # what jams in another piece goes in while both sides can be reached
    island = edited(ring_with_island(), "bevel", [6], rise="3 mm")
    check_assembly(island)
    bundle = next(n for n in every_node(told(island)["assembly"]) if n["apart"])
    assert set(bundle["parts"]) >= {"5", "6"}
    assert "pressed in from below" in bundle["why"]
    # it jams there, and is no part that would not go in
    assert not [f for f in findings_of(island, "assembly") if f.code == "closed-in" and 6 in f.pieces]


def test_frames_and_bases_are_glued_by_their_joints():
    work = edited(composition(grid(3, 3)), "rails", material="cherry", width_mm="20 mm", thickness_mm="12 mm")
    check_assembly(work)
    frame = next(node for node in every_node(told(work)["assembly"]) if node["key"] == "frame")
    assert len(frame["parts"]) == 4
    assert sum(len(s["bonds"]) for s in told(work)["glue"] if s["assembly"] == "frame") == 4


# amounts and areas


@settings(max_examples=15)
@given(stacks())
def test_areas_and_amounts_are_those_of_shapely(work):
    plan = told(work)
    outlines = {
        p["id"]: shapely.union_all([shapely.Polygon(r[0], r[1:]) for r in bodies_of(p["rings"])]) for p in plan["parts"]
    }
    for step in plan["glue"]:
        for b in step["bonds"]:
            if b["kind"] == "face":
                area = outlines[b["a"]].intersection(outlines[b["b"]]).area
                assert b["area_mm2"] == pytest.approx(area, rel=2e-3, abs=0.5)
        assert step["area_mm2"] == pytest.approx(sum(b["area_mm2"] for b in step["bonds"]))
    for node in every_node(plan["assembly"]):
        for batch in node["batches"]:
            # 180 ml of wood glue to a square metre: common practice, no source
            assert batch["ml"] == pytest.approx(batch["area_mm2"] * 180 / 1e6)
    for coat in plan["finishes"]:
        assert coat["ml"] == pytest.approx(
            finish_of(coat["kind"], work.practice).ml_per_m2 * coat["area_mm2"] * coat["coats"] / 1e6
        )


def bodies_of(rings: list) -> list[list]:
    """Rings as outlines with their holes, told by which lies in which."""
    shapes = [shapely.Polygon(ring) for ring in rings]
    bodies: list[list] = []
    for ring, shape in zip(rings, shapes, strict=True):
        if bodies and shapely.Polygon(bodies[-1][0]).contains(shape.representative_point()):
            bodies[-1].append(ring)
        else:
            bodies.append([ring])
    return bodies


def test_glue_is_seen_where_an_edge_lies_on_a_face_that_shows():
    """A badge of 60 by 40 in the middle of a plate: 200 mm of edge; a strip that ends with it on three sides: 400."""
    badge, strip = shapely.box(100, 100, 160, 140), shapely.box(0, 0, 60, 400)
    for upper, edge in ((badge, 200.0), (strip, 400.0)):
        plan = Plan(work_of(layer(1, PLATE, thickness_mm=6.0), layer(2, upper, kind="overlay")))
        assert squeezed_out(plan.job, plan.glue.batches[-1]) == {"100": pytest.approx(edge, abs=1.5)}
    covered = work_of(layer(1, PLATE, thickness_mm=6.0), layer(2, PLATE, kind="overlay"))
    assert squeezed_out(job_of(covered), Plan(covered).glue.batches[-1]) == {}


# going in


@settings(max_examples=40)
@given(st.sampled_from([0.0, 0.15, 0.55]), st.floats(0, 6))
def test_what_goes_in_is_what_a_sweep_along_the_normal_lets_through(gap, draft):
    """The island is lifted 24 mm and let down in steps of a tenth; at each its sections must lie in the opening's."""
    work = ring_with_island(Practice(unit="mm", fit="gap", gap_mm=gap, drop_mm=0.0))
    closed = placing_order(work.layers[0].coverage, anchor_of(work.layers[0].coverage, "outer"))[-1].key
    if draft:
        work = edited(work, "draft", [closed], deg=f"{draft:.3f}")
    plan = Plan(work)
    (one,) = [i for i in insertions_of(plan.job, plan.glue) if i.piece == closed]
    outline, thick = work.layers[0].coverage.by_key[closed], plan.job.thickness_mm[closed]
    opening = outline.buffer(gap / 2)
    free = True
    for lift in range(0, 240, 7):
        for level in range(0, 11):
            height = thick * level / 10
            if height + lift / 10 > thick:
                continue
            section = outline.buffer(-gap / 2 - (thick - height) * math.tan(math.radians(draft)))
            free &= section.difference(opening).area < 1e-6
    assert one.goes == free


def test_a_part_that_is_tight_all_round_never_goes_in():
    work = ring_with_island()
    (finding,) = [f for f in findings_of(work, "assembly") if f.code == "closed-in"]
    assert "no room" in finding.sentence
    key = finding.pieces[0]
    eased = edited(work, "draft", [key], deg="2")
    assert not [f for f in findings_of(eased, "assembly") if f.code == "closed-in"]
    other = 5 if key == 6 else 6
    tight = edited(eased, "fit", [5, 6], found="tight", mm="0.3 mm")
    (finding,) = [f for f in findings_of(tight, "assembly") if f.code == "closed-in"]
    assert "cannot go in" in finding.sentence
    assert str(other) in finding.sentence
    assert finding.fix is None


# glue, air, clamps


def test_warm_and_damp_air_change_the_times():
    """Twice as fast for each 10 degrees: common practice, no source. Yellow wood glue at 20: 8 min, 45 clamped."""
    for celsius, opens, clamps in ((10, 16, 90), (20, 8, 45), (30, 4, 22.5)):
        glue = glue_of("wood", Practice(shop_c=celsius))
        assert (glue.open_minutes, glue.clamp_minutes) == (pytest.approx(opens), pytest.approx(clamps))
    # gel polyurethane: 6 h between coats, 30 % longer at 80 % humidity
    assert finish_of("gel", Practice(shop_humid=80)).recoat_minutes == pytest.approx(360 * 1.3)
    assert glue_of("ca", Practice(shop_humid=80)).clamp_minutes == pytest.approx(1 / 1.3, abs=1e-4)
    # warmer, and more go down in a batch
    assert Plan(composition(grid(7, 7), practice=Practice(shop_c=10))).glue.per_batch == 21


def test_frost_is_said():
    work = composition(grid(2, 2), practice=Practice(shop_c=-5, unit="mm"))
    (finding,) = [f for f in findings_of(work, "assembly") if f.code == "too-cold"]
    assert "At -5 °C" in finding.sentence
    assert told(work)["assembly"]["inside"]
    warm = edited(work, finding.fix.verb, **finding.fix.values)
    assert not [f for f in findings_of(warm, "assembly") if f.code == "too-cold"]


def test_an_open_time_shorter_than_one_part_is_said():
    work = composition(grid(3, 3), practice=Practice(glue="quick", seconds_per_piece=600))
    (finding,) = [f for f in findings_of(work, "assembly") if f.code == "open-too-short"]
    assert finding.amount == 10
    assert finding.limit == 4
    assert all(len(b["parts"]) == 1 for n in every_node(told(work)["assembly"]) for b in n["batches"])
    large = work_of(layer(1, PLATE, thickness_mm=6.0), layer(2, PLATE, thickness_mm=6.0), practice=Practice(glue="ca"))
    assert any(f.code == "open-too-short" for f in findings_of(large, "assembly"))


def test_clamps_of_a_sheet_by_a_worked_example():
    """300 by 400 mm: 1,400 mm of edge at 150 mm make ten clamps; their jaws reach 50 mm, and the middle, 300 mm long,
    wants two cauls with two screw clamps each."""
    practice = Practice(unit="mm", spring_clamps=7, screw_clamps=9, cauls=3)
    work = work_of(layer(1, PLATE, thickness_mm=6.0), layer(2, PLATE, thickness_mm=6.0), practice=practice)
    plan = Plan(work)
    hold = hold_of(plan.job, plan.glue, plan.glue.batches[-1])
    assert (hold.how, hold.wanted, len(hold.cauls), hold.missing) == ("clamps", 10, 2, 0)
    assert (hold.count("spring"), hold.count("screw")) == (7, 3 + 4)
    edge = PLATE.exterior
    assert all(edge.distance(shapely.Point(c.x_mm, c.y_mm)) < 0.01 for c in hold.clamps)
    # each jaw points inwards
    for clamp in hold.clamps:
        turn = math.radians(clamp.heading_deg)
        assert PLATE.contains(shapely.Point(clamp.x_mm + 5 * math.cos(turn), clamp.y_mm + 5 * math.sin(turn)))
    few = replace(work, practice=replace(practice, spring_clamps=2, screw_clamps=0, weights=0, sand_bags=0))
    (finding,) = [f for f in findings_of(few, "assembly") if f.code == "few-clamps"]
    # ten clamps and two cauls, of which there are two and none
    assert (finding.amount, finding.limit) == (2, 12)
    assert "10 clamps along the edge; you have 2" in finding.sentence
    bare = replace(practice, spring_clamps=0, screw_clamps=0, weights=0, sand_bags=0)
    (finding,) = [f for f in findings_of(replace(work, practice=bare), "assembly") if f.code == "no-clamps"]
    assert "no clamps, no weights and no sand bag" in finding.sentence
    # 300 by 400 under a board: six weights, one for each 200 cm2; two are not enough, and it is said
    heavy = replace(practice, spring_clamps=0, screw_clamps=0, sand_bags=0, weights=2)
    (finding,) = [f for f in findings_of(replace(work, practice=heavy), "assembly") if f.code == "few-weights"]
    assert (finding.amount, finding.limit) == (2, 6)
    assert "6 weights of 5 kg; you have 2" in finding.sentence
    chosen = edited(work, "hold", [200], hold="weights")
    assert hold_of(job_of(chosen), Plan(chosen).glue, Plan(chosen).glue.batches[-1]).weights == 2


def test_uneven_heights_get_a_sand_bag_and_tiny_parts_their_own_weight():
    work = composition(grid(3, 1))
    work = edited(work, "thickness", [2], mm="12.7")
    plan = Plan(work)
    assert hold_of(plan.job, plan.glue, plan.glue.batches[0]).how == "bag"
    tiny = work_of(layer(1, PLATE, thickness_mm=6.0), layer(2, shapely.box(10, 10, 15, 15), kind="overlay"))
    plan = Plan(tiny)
    assert hold_of(plan.job, plan.glue, plan.glue.batches[-1]).how == "gravity"


def test_small_parts_can_have_a_glue_of_their_own():
    coverage = Coverage([1, 2, 3], [shapely.box(0, 0, 60, 60), shapely.box(60, 0, 64, 60), shapely.box(64, 0, 120, 60)])
    work = composition(coverage, practice=Practice(glue_small="ca"))
    plan = Plan(work)
    assert {s.part: s.glue for s in plan.glue.steps} == {"1": "wood", "2": "ca", "3": "wood"}
    # what is held by hand goes down within the others' batch
    assert len(plan.glue.batches) == 1
    own = edited(work, "glue_with", [3], glue="epoxy")
    assert len(Plan(own).glue.batches) == 2
    with pytest.raises(BadChoice, match="no glue"):
        edited(work, "glue_with", [3], glue="honey")


# the dry fit


@settings(max_examples=25)
@given(st.integers(2, 60), st.integers(0, 999))
def test_the_dry_fit_goes_over_every_seam_once_and_knows_what_closes(count, seed):
    work = composition(cells(count, seed))
    plan = Plan(work)
    order = fit_order(plan.job, plan.glue)
    assert sorted(seam.pair for seam in order) == [(s.a, s.b) for s in work.layers[0].coverage.seams]
    graph = nx.Graph()
    lying: set[int] = set()
    for seam in order:
        known = seam.laid in graph and seam.lies in graph and nx.has_path(graph, seam.laid, seam.lies)
        assert seam.closes == known
        assert not lying or seam.lies in lying
        graph.add_edge(seam.laid, seam.lies)
        lying |= {seam.laid, seam.lies}


def test_what_to_sand_is_what_takes_nothing_from_a_seam_that_fits():
    """Three in a row above one: 13 fits 9, and is tight against 14. Sanding 13 would open its corner with 9."""
    wide = shapely.Polygon([(0, 40), (40, 40), (80, 40), (80, 80), (0, 80)])
    outlines = [wide, shapely.box(0, 0, 40, 40), shapely.box(40, 0, 80, 40)]
    work = composition(Coverage([9, 13, 14], outlines), practice=Practice(unit="mm"))
    work = edited(edited(work, "anchor", [9]), "fit", [9, 13], found="ok")
    work = edited(work, "fit", [13, 14], found="tight", mm="0.4 mm")
    plan = Plan(work)
    advice = advice_for(plan.job, plan.glue, found_at(plan.composition, 13, 14))
    assert (advice.sand, advice.spare, advice.mm, advice.side) == (14, 13, 0.4, "left")
    assert advice.words == "Sand 14 on its left by 0.4 mm"
    assert advice.reason == "not 13: 13 also meets 9 there"
    assert any("14 against 9 again" in line for line in advice.chain)
    (finding,) = [f for f in findings_of(work, "assembly") if f.code == "fit-tight"]
    done = edited(
        work,
        finding.fix.verb,
        finding.fix.values["pieces"],
        **{k: v for k, v in finding.fix.values.items() if k != "pieces"},
    )
    fit = found_at(done, 13, 14)
    assert (fit.found, fit.sanded, fit.off_mm) == ("ok", 14, 0.4)
    assert not [f for f in findings_of(done, "assembly") if f.code == "fit-tight"]
    # once more at the same seam adds up
    again = edited(done, "fit", [13, 14], found="tight", mm="0.1 mm")
    again = edited(again, "sanded", [13, 14], sand="14", mm="0.1 mm")
    assert found_at(again, 13, 14).off_mm == pytest.approx(0.5)
    for verb, keys, values in (
        ("fit", [9], {"found": "ok"}),
        ("fit", [9, 13], {"found": "perhaps"}),
        ("fit", [9, 13], {"found": "gap", "mm": "a hair"}),
        ("sanded", [13, 14], {"sand": "9"}),
        ("fit", [9, 13], {"found": "ok", "copy": "2"}),
    ):
        with pytest.raises(EmberError):
            edited(work, verb, keys, **values)


def test_a_gap_is_closed_by_what_shows_least():
    work = composition(grid(3, 1), practice=Practice(unit="mm"))
    small = edited(work, "fit", [1, 2], found="gap", mm="0.2 mm")
    wide = edited(work, "fit", [1, 2], found="gap", mm="0.8 mm")
    plan = Plan(small)
    assert advice_for(plan.job, plan.glue, found_at(plan.composition, 1, 2)).words == "Leave it"
    plan = Plan(wide)
    advice = advice_for(plan.job, plan.glue, found_at(plan.composition, 1, 2))
    assert advice.words.startswith(("Push", "Make"))
    # where something lies over the seam sawdust and glue will do
    hidden = work_of(
        layer(1, shapely.box(0, 0, 40, 40), shapely.box(40, 0, 80, 40), kind="mosaic"),
        layer(2, shapely.box(20, -5, 60, 45), kind="overlay"),
    )
    hidden = edited(hidden, "fit", [100, 101], found="gap", mm="0.8 mm")
    plan = Plan(hidden)
    assert "sawdust" in advice_for(plan.job, plan.glue, found_at(plan.composition, 100, 101)).words


def test_what_was_sanded_is_known_to_backer_and_shims():
    work = composition(grid(4, 1, 60.0), practice=Practice(unit="mm"), shim_mm=3.0)
    before = job_of(work)
    off = work
    for a in (1, 2, 3):
        off = edited(off, "sanded", [a, a + 1], sand=str(a), mm="2 mm")
    after = job_of(off)
    wide = [job.grounds[0].outline.bounds[2] - job.grounds[0].outline.bounds[0] for job in (before, after)]
    # three joints of 2 mm in a row
    assert wide[0] - wide[1] == pytest.approx(6.0, abs=0.2)
    assert sum(s.area_mm2 for s in after.shims) < sum(s.area_mm2 for s in before.shims)


# trimming, and the drawing


def test_sheets_are_trimmed_at_their_whole_thickness():
    layers = [layer(i, PLATE, thickness_mm=6.0, trim_flush=True) for i in (1, 2, 3)]
    trim = trim_of(job_of(work_of(*layers)))
    assert (trim.thickness_mm, trim.length_mm) == (18.0, pytest.approx(1400))
    assert trim.blade.no in ("5", "7")
    small = work_of(*layers, practice=Practice(throat_mm=200))
    assert trim_of(job_of(small)).sweep.hits
    assert trim_of(job_of(work_of(layer(1, PLATE), layer(2, PLATE)))) is None


@settings(max_examples=20)
@given(stacks())
def test_every_knot_can_be_drawn(work):
    plan = Plan(work)
    knots = knots_of(plan.steps, plan.glue)
    for knot in (None, *knots):
        drawn = lifted(plan, knot, knots)
        shown = [p["key"] for leaf in drawn["leaves"] for p in leaf["parts"]]
        assert sorted(shown) == sorted(part.key for part in plan.job.of_one)


def test_what_was_decided_travels_with_the_project_file_and_follows_edits():
    work = composition(grid(3, 3))
    for verb, keys, values in (
        ("bundle", [1, 2], {}),
        ("glue_with", [3], {"glue": "epoxy"}),
        ("hold", [4], {"hold": "weights"}),
        ("draft", [5], {"deg": "2.5"}),
        ("mask", [6], {"off": "yes"}),
        ("seal", [7], {}),
        ("sanded", [8, 9], {"sand": "9", "mm": "0.3 mm"}),
        ("fit", [4, 5], {"found": "gap", "mm": "0.4 mm"}),
        ("fit", [1, 4], {"found": "ok"}),
        ("fit", [1, 2], {"found": "ok"}),
    ):
        work = edited(work, verb, keys, **values)
    back = read_project(write_project(Project(work, "2026-11-25T10:00:00"))).composition
    assert back.decisions.assembly == work.decisions.assembly
    assert work.decisions.assembly.right == {1: "1:2,4"}
    # joined with its neighbour, a piece hands on what was said of it; a seam that is gone is forgotten, and said
    joined = edited(work, "join", [5, 6])
    decided = joined.decisions.assembly
    assert {fit.found for fit in decided.fits} == {"ok"} or decided.fits[-1].b in joined.by_key
    assert set(decided.unmasked) <= set(joined.by_key)
    assert edited(work, "mask", [6]).decisions.assembly.unmasked == ()


def test_a_frame_round_nothing_can_be_shown():
    """All pieces of the only layer are cut away, the frame stays."""
    work = edited(composition(grid(2, 1)), "rails", material="cherry")
    picture = work.layers[0]
    gone = replace(picture, pieces=tuple(replace(p, opening=True) for p in picture.pieces))
    plan = Plan(replace(work, layers=(gone,)))
    knots = knots_of(plan.steps, plan.glue)
    assert lifted(plan, None, knots)["leaves"] == []
    assert plan.findings("assembly") == []
    assert {s["part"] for s in plan_json(plan)["glue"]} == {"rail-1", "rail-2", "rail-3", "rail-4"}
