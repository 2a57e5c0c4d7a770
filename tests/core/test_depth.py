"""What stands in front of what: heights against OR-tools, circles against networkx, and what was said and set."""

import json
from dataclasses import replace

import networkx as nx
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from ortools.sat.python import cp_model

from emberquilt.cli import main
from emberquilt.depth.orders import Relation, without_circles
from emberquilt.depth.solve import Pair, Problem, solved
from emberquilt.errors import BadChoice
from emberquilt.outline.coverage import Coverage
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.relief.orders_judged import why_of
from emberquilt.relief.orders_read import orders_read
from emberquilt.relief.suggested import suggested_orders
from emberquilt.work.change import applied
from emberquilt.work.composition import Layer, Piece
from emberquilt.work.parts import job_of
from emberquilt.work.standing import shim_heights
from tests.conftest import composition, edited, grid

LEAST, GREATEST = 1.5875, 6.35
STOCKS, SHIMS = (12.7, 19.05, 25.4), (0.0, 3.175, 6.35, 9.525)
PAIRS = tuple(Pair(stock, shim) for stock in STOCKS for shim in SHIMS)


def least_pairs(problem: Problem) -> int | None:
    """The proven least number of pairs, by a general solver that knows nothing of ours; None where nothing obeys."""
    model = cp_model.CpModel()
    used = [model.new_bool_var("") for _ in problem.pairs]
    tops = []
    for kind, floor in zip(problem.kind, problem.floor_mm, strict=True):
        has = {p: model.new_bool_var("") for p in problem.kinds[kind]}
        model.add_exactly_one(has.values())
        for p, own in has.items():
            model.add_implication(own, used[p])
        tops.append(sum(round(1000 * (problem.pairs[p].high_mm + floor)) * own for p, own in has.items()))
    for a, b, mm in problem.above:
        # tops are whole thousandths here; ours are compared to a millionth
        model.add(tops[a] >= tops[b] + round(1000 * mm) - 1)
    if problem.most_mm < 1e4:
        for top in tops:
            model.add(top <= round(1000 * problem.most_mm))
    model.minimize(sum(used))
    solver = cp_model.CpSolver()
    solver.parameters.num_workers, solver.parameters.max_time_in_seconds = 1, 60
    status = solver.solve(model)
    return round(solver.objective_value) if status == cp_model.OPTIMAL else None


@st.composite
def problems(draw):
    """Things of several kinds that stand in front of each other, some level, some of one height only."""
    count = draw(st.integers(2, 14))
    kinds = [tuple(range(len(PAIRS)))]
    kinds += [tuple(p for p, pair in enumerate(PAIRS) if pair.stock_mm <= most) for most in (12.7, 19.05)]
    kinds += [(draw(st.integers(0, len(PAIRS) - 1)),)]
    kind = tuple(draw(st.sampled_from([0, 0, 0, 1, 2, 3])) for _ in range(count))
    floor = (
        tuple(draw(st.sampled_from([0.0, 0.0, 0.0, 3.0])) for _ in range(count))
        if draw(st.booleans())
        else (0.0,) * count
    )
    above = []
    for a, b in draw(st.lists(st.tuples(st.integers(0, count - 1), st.integers(0, count - 1)), max_size=18)):
        if a > b:
            how = draw(st.sampled_from(["front", "front", "most", "level"]))
            above += [(a, b, 0.0), (b, a, 0.0)] if how == "level" else [(a, b, LEAST)]
            above += [(b, a, -GREATEST)] if how == "most" else []
    most = draw(st.sampled_from([1e9, 1e9, 28.6, 40.0]))
    return Problem(PAIRS, tuple(kinds), kind, floor, tuple(above), most, 19.05)


