"""The practice sheet on paper: exercises at true size, with the marks by which a photo of it is measured."""

from ..intake.marked_sheet import SHEET_MM
from ..practice import Practice
from ..saw.practice_sheet import LEVELS, exercises
from .pdf import POINTS_PER_MM, RED, SOFT, draw_foot, draw_words
from .swatch_pdf import marked_page


def practice_pdf(practice: Practice, level: int, paper: str) -> bytes:
    """One page. Raises `BadChoice` for no level, or paper that is too small."""
    asked = exercises(level)
    buffer, canvas, layout, left, top = marked_page(practice, paper, f"Practice sheet, level {level}")
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
