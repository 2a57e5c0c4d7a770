"""The sheet of swatch cards: a field for a slip of each wood, bare and finished, with the marks by which a photo of it
is straightened."""

import io
from collections.abc import Sequence

from reportlab.pdfgen.canvas import Canvas

from ..errors import BadChoice
from ..intake.marked_sheet import SHEET_MM, marks
from ..practice import Practice
from ..rack.swatches import CELL_MM, fields_for
from .pdf import INK, POINTS_PER_MM, SOFT, Layout, draw_foot, draw_words, layout_for, page_axes

LEAST_PAPER = ("Letter", "A4")


def marked_page(practice: Practice, paper: str, title: str) -> tuple[io.BytesIO, Canvas, Layout, float, float]:
    """A page with the four black squares, and where the sheet's upper left lies on it (mm). Raises `BadChoice` for
    paper that is too small."""
    layout = layout_for(*SHEET_MM, paper, practice.print_margin_mm)
    if len(layout.sheets) > 1:
        layout = layout_for(10, 10, paper, practice.print_margin_mm)
    wide, high = layout.page_width_mm, layout.page_height_mm
    left, top = (wide - SHEET_MM[0]) / 2, max(practice.print_margin_mm, (high - SHEET_MM[1]) / 2 - 8)
    if left < 0 or top + SHEET_MM[1] > high:
        raise BadChoice(f"This sheet needs {' or '.join(LEAST_PAPER)}, or larger paper.")
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=(wide * POINTS_PER_MM, high * POINTS_PER_MM), invariant=1)
    canvas.setTitle(title)
    page_axes(canvas, layout, practice)
    canvas.setFillColor(INK)
    for x, y, side in marks():
        corner = (left + x - side / 2) * POINTS_PER_MM, (top + y - side / 2) * POINTS_PER_MM
        canvas.rect(*corner, side * POINTS_PER_MM, side * POINTS_PER_MM, stroke=0, fill=1)
    return buffer, canvas, layout, left, top


def swatch_pdf(practice: Practice, woods: Sequence[str], finish: str, paper: str) -> bytes:
    """One page for these woods by name, and the finish that their second slip wears."""
    fields = fields_for(len(woods))
    buffer, canvas, layout, left, top = marked_page(practice, paper, "Swatch cards")
    draw_words(canvas, left + 22, top + 7, "Swatch cards", 5, bold=True)
    for i, line in enumerate(
        (
            "Lay a slip of each wood in its fields, covering all of them: sanded, bare at the left,",
            f"finished at the right ({finish.lower()}). Photograph the sheet from above in even daylight,",
            "all four black squares on it, and bring the photo.",
        )
    ):
        draw_words(canvas, left + 22, top + 13 + 4 * i, line, 3.2)
    canvas.setLineWidth(0.25 * POINTS_PER_MM)
    canvas.setStrokeColor(SOFT)
    wide, high = CELL_MM
    for field in fields:
        x, y = (left + field.x_mm) * POINTS_PER_MM, (top + field.y_mm) * POINTS_PER_MM
        canvas.rect(x, y, wide * POINTS_PER_MM, high * POINTS_PER_MM, stroke=1, fill=0)
        words = f"{woods[field.wood]}, {'bare' if field.side == 'raw' else 'finished'}"
        draw_words(canvas, left + field.x_mm, top + field.y_mm + high + 3.6, words, 2.8, colour=SOFT)
    draw_foot(canvas, layout, "Swatch cards")
    canvas.save()
    return buffer.getvalue()
