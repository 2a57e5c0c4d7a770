"""Pictures of painted drawings, as files, scans and telephones give them: cells of known outline and colour, with and
without dark outlines, drawn by OpenCV."""

import cv2
import numpy as np
import pytest
import shapely

from bench.judge import labels_of
from emberquilt.colour import hex_apart
from emberquilt.intake.knobs import Knobs, Size
from emberquilt.intake.propose import propose
from tests.core.truth import truth

PER_MM, MARGIN = 3.5, 40
PALETTE = [
    (206, 92, 60),
    (240, 196, 88),
    (92, 142, 88),
    (66, 108, 160),
    (232, 226, 208),
    (150, 96, 140),
    (238, 150, 90),
]
FEW, APART_MM = 30, 2.0
"""Cells nearer to each other than this have different colours."""


def painted(coverage, outlines: bool, fine: int = 4) -> tuple[np.ndarray, np.ndarray, dict]:
    """RGB on white paper, soft-edged; the key of the cell at each pixel; and the colour of each."""
    left, top, right, bottom = coverage.bounds_mm
    size = (int((bottom - top) * PER_MM) + 2 * MARGIN, int((right - left) * PER_MM) + 2 * MARGIN)
    big = np.full((size[0] * fine, size[1] * fine, 3), 255, np.uint8)
    label = np.zeros(big.shape[:2], np.int32)
    # neighbours differ: each takes the first colour that none before it has
    chosen: dict[int, tuple] = {}
    rings = {}
    for key, outline in coverage.by_key.items():
        near = {chosen[k] for k, o in coverage.by_key.items() if k in chosen and o.distance(outline) < APART_MM}
        chosen[key] = next(c for c in PALETTE if c not in near)
        xy = ((shapely.get_coordinates(outline.exterior) - [left, top]) * PER_MM + MARGIN) * fine - 0.5
        rings[key] = [np.round(xy * 16).astype(np.int32)]
        cv2.fillPoly(big, rings[key], chosen[key], cv2.LINE_8, 4)
        cv2.fillPoly(label, rings[key], int(key), cv2.LINE_8, 4)
    if outlines:
        for ring in rings.values():
            cv2.polylines(big, ring, True, (24, 20, 22), 5 * fine, cv2.LINE_8, 4)
    return (
        cv2.resize(big, size[::-1], interpolation=cv2.INTER_AREA),
        label[fine // 2 :: fine, fine // 2 :: fine],
        chosen,
    )


def clean(rgb, _rng):
    return rgb


def screened(rgb, rng):
    noisy = np.clip(rgb * 0.92 + 10 + rng.normal(0, 8, rgb.shape), 0, 255).astype(np.uint8)
    return cv2.imdecode(cv2.imencode(".jpg", noisy, [cv2.IMWRITE_JPEG_QUALITY, 60])[1], cv2.IMREAD_COLOR)


def lit_from_aside(rgb, rng):
    y, x = np.indices(rgb.shape[:2], np.float32)
    fall = 1 - 0.35 * (x / rgb.shape[1] + y / rgb.shape[0]) / 2
    return np.clip(rgb * fall[..., None] * 0.95 + rng.normal(0, 2, rgb.shape), 0, 255).astype(np.uint8)


def read(rgb, **knobs):
    return propose(cv2.imencode(".png", rgb[..., ::-1])[1].tobytes(), Size("width", 300.0), Knobs(**knobs))


def found_again(proposal, label, chosen) -> tuple[float, float]:
    """Shares of the cells that are a piece (IoU over 0.9), and of those that have their colour as well."""
    own = labels_of(proposal, label.shape)
    hits = coloured = 0
    for key, colour in chosen.items():
        here = label == key
        best = int(np.bincount(own[here]).argmax())
        overlap = (here & (own == best)).sum() / (here | (own == best)).sum()
        if best and overlap > 0.9:
            hits += 1
            coloured += hex_apart(proposal.colours[best], "#{:02x}{:02x}{:02x}".format(*colour)) <= 6
    return hits / len(chosen), coloured / len(chosen)


@pytest.mark.parametrize("wear", [clean, screened, lit_from_aside])
@pytest.mark.parametrize("outlines", [True, False])
def test_a_picture_of_a_painted_drawing_comes_out_alike(wear, outlines):
    rgb, label, chosen = painted(truth(FEW, 11), outlines)
    proposal = read(wear(rgb, np.random.default_rng(4)))
    assert proposal.read_as.kind == "painted"
    assert ("outlines" in proposal.read_as.why) == outlines
    hits, coloured = found_again(proposal, label, chosen)
    assert hits >= 0.97
    assert coloured >= 0.97
    assert len(proposal.coverage) <= len(chosen) + 2


def test_the_other_ways_of_a_coloured_picture_are_offered():
    rgb, _, chosen = painted(truth(FEW, 11), True)
    proposal = read(rgb)
    ways = {o.words: o for o in proposal.others}
    assert {o.kind for o in proposal.others} == {"painted", "line", "photo"}
    assert all(o.picture.startswith(b"\x89PNG") and o.pieces > 1 for o in proposal.others)
    parts = ways["dark outlines as pieces"]
    kept = read(rgb, **{k: float(v) if k.endswith("_mm") else v for k, v in parts.knobs})
    assert len(kept.coverage) > len(chosen)
    assert abs(len(kept.coverage) - parts.pieces) <= 0.1 * parts.pieces


def test_a_painted_picture_on_a_desk_is_straightened():
    rgb, label, chosen = painted(truth(FEW, 5), False)
    height, width = rgb.shape[:2]
    wide, high = round(1.3 * width), round(1.3 * height)
    at = np.array([[0.13, 0.1], [0.9, 0.07], [0.94, 0.94], [0.06, 0.9]]) * [wide, high]
    sheet = np.array([[0, 0], [width, 0], [width, height], [0, height]], float)
    matrix = cv2.getPerspectiveTransform((sheet - 0.5).astype(np.float32), (at - 0.5).astype(np.float32))
    desk = np.full((high, wide, 3), (96, 70, 48), np.uint8)
    over = cv2.warpPerspective(rgb, matrix, (wide, high), flags=cv2.INTER_AREA)
    mask = cv2.warpPerspective(np.ones(rgb.shape[:2], np.uint8), matrix, (wide, high)) > 0
    desk[mask] = over[mask]
    proposal = read(desk)
    assert proposal.corners
    assert proposal.read_as.kind == "painted"
    assert found_again(proposal, label, chosen)[0] >= 0.97


def test_a_pale_field_in_a_dark_frame_on_paper_is_no_sheet_on_a_desk():
    rgb = np.full((900, 1200, 3), 255, np.uint8)
    cv2.rectangle(rgb, (100, 100), (1100, 800), (50, 50, 50), -1)
    cv2.rectangle(rgb, (180, 180), (1020, 720), (206, 204, 200), -1)
    cv2.circle(rgb, (600, 450), 150, (140, 120, 60), -1)
    proposal = read(rgb)
    assert not proposal.corners
    assert proposal.width_mm == pytest.approx(300)
    assert proposal.height_mm == pytest.approx(300 * 700 / 1000, abs=2)


def test_a_picture_painted_in_greys_comes_out_alike():
    rgb, label, chosen = painted(truth(FEW, 11), True)
    grey = cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY)
    proposal = propose(cv2.imencode(".png", grey)[1].tobytes(), Size("width", 300.0))
    assert proposal.read_as.kind == "painted"
    told = {k: tuple([int(cv2.cvtColor(np.uint8([[c]]), cv2.COLOR_RGB2GRAY)[0, 0])] * 3) for k, c in chosen.items()}
    hits, coloured = found_again(proposal, label, told)
    assert hits >= 0.97
    assert coloured >= 0.97


