"""Bevels by geometry in space, edges, slopes, and what is said of them at the bench."""

import math

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq

from emberquilt.bench.cards import cards
from emberquilt.errors import BadChoice, BadLength
from emberquilt.outline.coverage import Coverage
from emberquilt.plan import Plan
from emberquilt.rack.blades import choose_blade
from emberquilt.relief.bevel import bevels_of, inlay_tilt, rise_of, tilt_for
from emberquilt.relief.shaping import together_of
from emberquilt.work.decisions import Slope
from emberquilt.work.parts import job_of
from emberquilt.work.shaped import edge_of, edges_of, height_at
from tests.conftest import composition, edited, grid


def inside(practice=None):
    """A disc of 40 mm in a board, with a small one in it."""
    eye = shapely.Point(60, 60).buffer(8)
    body = shapely.Point(60, 60).buffer(40).difference(eye)
    board = shapely.box(0, 0, 120, 120).difference(shapely.Point(60, 60).buffer(40))
    return composition(Coverage([1, 2, 3], [board, body, eye]), "cherry")


# bevels


def slid_mm(radius_mm: float, tilt_deg: float, kerf_mm: float, thick_mm: float, way: int) -> float:
    """How far a round piece slides along its axis before it touches, in space: the blade's slab, leaning by the tilt
    and carried round the axis, leaves two cones. Each is a ray from a point of the slab's face, half a kerf square to
    the blade from its middle; the piece's ray is moved along the axis until it meets the other cone."""
    lean = math.radians(tilt_deg)
    # in the plane through the axis: the blade runs along `blade`, square to it `across`, both unit vectors
    blade = np.array([math.sin(lean) * way, math.cos(lean)])
    across = np.array([math.cos(lean), -math.sin(lean) * way])
    middle = np.array([radius_mm, thick_mm / 2])
    own, other = middle - across * kerf_mm / 2, middle + across * kerf_mm / 2

    def radius_of(cone: np.ndarray, height: float) -> float:
        return float(cone[0] + (height - cone[1]) / blade[1] * blade[0])

    def gap(slide: float) -> float:
        # at one height: how far the other cone is outside of the moved piece
        return radius_of(other, thick_mm / 2) - radius_of(own, thick_mm / 2 - slide)

    return brentq(gap, -1000.0, 1000.0)


@given(st.floats(0.5, 12.0), st.floats(0.2, 1.2), st.sampled_from([6.0, 12.7, 19.05, 25.4]), st.sampled_from([-1, 1]))
def test_a_bevelled_piece_slides_as_its_cones_do(tilt, kerf, thick, way):
    slide = slid_mm(40.0, tilt, kerf, thick, way)
    assert abs(slide) == pytest.approx(rise_of(tilt, kerf), rel=1e-6)
    # narrower towards its face it goes down, narrower towards its back it goes up
    assert (slide > 0) == (way < 0)
    assert tilt_for(abs(slide), kerf) == pytest.approx(tilt, rel=1e-6)


def test_the_usual_tilts_are_those_of_practice():
    """2 to 3 degrees: common practice, no source. A rise of 1/2 in by a No. 5's kerf, and an inlay in 1/2 in."""
    kerf = next(b.kerf_mm for b in [choose_blade(composition(grid(1, 1)).practice, 12.7, 900)])
    assert 2.0 <= tilt_for(12.7, kerf) <= 3.0
    assert 2.0 <= inlay_tilt(12.7, kerf) <= 3.0
    for bad in (0, -1, 90):
        with pytest.raises(BadChoice):
            rise_of(bad, kerf)
    with pytest.raises(BadChoice, match="kerf"):
        tilt_for(kerf / 2, kerf)


def test_a_bevelled_piece_stands_proud_of_what_it_is_sawn_out_of_or_lies_lower():
    work = edited(inside(), "bevel", [2], rise="6 mm")
    job = job_of(work)
    (cut,) = bevels_of(job).values()
    assert (cut.host, cut.way, cut.down) == (1, "counter-clockwise", "left")
    assert rise_of(cut.tilt_deg, cut.kerf_mm) == pytest.approx(6.0)
    assert job.standing.top_mm(2) - job.standing.top_mm(1) == pytest.approx(6.0)
    assert job.shims == ()
    low = job_of(edited(inside(), "bevel", [2], rise="6 mm", how="low"))
    assert low.standing.top_mm(2) - low.standing.top_mm(1) == pytest.approx(-6.0)
    assert low.thickness_mm[2] == pytest.approx(19.05 - 6.0)
    assert bevels_of(low)[2].way == "clockwise"
    right = edited(work, "practice", table_down="right")
    assert bevels_of(job_of(right))[2].way == "clockwise"
    tilted = bevels_of(job_of(edited(inside(), "bevel", [2], tilt="2.5")))[2]
    assert tilted.tilt_deg == pytest.approx(2.5, abs=1e-3)
    assert edited(work, "bevel", [2]).decisions.relief.bevels == {}


def test_neighbours_that_would_clash_and_bevels_that_cannot_be_are_said():
    row = edited(composition(grid(3, 1)), "bevel", [2], rise="6 mm")
    (found,) = [f for f in Plan(row).findings("relief") if f.code == "bevel-clashes"]
    assert len(found.pieces) == 2
    round_it = Plan(edited(inside(), "bevel", [2], rise="6 mm"))
    assert "bevel-clashes" not in [f.code for f in round_it.findings("relief")]
    loose = edited(inside(), "bevel", [3], rise="16 mm")
    assert "bevel-loose" in [f.code for f in Plan(loose).findings("relief")]
    steep = edited(inside(), "bevel", [3], rise="2 mm")
    assert "bevel-unusual" in [f.code for f in Plan(steep).findings("relief")]
    for values, says in (({"rise": "30 mm"}, "fall out"), ({"rise": "0.6 mm"}, "degrees"), ({"tilt": "0"}, "tilt")):
        with pytest.raises((BadChoice, BadLength), match=says):
            edited(inside(), "bevel", [3], **values)
    with pytest.raises(BadChoice, match="lies in nothing"):
        edited(composition(grid(1, 1)), "bevel", [1], rise="6 mm")
    with pytest.raises(BadChoice, match="bevelled itself"):
        edited(edited(inside(), "bevel", [2], rise="6 mm"), "bevel", [3], rise="6 mm")


