"""Photos: no piece narrower than asked, no thin arms, and what is lost by that is told."""

import re

import cv2
import numpy as np
import pytest
import skimage.data
from scipy import ndimage

from emberquilt.intake.knobs import Knobs, Size
from emberquilt.intake.propose import propose
from emberquilt.intake.widths import TENDRIL, widened

GREY = np.array([[0, 0, 0], [50, 0, 0], [52, 0, 0], [90, 0, 0]], float)
"""Three tones by label in CIELAB: 1 and 2 are nearly the same."""


def photo(picture: np.ndarray, **knobs):
    data = cv2.imencode(".png", picture[..., ::-1])[1].tobytes()
    return propose(data, Size("width", 300.0), Knobs(kind="photo", **knobs))


@pytest.mark.parametrize("name", ["coffee", "rocket"])
@pytest.mark.parametrize("smallest_mm", [0.0, 12.0])
def test_no_piece_of_a_photo_is_narrower_than_asked(name, smallest_mm):
    found = photo(getattr(skimage.data, name)(), smallest_mm=smallest_mm)
    assert found.is_valid
    assert found.faces > 5
    # a circle inside each piece, by Shapely's own search
    assert min(2 * spot.radius_mm for spot in found.coverage.spots.values()) >= (smallest_mm or 8.0)


def test_thin_arms_go_and_bodies_stay():
    label = np.ones((120, 200), np.int32)
    label[30:90, 40:100] = 3
    label[58:62, 100:180] = 3  # an arm of 4 px, 80 px long
    made = widened(label, 20.0, GREY)
    assert made.count == 2
    body = made.label == made.label[60, 60]
    assert abs(int(body.sum()) - 60 * 60) < 0.04 * 60 * 60
    assert made.label[60, 170] == made.label[5, 5]


def test_what_is_too_thin_joins_the_nearest_colour():
    label = np.ones((100, 100), np.int32)
    label[:, 50:] = 3
    label[40:52, 44:56] = 2
    made = widened(label, 30.0, np.array([[0, 0, 0], [50, 0, 0], [85, 0, 0], [90, 0, 0]], float))
    assert made.count == 2
    assert made.label[46, 46] == made.label[90, 90]
    ((x, y),) = made.lost
    assert (x, y) == pytest.approx((50, 46))


@pytest.mark.parametrize("seed", range(4))
def test_every_region_is_wide_connected_and_none_is_left_out(seed):
    rng = np.random.default_rng(seed)
    field = ndimage.gaussian_filter(rng.normal(size=(160, 200)), 5)
    tones = np.digitize(field, np.quantile(field, [0.33, 0.66]))
    label, count = np.zeros(field.shape, np.int32), 0
    colours = [[0.0, 0, 0]]
    for tone in range(3):
        part, many = ndimage.label(tones == tone)
        label[part > 0] = part[part > 0] + count
        count += many
        colours += [[30.0 * tone, 0, 0]] * many
    before = sum(int((own & ~_opened(own)).sum()) for own in (label == key for key in range(1, count + 1)))
    made = widened(label, 24.0, np.array(colours))
    arms = 0
    assert sorted(np.unique(made.label).tolist()) == list(range(1, made.count + 1))
    for key in range(1, made.count + 1):
        own = made.label == key
        assert ndimage.label(own)[1] == 1
        padded = np.pad(own, 1, mode="edge")
        assert ndimage.distance_transform_edt(padded).max() >= 24 / 2 - 1
        arms += int((own & ~_opened(own)).sum())
    assert arms < 0.04 * made.label.size
    assert arms < 0.3 * before


def _opened(own: np.ndarray) -> np.ndarray:
    """What a disc a little smaller than an arm may be reaches."""
    radius = TENDRIL * 24 / 2 - 2
    reach = int(radius)
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    disc = x * x + y * y <= radius * radius
    return ndimage.binary_opening(np.pad(own, 20, mode="edge"), disc)[20:-20, 20:-20]


def test_an_eye_that_is_lost_is_told_with_the_size_it_needs():
    face = np.full((300, 450, 3), 200, np.uint8)
    face[:, 250:] = 140
    cv2.circle(face, (100, 150), 5, (10, 10, 10), -1)
    found = photo(face, tones=3, smallest_mm=12.0, smooth=0)
    (told,) = [f for f in found.findings if f.code == "small-spot"]
    assert told.point_mm == pytest.approx((100 / 1.5, 100), abs=1)
    # 11 px are 7.3 mm here; for 12 mm the work must be so much larger
    wide = int(re.search(r"about (\d+)", told.sentence)[1])
    assert 470 <= wide <= 540
    assert ("inlay", pytest.approx(100 / 1.5, abs=1), pytest.approx(100, abs=1)) in found.traces


def plate() -> bytes:
    """Two discs on a ground, three colours about as light, no lines."""
    picture = np.full((400, 600, 3), (150, 60, 40), np.uint8)
    cv2.circle(picture, (200, 200), 120, (60, 110, 50), -1)
    cv2.circle(picture, (450, 200), 90, (70, 70, 160), -1)
    return cv2.imencode(".png", picture)[1].tobytes()


def test_a_coloured_picture_without_lines_is_told_by_its_colours():
    found = propose(plate(), Size("width", 300.0))
    assert (found.faces, found.read_as.kind) == (3, "painted")
    assert sorted(found.coverage.area_mm2.values())[:2] == pytest.approx([np.pi * 45**2, np.pi * 60**2], rel=0.03)
