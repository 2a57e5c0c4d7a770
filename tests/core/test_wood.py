"""Colour, strength, movement, necks and the findings of the wood station."""

import math

import coloraide
import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from emberquilt.colour import difference, lab_of
from emberquilt.errors import BadChoice
from emberquilt.outline.coverage import Coverage
from emberquilt.picture.figure import tile
from emberquilt.rack.rack import Rack
from emberquilt.rack.seen import Seen
from emberquilt.rack.woods import wood, woods
from emberquilt.wood.axis import long_axis_deg
from emberquilt.wood.colour import closest
from emberquilt.wood.contrast import contrast_of
from emberquilt.wood.movement import movement_mm, seasonal_mm
from emberquilt.wood.necks import necks
from emberquilt.wood.strength import angle_to_grain_deg, bending_mpa, hankinson, neck_moment_nmm, width_to_bear_mm
from emberquilt.work.change import applied
from emberquilt.work.verbs import edit
from tests.conftest import composition, edited, findings_of, grid, table


def woods_found(work):
    return findings_of(work, "wood")


HEX = st.integers(0, 0xFFFFFF).map(lambda n: f"#{n:06x}")


@pytest.mark.parametrize("row", table("ciede2000_pairs.csv"))
def test_ciede2000_on_the_published_pairs(row):
    """Sharma, Wu, Dalal (2005), table 1, to the four printed decimals."""
    first, second = ([float(row[k + i]) for k in "lab"] for i in "12")
    assert float(difference(first, second)) == pytest.approx(float(row["de"]), abs=5e-5)
    assert float(difference(second, first)) == pytest.approx(float(row["de"]), abs=5e-5)


@given(HEX, HEX)
def test_colours_against_coloraide(first, second):
    """coloraide's CIELAB with D65, its own CIEDE2000; white points differ in the fifth digit."""
    theirs = coloraide.Color(first).convert("lab-d65").coords()
    assert lab_of(first) == pytest.approx(theirs, abs=0.02)
    ours = float(difference(lab_of(first), lab_of(second)))
    assert ours == pytest.approx(coloraide.Color(first).delta_e(second, method="2000", space="lab-d65"), abs=0.02)


def test_the_closest_wood_to_a_woods_own_colour_is_that_wood():
    for one in woods().values():
        found, apart = closest(one.finished, Seen(Rack(), "poly"), list(woods()))[0]
        assert apart == pytest.approx(0, abs=1e-6)
        assert found.finished == one.finished


def test_the_shelf_has_real_data_for_at_least_60_woods():
    assert len(woods()) >= 60
    for one in woods().values():
        assert 0.3 <= one.sg <= 1.1
        assert 300 <= one.hardness_lbf <= 3700
        assert (0.04 <= one.across_ratio <= 0.10) == (one.kind != "sheet")
        assert len(one.mark) == 2
    assert len({w.mark for w in woods().values()}) == len(woods())
    with pytest.raises(BadChoice, match="no wood called"):
        wood("unobtainium")


@pytest.mark.parametrize("row", table("wood_handbook_species.csv"))
def test_species_against_the_handbook(row):
    """Wood Handbook FPL-GTR-282 (2021), tables 5-3b and 13-5; values in the CSV from memory."""
    one = wood(row["code"])
    assert one.sg == pytest.approx(float(row["sg"]), abs=0.011)
    assert one.hardness_lbf == pytest.approx(float(row["hardness_lbf"]), rel=0.02)
    if row["c_tangential"]:
        assert one.c_tangential == pytest.approx(float(row["c_tangential"]), abs=1e-5)


def test_density_holds_the_water():
    """Specific gravity 0.50 at 12 % is 0.50 x 1.12 g/cm3 = 560 kg/m3."""
    assert wood("cherry").density_kg_m3 == pytest.approx(560)


