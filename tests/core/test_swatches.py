"""Swatch cards: the printed sheet, slips pasted on its picture by code, seen slantwise and in slanting light."""

import cv2
import numpy as np
import pypdfium2
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.colour import hex_apart, rgb_of
from emberquilt.drawing.swatch_pdf import swatch_pdf
from emberquilt.errors import BadChoice
from emberquilt.intake.marked_sheet import SHEET_MM, marks
from emberquilt.practice import Practice
from emberquilt.rack.swatches import CELL_MM, fields_for, swatches_in
from emberquilt.rack.woods import woods

DPI = 150
PAPER = 0.86
"""What printing paper throws back, and what the reading takes it for: own estimate."""


def photographed(codes: list[str], missing: int = -1, seed: int = 1) -> bytes:
    """The printed sheet with slips of these woods on it, as a lens sees it that is off level, the light from one side
    and yellowish."""
    rng = np.random.default_rng(seed)
    data = swatch_pdf(Practice(paper="A4"), [woods()[code].name for code in codes], "Oil", "A4")
    page = pypdfium2.PdfDocument(data)[0].render(scale=DPI / 72).to_numpy()[..., :3].astype(float)
    # where the sheet's upper left lies on the page
    dark = np.argwhere(page[: len(page) // 5, :, 0] < 60)
    top, left = dark.min(axis=0)
    px = DPI / 25.4
    linear = (page / 255) ** 2.2 * PAPER
    for field in fields_for(len(codes)):
        wood = woods()[codes[field.wood]]
        if field.wood == missing and field.side == "finished":
            continue
        colour = (np.array(rgb_of(wood.raw if field.side == "raw" else wood.finished)) / 255) ** 2.2
        x0, y0 = left + field.x_mm * px, top + field.y_mm * px
        a, b, c, d = (round(v) for v in (y0 - 2, y0 + CELL_MM[1] * px + 2, x0 - 2, x0 + CELL_MM[0] * px + 2))
        linear[a:b, c:d] = colour
    high, wide = linear.shape[:2]
    xs = np.linspace(0.75, 1.0, wide)[None, :, None]
    linear = linear * xs * np.array([1.0, 0.96, 0.86])
    picture = (np.clip(linear, 0, 1) ** (1 / 2.2) * 255) + rng.normal(0, 3, linear.shape)
    corners = np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float32)
    moved = corners + rng.uniform(-18, 18, (4, 2)).astype(np.float32) + 60
    made = cv2.warpPerspective(
        np.clip(picture, 0, 255).astype(np.uint8),
        cv2.getPerspectiveTransform(corners, moved),
        (wide + 120, high + 120),
        borderValue=(120, 110, 100),
    )
    return cv2.imencode(".png", made[..., ::-1])[1].tobytes()


@settings(max_examples=6)
@given(st.lists(st.sampled_from(["cherry", "walnut", "holly", "padauk", "maple"]), min_size=1, max_size=4, unique=True))
def test_colours_come_back_from_a_photo_of_the_sheet(codes):
    seen = swatches_in(photographed(codes, seed=len(codes)), len(codes))
    for code, swatch in zip(codes, seen, strict=True):
        # CIEDE2000; two boards of one wood differ by more
        assert hex_apart(woods()[code].raw, swatch.raw) < 3.0
        assert hex_apart(woods()[code].finished, swatch.finished) < 3.0


def test_what_is_missing_is_told():
    seen = swatches_in(photographed(["cherry", "walnut"], missing=1), 2)
    assert seen[1].raw
    assert seen[1].finished == ""
    blank = np.full((900, 700, 3), 235, np.uint8)
    with pytest.raises(BadChoice, match="black squares"):
        swatches_in(cv2.imencode(".png", blank)[1].tobytes(), 2)
    with pytest.raises(BadChoice, match="1 to 4 woods"):
        fields_for(5)


def test_fields_keep_clear_of_each_other_and_of_the_marks():
    fields = [shapely.box(f.x_mm, f.y_mm, f.x_mm + CELL_MM[0], f.y_mm + CELL_MM[1]) for f in fields_for(4)]
    squares = [shapely.box(x - s / 2, y - s / 2, x + s / 2, y + s / 2) for x, y, s in marks()]
    every = [*fields, *squares]
    assert shapely.union_all(every).area == pytest.approx(sum(one.area for one in every))
    assert all(shapely.box(0, 0, *SHEET_MM).contains(one) for one in fields)
