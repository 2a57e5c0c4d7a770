"""The work as parts: where each lies, how thick it is, what meets what, what is seen; against Shapely by another
way."""

import math
from dataclasses import replace

import networkx
import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.outline.coverage import Coverage
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.rack.boards import Board
from emberquilt.stock.need import needs_of
from emberquilt.stock.parts_list import parts_list
from emberquilt.work.composition import Composition, Layer, Piece
from emberquilt.work.contacts import contacts_of
from emberquilt.work.on_boards import on_boards
from emberquilt.work.parts import job_of
from tests.conftest import cells, composition, edited, findings_of, grid
from tests.walks import small_work

PLATE = shapely.box(0, 0, 120, 120)


def layer(key: int, *outlines, kind: str = "sheet", wood: str = "cherry", **more) -> Layer:
    """A layer of these pieces; their keys begin at a hundred times the layer's."""
    keys = range(100 * key, 100 * key + len(outlines))
    pieces = tuple(Piece(k, k, wood, 0.0) for k in keys)
    return Layer(key, f"Layer {key}", kind, Coverage(keys, list(outlines)), pieces, **more)


def work_of(*layers: Layer, practice: Practice | None = None) -> Composition:
    box = shapely.total_bounds([o for one in layers for o in one.coverage.outlines])
    return Composition("A test", box[2], box[3], layers, practice or Practice())


@st.composite
def stacks(draw) -> Composition:
    """Two to four sheets of discs and boxes with holes, of several thicknesses, some on shims."""
    layers = []
    for key in range(1, draw(st.integers(2, 4)) + 1):
        outlines = []
        for i in range(draw(st.integers(1, 3))):
            x, y = 150 * i + draw(st.integers(0, 40)), draw(st.integers(0, 60))
            size = draw(st.integers(40, 100))
            shape = shapely.box(x, y, x + size, y + size)
            if draw(st.booleans()):
                shape = shape.difference(shapely.Point(x + size / 2, y + size / 2).buffer(size / 4, quad_segs=4))
            outlines.append(shape)
        thick = draw(st.sampled_from([3.0, 6.0, 6.35]))
        made = layer(key, *outlines, kind=draw(st.sampled_from(["sheet", "overlay"])), thickness_mm=thick)
        shim = draw(st.sampled_from([0.0, 0.0, 2.0]))
        layers.append(replace(made, pieces=tuple(replace(p, shim_mm=shim) for p in made.pieces)))
    return work_of(*layers)


@settings(max_examples=40)
@given(stacks())
def test_what_lies_on_what_is_what_shapely_says(work):
    """Independent route: a loop over all pairs of parts, heights by the highest top below, areas by plain
    intersection."""
    job = job_of(work)
    parts = list(job.of_one)
    touching = {(c.a, c.b): c.area_mm2 for c in contacts_of(job) if c.kind == "face"}
    expected = {}
    for above in parts:
        for below in parts:
            if above is below or abs(above.floor_mm - below.top_mm) > 1e-6:
                continue
            shared = above.outline.intersection(below.outline).area
            if shared > 1.0:
                expected[below.key, above.key] = shared
    assert touching.keys() == expected.keys()
    for pair, area in expected.items():
        assert touching[pair] == pytest.approx(area, rel=1e-9)
    for part in job.pieces.values():
        under = [
            other.top_mm
            for other in job.pieces.values()
            if other.id.layer < part.id.layer and other.outline.intersection(part.outline).area > 1.0
        ]
        shim = work.by_key[part.id.piece].shim_mm
        assert part.floor_mm == pytest.approx(max([job.ground_mm, *under]) + shim)
        # nothing is in two places at once
        for other in job.pieces.values():
            if other is not part and other.outline.intersection(part.outline).area > 1.0:
                assert other.top_mm <= part.floor_mm + 1e-6 or part.top_mm <= other.floor_mm + 1e-6