@given(st.floats(1, 200), st.floats(0.02, 1))
def test_hankinson_at_its_ends_and_at_45(along, ratio):
    """Along the grain P, across it Q, and with n = 2 at 45 degrees the harmonic mean of both."""
    across = along * ratio
    assert hankinson(along, across, 0) == pytest.approx(along)
    assert hankinson(along, across, 90) == pytest.approx(across)
    assert hankinson(along, across, 45) == pytest.approx(2 * along * across / (along + across))


@given(st.floats(0, 89), st.floats(0.1, 1))
def test_strength_falls_as_the_grain_turns_away(angle, step):
    assert hankinson(100, 5, angle) >= hankinson(100, 5, min(angle + step, 90))


def test_hankinson_worked_by_hand():
    """Red oak, MOR 99 MPa, Q/P 0.06, 30 degrees: 99 x 5.94 / (99 x 0.25 + 5.94 x 0.75) = 20.13 MPa."""
    assert bending_mpa(wood("oak_red"), 30) == pytest.approx(99 * 5.94 / (99 * 0.25 + 5.94 * 0.75))
    assert bending_mpa(wood("oak_red"), 30) == pytest.approx(20.13, abs=0.01)


@given(st.floats(0.5, 30), st.floats(3, 40), st.floats(0, 90), st.sampled_from(sorted(woods())))
def test_a_neck_of_the_advised_width_bears_the_hand(moment, thickness, angle, code):
    width = width_to_bear_mm(wood(code), thickness, angle, 100 * moment)
    assert neck_moment_nmm(wood(code), width, thickness, angle) == pytest.approx(100 * moment)


@given(st.floats(-400, 400), st.floats(-400, 400))
def test_angles_to_the_grain_are_acute(a, b):
    angle = angle_to_grain_deg(a, b)
    assert 0 <= angle <= 90
    assert math.isclose(abs(math.cos(math.radians(angle))), abs(math.cos(math.radians(a - b))), abs_tol=1e-9)


def test_movement_as_the_handbook_reckons():
    """dD = D C (M2 - M1), chapter 13; a flat-sawn red oak board of 200 mm from 6 to 10 %: 200 x .00369 x 4 = 2.95
    mm."""
    assert movement_mm(wood("oak_red"), 200, 6, 10) == pytest.approx(2.952)
    assert movement_mm(wood("oak_red"), 200, 10, 6) == pytest.approx(-2.952)
    assert movement_mm(wood("oak_red"), 200, 6, 10, cut="quarter") == pytest.approx(200 * 0.00158 * 4)
    assert movement_mm(wood("padauk"), 200, 6, 10) is None


def test_a_piece_moves_across_its_grain_only():
    """Red oak, 8 to 12 %: 200 x 50 mm moves 200 x .00369 x 4 with the grain upright, a quarter of that lying."""
    board = shapely.box(0, 0, 200, 50)
    assert seasonal_mm(wood("oak_red"), board, 90) == pytest.approx(2.952)
    assert seasonal_mm(wood("oak_red"), board, 0) == pytest.approx(2.952 / 4)


def dumbbell(neck: float, angle_deg: float = 0.0) -> shapely.Polygon:
    """Two discs of radius 15 joined by a bar of known width."""
    shape = shapely.union_all(
        [shapely.Point(-25, 0).buffer(15), shapely.Point(25, 0).buffer(15), shapely.box(-25, -neck / 2, 25, neck / 2)]
    )
    return shapely.affinity.rotate(shape, -angle_deg, origin=(0, 0))


@pytest.mark.parametrize("width", [0.8, 1.5, 2.4, 3.3, 4.6])
@pytest.mark.parametrize("angle", [0, 35, 90, 140])
def test_necks_of_known_width_and_direction(width, angle):
    (found,) = necks([1], np.array([dumbbell(width, angle)]), 5.0)[0]
    assert found.width_mm == pytest.approx(width, abs=0.11)
    assert (found.x_mm, found.y_mm) == pytest.approx((0, 0), abs=3)
    assert angle_to_grain_deg(found.along_deg, angle) < 6