@settings(max_examples=60)
@given(problems())
def test_heights_obey_and_need_no_more_pairs_than_the_proven_least(problem):
    found, least = solved(problem), least_pairs(problem)
    assert (found is None) == (least is None)
    if found is None:
        return
    for thing, (pair, top) in enumerate(zip(found.pair, found.top_mm, strict=True)):
        assert pair in problem.kinds[problem.kind[thing]]
        assert top == pytest.approx(problem.pairs[pair].high_mm + problem.floor_mm[thing], abs=1e-5)
        assert top <= problem.most_mm + 1e-5
    for a, b, mm in problem.above:
        assert found.top_mm[a] >= found.top_mm[b] + mm - 1e-5
    assert len(set(found.pair)) == least
    assert found.proven


@settings(max_examples=80)
@given(st.lists(st.tuples(st.integers(0, 7), st.integers(0, 7), st.booleans()), max_size=14))
def test_circles_are_those_of_the_graph_and_can_be_named(sayings):
    relations = [Relation(a, b, level, n) for n, (a, b, level) in enumerate(sayings) if a != b]
    graph = nx.DiGraph()
    for r in relations:
        graph.add_edge(r.front, r.behind)
        if r.level:
            graph.add_edge(r.behind, r.front)
    strict = [r for r in relations if not r.level]
    wrong = any(nx.has_path(graph, r.behind, r.front) for r in strict)
    left, circles = without_circles(relations)
    assert bool(circles) == wrong
    for around in circles:
        assert any(not r.level for r in around)
        # it can be walked round: from what one is in front of to the next, level ones either way
        begin = {around[0].front, around[0].behind} if around[0].level else {around[0].front}
        assert any(_closes(around, start) for start in begin)
        # the last that was said closed it
        assert around[0].said == max(r.said for r in around)
    still = nx.DiGraph()
    for r in left:
        still.add_edge(r.front, r.behind)
        if r.level:
            still.add_edge(r.behind, r.front)
    assert not any(nx.has_path(still, r.behind, r.front) for r in left if not r.level)
    assert {r.said for r in relations} - {r.said for r in left} == {around[0].said for around in circles}


def _closes(around, start):
    here = start
    for r in around:
        if here == r.front:
            here = r.behind
        elif r.level and here == r.behind:
            here = r.front
        else:
            return False
    return here == start


# what is said of a work


def said(work, *orders):
    return applied(work, orders_read(work, json.dumps([{"front": f, "behind": b} for f, b in orders])))


def free(columns=4, rows=1, **practice):
    return composition(grid(columns, rows), thickness_mm=None, practice=Practice(unit="mm", **practice))


def tops(work):
    job = job_of(work)
    return {p.number: job.lifted_mm(p) for p in work.made}


def test_nothing_said_leaves_what_was_given():
    work = composition(grid(2, 1), thickness_mm=10.0, shim_mm=2.0)
    assert tops(work) == {1: 12.0, 2: 12.0}
    assert tops(free()) == {n: 19.05 for n in (1, 2, 3, 4)}


def test_what_is_in_front_stands_higher_by_a_step_of_the_shop():
    work = said(free(), (2, 1), (3, 2), (4, 1))
    high = tops(work)
    for front, behind in ((2, 1), (3, 2), (4, 1)):
        assert LEAST - 1e-6 <= high[front] - high[behind] <= GREATEST + 1e-6
    job = job_of(work)
    assert job.standing.proven
    assert len(set(job.standing.pair.values())) == 3
    shims = set(shim_heights(work.practice.shims_mm))
    for pair in job.standing.pair.values():
        assert pair.stock_mm in work.practice.stocks_mm
        assert pair.shim_mm in shims