@settings(max_examples=30)
@given(stacks())
def test_what_is_seen_is_what_no_layer_in_front_covers(work):
    """Independent route: points thrown on the picture, and the frontmost outline at each."""
    job = job_of(work)
    rng = np.random.default_rng(7)
    width, height = work.width_mm, work.height_mm
    places = rng.uniform([0, 0], [width, height], (3000, 2))
    front = np.zeros(len(places), int)
    for one in work.layers:
        for key, outline in one.coverage.by_key.items():
            front[shapely.contains_xy(outline, places[:, 0], places[:, 1])] = key
    for key in job.pieces:
        share = (front == key).mean()
        # binomial: five standard deviations of 3,000 throws
        slack = 5 * np.sqrt(max(share * (1 - share), 1e-4) / len(places)) + 1e-3
        assert job.seen_of[key].area / (width * height) == pytest.approx(share, abs=slack)


def test_a_sheets_own_thickness_is_bought_sawn_and_judged():
    """A 6 mm sheet was bought, sawn with No. 5 and judged as 19.05 mm once."""
    sheet = work_of(layer(1, PLATE, thickness_mm=6.0, wood="white_pine"))
    plan = Plan(sheet)
    assert [need.thickness_mm for need in plan.needs] == [6.0]
    # common practice, no source: No. 3 in 6 mm soft wood
    assert plan.saw.cuts[0].blade.no == "3"
    assert plan.relief.thicknesses == ((6.0, 1),)
    assert findings_of(sheet, "relief") == []
    necked = shapely.union_all([shapely.box(0, 0, 40, 40), shapely.box(40, 18, 60, 20.6), shapely.box(60, 0, 100, 40)])
    thin, thick = (work_of(layer(1, necked, thickness_mm=mm, wood="mahogany")) for mm in (6.0, 19.05))
    thin, thick = (edited(one, "grain", [100], deg=60) for one in (thin, thick))
    needed = [next(f.limit for f in findings_of(one, "wood") if f.code == "neck") for one in (thin, thick)]
    assert needed[0] > needed[1]
    # a piece's own thickness comes before its layer's, and that before the usual stock
    job = job_of(edited(sheet, "thickness", [100], length="4 mm"))
    assert job.thickness_mm == {100: 4.0}
    assert job_of(work_of(layer(1, PLATE))).thickness_mm == {100: 19.05}


def test_a_sheet_of_plywood_is_of_something():
    sheet = work_of(layer(1, PLATE, wood="", thickness_mm=6.0))
    assert "no-wood" in [f.code for f in findings_of(sheet, "wood")]
    made = edited(sheet, "layer", layer=1, material="birch Plywood")
    assert made.layers[0].material == "ply_birch"
    assert "no-wood" not in [f.code for f in findings_of(made, "wood")]
    (need,) = Plan(made).needs
    assert (need.material, need.sheet, need.thickness_mm) == ("ply_birch", True, 6.0)
    assert len(Plan(made).saw.cuts) == 1
    # what no shelf has stands in the list in its own words, but cannot be sawn or weighed
    door = edited(sheet, "layer", layer=1, material="an old door")
    (line,) = parts_list(job_of(door))
    assert (line.material, line.weight_kg) == ("an old door", None)
    assert Plan(door).saw.cuts == ()


def test_fitted_pieces_have_a_backer_and_a_whole_sheet_needs_none():
    fitted = job_of(composition(grid(3, 2)))
    (backer,) = fitted.grounds
    assert (backer.role, backer.material, backer.thickness_mm, backer.floor_mm) == ("backer", "ply_birch", 3.0, 0.0)
    # four corners are rounded, so that it can be sawn
    assert backer.area_mm2 == pytest.approx(84 * 54 - (4 - math.pi) * 4.0**2, abs=1.0)
    assert {part.floor_mm for part in fitted.pieces.values()} == {3.0}
    assert job_of(work_of(layer(1, PLATE), layer(2, PLATE.buffer(-20)))).grounds == ()
    apart = composition(Coverage([1, 2], [shapely.box(0, 0, 40, 40), shapely.box(90, 0, 130, 40)]))
    assert [part.key for part in job_of(apart).grounds] == ["backer-1", "backer-2"]
    drawn = edited(composition(grid(3, 2)), "add_layer", kind="backer", name="Back")
    assert job_of(drawn).grounds == ()
    assert {part.role for part in job_of(drawn).of_one} == {"backer", "piece"}


