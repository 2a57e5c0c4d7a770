"""Line pictures to pieces: drawn by OpenCV from coverages whose pieces are known, and pictures that mean harm."""

import io
import struct
import zlib

import cv2
import numpy as np
import pytest
import shapely
from PIL import Image
from skimage import morphology

from emberquilt.colour import difference, lab_of
from emberquilt.errors import BadDrawing
from emberquilt.intake.knobs import Knobs
from emberquilt.intake.labels import ink_of, label_regions, loose_ends
from emberquilt.intake.propose import propose
from emberquilt.units import Length
from tests.conftest import cells, grid


def png(picture: np.ndarray) -> bytes:
    return cv2.imencode(".png", picture)[1].tobytes()


def draw(coverage, per_mm: float = 4.0, ink: int = 5, margin: int = 20) -> np.ndarray:
    """Outlines in black on white, anti-aliased, 1/16 pixel exact."""
    _, _, width, height = coverage.bounds_mm
    picture = np.full((int(height * per_mm) + 2 * margin, int(width * per_mm) + 2 * margin), 255, np.uint8)
    for outline in coverage.outlines:
        for ring in (outline.exterior, *outline.interiors):
            points = np.round((shapely.get_coordinates(ring) * per_mm + margin) * 16).astype(np.int32)
            cv2.polylines(picture, [points], True, 0, ink, cv2.LINE_AA, 4)
    return picture


def recovered(truth, found) -> float:
    """Share of true pieces that some found piece covers with IoU over 0.9."""
    tree = shapely.STRtree(found.outlines)
    good = 0
    for outline in truth.outlines:
        others = [found.outlines[i] for i in tree.query(outline)]
        good += any(o.intersection(outline).area / o.union(outline).area > 0.9 for o in others)
    return good / len(truth)


@pytest.mark.parametrize(("count", "seed"), [(12, 1), (40, 2), (90, 3)])
def test_cells_come_back_from_their_picture(count, seed):
    truth = cells(count, seed)
    found = propose(png(draw(truth)), Length(300))
    assert found.is_valid
    fat = [s for s in truth.spots.values() if 2 * s.radius_mm * 4 > 5 + 4]
    assert found.faces >= 0.99 * len(fat)
    assert recovered(truth, found.coverage) >= 0.97
    assert sum(found.coverage.area_mm2.values()) == pytest.approx(found.coverage.sheet_area_mm2, rel=1e-6)


def test_a_grid_comes_back_true_to_size():
    found = propose(png(draw(grid(5, 4))), Length(150))
    assert found.faces == 20
    assert found.height_mm == pytest.approx(120, abs=0.5)
    # half a pixel of 0.25 mm at each side of a 30 mm square
    assert all(area == pytest.approx(900, abs=16) for area in found.coverage.area_mm2.values())


def test_lines_off_the_edge_make_the_picture_the_sheet():
    picture = np.full((300, 400), 255, np.uint8)
    cv2.line(picture, (0, 100), (399, 100), 0, 5)
    cv2.line(picture, (200, 0), (200, 299), 0, 5)
    found = propose(png(picture), Length(400))
    assert found.faces == 4
    assert (found.width_mm, found.height_mm) == (400, 300)


def test_paper_round_the_figure_can_be_kept():
    picture = np.full((300, 300), 255, np.uint8)
    cv2.circle(picture, (150, 150), 90, 0, 5, cv2.LINE_AA)
    assert propose(png(picture), Length(100)).faces == 1
    assert propose(png(picture), Length(100), Knobs(outside="keep")).faces == 2


def test_a_circle_keeps_its_area():
    picture = np.full((800, 800), 255, np.uint8)
    cv2.circle(picture, (400, 400), 300, 0, 7, cv2.LINE_AA)
    found = propose(png(picture), Length(600))
    assert found.coverage.area_mm2[1] == pytest.approx(np.pi * 300**2, rel=0.01)


def test_a_broken_line_loses_a_region_and_says_where():
    picture = draw(grid(2, 1), margin=40)
    picture[70:110, 150:170] = 255
    found = propose(png(picture), Length(60))
    assert found.faces == 1
    ends = [f.point_mm for f in found.findings if f.code == "open-gap"]
    assert len(ends) == 2
    assert all(abs(x - 30) < 1.5 for x, _ in ends)


def tips(ink: np.ndarray) -> list:
    half = cv2.distanceTransform(ink, cv2.DIST_L2, 3)
    return loose_ends(morphology.skeletonize(ink > 0), half)


