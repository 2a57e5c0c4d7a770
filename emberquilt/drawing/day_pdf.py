"""The day sheet on paper: what is done on one day, in order, with boxes to tick, and the picture with its parts."""

import datetime as dt
import io
from collections.abc import Sequence
from dataclasses import dataclass

from reportlab.lib.colors import HexColor
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfgen.canvas import Canvas

from ..calendar.schedule import Schedule, Slot
from ..calendar.shop import held_words
from ..constants import PAPERS_MM, ROLL
from ..errors import BadChoice
from ..units import format_minutes
from ..work.composition import Composition
from ..work.copies import any_copy
from .pdf import INK, POINTS_PER_MM, SOFT, draw_line, draw_outline, draw_words, layout_for, page_axes

PICTURE_MM = (58.0, 44.0)
LIT = HexColor("#e2c98c")
ROW_MM, LINE_MM = 11.0, 4.4
MOST_PARTS = 14


@dataclass
class _Page:
    """A page and how far down it is filled."""

    canvas: Canvas
    wide: float
    tall: float
    margin: float
    y: float


def day_pdf(plan: Schedule, composition: Composition, days: Sequence[dt.date]) -> bytes:
    """A sheet for each of these days. Raises `BadChoice` where nothing is planned on one of them."""
    practice = composition.practice
    paper = practice.paper if practice.paper != ROLL else "Letter"
    wide, tall = PAPERS_MM[paper]
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=(wide * POINTS_PER_MM, tall * POINTS_PER_MM), invariant=1)
    canvas.setTitle(f"{composition.name}: day sheet")
    for day in days:
        slots = [slot for slot in plan.slots if slot.begin.date() == day]
        if not slots:
            raise BadChoice(f"Nothing is planned on {day:%a %d %b %Y}.")
        _day(canvas, plan, composition, day, slots, (wide, tall))
    canvas.save()
    return buffer.getvalue()


def _day(
    canvas: Canvas,
    plan: Schedule,
    composition: Composition,
    day: dt.date,
    slots: list[Slot],
    size: tuple[float, float],
) -> None:
    page = _begin(canvas, composition, size)
    draw_words(canvas, page.margin, page.margin + 7, f"{day:%A} {day.day} {day:%B}", 8, bold=True)
    hands = format_minutes(sum(slot.minutes for slot in slots))
    spans = f"{slots[0].begin:%H:%M} to {max(slot.end for slot in slots):%H:%M}, {hands} of hands"
    draw_words(canvas, page.margin, page.margin + 13, f"{_shortened(composition.name, 60)}: {spans}", 4)
    if plan.finish:
        done = f"All is done {plan.finish:%A} {plan.finish.day} {plan.finish:%B}"
        draw_words(canvas, page.margin, page.margin + 18.5, done, 3.6, colour=SOFT)
    _picture(canvas, page, composition, slots)
    page.y = page.margin + max(26.0, PICTURE_MM[1] + 6)
    cautions: dict[str, None] = {}
    for slot in slots:
        _row(page, composition, slot, size)
        if slot.step.caution:
            cautions[slot.step.caution] = None
    for caution in cautions:
        for line in _lines(caution, page.wide - 2 * page.margin - 4, 3.4):
            _room(page, composition, LINE_MM, size)
            draw_words(canvas, page.margin, page.y, line, 3.4)
            page.y += LINE_MM
    canvas.showPage()


def _begin(canvas: Canvas, composition: Composition, size: tuple[float, float]) -> _Page:
    margin = composition.practice.print_margin_mm
    page_axes(canvas, layout_for(10, 10, _paper(size), margin))
    canvas.setStrokeColor(INK)
    canvas.setLineWidth(0.3 * POINTS_PER_MM)
    return _Page(canvas, size[0], size[1], margin, margin)


def _paper(size: tuple[float, float]) -> str:
    return next(name for name, mm in PAPERS_MM.items() if mm == size)


def _picture(canvas: Canvas, page: _Page, composition: Composition, slots: list[Slot]) -> None:
    """Small, with what is handled that day filled."""
    scale = min(PICTURE_MM[0] / composition.width_mm, PICTURE_MM[1] / composition.height_mm)
    lit = {any_copy(part) for slot in slots if not slot.step.work for part in slot.does}
    canvas.saveState()
    left = page.wide - page.margin - scale * composition.width_mm
    canvas.translate(left * POINTS_PER_MM, page.margin * POINTS_PER_MM)
    canvas.scale(scale, scale)
    canvas.setLineWidth(0.2 * POINTS_PER_MM / scale)
    canvas.setFillColor(LIT)
    for layer in composition.layers:
        for key, outline in layer.without_openings.coverage.by_key.items():
            draw_outline(canvas, outline, 0, 0, str(key) in lit)
    canvas.restoreState()


def _row(page: _Page, composition: Composition, slot: Slot, size: tuple[float, float]) -> None:
    """A box, the time, what, how long, with which parts, and what then waits."""
    canvas, left = page.canvas, page.margin
    words = _lines(slot.label, page.wide - 2 * left - 60, 4.4)
    more = _more(composition, slot)
    _room(page, composition, ROW_MM + LINE_MM * (len(words) + len(more) - 1), size)
    canvas.rect(left * POINTS_PER_MM, (page.y - 3.6) * POINTS_PER_MM, 4.4 * POINTS_PER_MM, 4.4 * POINTS_PER_MM)
    draw_words(canvas, left + 8, page.y, f"{slot.begin:%H:%M}", 4.4, bold=True)
    who = f", {slot.lane}" if slot.lane and slot.lane != "One" else ""
    draw_words(canvas, page.wide - left - 34, page.y, f"{format_minutes(slot.minutes)}{who}", 4)
    for line in words:
        draw_words(canvas, left + 24, page.y, line, 4.4)
        page.y += LINE_MM + 0.8
    for line in more:
        draw_words(canvas, left + 24, page.y, line, 3.4, colour=SOFT)
        page.y += LINE_MM
    draw_line(canvas, left, page.y - 1.2, page.wide - left, page.y - 1.2)
    page.y += 5.4


def _more(composition: Composition, slot: Slot) -> list[str]:
    lines = []
    pieces = composition.by_key
    own = () if slot.step.work else slot.does
    keys = [name for part in own if (name := any_copy(part)).isdecimal() and int(name) in pieces]
    numbers = [str(pieces[int(key)].number) for key in dict.fromkeys(keys)]
    if numbers:
        rest = f" and {len(numbers) - MOST_PARTS} more" if len(numbers) > MOST_PARTS else ""
        lines.append(f"Pieces {', '.join(numbers[:MOST_PARTS])}{rest}")
    if slot.step.held:
        lines.append(f"Holds {held_words(slot.step.held)}")
    if slot.wait_minutes >= 1:
        lines.append(f"Then it waits until {slot.ready:%a %H:%M}")
    return lines


def _room(page: _Page, composition: Composition, tall: float, size: tuple[float, float]) -> None:
    """A new page where the rest of this one is too short."""
    if page.y + tall > page.tall - page.margin:
        page.canvas.showPage()
        fresh = _begin(page.canvas, composition, size)
        page.y = fresh.margin + 6


def _lines(text: str, wide_mm: float, size_mm: float) -> list[str]:
    """A text in lines that are no wider."""
    lines, line = [], ""
    for word in text.split():
        longer = f"{line} {word}".strip()
        if line and stringWidth(longer, "Helvetica", size_mm) > wide_mm:
            lines.append(line)
            longer = word
        line = longer
    return [*lines, line]


def _shortened(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