def test_what_was_set_stays_and_the_rest_follows():
    work = edited(said(free(), (2, 1), (3, 2)), "top", [2], length="30 mm")
    high = tops(work)
    assert high[2] == pytest.approx(30.0)
    assert high[1] <= 30 - LEAST
    assert high[3] >= 30 + LEAST
    # no pair of stock and shim makes 30 mm: stock is lowered from below
    pair = job_of(work).standing.pair[2]
    assert pair.lowered_mm > 0
    assert pair.stock_mm - pair.lowered_mm + pair.shim_mm == pytest.approx(30.0)
    again = edited(work, "top", [2], length="")
    assert tops(again) == tops(said(free(), (2, 1), (3, 2)))
    # stock that a piece was given stays too, and only its shim follows
    thick = edited(said(free(), (2, 1), (3, 2)), "thickness", [2], length="25 mm")
    assert job_of(thick).standing.pair[2].stock_mm == 25.0
    assert tops(thick)[3] > tops(thick)[2] > tops(thick)[1]
    assert tops(edited(thick, "follow", [2])) == tops(said(free(), (2, 1), (3, 2)))


def test_level_pieces_are_level_whatever_they_are_made_of():
    work = edited(said(free(), (2, 1)), "order", [3], behind="2", level="yes")
    assert tops(work)[3] == tops(work)[2] > tops(work)[1]


def test_a_circle_is_named_and_the_last_that_was_said_does_not_count():
    work = said(free(), (1, 2), (2, 3), (3, 1))
    plan = Plan(work)
    (found,) = [f for f in plan.findings("relief") if f.code == "circle"]
    assert set(found.pieces) == {1, 2, 3}
    assert "3 in front of 1" in found.sentence
    assert tops(work)[1] > tops(work)[2] > tops(work)[3]
    mended = edited(work, found.fix.verb, [], **found.fix.values)
    assert not [f for f in Plan(mended).findings("relief") if f.code == "circle"]
    assert len(mended.decisions.relief.orders) == 2
    itself = edited(edited(free(), "order", [1], behind="2"), "order", [2], behind="3-4")
    assert not job_of(itself).standing.circles


def test_orders_that_heights_set_by_hand_rule_out_are_left_out_and_said():
    work = edited(edited(said(free(), (2, 1)), "top", [2], length="15 mm"), "top", [1], length="20 mm")
    assert tops(work)[1] == pytest.approx(20.0)
    assert tops(work)[2] == pytest.approx(15.0)
    found = [f for f in Plan(work).findings("relief") if f.code == "order-not-kept"]
    assert len(found) == 1
    follows = edited(work, found[0].fix.verb, found[0].fix.values["pieces"])
    assert tops(follows)[2] > tops(follows)[1]


def test_only_orders_that_cannot_be_kept_give_way():
    # 1 and 2 are set against the first order; what was said later of others stands
    work = edited(edited(free(6), "top", [2], length="15 mm"), "top", [1], length="20 mm")
    work = said(work, (2, 1), (3, 2), (4, 3), (5, 6), (6, 4))
    high = tops(work)
    assert [r.said for r in job_of(work).standing.clashes] == [0]
    assert high[2] < high[3] < high[4] < high[6] < high[5]
    # what does not count is not told as a reason
    assert "in front of" not in why_of(job_of(work), 2).replace("behind", "")


def test_many_orders_against_what_was_given_end_in_findings():
    work = composition(grid(20, 15), thickness_mm=19.05, shim_mm=3.0)
    orders = [(n + 1, n) for n in range(1, 300)]
    many = said(work, *orders)
    assert len({r.said for r in job_of(many).standing.clashes}) == len(orders)
    assert {round(high, 6) for high in tops(many).values()} == {22.05}
    around = said(free(20, 15), *orders, *((n, n + 20) for n in range(1, 281)))
    standing = job_of(around).standing
    assert standing.circles
    high = tops(around)
    out = {max(r.said for r in one) for one in standing.circles} | {r.said for r in standing.clashes}
    for n, (front, behind) in enumerate([*orders, *((n, n + 20) for n in range(1, 281))]):
        assert n in out or high[front] >= high[behind] + LEAST - 1e-6


