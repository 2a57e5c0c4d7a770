"""Swatch cards: slips of wood, bare and finished, laid on a printed sheet and photographed, so that the shop's own
colours replace those of the table."""

from dataclasses import dataclass

import numpy as np

from ..colour import hex_of, lab_of_linear, linear_of
from ..errors import BadChoice
from ..intake.marked_sheet import PX_PER_MM, straightened
from ..intake.raster_source import read_picture

CELL_MM = (38.0, 30.0)
"""A slip lies in a field so wide and high."""
FIRST_MM, APART_MM = (22.0, 44.0), (66.0, 40.0)
ROWS, COLUMNS = 4, 2
MOST_WOODS = ROWS
WHITE_Y = 0.86
"""What printing paper throws back of the light: own estimate."""
CORE = 0.55
"""Of a field's width and height that is looked at, its middle."""
RING_MM = 5.0
EMPTY_DE = 8.0
LINE_SHARE = 0.06
"""A field that differs less from the paper round it, and whose printed line is darker than that on most of its sides,
holds nothing: white woods are nearly as white as paper, but cover the line."""
LOOK_MM = 1.5
SIDES = ("raw", "finished")


@dataclass(frozen=True, slots=True)
class Field:
    """Where a slip is laid: its upper left corner in mm on the sheet, which wood by its place, and bare or finished."""

    x_mm: float
    y_mm: float
    wood: int
    side: str


@dataclass(frozen=True, slots=True)
class Swatch:
    """What was seen of a wood, by its place: sRGB hex bare and finished, empty where nothing lay there."""

    wood: int
    raw: str
    finished: str


def fields_for(count: int) -> tuple[Field, ...]:
    """Fields of the first so many woods: a row each, bare at the left. Raises `BadChoice` for more than fit."""
    if not 1 <= count <= MOST_WOODS:
        raise BadChoice(f"A swatch sheet holds 1 to {MOST_WOODS} woods; print several for more.")
    return tuple(
        Field(FIRST_MM[0] + n * APART_MM[0], FIRST_MM[1] + row * APART_MM[1], row, side)
        for row in range(count)
        for n, side in enumerate(SIDES)
    )


def swatches_in(data: bytes, count: int) -> tuple[Swatch, ...]:
    """Colours of the slips in a photo of the sheet, each against the paper beside it. Raises `BadDrawing` for no
    picture, `BadChoice` where the sheet or every slip is missing."""
    fields = fields_for(count)
    picture = read_picture(data)
    rgb = picture.rgb if picture.rgb is not None else np.repeat(picture.grey[..., None], 3, axis=2)
    flat = straightened(np.ascontiguousarray(rgb))
    seen: dict[tuple[int, str], str] = {(f.wood, f.side): _colour(flat, f) for f in fields}
    if not any(seen.values()):
        raise BadChoice("No slip lies on the sheet in this photo: lay each in its field, covering all of it.")
    return tuple(Swatch(n, seen[n, SIDES[0]], seen[n, SIDES[1]]) for n in range(count))


def _colour(flat: np.ndarray, field: Field) -> str:
    """The slip's own colour: what it throws back of the light that the paper round it does."""
    x, y, (wide, high) = field.x_mm, field.y_mm, CELL_MM
    dx, dy = wide * (1 - CORE) / 2, high * (1 - CORE) / 2
    core = _pixels(flat, x + dx, y + dy, x + wide - dx, y + high - dy)
    around = [
        _pixels(flat, x, y - RING_MM - 1, x + wide, y - 2),
        _pixels(flat, x, y + high + 2, x + wide, y + high + RING_MM + 1),
        _pixels(flat, x - RING_MM - 1, y, x - 2, y + high),
        _pixels(flat, x + wide + 2, y, x + wide + RING_MM + 1, y + high),
    ]
    # the paper is the brighter half of what lies round: words and the field's line are darker
    paper = np.mean([np.quantile(part, 0.8, axis=0) for part in around], axis=0)
    share = np.median(core, axis=0) / np.maximum(paper, 1e-4) * WHITE_Y
    lab, blank = lab_of_linear(np.clip(share, 0.0, 1.0)), lab_of_linear(np.full(3, WHITE_Y))
    like_paper = np.linalg.norm(np.array(lab) - blank) < EMPTY_DE
    return "" if like_paper and _line_seen(flat, field) else hex_of(lab)


def _line_seen(flat: np.ndarray, field: Field) -> bool:
    """Whether the field's printed line can be seen along at least three of its sides."""
    x, y, (wide, high) = field.x_mm, field.y_mm, CELL_MM
    sides = 0
    for upright, at in ((False, y), (False, y + high), (True, x), (True, x + wide)):
        near, far = at - LOOK_MM, at + LOOK_MM
        strip = _cut(flat, near, y + 4, far, y + high - 4) if upright else _cut(flat, x + 4, near, x + wide - 4, far)
        profile = strip.mean(axis=(0, 2) if upright else (1, 2))
        sides += profile.min() < (1 - LINE_SHARE) * min(profile[:3].mean(), profile[-3:].mean())
    return sides >= 3


def _pixels(flat: np.ndarray, x0: float, y0: float, x1: float, y1: float) -> np.ndarray:
    """Linear light of a rectangle of the sheet, n by 3."""
    return _cut(flat, x0, y0, x1, y1).reshape(-1, 3)


def _cut(flat: np.ndarray, x0: float, y0: float, x1: float, y1: float) -> np.ndarray:
    """The same as it lies, rows by columns by 3."""
    a, b, c, d = (max(0, round(v * PX_PER_MM)) for v in (x0, y0, x1, y1))
    return linear_of(flat[b:d, a:c].astype(float))
