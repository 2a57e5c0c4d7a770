"""What stands on a part on paper, in the millimetres of its plane: words, the grain arrow, the waste side of its line.

Told once, for the page that is looked at and the one that is printed.
"""

import math
from dataclasses import dataclass

import numpy as np
import shapely

from ..outline.coverage import largest_circle
from .mixed import Stroke, mix_marks
from .planes import Plane, Printed

LEAST_WORDS_MM, MOST_WORDS_MM = 1.2, 6.0
TICK_MM, TICKS_APART_MM = 1.4, 22.0
"""Little strokes on the waste side of a line that is sawn beside, and how far apart they stand."""
MARK_MM = 1.5
"""Half an arm of the cross at a place to drill."""
LEAST_ARROW_MM = 3.0
"""A part of a smaller radius has no arrow."""
LETTER_WIDE = 0.55
"""Width of a letter, of its height: Helvetica on the average."""


@dataclass(frozen=True, slots=True)
class Text:
    """Words whose line begins at, or is centred on, a point."""

    x_mm: float
    y_mm: float
    words: str
    size_mm: float
    bold: bool = False
    centred: bool = False


def texts_of(part: Printed) -> list[Text]:
    """Its words at its fattest spot, as many as there is room for; on a label its number large and the rest beneath."""
    if part.notes:
        left, top, _, _ = part.outline.bounds
        notes = [Text(left + 3, top + 12.5 + 3.6 * i, note, 2.9) for i, note in enumerate(part.notes)]
        return [Text(left + 3, top + 8, part.words, 6.0, bold=True), *notes]
    x, y, radius = _spot(part)
    size = min(MOST_WORDS_MM, max(LEAST_WORDS_MM, 0.6 * radius))
    room, words = 1.9 * radius / (LETTER_WIDE * size), part.words
    while len(words) > room and " " in words:
        words = words.rpartition(" ")[0]
    return [Text(x, y - 0.1 * size, words, size, bold=True, centred=True), *_in_slots(part)]


SLOT_WORDS_MM = 2.6


def _in_slots(part: Printed) -> list[Text]:
    """In every slot the number of what goes into it; at one that does not go through also how deep it is."""
    places = [(slot.centroid, words) for slot, words in part.sunk]
    if any(part.in_holes):
        rings = [shapely.Polygon(ring).centroid for ring in part.outline.interiors]
        places += [(at, words) for at, words in zip(rings, part.in_holes, strict=False) if words]
    low = 0.35 * SLOT_WORDS_MM
    return [Text(at.x, at.y + low, words, SLOT_WORDS_MM, centred=True) for at, words in places]


def arrow_of(part: Printed) -> list[Stroke]:
    """Along its grain, beneath its words."""
    if part.grain_deg is None:
        return []
    if part.notes:
        _, top, right, _ = part.outline.bounds
        return _arrow(right - 11, top + 7, 7.0, part.grain_deg)
    x, y, radius = _spot(part)
    if radius <= LEAST_ARROW_MM:
        return []
    drop = 0.55 * min(radius, 14.0)
    return _arrow(x, y + drop, 0.85 * min(radius - drop, drop), part.grain_deg)


def mixed_up(part: Printed) -> list[Stroke]:
    """A small triangle towards the picture's upper side on a part that nearly fits its place turned, and a line under
    the number of one that another looks like."""
    if part.notes:
        left, top, right, _ = part.outline.bounds
        return mix_marks(right - 11, top + 14, 4.0, part.up_deg, False) + (
            [(left + 3, top + 9, left + 3 + LETTER_WIDE * 6.0 * len(part.words), top + 9)] if part.twin else []
        )
    x, y, radius = _spot(part)
    return mix_marks(x, y, min(MOST_WORDS_MM, max(LEAST_WORDS_MM, 0.6 * radius)), part.up_deg, part.twin)


def _spot(part: Printed) -> tuple[float, float, float]:
    body = max(shapely.get_parts(part.outline).tolist(), key=lambda one: one.area)
    spot = largest_circle(body)
    return spot.x_mm, spot.y_mm, spot.radius_mm


def _arrow(x: float, y: float, reach: float, grain_deg: float) -> list[Stroke]:
    # y runs downwards, so what one sees as counter-clockwise is a negative turn here
    angle = math.radians(-grain_deg)
    cosine, sine = math.cos(angle), math.sin(angle)

    def at(along: float, across: float) -> tuple[float, float]:
        return x + along * cosine - across * sine, y + along * sine + across * cosine

    head = min(2.5, 0.4 * reach)
    tip = at(reach, 0)
    return [(*at(-reach, 0), *tip), (*tip, *at(reach - head, head / 2)), (*tip, *at(reach - head, -head / 2))]


def waste_side(part: Printed) -> list[Stroke]:
    """Short strokes out of the line, on the side that is waste: the blade runs there, and the line stays."""
    strokes: list[Stroke] = []
    for body in shapely.get_parts(part.outline):
        for ring in (body.exterior, *body.interiors):
            long = ring.length
            count = max(1, round(long / TICKS_APART_MM))
            at = (np.arange(count) + 0.5) * long / count
            here, there = (
                shapely.get_coordinates(shapely.line_interpolate_point(ring, (at + step) % long))
                for step in (0.0, 0.05)
            )
            along = there - here
            along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
            out = np.c_[along[:, 1], -along[:, 0]]
            out[shapely.contains_xy(body, *(here + 0.2 * out).T)] *= -1
            strokes += [(x0, y0, x1, y1) for x0, y0, x1, y1 in np.c_[here, here + TICK_MM * out].tolist()]
    return strokes


def lines_of(plane: Plane) -> list[Stroke]:
    """What is drawn beside the parts: lines, and a cross at each place to drill."""
    strokes: list[Stroke] = [(x0, y0, x1, y1) for (x0, y0), (x1, y1) in plane.lines]
    for x, y in plane.marks:
        strokes += [(x - MARK_MM, y, x + MARK_MM, y), (x, y - MARK_MM, x, y + MARK_MM)]
    return strokes