def test_a_neck_is_as_wide_as_the_largest_circle_in_it():
    """Shapely's inscribed circle in the cut-out neck is the yardstick."""
    shape = dumbbell(3.0, 20)
    window = shapely.Point(0, 0).buffer(3.5)
    middle = shapely.maximum_inscribed_circle(shape.intersection(window), tolerance=0.01).length
    assert necks([1], np.array([shape]), 5.0)[0][0].width_mm == pytest.approx(2 * middle, abs=0.25)


def test_wide_pieces_and_mere_corners_have_no_neck():
    assert necks([1], np.array([dumbbell(6.0)]), 5.0) == [()]
    assert necks([1], np.array([shapely.Polygon([(0, 0), (60, 0), (0, 60)])]), 5.0) == [()]


@pytest.mark.parametrize("angle", [0, 20, 45, 90, 135, 170])
def test_the_long_axis_of_a_bar(angle):
    bar = shapely.affinity.rotate(shapely.box(-30, -4, 30, 4), -angle, origin=(0, 0))
    assert angle_to_grain_deg(long_axis_deg(bar), angle) < 0.2


def test_pieces_without_wood_are_one_finding():
    (finding,) = woods_found(composition(grid(3, 1), {1: "cherry"}))
    assert finding.code == "no-wood"
    assert finding.pieces == (2, 3)
    assert "2 and 3" in finding.sentence


def test_one_wood_one_direction_melts_and_a_turn_or_a_step_parts_it():
    work = composition(grid(2, 1), "walnut")
    turned = edited(work, "turn", [2], by=work.practice.turn_apart_deg)
    for other, reading in (
        (work, "melts"),
        (turned, "shades"),
        (edited(work, "shim", [2], mm="1.5"), "shades"),
        (edited(work, "wood", [2], wood="holly"), "reads"),
    ):
        assert contrast_of(other, other.usual_layer)[0].reading == reading
    assert contrast_of(work, work.usual_layer)[0].apart == 0.0
    (finding,) = woods_found(work)
    assert finding.pieces == (1, 2)
    assert finding.fix.verb == "lift"


def test_a_neck_across_the_grain_is_found_and_turning_the_arrow_clears_it():
    coverage = Coverage([1], [dumbbell(3.0, 0)])
    across = composition(coverage, "mahogany", grain_deg=90.0, thickness_mm=12.0)
    (finding,) = woods_found(across)
    assert finding.code == "neck"
    assert finding.fix.verb == "strong"
    along = applied(across, edit(across, "strong", [1], {}))
    assert woods_found(along) == []


@pytest.mark.parametrize("code", ["walnut", "holly", "oak_red", "curly_maple", "ebony", "spalted_maple", "padauk"])
def test_drawn_grain_has_the_swatchs_colour_and_repeats_without_a_seam(code):
    picture = tile(wood(code), lab_of(wood(code).finished), 128, 32.0)
    linear = np.where(picture / 255 <= 0.04045, picture / 255 / 12.92, ((picture / 255 + 0.055) / 1.055) ** 2.4).mean(
        axis=(0, 1)
    )
    mean = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)
    shown = coloraide.Color("srgb", mean.tolist()).convert("lab-d65").coords()
    assert float(difference(shown, lab_of(wood(code).finished))) < 1.0
    grey = picture.astype(float).mean(axis=2)
    inside = np.abs(np.diff(grey, axis=0)).mean()
    assert np.abs(grey[0] - grey[-1]).mean() < 2.5 * inside + 2
    assert (tile(wood(code), lab_of(wood(code).finished), 128, 32.0) == picture).all()


def test_differences_between_woods_are_symmetric():
    seen = Seen(Rack())
    walnut, holly = seen.look("walnut"), seen.look("holly")
    assert seen.between(walnut, holly) == pytest.approx(seen.between(holly, walnut))
    assert seen.between(walnut, walnut) == 0
