"""Line drawings as scanners, telephones, pencils and use leave them, against the clean drawing."""

import cv2
import numpy as np
import pytest
import shapely

from bench.degraded import KINDS, Agreement, agreement, gapped, straight
from bench.degraded import Degraded as Worn
from emberquilt.errors import BadDrawing
from emberquilt.intake.knobs import Knobs, Size
from emberquilt.intake.propose import propose
from emberquilt.outline.ends import meetings
from tests.core.truth import drawn, truth

CELLS = 60


def cells_at(per_mm: float, ink_px: float) -> np.ndarray:
    return drawn(truth(CELLS, 7), per_mm, ink_px)


def read(worn: Worn, **knobs):
    picture = worn.picture if worn.picture.ndim == 2 else worn.picture[..., ::-1]
    return propose(cv2.imencode(".png", picture)[1].tobytes(), Size("width", 300.0), Knobs(**knobs))


def judged(clean: np.ndarray, worn: Worn) -> Agreement:
    return agreement(clean, worn, read(worn))


@pytest.mark.parametrize("kind", KINDS)
def test_worn_drawings_come_out_alike(kind):
    clean = cells_at(4.5, 4)
    told = judged(clean, KINDS[kind](clean, np.random.default_rng(3)))
    assert told.regions >= CELLS - 2
    assert told.found >= 0.97 * told.regions
    assert told.false <= 0.03 * told.pieces


@pytest.mark.parametrize(("per_mm", "ink_px", "gap"), [(5.0, 4, 1), (5.0, 4, 3), (5.0, 4, 6), (10.0, 8, 12)])
def test_gaps_are_closed_by_their_size_on_the_work(per_mm, ink_px, gap):
    clean = cells_at(per_mm, ink_px)
    told = judged(clean, gapped(clean, np.random.default_rng(5), gap))
    assert told.found >= 0.96 * told.regions
    assert told.false == 0