def test_the_whole_keeps_within_its_depth_or_says_which_pieces_do_not():
    deep = said(free(6), *((n + 1, n) for n in range(1, 6)))
    least = job_of(deep).depth_mm
    flat = edited(deep, "deep", depth="29 mm")
    assert job_of(flat).depth_mm <= 29.0 < least + 0.01
    assert all(tops(flat)[n + 1] - tops(flat)[n] >= LEAST - 1e-6 for n in range(1, 6))
    # stock lowered from below keeps 3 mm, and there are five steps
    tight = edited(deep, "deep", depth="10 mm")
    assert [f.code for f in Plan(tight).findings("relief") if f.code == "too-deep"] == ["too-deep"]
    with pytest.raises(BadChoice, match="backer alone"):
        edited(deep, "deep", depth="2 mm")


def test_a_chain_longer_than_the_greatest_step_is_kept_and_said():
    work = said(free(6), *((n + 1, n) for n in range(1, 6)), (6, 1))
    assert tops(work)[6] - tops(work)[1] > GREATEST
    assert "large-step" in [f.code for f in Plan(work).findings("relief")]


def test_whole_parts_stand_over_whole_parts():
    work = free(4, 2)
    for number, part in ((1, "water"), (2, "water"), (5, "fish"), (6, "fish"), (7, "fish, eyes")):
        work = edited(work, "part", [number], part=part)
    work = edited(work, "order", [5], behind="1", whole="yes")
    high = tops(work)
    assert min(high[5], high[6]) >= max(high[1], high[2]) + LEAST - 1e-6
    with pytest.raises(BadChoice, match="in front of itself"):
        edited(work, "order", [5], behind="6", whole="yes")


def test_a_piece_too_narrow_for_a_shim_is_solid():
    eye = shapely.Point(15, 15).buffer(3, quad_segs=8)
    head = shapely.box(0, 0, 30, 30).difference(eye)
    coverage = Coverage([1, 2, 3], [head, eye, shapely.box(30, 0, 60, 30)])
    work = composition(coverage, thickness_mm=None)
    work = said(work, (2, 1), (1, 3))
    assert job_of(work).standing.pair[2].shim_mm == 0.0
    assert tops(work)[2] > tops(work)[1] > tops(work)[3]
    assert not [f for f in Plan(work).findings("relief") if f.code == "no-room-for-shim"]


def test_what_lies_on_another_layer_is_counted_from_there():
    below = free(3)
    above = Coverage([11, 12], [shapely.box(5, 5, 25, 25), shapely.box(35, 5, 55, 25)])
    layers = (*below.layers, Layer(2, "Over", "overlay", above, (Piece(11, 11, "cherry"), Piece(12, 12, "cherry"))))
    work = type(below)("Two", 90, 30, layers, below.practice)
    work = said(work, (2, 1), (11, 12))
    job = job_of(work)
    assert job.rests_mm[12] - job.rests_mm[11] == pytest.approx(tops(work)[2] - tops(work)[1])
    assert tops(work)[11] >= tops(work)[12] + LEAST - 1e-6


# suggestions


def test_what_a_layer_lies_across_is_to_be_level():
    work = said(free(3), (2, 1))
    above = Coverage([11], [shapely.box(10, 5, 50, 25)])
    layers = (*work.layers, Layer(2, "Over", "overlay", above, (Piece(11, 11, "cherry"),)))
    work = replace(work, layers=layers)
    # said to be a step apart: nothing that contradicts it is suggested
    assert not [s for s in suggested_orders(job_of(work)) if s.order.level]
    work = edited(
        edited(replace(free(3), layers=(*free(3).layers, layers[-1])), "top", [2], length="25 mm"),
        "top",
        [1],
        length="19 mm",
    )
    (one,) = [s for s in suggested_orders(job_of(work)) if s.order.level]
    assert {one.order.front, one.order.behind} == {"1", "2"}
    assert "11 lies across" in one.why


