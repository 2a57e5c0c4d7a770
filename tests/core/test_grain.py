"""Grain that follows the form, stays together, and is strong enough."""

import json
import math
from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from emberquilt.errors import BadChoice
from emberquilt.outline.coverage import Coverage, Spot
from emberquilt.rack.woods import wood
from emberquilt.wood.flow import counterparts, flow_deg, keeping_up, mirrored_deg, radial_deg
from emberquilt.wood.necks import medial_axis, necks
from emberquilt.wood.strength import HANDLING_NMM, angle_to_grain_deg, strong_grain_deg, weakest_nmm
from emberquilt.work.change import applied, inverse
from emberquilt.work.composition import Composition
from emberquilt.work.verbs import edit
from tests.conftest import composition, findings_of, grid

ANGLE = st.floats(0, 359.9)


def apart(a: float, b: float) -> float:
    return abs((a - b + 180) % 360 - 180)


def woods_found(work: Composition) -> list:
    return findings_of(work, "wood")


def do(work: Composition, verb: str, keys, **values) -> Composition:
    """The work after a verb; taking it back is exact."""
    made = edit(work, verb, keys, values)
    now = applied(work, made)
    assert applied(now, inverse(work, made)) == replace(work, last_key=now.last_key)
    return now


def line(*points) -> str:
    return json.dumps(points)


# flow


@given(ANGLE, st.floats(0.2, 1.5))
def test_beside_a_circle_the_grain_runs_round_it(angle, reach):
    """Along a circle drawn counter-clockwise (as seen) the flow at any place is square to its radius."""
    t = np.radians(np.linspace(0, 359, 240))
    circle = shapely.LineString(np.column_stack([100 * np.cos(t), -100 * np.sin(t)]))
    x, y = 100 * reach * math.cos(math.radians(angle)), -100 * reach * math.sin(math.radians(angle))
    if 3 < angle < 356:
        assert apart(flow_deg([circle], x, y), angle + 90) < 2


@given(ANGLE, st.floats(-80, 80), st.floats(-80, 80))
def test_along_a_straight_line_all_grain_is_parallel(angle, x, y):
    end = 100 * math.cos(math.radians(angle)), -100 * math.sin(math.radians(angle))
    assert apart(flow_deg([shapely.LineString([(0, 0), end])], x, y), angle) < 1e-6


def test_between_two_lines_that_part_the_grain_fans():
    """Half way between lines at 10 and 50 degrees it runs at 30, and near each along it."""
    legs = [
        shapely.LineString([(0, 0), (100 * math.cos(math.radians(a)), -100 * math.sin(math.radians(a)))])
        for a in (10, 50)
    ]
    for at, expected, near in ((30, 30, 0.5), (11, 10, 1.0), (49, 50, 1.0), (20, 14, 10)):
        place = 60 * math.cos(math.radians(at)), -60 * math.sin(math.radians(at))
        assert apart(flow_deg(legs, *place), expected) < near


def test_a_drawn_line_turns_a_whole_part_and_a_second_one_fans_it():
    work = composition(grid(4, 3), "cherry")
    once = do(work, "flow", range(1, 13), points=line((0, 0), (120, 0)))
    assert {p.grain_deg for p in once.usual_layer.without_openings.pieces} == {0.0}
    twice = do(once, "flow", range(1, 13), points=line((0, 90), (120, 60)))
    angles = [twice.usual_layer.without_openings.by_key[k].grain_deg for k in (1, 5, 9)]
    assert angles == sorted(angles)
    assert angles[-1] == pytest.approx(14, abs=2)
    gone = do(twice, "flow_forget", [1, 2, 3])
    assert {flow.keys for flow in gone.decisions.wood.flows} == {"4-12"}
    assert do(gone, "flow_forget", range(1, 13)).decisions.wood.flows == ()
    for _ in range(58):
        twice = applied(twice, edit(twice, "flow", [1], {"points": line((0, 0), (50, 50))}))
    with pytest.raises(BadChoice, match="Forget some"):
        edit(twice, "flow", [1], {"points": line((0, 0), (50, 50))})