def test_fine_lines_close_together_are_lines_and_not_grey_paint():
    grey = np.full((900, 1200), 255, np.uint8)
    cv2.rectangle(grey, (100, 100), (1099, 799), 0, 3)
    grey[100:800, 100:1100:8] = 0
    proposal = propose(cv2.imencode(".png", grey)[1].tobytes(), Size("width", 300.0))
    assert proposal.read_as.kind == "line"


def test_a_drawing_in_blue_ink_is_of_lines():
    rgb, _, chosen = painted(truth(FEW, 11), True)
    ink = (rgb.max(axis=2) < 100)[..., None]
    proposal = read(np.where(ink, np.array([40, 60, 150], np.uint8), np.uint8(250)))
    assert proposal.read_as.kind == "line"
    assert len(proposal.coverage) == pytest.approx(len(chosen), abs=1)


def test_a_painted_picture_can_be_read_as_lines_or_by_tones_alone():
    rgb, _, chosen = painted(truth(FEW, 11), True)
    for kind in ("line", "photo"):
        found = read(rgb, kind=kind)
        assert found.read_as.kind == kind
        # and the way back is offered
        (back,) = [o for o in found.others if o.words == "areas of one colour"]
        assert dict(back.knobs) == {"kind": "painted"}
        assert back.pieces == pytest.approx(len(chosen), abs=2)
    assert len(read(rgb, kind="painted", lines_up_to_mm=0.0).coverage) > len(chosen)