def test_loose_ends_are_tips_not_dots_or_corners():
    ink = np.zeros((200, 200), np.uint8)
    cv2.rectangle(ink, (20, 20), (180, 180), 1, 4)
    cv2.circle(ink, (60, 60), 8, 1, -1)
    assert tips(ink) == []
    cv2.line(ink, (100, 100), (100, 180), 1, 4)
    assert len(tips(ink)) == 1


def test_labels_fill_the_whole_picture():
    labels = label_regions(ink_of(draw(grid(3, 3))))
    assert labels.count == 9
    parts = np.unique(labels.picture)
    assert set(parts.tolist()) == set(range(10))


def transparent() -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(np.dstack([np.zeros((*draw(grid(2, 2)).shape, 3), np.uint8), 255 - draw(grid(2, 2))])).save(
        buffer, "PNG"
    )
    return buffer.getvalue()


def saved(image: Image.Image, kind: str, **options) -> bytes:
    buffer = io.BytesIO()
    image.save(buffer, kind, **options)
    return buffer.getvalue()


PICTURE = Image.fromarray(draw(grid(2, 2)))
KINDS = {
    "transparent PNG": transparent,
    "CMYK JPEG": lambda: saved(PICTURE.convert("CMYK"), "JPEG", quality=92),
    "WebP": lambda: saved(PICTURE.convert("RGB"), "WEBP", quality=92),
    "16-bit PNG": lambda: saved(Image.fromarray(np.asarray(PICTURE).astype(np.uint16) * 257), "PNG"),
    "palette PNG": lambda: saved(PICTURE.convert("P"), "PNG"),
    "turned by EXIF": lambda: _turned(),
}


def _turned() -> bytes:
    exif = Image.Exif()
    exif[0x0112] = 6
    return saved(PICTURE.convert("RGB"), "JPEG", exif=exif, quality=95)


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_of_picture_file(kind):
    found = propose(KINDS[kind](), Length(60))
    assert found.faces == 4
    assert found.is_valid


def bomb(side: int) -> bytes:
    """A PNG of side x side pixels that packs into a few bytes: only its header is honest about the size."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    head = struct.pack(">IIBBBBB", side, side, 8, 0, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(bytes(200_000)))
        + chunk(b"IEND", b"")
    )


NOISE = np.random.default_rng(3).integers(0, 255, (700, 700)).astype(np.uint8)
BAD = {
    "bomb": (bomb(50_000), "megapixels"),
    "bomb of pixels": (bomb(200_000), "megapixels|no picture"),
    "truncated": (png(draw(grid(2, 2)))[:900], "damaged"),
    "tiny": (png(np.zeros((5, 5), np.uint8)), "too small"),
    "blank": (png(np.full((200, 200), 250, np.uint8)), "blank"),
    "dark": (png(np.vstack([160 + NOISE[:80] // 3, NOISE[80:] // 3])), "dark"),
    "noise": (png(NOISE), "No closed region|photo|dark"),
    "only a name": (b"\x89PNG\r\n\x1a\n", "no picture"),
    "unclosed": (png(cv2.line(np.full((700, 700), 255, np.uint8), (50, 50), (650, 650), 0, 3)), "No closed region"),
}


def test_what_is_nearly_all_dark_is_refused():
    night = np.full((600, 600), 20, np.uint8)
    night[::16] = 255
    with pytest.raises(BadDrawing, match="94% of this picture is dark"):
        ink_of(night)


@pytest.mark.parametrize("name", BAD)
def test_bad_pictures_end_in_a_clear_sentence(name):
    data, words = BAD[name]
    with pytest.raises(BadDrawing, match=words) as problem:
        propose(data, Length(300), Knobs(kind="line"))
    assert str(problem.value).endswith(".")


def test_a_coloured_in_picture_keeps_its_colours():
    lines = draw(grid(3, 1), margin=30)
    picture = np.dstack([lines] * 3)
    picture[30:150, 32:148][lines[30:150, 32:148] > 200] = (90, 170, 230)  # blue, green, red: a warm yellow
    found = propose(png(picture), Length(90))
    assert found.faces == 3
    assert found.read_as.kind == "painted"
    assert (found.colours[2], found.colours[3]) == ("#ffffff", "#ffffff")
    assert float(difference(lab_of(found.colours[1]), lab_of("#e6aa5a"))) < 1
    assert propose(png(np.dstack([lines] * 3)), Length(90)).colours == {}