def test_neighbours_share_a_shim_where_they_are_lifted_alike():
    work = edited(composition(grid(4, 1)), "shim", [1, 2, 4], length="3 mm")
    shims = job_of(work).shims
    assert [(s.key, s.thickness_mm) for s in shims] == [("shim-1", 3.0), ("shim-4", 3.0)]
    # 60 x 30 mm less 4 mm all round, and 30 x 30
    assert [s.area_mm2 for s in shims] == pytest.approx([52 * 22, 22 * 22])
    other = edited(work, "shim", [2], length="1.5 mm")
    assert [s.key for s in job_of(other).shims] == ["shim-1", "shim-2", "shim-4"]


def test_spacers_hide_under_both_and_one_is_spare():
    work = work_of(layer(1, PLATE, thickness_mm=6.0), layer(2, PLATE.buffer(-10), thickness_mm=3.0))
    job = job_of(edited(work, "stand_off", layer=2, mm_off="8 mm"))
    assert job.pieces[200].floor_mm == 14.0
    assert len(job.stands) >= 3
    for stand in job.stands:
        assert (stand.floor_mm, stand.top_mm) == (6.0, 14.0)
        assert PLATE.buffer(-10 - 4).buffer(1e-6).contains(stand.outline)
    assert len(job.spares) == 1
    lines = [line for line in parts_list(job) if line.role == "spacer"]
    assert sum(line.count for line in lines) == len(job.stands) + 1
    assert "spacer 1 of" in job.stands[0].name
    slim = work_of(layer(1, PLATE, thickness_mm=6.0), layer(2, shapely.box(50, 0, 60, 120), thickness_mm=3.0))
    assert "few-spacers" in [f.code for f in findings_of(edited(slim, "stand_off", layer=2, mm_off="8 mm"), "relief")]


def test_the_spare_spacer_lies_on_a_board_too():
    work = work_of(layer(1, PLATE, thickness_mm=6.0), layer(2, PLATE.buffer(-10), thickness_mm=3.0))
    work = edited(work, "stand_off", layer=2, mm_off="6.35 mm")
    sheets = tuple(Board(n, "ply_birch", f"Q{n}", 600.0, 300.0, mm) for n, mm in enumerate((3.175, 6.35), 1))
    work = edited(replace(work, rack=replace(work.rack, boards=sheets)), "lay")
    job = job_of(work)
    (spare,) = job.spares
    assert spare.copy == 2
    assert spare.key in work.placements
    assert job.part(spare.key) == spare
    assert job.part("spacer-2.1/3") is None
    assert {one.key for some in on_boards(job).values() for one in some} >= {spare.key, *(s.key for s in job.stands)}
    assert spare.key not in {part.key for part in job.parts()}


def test_frame_and_base_are_parts_too():
    work = edited(composition(grid(3, 2)), "rails", material="oak_white", rail_width="20 mm", rail_thickness="15 mm")
    work = edited(work, "base", material="cherry", base_length="120 mm", base_depth="50 mm")
    job = job_of(work)
    # four mitred rails round 90 x 60: the frame's area
    assert sum(rail.area_mm2 for rail in job.rails) == pytest.approx(130 * 100 - 90 * 60)
    assert job.base[0].area_mm2 == pytest.approx(120 * 50)
    kinds = {c.kind for c in contacts_of(job)}
    assert kinds == {"edge", "face", "joint"}
    graph = networkx.Graph((c.a, c.b) for c in contacts_of(job))
    assert networkx.is_connected(graph.subgraph([p.key for p in job.of_one if p.role not in ("rail",)]))