def test_an_order_that_a_bevel_does_not_keep_is_said():
    work = edited(edited(inside(), "bevel", [3], rise="6 mm", how="low"), "order", [3], behind="2")
    assert "order-not-kept" in [f.code for f in Plan(work).findings("relief")]
    proud = edited(edited(inside(), "bevel", [3], rise="6 mm"), "order", [3], behind="2")
    assert "order-not-kept" not in [f.code for f in Plan(proud).findings("relief")]


# edges


def test_edges_are_rounded_by_what_stands_free_and_no_more():
    work = edited(composition(grid(3, 1)), "shim", [2], length="2 mm")
    job = job_of(work)
    assert edge_of(job, 2) == (pytest.approx(2.0), "")
    assert edge_of(job, 1) == (0.5, "")
    along = {(key, edge.other): edge.mm for key in (1, 2) for edge in edges_of(job, key)}
    assert along[2, 1] == pytest.approx(2.0)
    assert along[1, 2] == 0.0
    # what lies at the edge of the sheet stays square
    assert along[1, 0] == along[2, 0] == 0.0
    high = job_of(edited(work, "shim", [2], length="12 mm"))
    assert edge_of(high, 2)[0] == 3.0
    assert edge_of(job_of(edited(work, "edge", [2], radius="square")), 2) == (0.0, "as was said")
    assert edge_of(job_of(edited(work, "edge", [2], radius="1 mm")), 2)[0] == 1.0
    assert edge_of(job_of(edited(edited(work, "edge", [2], radius="1 mm"), "edge", [2])), 2)[0] == pytest.approx(2.0)


# slopes


def carved(**values):
    work = edited(composition(grid(3, 1)), "thickness", [2], length="25 mm")
    return edited(work, "slope", [2], points="[[32, 15], [58, 15]]", **values)


def test_a_slope_runs_from_its_own_top_to_what_it_meets():
    work = carved()
    slope = work.decisions.relief.slopes[2]
    assert (slope.high_mm, slope.low_mm) == (pytest.approx(25.0), pytest.approx(19.05))
    assert height_at(slope, np.array([[32, 15], [45, 0], [58, 30], [80, 15]])) == pytest.approx(
        [25, 22.025, 19.05, 19.05]
    )
    assert not [f for f in Plan(work).findings("relief") if f.code.startswith("carved")]
    typed = edited(work, "slope", [2], high="24 mm", low="20 mm")
    assert typed.decisions.relief.slopes[2] == Slope(slope.high, slope.low, 24.0, 20.0)
    assert edited(work, "slope", [2], low="21 mm").decisions.relief.slopes[2].low_mm == 21.0
    assert edited(work, "slope", [2]).decisions.relief.slopes == {}


def test_slopes_that_run_too_low_or_too_thin_are_said():
    below = Plan(carved(low="15 mm")).findings("relief")
    assert [f.pieces for f in below if f.code == "carved-below"] == [(2, 3)]
    thin = Plan(carved(low="2 mm")).findings("relief")
    assert "carved-thin" in [f.code for f in thin]
    for values in ({"high": "40 mm"}, {"high": "20 mm", "low": "24 mm"}):
        with pytest.raises(BadChoice, match="slope begins"):
            carved(**values)
    with pytest.raises(BadChoice, match="Draw"):
        edited(composition(grid(3, 1)), "slope", [2], high="12 mm")


def test_slopes_follow_the_work_when_it_is_moved():
    wide = edited(carved(), "resize", width="180 mm")
    assert wide.decisions.relief.slopes[2].high == pytest.approx((64, 30))
    other = edited(carved(), "mirror")
    assert other.decisions.relief.slopes[2].high == pytest.approx((58, 15))


# at the bench


def test_cards_say_how_a_piece_is_sawn_and_shaped():
    work = edited(edited(inside(), "bevel", [2], rise="6 mm"), "edge", [2], radius="square")
    work = edited(work, "slope", [2], points="[[30, 60], [90, 60]]", high="20 mm", low="12 mm")
    plan = Plan(work)
    lines = {(c.step.verb, c.piece): " ".join(c.lines) for c in cards(plan.job, plan.steps, plan.saw, plan.glue)}
    assert "counter-clockwise" in lines["saw", 2]
    assert "stand proud" in lines["saw", 2]
    assert "stay square" in lines["shape", 2]
    assert "Shim" not in lines["shape", 2]
    assert "carve it from 25/32 in down to 15/32 in" in lines["shape", 2]
    # what stands out most is shaped first
    assert next(c.piece for c in cards(plan.job, plan.steps, plan.saw, plan.glue) if c.step.verb == "shape") == 2


def test_pieces_of_one_part_that_are_equally_high_are_shaped_together():
    work = edited(composition(grid(4, 1)), "part", [1, 2, 4], part="fin")
    assert together_of(job_of(work)) == {1: (2,), 2: (1,)}
    plan = Plan(work)
    lines = {c.piece: c.lines for c in cards(plan.job, plan.steps, plan.saw, plan.glue) if c.step.verb == "shape"}
    assert "Tape it to 2 from below" in lines[1][0]
    assert not any("Tape" in line for key in (3, 4) for line in lines[key])
