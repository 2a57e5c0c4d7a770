"""A photographed sheet: found on its desk, straightened to its true proportion, and read."""

import cv2
import numpy as np
import pytest
import skimage.data

from emberquilt.intake.knobs import Knobs, knobs_of
from emberquilt.intake.propose import propose
from emberquilt.intake.sheet import corners_of, proportion
from emberquilt.units import Length
from tests.core.truth import compare, drawn, truth

WIDTH, HEIGHT = 1600, 1200


def seen_by_a_camera(ratio: float, turns_deg: tuple[float, float, float], focus: float = 0.8) -> np.ndarray:
    """Corners in pixels of a sheet 200 mm high, `ratio` times as wide, 380 mm away: tilted, turned and rolled. A
    pinhole camera by the textbook, which shares nothing with the formula it checks."""
    half = np.array([ratio * 100, 100.0])
    sheet = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]]) * [*half, 0]
    for axis, degrees in enumerate(turns_deg):
        a, b = [i for i in range(3) if i != axis]
        turn = np.eye(3)
        cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        turn[a, a], turn[a, b], turn[b, a], turn[b, b] = cos, -sin, sin, cos
        sheet = sheet @ turn.T
    sheet = sheet + [0, 0, 380]
    return sheet[:, :2] / sheet[:, 2:] * focus * WIDTH + [WIDTH / 2, HEIGHT / 2]


VIEWS = [(25, 0, 0), (-20, 12, 5), (18, -15, -6), (-28, -8, 3), (12, 18, 0)]


@pytest.mark.parametrize("turns", VIEWS)
@pytest.mark.parametrize("ratio", [0.707, 1.0, 1.414])
def test_the_true_proportion_comes_from_the_perspective(turns, ratio):
    assert proportion(seen_by_a_camera(ratio, turns), WIDTH, HEIGHT) == pytest.approx(ratio, rel=0.02)


def test_seen_straight_on_a_sheet_has_the_proportion_it_shows():
    assert proportion(seen_by_a_camera(1.3, (0.3, -0.2, 4)), WIDTH, HEIGHT) == pytest.approx(1.3, rel=0.01)


def on_a_desk(flat: np.ndarray, corners: np.ndarray, seed: int) -> np.ndarray:
    """A photo of a sheet on planks, in light that falls off to one side, as JPEG at 85."""
    height, width = flat.shape
    sheet = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
    matrix = cv2.getPerspectiveTransform(sheet, corners.astype(np.float32))
    rng = np.random.default_rng(seed)
    rows, columns = np.mgrid[0:HEIGHT, 0:WIDTH]
    planks = 120 + 18 * np.sin(rows / 9 + 0.4 * np.sin(columns / 160)) + rng.normal(0, 5, rows.shape)
    desk = planks[..., None] * [1.15, 0.95, 0.7]
    paper = cv2.warpPerspective(flat, matrix, (WIDTH, HEIGHT), flags=cv2.INTER_AREA)[..., None] * 0.95
    there = cv2.warpPerspective(np.full(flat.shape, 255, np.uint8), matrix, (WIDTH, HEIGHT))[..., None] / 255
    photo = (paper * there + desk * (1 - there)) * (1 - 0.25 * columns / WIDTH)[..., None]
    photo = np.clip(photo + rng.normal(0, 2, photo.shape), 0, 255).astype(np.uint8)
    return cv2.imdecode(cv2.imencode(".jpg", photo[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 85])[1], 1)[..., ::-1]


@pytest.mark.parametrize("view", range(3))
def test_a_sheet_on_a_desk_is_found_straightened_and_read(view):
    real = truth(60, view)
    flat = drawn(real, 6.0, 7, margin_px=60)
    ratio = flat.shape[1] / flat.shape[0]
    corners = seen_by_a_camera(ratio, VIEWS[view])
    photo = on_a_desk(flat, corners, view)
    found_at = np.array(corners_of(photo)) * [WIDTH, HEIGHT]
    assert np.hypot(*(found_at - corners).T).max() <= 2.0
    data = cv2.imencode(".png", photo[..., ::-1])[1].tobytes()
    found = propose(data, Length(300))
    assert found.read_as.kind == "line"
    assert len(found.corners) == 4
    # the outer border's middle is 300 by 200 mm
    assert found.width_mm / found.height_mm == pytest.approx(1.5, rel=0.015)
    assert compare(found.coverage, real, WIDTH / 400, 7)["recovered"] >= 0.97


def test_no_sheet_is_seen_where_there_is_none():
    line = drawn(truth(30, 1), 4.0, 5)
    assert corners_of(np.dstack([line] * 3)) == ()
    for name in ("astronaut", "coffee", "chelsea"):
        photo = getattr(skimage.data, name)()
        data = cv2.imencode(".png", photo[..., ::-1])[1].tobytes()
        assert propose(data, Length(300)).corners == ()


def test_it_can_be_left_as_it_was_photographed():
    flat = drawn(truth(20, 1), 5.0, 7, margin_px=60)
    photo = on_a_desk(flat, seen_by_a_camera(1.45, VIEWS[0]), 1)
    data = cv2.imencode(".png", photo[..., ::-1])[1].tobytes()
    assert knobs_of({"corners": "none"}, "mm") == Knobs(as_photographed=True)
    assert propose(data, Length(300), Knobs(as_photographed=True, kind="photo")).corners == ()