def test_what_is_inside_another_and_what_its_name_tells_is_suggested():
    eye = shapely.Point(15, 15).buffer(5, quad_segs=8)
    head = shapely.box(0, 0, 30, 30).difference(eye)
    work = composition(Coverage([1, 2, 3], [head, eye, shapely.box(30, 0, 60, 30)]), thickness_mm=None)
    assert [(s.order.front, s.order.behind) for s in suggested_orders(job_of(work))] == [("2", "1")]
    named = edited(edited(work, "part", [1], part="the old koi"), "part", [3], part="dark water")
    offered = {(s.order.front, s.order.behind) for s in suggested_orders(job_of(named))}
    assert offered == {("2", "1"), ("1", "3")}
    taken = edited(named, "take_orders")
    assert suggested_orders(job_of(taken)) == []
    assert tops(taken)[2] > tops(taken)[1] > tops(taken)[3]
    refused = edited(named, "refuse_orders", front="2", behind="1")
    assert [(s.order.front, s.order.behind) for s in suggested_orders(job_of(refused))] == [("1", "3")]


def test_lines_that_end_at_a_border_lie_behind_it():
    # a bar across two strips, whose seams end at it
    places = (0, 25, 50, 75, 100)
    bar = shapely.Polygon([*((x, 40) for x in places), *((x, 60) for x in reversed(places))])
    strips = [shapely.box(x, y, x + 25, y + 40) for y in (0, 60) for x in (0, 25, 50, 75)]
    work = composition(Coverage(range(1, 10), [bar, *strips]), thickness_mm=None)
    offered = {(s.order.front, s.order.behind) for s in suggested_orders(job_of(work))}
    assert {front for front, _ in offered} == {"1"}


# the command line and bad input


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("{", "no JSON"),
        ('{"front": 1}', "list such as"),
        ('[{"front": 1}]', "Order 1 cannot be read"),
        ('[{"front": 1, "behind": 99}]', "piece 99"),
        ('[{"front": 1, "behind": "moon"}]', "“moon”"),
        ('[{"front": 1, "behind": [1, 2]}]', "in front of itself"),
        ('[{"front": 1, "behind": true}]', "cannot be read"),
        ('[{"front": 1, "behind": 2, "level": "no"}]', "true or false"),
    ],
)
def test_orders_that_cannot_be_read_end_in_a_sentence(text, says):
    with pytest.raises(BadChoice, match=says):
        orders_read(free(), text)


def test_make_takes_orders_and_plan_tells_them(tmp_path, koi_svg, capsys):
    drawing, file, made = tmp_path / "koi.svg", tmp_path / "orders.json", tmp_path / "koi.ember"
    drawing.write_bytes(koi_svg)
    file.write_text(
        json.dumps([{"front": 12, "behind": 9}, {"front": 9, "behind": 5}, {"front": 40, "behind": [5, 6]}])
    )
    assert main(["make", str(drawing), "--width", "457mm", "--orders", str(file), "-o", str(made)]) == 0
    assert main(["plan", str(made)]) == 0
    told = json.loads(capsys.readouterr().out)
    row = {one["number"]: one for one in told["relief"]}
    assert len(row) == 62
    for one in told["relief"]:
        assert one["top_mm"] == pytest.approx(one["stock_mm"] + one["shim_mm"])
        assert one["why"]
    assert row[12]["top_mm"] >= row[9]["top_mm"] + LEAST - 1e-3
    assert [(one["front"], one["behind"], one["kept"]) for one in told["orders"]] == [
        (12, 9, True),
        (9, 5, True),
        (40, [5, 6], True),
    ]
    parts = {one["id"]: one for one in told["parts"]}
    assert shapely.Polygon(told["backer"][0]).area == pytest.approx(parts["backer"]["area_mm2"], rel=1e-5)
    assert told["weight_kg"] > 0
    assert len(told["centre_of_mass_mm"]) == 3
    file.write_text('[{"front": 1, "behind": 400}]')
    assert main(["make", str(drawing), "--width", "457mm", "--orders", str(file), "-o", str(made)]) == 2
    assert "piece 400" in capsys.readouterr().err