@pytest.mark.parametrize("copies", [1, 2, 6])
@pytest.mark.parametrize("kind", ["one", "sheet", "three"])
def test_n_copies_have_n_times_the_parts(kind, copies):
    once, many = (Plan(edited(small_work(kind), "copies", count=str(n))) for n in (1, copies))
    area = [sum(part.area_mm2 for part in plan.job.parts()) for plan in (once, many)]
    assert area[1] == pytest.approx(copies * area[0])
    keys = [part.key for part in many.job.parts()]
    assert len(keys) == len(set(keys)) == copies * len(once.job.of_one)
    spare = sum(part.area_mm2 for part in once.job.spares)
    needs = [sum(need.net_mm2 for need in needs_of(plan.job)) for plan in (once, many)]
    assert needs[1] - spare == pytest.approx(copies * (needs[0] - spare), abs=1e-6)
    # set-up is paid once and repeats go faster, but never in no time
    if once.steps and copies > 1:
        hands = [sum(step.minutes for step in plan.steps) for plan in (once, many)]
        assert hands[0] < hands[1] < copies * hands[0]


@settings(max_examples=15)
@given(st.integers(2, 30), st.integers(0, 99), st.integers(1, 4), st.sampled_from(["before", "after"]))
def test_the_step_graph_has_no_circle_and_each_part_one_assembly(count, seed, copies, when):
    """networkx, which knows nothing of wood."""
    work = composition(cells(count, seed), practice=Practice(finish_when=when), shim_mm=2.0)
    work = edited(edited(work, "copies", count=str(copies)), "overlay", [1], how="copy")
    work = edited(work, "coat", [1], coat="paint", tint="#aa3311")
    plan = Plan(work)
    graph = networkx.DiGraph()
    graph.add_nodes_from(step.key for step in plan.steps)
    graph.add_edges_from((before, step.key) for step in plan.steps for before in step.after)
    assert networkx.is_directed_acyclic_graph(graph)
    assert set(graph) == {step.key for step in plan.steps}
    tree = networkx.DiGraph()
    for one in plan.glue.tree.every():
        tree.add_edges_from((one.key, inner.key) for inner in one.inside)
        tree.add_edges_from((one.key, f"part {key}") for key in one.parts)
    assert networkx.is_arborescence(tree)
    leaves = {node for node in tree if node.startswith("part ")}
    assert leaves == {f"part {part.key}" for part in plan.job.of_one}
    # everything is glued before it is hung, and nothing is glued before it is sawn
    for step in plan.steps:
        if step.verb == "glue":
            assert networkx.has_path(graph, step.key, "hang")
            assert any(before.startswith("saw-") for before in networkx.ancestors(graph, step.key))


def test_paint_comes_before_what_hides_it_and_accents_after_the_trimming():
    """Three sheets trimmed to one edge, the middle one painted, an accent in front."""
    layers = [layer(i, PLATE, thickness_mm=6.0, trim_flush=True) for i in (1, 2)]
    accent = layer(3, PLATE.buffer(-40), kind="overlay", thickness_mm=3.0)
    work = edited(work_of(*layers, accent), "coat", [200], coat="paint", tint="#aa3311")
    plan = Plan(work)
    order = [step.key for step in plan.steps]
    painted = next(step for step in plan.steps if step.label.startswith("Paint"))
    assert "later no brush reaches it" in painted.why
    assert order.index(painted.key) < order.index("glue-2-1") < order.index("trim") < order.index("glue-3-1")
    trim = next(step for step in plan.steps if step.key == "trim")
    assert (trim.verb, trim.station) == ("trim", "saw")
    # two sheets of 6 mm
    assert "15/32 in thick" in trim.label
    assert "glue-2-1" in trim.after
    assert "trim" in next(step for step in plan.steps if step.key == "glue-3-1").after
    assert "would be in the way" in next(one.why for one in plan.glue.tree.inside if one.layer == 3)
    # one coat all over is put on at the end
    alike = edited(edited(work, "coat", [100, 300], coat="paint", tint="#aa3311"), "rename", name="All red")
    order = [step.label for step in Plan(alike).steps]
    assert order.index("Paint 3 parts red, coat 1 of 2") > order.index("Take the clamps off, clean up")
    assert order.index("Paint 3 parts red, coat 2 of 2") < order.index("Gel polyurethane, coat 1 of 3")


