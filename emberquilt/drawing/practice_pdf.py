"""The practice sheet on paper: exercises at true size, with the marks by which a photo of it is measured."""

import io

from reportlab.pdfgen.canvas import Canvas

from ..errors import BadChoice
from ..practice import Practice
from ..saw.practice_sheet import LEVELS, SHEET_MM, exercises, marks
from .pdf import INK, POINTS_PER_MM, RED, SOFT, draw_foot, draw_words, layout_for, page_axes

LEAST_PAPER = ("Letter", "A4")


def practice_pdf(practice: Practice, level: int, paper: str) -> bytes:
    """One page. Raises `BadChoice` for no level, or paper that is too small."""
    asked = exercises(level)
    layout = layout_for(*SHEET_MM, paper, practice.print_margin_mm)
    if len(layout.sheets) > 1:
        layout = layout_for(10, 10, paper, practice.print_margin_mm)
    wide, high = layout.page_width_mm, layout.page_height_mm
    left, top = (wide - SHEET_MM[0]) / 2, max(practice.print_margin_mm, (high - SHEET_MM[1]) / 2 - 8)
    if left < 0 or top + SHEET_MM[1] > high:
        raise BadChoice(f"A practice sheet needs {' or '.join(LEAST_PAPER)}, or larger paper.")
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=(wide * POINTS_PER_MM, high * POINTS_PER_MM), invariant=1)
    canvas.setTitle(f"Practice sheet, level {level}")
    page_axes(canvas, layout, practice)
    canvas.setFillColor(INK)
    for x, y, side in marks():
        corner = (left + x - side / 2) * POINTS_PER_MM, (top + y - side / 2) * POINTS_PER_MM
        canvas.rect(*corner, side * POINTS_PER_MM, side * POINTS_PER_MM, stroke=0, fill=1)
    draw_words(canvas, left + 22, top + 7, f"Level {level}: {LEVELS[level]}", 5, bold=True)
    draw_words(
        canvas, left + 22, top + 13, "Stick it on 6 mm wood or ply, saw on the red lines, lay it on something", 3.2
    )
    draw_words(canvas, left + 22, top + 17, "dark and photograph it from above, all four black squares on it.", 3.2)
    canvas.setLineWidth(0.35 * POINTS_PER_MM)
    for exercise in asked:
        canvas.setStrokeColor(RED)
        for line in exercise.lines:
            path = canvas.beginPath()
            for n, (x, y) in enumerate(line.tolist()):
                (path.lineTo if n else path.moveTo)((left + x) * POINTS_PER_MM, (top + y) * POINTS_PER_MM)
            canvas.drawPath(path)
        low = min(float(line[:, 1].min()) for line in exercise.lines)
        draw_words(canvas, left + 2, top + low + 4, exercise.name, 2.8, colour=SOFT)
    caution = "Eye protection and dust mask; fingers beside the blade; not before somebody has shown you how."
    draw_words(canvas, left + 22, top + SHEET_MM[1] - 2, caution, 2.8)
    draw_foot(canvas, layout, f"Practice sheet, level {level}")
    canvas.save()
    return buffer.getvalue()
