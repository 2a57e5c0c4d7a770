"""Three ways to begin from a picture: a figure cut from its ground, fretwork in two tones, a sheet traced by eye. The
pictures are drawn by OpenCV; what is found is judged by areas, and what hangs together by flood fills."""

import json

import cv2
import numpy as np
import pytest
import shapely

from bench.judge import labels_of
from emberquilt.cli import main
from emberquilt.errors import BadChoice, BadDrawing
from emberquilt.intake.by_hand import Stroke, by_hand
from emberquilt.intake.from_figure import with_wide_ends
from emberquilt.intake.from_fretwork import bridges_between
from emberquilt.intake.knobs import Knobs, Size, knobs_of
from emberquilt.intake.propose import propose
from tests.core.test_intake_svg import svg


def read(picture: np.ndarray, **knobs):
    return propose(cv2.imencode(".png", picture)[1].tobytes(), Size("width", 300.0), Knobs(**knobs))


def pear() -> tuple[np.ndarray, np.ndarray]:
    """A pear on a bench, both with grain, BGR; and where it is."""
    rng = np.random.default_rng(2)
    mask = np.zeros((600, 800), np.uint8)
    cv2.circle(mask, (400, 380), 150, 1, -1)
    cv2.circle(mask, (400, 220), 80, 1, -1)
    cv2.fillConvexPoly(mask, np.array([[255, 340], [325, 200], [475, 200], [545, 340]]), 1)
    soft = cv2.GaussianBlur(mask.astype(np.float32), (0, 0), 1.2)[..., None]
    ground = np.array([60, 90, 140.0]) + cv2.GaussianBlur(rng.normal(0, 40, (600, 800, 1)), (0, 0), 4)[..., None]
    light = np.indices((600, 800))[1][..., None] / 800 * 50
    fruit = np.array([40, 170, 120.0]) + light + rng.normal(0, 6, (600, 800, 1))
    return np.clip(ground * (1 - soft) + fruit * soft, 0, 255).astype(np.uint8), mask > 0


BOX = (0.25, 0.15, 0.75, 0.95)


def overlap(proposal, mask: np.ndarray) -> float:
    found = labels_of(proposal, mask.shape) > 0
    return float((found & mask).sum() / (found | mask).sum())


def test_a_figure_is_cut_from_its_ground():
    picture, mask = pear()
    found = read(picture, kind="figure", box=BOX)
    assert (found.read_as.kind, len(found.coverage)) == ("figure", 1)
    assert overlap(found, mask) > 0.97
    assert found.width_mm == pytest.approx(300, abs=0.01)


def test_strokes_say_what_is_in_and_what_is_out():
    picture, mask = pear()
    # a leaf of the ground's own colour lies on the figure's side of the rectangle
    leaf = np.zeros_like(mask, np.uint8)
    cv2.ellipse(leaf, (590, 250), (60, 30), 0, 0, 360, 1, -1)
    picture[leaf > 0] = (40, 170, 120)
    box = (0.25, 0.15, 0.85, 0.95)
    with_leaf = read(picture, kind="figure", box=box)
    assert overlap(with_leaf, mask) < 0.96
    out = (((550 / 800, 250 / 600), (640 / 800, 250 / 600)),)
    without = read(picture, kind="figure", box=box, beyond=out)
    assert overlap(without, mask) > 0.96
    assert without.read_as.why.endswith("by 1 stroke")


def test_a_figure_falls_into_its_tones_and_keeps_its_outline():
    picture, mask = pear()
    picture[420:, :][mask[420:]] = (30, 90, 60)
    found = read(picture, kind="figure", box=BOX, figure="tones", tones=3, smallest_mm=12.0)
    assert len(found.coverage) >= 2
    assert overlap(found, mask) > 0.96
    assert found.is_valid
    assert min(2 * spot.radius_mm for spot in found.coverage.spots.values()) >= 12


def test_the_ground_can_be_kept_as_pieces():
    picture, mask = pear()
    found = read(picture, kind="figure", box=BOX, outside="keep")
    assert len(found.coverage) == 2
    assert found.coverage.sheet_area_mm2 == pytest.approx(300 * 225, rel=0.01)
    assert min(found.coverage.area_mm2.values()) == pytest.approx(mask.mean() * 300 * 225, rel=0.05)


def test_thin_ends_are_as_wide_as_asked():
    figure = np.zeros((300, 500), bool)
    cv2.circle(drawn := figure.astype(np.uint8), (150, 150), 80, 1, -1)
    cv2.line(drawn, (150, 150), (440, 150), 1, 5)
    made, places = with_wide_ends(drawn > 0, 20.0)
    assert len(places) == 1
    across = made[:, 350].sum()
    assert 19 <= across <= 23
    # what is wide enough stays as it is
    assert (made[:, :180] == (drawn > 0)[:, :180]).all()


@pytest.mark.parametrize("box", [(0.4, 0.4, 0.4, 0.4), (1.5, 1.5, 1.9, 1.9)])
def test_a_rectangle_round_nothing_says_so(box):
    with pytest.raises(BadDrawing, match="rectangle"):
        read(pear()[0], kind="figure", box=box)


def islands() -> np.ndarray:
    """Dark rings in each other on light, and a dark dot in the middle."""
    picture = np.full((600, 600), 235, np.uint8)
    for radius in (260, 170, 90):
        cv2.circle(picture, (300, 300), radius, 40, 24)
    cv2.circle(picture, (300, 300), 30, 40, -1)
    return picture