def in_two_inks(clean: np.ndarray, pale: int) -> np.ndarray:
    """Squares of the drawing, six along each side, in black and in a grey by turns."""
    faded = (255 - (255 - clean.astype(float)) * (255 - pale) / 255).astype(np.uint8)
    down, across = (np.arange(side) * 6 // side for side in clean.shape)
    return np.where((down[:, None] + across) % 2 == 0, clean, faded)


@pytest.mark.parametrize("worn", [False, True], ids=["clean", "screened"])
@pytest.mark.parametrize("pale", [150, 205])
def test_pale_lines_beside_black_ones_are_lines(pale, worn):
    clean = cells_at(4.5, 4)
    mixed = in_two_inks(clean, pale)
    made = KINDS["JPEG 60 with noise"](mixed, np.random.default_rng(3)) if worn else Worn(mixed, straight(clean.shape))
    told = judged(clean, made)
    assert told.found >= 0.97 * told.regions
    assert told.false == 0
    # less ink is asked for: the pale ones go
    if pale > 200:
        with pytest.raises(BadDrawing, match="No closed region"):
            read(made, ink=-1)


def test_lines_of_a_large_picture_are_not_taken_for_pale_ones():
    """Reduced, thin black lines are grey."""
    clean = cells_at(20.0, 5)
    assert read(Worn(clean, straight(clean.shape))).faces == CELLS


def test_a_crease_is_no_pale_line():
    clean = cells_at(4.5, 4)
    creased = clean.copy()
    creased[:, 700:705] = np.minimum(creased[:, 700:705], 200)
    told = judged(clean, Worn(creased, straight(clean.shape)))
    assert (told.found, told.false) == (told.regions, 0)


def test_the_bench_would_notice_what_is_lost():
    """What is judged well is not judged so when pieces are missing or gaps stay open."""
    clean = cells_at(5.0, 4)
    worn = gapped(clean, np.random.default_rng(5), 6)
    open_told = agreement(clean, worn, read(worn, gap_mm=0.0))
    assert open_told.found < 0.5 * open_told.regions
    other = np.fliplr(clean).copy()
    assert judged(clean, Worn(other, straight(other.shape))).found < 0.1 * CELLS


# dark areas


def lantern(fine: int = 1) -> np.ndarray:
    """A lantern in outline, 5 px lines: a black roof and foot, panes, and two eyes in the roof."""
    picture = np.full((800, 600), 255, np.uint8)
    cv2.rectangle(picture, (150, 250), (450, 650), 0, 5)
    cv2.line(picture, (250, 250), (250, 650), 0, 5)
    cv2.line(picture, (150, 450), (450, 450), 0, 5)
    cv2.fillPoly(picture, [np.array([[120, 250], [480, 250], [300, 80]])], 0)
    cv2.circle(picture, (300, 190), 22, 255, -1)
    cv2.rectangle(picture, (120, 650), (480, 720), 0, -1)
    return picture


@pytest.mark.parametrize("worn", [False, True], ids=["clean", "screened"])
def test_broad_dark_areas_in_a_picture_are_pieces_and_lines_are_not(worn):
    clean = lantern()
    made = KINDS["JPEG 60 with noise"](clean, np.random.default_rng(1)) if worn else Worn(clean, straight((1, 1)))
    found = read(made)
    # four panes, the roof, its eye, and the foot
    assert found.faces == 7
    dark = [key for key, colour in found.colours.items() if int(colour[1:3], 16) < 90]
    assert len(dark) == 2
    area = sorted(found.coverage.area_mm2[key] for key in dark)
    scale = 300 / 360
    assert area[1] == pytest.approx((360 * 170 / 2 - np.pi * 22**2) * scale**2, rel=0.06)
    assert area[0] == pytest.approx(360 * 70 * scale**2, rel=0.06)
    assert found.lines_up_to_mm == pytest.approx(9, abs=4)


def test_the_other_way_of_a_black_and_white_picture_is_offered():
    clean = lantern()
    (other,) = read(Worn(clean, straight(clean.shape))).others
    assert dict(other.knobs) == {"kind": "line", "lines_up_to_mm": "0"}
    assert other.picture.startswith(b"\x89PNG")
    kept = read(Worn(clean, straight(clean.shape)), kind="line", lines_up_to_mm=0.0)
    assert (other.pieces, kept.others) == (kept.faces, kept.others)
    silhouette = np.full((800, 600), 255, np.uint8)
    cv2.ellipse(silhouette, (300, 420), (180, 240), 0, 0, 360, 0, -1)
    made = Worn(silhouette, straight(clean.shape))
    (other,) = read(made).others
    assert dict(other.knobs) == {"kind": "line", "outside": "keep"}
    assert other.pieces == read(made, kind="line", outside="keep").faces


def test_lines_up_to_moves_what_is_a_line_in_a_picture():
    clean = lantern()
    parts = read(Worn(clean, straight(clean.shape)), lines_up_to_mm=0.0)
    whole = read(Worn(clean, straight(clean.shape)))
    assert parts.faces < whole.faces  # roof, lines and foot are one piece now, all else stays
    assert max(parts.coverage.area_mm2[k] for k, c in parts.colours.items()) > max(
        whole.coverage.area_mm2[k] for k, c in whole.colours.items()
    )


def test_a_line_that_parts_nothing_is_told_as_a_detail():
    clean = lantern()
    cv2.line(clean, (180, 550), (225, 590), 0, 2)
    found = read(Worn(clean, straight(clean.shape)))
    assert found.faces == 7
    (line,) = (detail.line for detail in found.lines)
    assert shapely.LineString(line).length == pytest.approx(np.hypot(45, 40) * 300 / 360, rel=0.15)


# ends that meet


def test_ends_meet_where_their_lines_do():
    ways = np.array([[np.cos(a), np.sin(a)] for a in np.radians([0, 120, 240])])
    ((members, point),) = meetings(-5 * ways + [40, 60], ways, np.full(3, 8.0))
    assert sorted(members) == [0, 1, 2]
    assert point == pytest.approx([40, 60], abs=0.01)


@pytest.mark.parametrize("reach", [4.0, 4.9])
def test_ends_too_far_from_where_they_meet_do_not(reach):
    ways = np.array([[1.0, 0.0], [0.0, 1.0]])
    assert meetings(-5 * ways, ways, np.full(2, reach)) == []


def test_ends_that_look_away_from_each_other_do_not_meet():
    assert meetings(np.array([[0.0, 0.0], [3.0, 0.0]]), np.array([[-1.0, 0.0], [1.0, 0.0]]), np.full(2, 8.0)) == []


def test_three_strokes_that_stop_short_meet_in_one_point():
    """Of a drawing by numbers: a box parted in three from a middle that nobody drew."""
    body = (
        '<g fill="none" stroke="#000" stroke-width="0.2"><path d="M0 0H90V60H0Z"/>'
        '<path d="M0 0L44.5 29.6M90 0L45.5 29.6M45 60V30.7"/></g>'
    )
    data = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 60" width="90mm" height="60mm">{body}</svg>'
    found = propose(data.encode(), Size("width", 90.0))
    assert found.faces == 3
    corner = np.concatenate([shapely.get_coordinates(o) for o in found.coverage.outlines])
    assert np.hypot(*(corner - [45, 30]).T).min() < 0.1