def test_overlays_are_put_together_before_they_go_on():
    base, middle, top = (PLATE.buffer(-d) for d in (0, 20, 40))
    work = work_of(layer(1, base, thickness_mm=6.0), layer(2, middle, kind="overlay"), layer(3, top, kind="overlay"))
    tree = Plan(work).glue.tree
    (ground, carried) = tree.inside
    assert (ground.layer, carried.layer) == (1, 2)
    (bundle,) = carried.inside
    assert (bundle.parts, bundle.apart) == (("200", "300"), True)
    assert "easier to press on the bench" in bundle.why
    # the two are glued by themselves, and then go on the base as one
    steps = Plan(work).glue.steps
    assert [(s.part, s.whole, [(b.a, b.b) for b in s.bonds]) for s in steps] == [
        ("100", "", []),
        ("200", "", []),
        ("300", "", [("200", "300")]),
        ("", "bundle-200", [("100", "200")]),
    ]


def test_layers_of_one_outline_and_copies_are_offered_as_stacks():
    from emberquilt.saw.stacks import offers_of

    twins = work_of(
        layer(1, PLATE.buffer(10), thickness_mm=6.0),
        layer(2, PLATE, thickness_mm=3.0),
        layer(3, PLATE, thickness_mm=3.0),
    )
    plan = Plan(twins)
    (offer,) = offers_of(plan.job, plan.saw)
    assert offer.layers == (2, 3)
    stacked = edited(twins, "stack_layers", layer=2)
    then = Plan(stacked)
    assert plan.saw.minutes - then.saw.minutes == pytest.approx(offer.saves_minutes)
    cut = then.saw.by_piece[200]
    assert cut.frees == ("200", "300")
    assert then.saw.by_piece[300] is cut
    assert then.saw.blanks[cut.blank].thickness_mm == 6.0
    assert sorted(then.saw.pieces) == [100, 200, 300]
    assert edited(stacked, "stack_layers", layer=3, keep="no").decisions.saw.stacks == ()
    six = Plan(edited(twins, "copies", count="6"))
    best = max((o for o in offers_of(six.job, six.saw) if not o.layers), key=lambda o: o.saves_minutes)
    at_once = Plan(edited(six.composition, "stack_copies", high=str(best.high)))
    assert six.saw.minutes - at_once.saw.minutes == pytest.approx(best.saves_minutes)
    assert at_once.saw.cuts[0].runs == -(-6 // best.high)


def test_openings_of_a_sheet_are_cut_from_within():
    """A frame with two windows, one of them with an island: two pilot holes in the waste, lines sawn once."""
    frame = PLATE - shapely.box(10, 10, 50, 110) - shapely.box(70, 10, 110, 110)
    island = shapely.box(80, 40, 100, 80)
    work = work_of(layer(1, frame, island, thickness_mm=6.0))
    plan = Plan(work)
    assert len({cut.blank for cut in plan.saw.cuts if cut.piece}) == 1
    holes = [hole for cut in plan.saw.cuts for hole in cut.holes]
    assert len(holes) == 2
    assert all(not frame.union(island).intersects(shapely.Point(h.x_mm, h.y_mm).buffer(h.bit_mm / 2)) for h in holes)
    assert not any(hole.on_line for hole in holes)
    lines = shapely.union_all([frame.boundary, island.boundary])
    assert sum(cut.length_mm for cut in plan.saw.cuts if cut.piece) == pytest.approx(shapely.length(lines))
    # the island frees first, from inside
    assert [cut.piece for cut in plan.saw.cuts if cut.piece] == [101, 100]