@pytest.mark.parametrize(("frame", "each"), [(0.0, 1), (0.0, 2), (12.0, 1), (12.0, 3)])
def test_all_that_stays_hangs_together(frame, each):
    found = read(islands(), kind="fretwork", frame_mm=frame, bridge_count=each, smooth=2)
    solid = [k for k in found.coverage.keys if k not in found.openings]
    assert len(solid) == 1
    rings = 4 if frame else 3
    assert sum(what == "bridge" for what, *_ in found.traces) == rings * each
    # by a flood fill of its own
    label = labels_of(found, (1200, 1200))
    count, _ = cv2.connectedComponents((label == solid[0]).astype(np.uint8), connectivity=4)
    assert count == 2
    assert found.is_valid
    (told,) = [f for f in found.findings if f.code == "bridges"]
    assert told.amount == rings * each


def test_bridges_are_as_wide_as_asked():
    found = read(islands(), kind="fretwork", frame_mm=0.0, bridge_count=1, bridge_mm=6.0, smooth=1)
    label = labels_of(found, (1200, 1200))
    (solid,) = (k for k in found.coverage.keys if k not in found.openings)
    wood = (label == solid).astype(np.uint8)
    mm = found.source_box_mm[2] / 1200
    # wood that holds together when it is narrowed from both sides by less than half a bridge, and not by more
    for narrower, parts in ((5.2, 1), (8.0, 4)):
        across = int(narrower / mm) | 1
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (across, across))
        assert cv2.connectedComponents(cv2.erode(wood, disc))[0] - 1 == parts


def test_a_bridge_goes_where_it_costs_the_picture_least():
    """Two dark halves; between them light, but for one place that is nearly as dark as they are."""
    picture = np.full((400, 600), 240, np.uint8)
    picture[:, :260] = picture[:, 340:] = 30
    picture[290:330, 260:340] = 120
    wood = picture < 80
    (path,) = bridges_between(wood, picture, 1)
    assert all(285 <= y <= 335 for x, y in path if 262 < x < 338)


def test_a_bridge_set_by_hand_takes_the_place_of_one():
    picture = islands()
    kinds = {"kind": "fretwork", "frame_mm": 0.0, "bridge_count": 1}
    by_itself = read(picture, **kinds)
    hand = (((0.5, 0.5), (0.5, 0.35)),)
    with_hand = read(picture, bridges=hand, **kinds)
    count = [sum(what == "bridge" for what, *_ in p.traces) for p in (by_itself, with_hand)]
    assert count == [3, 2]
    assert len([k for k in with_hand.coverage.keys if k not in with_hand.openings]) == 1


def test_the_light_can_stay_and_one_tone_is_refused():
    light = read(255 - islands(), kind="fretwork", stays="light", frame_mm=0.0)
    dark = read(islands(), kind="fretwork", frame_mm=0.0)
    assert len(light.coverage) == len(dark.coverage)
    with pytest.raises(BadDrawing, match="one tone"):
        read(np.full((300, 300), 90, np.uint8), kind="fretwork")


def test_a_sheet_is_traced_by_eye():
    found = read(pear()[0], kind="traced")
    assert len(found.coverage) == 1
    assert found.coverage.sheet_area_mm2 == pytest.approx(300 * 225)
    made = by_hand(found, [Stroke("line", ((0.0, 0.5), (1.0, 0.5))), Stroke("line", ((0.5, 0.5), (0.5, 1.0)))])
    assert sorted(round(a) for a in made.coverage.area_mm2.values()) == [16875, 16875, 33750]


def test_they_begin_from_a_drawing_by_numbers_too():
    """Marks are shares of the page, of which the figure is a part."""
    drawing = svg('<circle cx="70" cy="50" r="20" fill="#a33"/>', 'viewBox="0 0 100 80" width="100mm" height="80mm"')
    found = propose(drawing, Size("width", 200.0), Knobs(kind="figure", box=(0.45, 0.3, 0.95, 0.95)))
    assert found.coverage.sheet_area_mm2 == pytest.approx(np.pi * 100**2, rel=0.03)
    x, _, width, height = found.source_box_mm
    assert (width, height) == pytest.approx((500, 400), rel=0.02)
    assert x == pytest.approx(-250, abs=5)
    toned = propose(drawing, Size("width", 200.0), Knobs(kind="photo"))
    assert shapely.union_all(toned.coverage.outlines).area > 0
    assert toned.source_box_mm[2] / toned.source_box_mm[3] == pytest.approx(100 / 80, rel=0.01)


@pytest.mark.parametrize(
    "values",
    [
        {"inside": "[[[0, 0], [9, 9]]]"},
        {"beyond": "x"},
        {"bridges": "[[]]"},
        {"bridges": json.dumps([[[0, 0], [1, 1]]] * 81)},
        {"box": "[1]"},
        {"bridge_mm": "0"},
        {"bridge_count": "9"},
        {"stays": "both"},
    ],
)
def test_marks_that_make_no_sense(values):
    with pytest.raises((BadChoice, ValueError)):
        knobs_of(values, "mm")


def test_the_command_begins_in_these_ways(tmp_path, capsys):
    place = tmp_path / "pear.png"
    cv2.imwrite(str(place), pear()[0])
    box = json.dumps([BOX])
    for extra, kind in (
        (["--kind", "figure", "--box", box], "figure"),
        (["--kind", "fretwork", "--stays", "light", "--bridge", "3mm", "--frame", "8mm"], "fretwork"),
        (["--kind", "traced"], "traced"),
    ):
        assert main(["pieces", str(place), "--width", "200mm", *extra]) == 0
        assert json.loads(capsys.readouterr().out)["read_as"]["kind"] == kind
