"""The back of the work on paper, as one sees it from behind: its outline, where it hangs, and the words that stand on
it."""

import io

import numpy as np
import shapely
from reportlab.pdfgen.canvas import Canvas

from ..errors import BadChoice
from ..intake.lettering import set_text
from ..outline.coverage import largest_circle
from ..relief.hanging import HANGERS, Hanger, hanging_of
from ..work.parts import Job, region_of
from .pdf import (
    POINTS_PER_MM,
    Layout,
    Sheet,
    begin_tile,
    draw_foot,
    draw_line,
    draw_outline,
    draw_words,
    layout_for,
    on_sheet,
)

LETTERS = "hepta-slab"
CLEAR_MM = 14.0
"""Words keep so far from a hanger."""
WORDS_OF_ROOM = 0.86


def mirrored(shape: shapely.Geometry, width_mm: float) -> shapely.Geometry:
    """As seen from behind: left for right."""
    return shapely.transform(shape, lambda xy: np.c_[width_mm - xy[:, 0], xy[:, 1]])


def words_on_back(job: Job, hangers: tuple[Hanger, ...]) -> shapely.Geometry | None:
    """The letters as regions in mm as seen from behind, as large as the widest free place of the back lets them; none
    where nothing is to be written. Raises `BadChoice` where no place has room."""
    text = job.composition.decisions.relief.back
    if not text:
        return None
    width = job.composition.width_mm
    body = mirrored(back_of(job), width)
    taken = [shapely.Point(width - h.x_mm, h.y_mm).buffer(CLEAR_MM) for h in hangers]
    free = shapely.difference(shapely.buffer(body, -3.0), shapely.union_all(taken)) if taken else body.buffer(-3.0)
    letters = shapely.union_all([one for one in set_text(text, LETTERS).letters if not one.is_empty])
    left, top, right, bottom = letters.bounds
    if not right > left:
        raise BadChoice("None of these words can be set with the letters at hand.")
    place = _room_for(free, (right - left) / max(bottom - top, 1e-6))
    if place is None:
        raise BadChoice("The back has no room for words beside its hangers.")
    x, y, wide = place
    scale = wide * WORDS_OF_ROOM / (right - left)
    middle = np.array([(left + right) / 2, (top + bottom) / 2])
    return shapely.transform(letters, lambda xy: (xy - middle) * scale + [x, y])


def _room_for(free: shapely.Geometry, ratio: float) -> tuple[float, float, float] | None:
    """The middle and the width of the widest upright rectangle of this shape (width over height) that was found to fit:
    the free place is squeezed to make it a square, whose half diagonal fits into the largest circle there."""
    best = None
    for part in shapely.get_parts(free).tolist():
        if part.geom_type != "Polygon" or part.is_empty:
            continue
        squeezed = shapely.transform(part, lambda xy: xy * [1 / ratio, 1.0])
        spot = largest_circle(squeezed)
        side = spot.radius_mm * 2**0.5
        if side > 1.0 and (best is None or side * ratio > best[2]):
            best = spot.x_mm * ratio, spot.y_mm, side * ratio
    return best


def back_of(job: Job) -> shapely.Geometry:
    """What is seen from behind: the backers, or the rearmost layer."""
    if job.grounds:
        return shapely.union_all([ground.outline for ground in job.grounds])
    if job.rear is None:
        raise BadChoice("There is nothing to print the back of.")
    return region_of(job.rear)


def back_pdf(job: Job, paper: str) -> bytes:
    """The back at true size, tiled, seen from behind: stuck on or traced as it lies, the words read right. Raises
    `BadChoice`."""
    composition = job.composition
    body = mirrored(back_of(job), composition.width_mm)
    hangers = hanging_of(job).hangers
    letters = words_on_back(job, hangers)
    layout = layout_for(composition.width_mm, composition.height_mm, paper, composition.practice.print_margin_mm)
    buffer = io.BytesIO()
    size = layout.page_width_mm * POINTS_PER_MM, layout.page_height_mm * POINTS_PER_MM
    canvas = Canvas(buffer, pagesize=size, invariant=1)
    canvas.setTitle(f"{composition.name}, the back")
    box = np.array([body.bounds])
    first = True
    for sheet in layout.sheets:
        if not on_sheet(sheet, box).any():
            continue
        if not first:
            canvas.showPage()
        first = False
        _tile(canvas, job, body, letters, hangers, sheet, layout)
    canvas.save()
    return buffer.getvalue()


def _tile(canvas, job: Job, body, letters, hangers: tuple[Hanger, ...], sheet: Sheet, layout: Layout) -> None:
    composition = job.composition
    dx, dy = begin_tile(canvas, layout, sheet, composition.practice)
    for part in shapely.get_parts(body):
        draw_outline(canvas, part, dx, dy)
    if letters is not None:
        for part in shapely.get_parts(letters):
            draw_outline(canvas, part, dx, dy)
    for hanger in hangers:
        x, y = composition.width_mm - hanger.x_mm + dx, hanger.y_mm + dy
        draw_line(canvas, x - 8, y, x + 8, y)
        draw_line(canvas, x, y - 8, x, y + 8)
        draw_words(canvas, x, y + 13, HANGERS[hanger.kind], 3.2, centre=True)
    canvas.restoreState()
    draw_foot(canvas, layout, f"{composition.name}, the back seen from behind, sheet {sheet.name}")