def test_rays_run_outwards_from_a_point():
    assert radial_deg(Spot(10, 0, 1), 0, 0) == pytest.approx(0)
    assert radial_deg(Spot(0, -10, 1), 0, 0) == pytest.approx(90)
    assert radial_deg(Spot(0, 0, 1), 0, 0) == 0
    work = do(composition(grid(3, 3), "maple"), "radial", range(1, 10), points=line((45, 45), (45, 45)))
    assert [work.usual_layer.without_openings.by_key[k].grain_deg for k in (6, 3, 2, 4)] == pytest.approx(
        [0, 45, 90, 180], abs=0.5
    )


@given(ANGLE, ANGLE)
def test_a_mirror_shows_an_arrow_the_other_way_and_twice_is_none(grain, axis):
    there = mirrored_deg(grain, axis)
    assert apart(mirrored_deg(there, axis), grain) < 1e-6
    assert apart(there - axis, axis - grain) < 1e-6


def test_across_a_line_counterparts_get_mirrored_arrows():
    work = composition(grid(4, 1), "cherry", grain_deg=30.0)
    made = do(work, "mirror_arrows", [1, 2], points=line((60, -10), (60, 40)))
    assert [p.grain_deg for p in made.usual_layer.without_openings.pieces] == [30, 30, 150, 150]
    assert counterparts(work.usual_layer.without_openings.coverage.by_key, [1, 2], (60, 0), (60, 30)) == {1: 4, 2: 3}
    with pytest.raises(BadChoice, match="has a counterpart"):
        edit(work, "mirror_arrows", [1], {"points": line((200, 0), (200, 30))})


@given(ANGLE, ANGLE)
def test_up_the_grain_stays_up(new, old):
    kept = keeping_up(new, old)
    assert apart(kept, old) <= 90.1
    assert angle_to_grain_deg(kept, new) < 0.1


def test_along_the_piece_does_not_turn_it_round():
    work = composition(Coverage([1], [shapely.box(0, 0, 60, 10)]), "padauk", grain_deg=170.0)
    assert do(work, "along", [1]).usual_layer.without_openings.pieces[0].grain_deg == 180


# together


def parted(angles, code: str = "walnut") -> Composition:
    work = composition(grid(len(angles), 1), code)
    pieces = tuple(
        replace(p, grain_deg=float(a), part="water", shim_mm=3.0 * i)
        for i, (p, a) in enumerate(zip(work.usual_layer.without_openings.pieces, angles, strict=True))
    )
    return do(replace(work, layers=(replace(work.layers[0], pieces=pieces),)), "together", [1], keep="yes")


def test_a_member_that_differs_is_said_and_turned_back():
    work = parted([0, 5, 178, 60])
    (finding,) = [f for f in woods_found(work) if f.code == "strays"]
    assert finding.pieces == (4,)
    fixed = do(work, finding.fix.verb, finding.fix.values["pieces"], deg=finding.fix.values["deg"])
    assert not [f for f in woods_found(fixed) if f.code == "strays"]
    assert not [f for f in woods_found(do(work, "together", [1], keep="no")) if f.code == "strays"]


def test_turned_round_matters_only_in_woods_that_flash():
    assert not [f for f in woods_found(parted([0, 0, 180])) if f.code == "strays"]
    (finding,) = [f for f in woods_found(parted([0, 0, 180], "purpleheart")) if f.code == "strays"]
    assert finding.pieces == (3,)
    assert "flash" in finding.sentence


def test_pieces_of_no_part_cannot_be_kept_together():
    with pytest.raises(BadChoice, match="Name these pieces"):
        edit(composition(grid(2, 1)), "together", [1], {})


# weak places


def chain(widths, angle: float = 0.0) -> shapely.Polygon:
    """Discs in a row joined by bars of known widths."""
    parts = [shapely.Point(60 * i, 0).buffer(16) for i in range(len(widths) + 1)]
    parts += [shapely.box(60 * i, -w / 2, 60 * (i + 1), w / 2) for i, w in enumerate(widths)]
    return affinity.rotate(shapely.union_all(parts), -angle, origin=(0, 0))


@pytest.mark.parametrize("angle", [0, 33, 120])
def test_every_neck_of_a_piece_is_found(angle):
    found = necks([1], np.array([chain([3.0, 2.0, 4.4], angle)]), 5.0)[0]
    assert [n.width_mm for n in found] == pytest.approx([2.0, 3.0, 4.4], abs=0.11)
    for neck, place in zip(found, (90, 30, 150), strict=True):
        at = affinity.rotate(shapely.Point(place, 0), -angle, origin=(0, 0))
        assert math.hypot(neck.x_mm - at.x, neck.y_mm - at.y) < 4
        assert angle_to_grain_deg(neck.along_deg, angle) < 6


@settings(max_examples=30)
@given(st.floats(1.0, 4.8), st.floats(0, 179))
def test_a_necks_width_is_that_of_shapelys_circle(width, angle):
    """Shapely's largest inscribed circle of the bar alone, cut out of the piece, is the yardstick."""
    shape = chain([width], angle)
    bar = shapely.intersection(shape, affinity.rotate(shapely.box(22, -3, 38, 3), -angle, origin=(0, 0)))
    circle = 2 * shapely.maximum_inscribed_circle(bar, tolerance=0.01).length
    (neck,) = necks([1], np.array([shape]), 5.0)[0]
    assert neck.width_mm == pytest.approx(circle, abs=0.1)


def test_the_medial_axis_of_a_bar_is_its_middle_line():
    xy, radius, edges = medial_axis(shapely.box(0, 0, 100, 10), 0.5)
    middle = radius > 4.9
    assert np.abs(xy[middle, 1] - 5).max() < 0.15
    assert xy[middle, 0].min() < 7
    assert xy[middle, 0].max() > 93
    assert len(edges)


@settings(max_examples=30)
@given(
    st.floats(0, 359),
    st.sampled_from(["mahogany", "holly", "hickory", "padauk", "basswood"]),
    st.floats(0, 179),
    st.floats(0, 179),
)
def test_the_best_compromise_turns_no_farther_than_it_must(flow, code, first, second):
    """Either every neck bears, and one degree nearer to the flow it would not; or no arrow is stronger."""
    chosen = wood(code)
    weak = [*necks([1], np.array([chain([2.4], first)]), 5.0)[0], *necks([1], np.array([chain([3.2], second)]), 5.0)[0]]
    arrow, bears = strong_grain_deg(chosen, 12.0, weak, flow)
    strength = {turn: weakest_nmm(chosen, 12.0, weak, flow + turn) for turn in range(-90, 91)}
    turn = (arrow - flow + 180) % 360 - 180
    assert abs(turn) <= 90.1
    if bears:
        assert weakest_nmm(chosen, 12.0, weak, arrow) >= 0.99 * HANDLING_NMM
        assert all(m < HANDLING_NMM for t, m in strength.items() if abs(t) < abs(turn) - 1)
    else:
        assert max(strength.values()) < HANDLING_NMM
        assert weakest_nmm(chosen, 12.0, weak, arrow) == pytest.approx(max(strength.values()), rel=0.02)


def test_one_command_makes_necks_strong():
    work = composition(Coverage([1], [chain([2.6])]), "mahogany", grain_deg=80.0, thickness_mm=12.0)
    assert [f.code for f in woods_found(work)] == ["neck"]
    strong = do(work, "strong", [1])
    assert woods_found(strong) == []
    assert 0 < apart(strong.usual_layer.without_openings.pieces[0].grain_deg, 80) <= 80
    with pytest.raises(BadChoice, match="weak neck"):
        edit(composition(grid(1, 1)), "strong", [1], {})
