"""Back end for paper: the pattern at true size, tiled with overlap marks and a check ruler on every sheet."""

import io
import math
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from reportlab.lib.colors import HexColor
from reportlab.pdfgen.canvas import Canvas

from ..assembly.alike import alike_of
from ..constants import LONGEST_ROLL_MM, MM_PER_INCH, PAPERS_MM, PRINT_MARGIN_MM, ROLL, ROLL_MM
from ..errors import BadChoice
from ..practice import Practice
from ..units import format_length
from ..work.composition import Layer, Piece
from ..work.parts import Job
from ..work.scene import Shape, shapes_of, wood_mark
from .mixed import mix_marks
from .registration import registration_lines
from .svg import DASHES, arrow_place, label_size_mm

POINTS_PER_MM = 72 / MM_PER_INCH
OVERLAP_MM = 10.0
FOOT_MM = 14.0
"""Below the drawing: sheet name and check ruler."""
RULER_MM = 100.0
CHECK_MM = 150.0
"""Length of the rulers on the check page."""
RED, INK, SOFT = HexColor("#c0271a"), HexColor("#2a2521"), HexColor("#9a8f80")


@dataclass(frozen=True, slots=True)
class Sheet:
    """One page: which part of the work it shows. Column and row count from 0."""

    column: int
    row: int
    left_mm: float
    top_mm: float
    width_mm: float
    height_mm: float

    @property
    def name(self) -> str:
        return f"{chr(65 + self.row) if self.row < 26 else f'R{self.row + 1}-'}{self.column + 1}"


@dataclass(frozen=True, slots=True)
class Layout:
    """The page, upright or on its side, and the sheets that cover the work on it."""

    page_width_mm: float
    page_height_mm: float
    sheets: tuple[Sheet, ...]
    margin_mm: float = PRINT_MARGIN_MM
    """What the printer leaves white all round."""


def layout_for(width_mm: float, height_mm: float, paper: str, margin_mm: float = PRINT_MARGIN_MM) -> Layout:
    """Sheets that cover the work, neighbours overlapping by `OVERLAP_MM`, the page turned so that fewest are needed.

    Raises `BadChoice` for an unknown paper.
    """
    if paper == ROLL:
        return _on_a_roll(width_mm, height_mm, margin_mm)
    if paper not in PAPERS_MM:
        raise BadChoice(f"There is no paper “{paper[:20]}”; choose {', '.join(PAPERS_MM)} or {ROLL}.")
    upright = PAPERS_MM[paper]
    made = (_layout(width_mm, height_mm, *page, margin_mm) for page in (upright, upright[::-1]))
    return min(made, key=lambda layout: len(layout.sheets))


def _on_a_roll(width_mm: float, height_mm: float, margin_mm: float) -> Layout:
    """The work along the roll or across it, whichever takes fewer lengths, each cut off where it ends."""
    room = ROLL_MM - 2 * margin_mm
    long_mm = min(LONGEST_ROLL_MM, max(height_mm, 60.0) + 2 * margin_mm + FOOT_MM)
    if width_mm <= room:
        return _layout(width_mm, height_mm, ROLL_MM, long_mm, margin_mm)
    along = min(LONGEST_ROLL_MM, width_mm + 2 * margin_mm)
    return min(
        (
            _layout(width_mm, height_mm, ROLL_MM, long_mm, margin_mm),
            _layout(width_mm, height_mm, along, ROLL_MM, margin_mm),
        ),
        key=lambda made: len(made.sheets),
    )


def _layout(width_mm: float, height_mm: float, page_width: float, page_height: float, margin_mm: float) -> Layout:
    room_x = page_width - 2 * margin_mm
    room_y = page_height - 2 * margin_mm - FOOT_MM
    if min(room_x, room_y) < 2 * OVERLAP_MM:
        raise BadChoice(f"Between margins of {margin_mm:g} mm nothing is left of that paper but the overlap.")
    columns = max(1, math.ceil((width_mm - OVERLAP_MM) / (room_x - OVERLAP_MM)))
    rows = max(1, math.ceil((height_mm - OVERLAP_MM) / (room_y - OVERLAP_MM)))
    sheets = tuple(
        Sheet(c, r, c * (room_x - OVERLAP_MM), r * (room_y - OVERLAP_MM), room_x, room_y)
        for r in range(rows)
        for c in range(columns)
    )
    return Layout(page_width, page_height, sheets, margin_mm)


@dataclass(frozen=True)
class Paper:
    """What one set of sheets shows: pieces of a layer with their words, or outlines of what lies under them."""

    name: str
    shapes: tuple[Shape, ...]
    outlines: tuple[shapely.Geometry, ...]
    layer: Layer | None = None


def papers_of(job: Job) -> list[Paper]:
    """One for each layer, back to front; then backers, shims and spacers, if there are any."""
    papers = []
    for i, layer in enumerate(job.composition.layers, 1):
        made = layer.without_openings
        if made.pieces:
            name = f"{i} {layer.name}" if len(job.composition.layers) > 1 else ""
            papers.append(Paper(name, shapes_of(made.coverage), made.coverage.outlines, made))
    under = (*job.grounds, *job.shims, *job.stands)
    if under:
        roles = " and ".join(dict.fromkeys(part.role for part in under))
        papers.append(Paper(roles, (), tuple(part.outline for part in under)))
    return papers


def pattern_pdf(job: Job, paper: str, copies: Mapping[int, int]) -> bytes:
    """A sheet of instructions, then the tiles at true size, layer by layer, with registration marks that agree between
    layers. `copies`: the paper copy that each piece is cut from. Raises `BadChoice` for an unknown paper.

    Coordinates are placed in PDF points of 1/72 in with 25.4 mm to the inch and no scaling afterwards.
    """
    composition = job.composition
    layout = layout_for(composition.width_mm, composition.height_mm, paper, composition.practice.print_margin_mm)
    size = layout.page_width_mm * POINTS_PER_MM, layout.page_height_mm * POINTS_PER_MM
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=size, invariant=1)
    canvas.setTitle(f"{composition.name}, pattern")
    papers = papers_of(job)
    _cover(canvas, job, layout, papers, copies)
    for own in papers:
        boxes = shapely.bounds(list(own.outlines))
        for sheet in layout.sheets:
            if on_sheet(sheet, boxes).any():
                canvas.showPage()
                _tile(canvas, job, own, sheet, layout, boxes, copies)
    canvas.save()
    return buffer.getvalue()


def on_sheet(sheet: Sheet, boxes: np.ndarray) -> np.ndarray:
    """Which of these boxes reach onto a sheet."""
    right, bottom = sheet.left_mm + sheet.width_mm, sheet.top_mm + sheet.height_mm
    x0, y0, x1, y1 = boxes.T
    return (x1 >= sheet.left_mm) & (x0 <= right) & (y1 >= sheet.top_mm) & (y0 <= bottom)


def _instructions(job: Job, layout: Layout, papers: list[Paper], copies: Mapping[int, int]) -> list[str]:
    composition, practice = job.composition, job.composition.practice
    width, height = (
        format_length(v, practice.unit, practice.denominator) for v in (composition.width_mm, composition.height_mm)
    )
    most = max(copies.values(), default=1)
    layers = sum(1 for own in papers if own.layer is not None)
    sheets = f"takes {len(layout.sheets)} sheet{'' if len(layout.sheets) == 1 else 's'}"
    lines = [
        f"{width} wide, {height} high, {len(composition.made)} pieces"
        + (f" in {layers} layers." if layers > 1 else "."),
        f"Print at 100 %, “actual size”. Then measure the ruler on each sheet: it is {RULER_MM:g} "
        f"mm, or 4 inches, long.",
    ]
    if layers > 1:
        lines += [
            f"A whole layer {sheets} at most. Fitted pieces take {most + 1} copies of their "
            f"layer, {most} to cut up, so that",
            "neighbours never come from the same one, and one to lay them on; a sheet takes one "
            "copy and one to lay on.",
            "The crosses near the corners lie in the same place in every layer: cross on cross, layer over layer.",
        ]
    else:
        lines += [
            f"Each copy {sheets}. Print {most + 2} copies: {most} to cut up, so that neighbours never",
            "come from the same one, one to lay the pieces on, one to trace the backer from.",
        ]
    return [
        *lines,
        f"Neighbouring sheets overlap by {OVERLAP_MM:g} mm: lay cross on cross, then tape.",
        "On each piece: number, wood, and the letter of the copy it is cut from. The arrow is the grain.",
    ]


def _cover(canvas: Canvas, job: Job, layout: Layout, papers: list[Paper], copies: Mapping[int, int]) -> None:
    page_axes(canvas, layout)
    composition = job.composition
    page_width, page_height, sheets = layout.page_width_mm, layout.page_height_mm, layout.sheets
    draw_words(canvas, layout.margin_mm, 26, composition.name, 9, bold=True)
    lines = _instructions(job, layout, papers, copies)
    for i, line in enumerate(lines):
        draw_words(canvas, layout.margin_mm, 36 + 6 * i, line, 3.6)
    top = 36 + 6 * len(lines) + 8
    room = page_height - top - layout.margin_mm - FOOT_MM
    scale = min((page_width - 2 * layout.margin_mm) / composition.width_mm, room / composition.height_mm)
    canvas.saveState()
    canvas.translate(layout.margin_mm * POINTS_PER_MM, top * POINTS_PER_MM)
    canvas.scale(scale, scale)
    canvas.setStrokeColor(INK)
    canvas.setLineWidth(0.5 / scale)
    for seen in job.seen_of.values():
        for part in shapely.get_parts(seen):
            if part.geom_type == "Polygon" and not part.is_empty:
                draw_outline(canvas, part, 0.0, 0.0)
    canvas.setStrokeColor(RED)
    for sheet in sheets:
        canvas.setLineWidth(0.7 / scale)
        wide = min(sheet.width_mm, composition.width_mm - sheet.left_mm)
        high = min(sheet.height_mm, composition.height_mm - sheet.top_mm)
        canvas.rect(*(v * POINTS_PER_MM for v in (sheet.left_mm, sheet.top_mm, wide, high)))
        draw_words(
            canvas, sheet.left_mm + 4 / scale, sheet.top_mm + 7 / scale, sheet.name, 5 / scale, bold=True, colour=RED
        )
    canvas.restoreState()
    draw_foot(canvas, layout, f"{composition.name}, how to print")


def _tile(
    canvas: Canvas, job: Job, own: Paper, sheet: Sheet, layout: Layout, boxes: np.ndarray, copies: Mapping[int, int]
) -> None:
    composition, alike = job.composition, alike_of(job)
    dx, dy = begin_tile(canvas, layout, sheet, composition.practice)
    for i in np.flatnonzero(on_sheet(sheet, boxes)).tolist():
        for part in shapely.get_parts(own.outlines[i]):
            draw_outline(canvas, part, dx, dy)
        if own.layer is not None:
            shape, piece = own.shapes[i], own.layer.by_key[own.shapes[i].key]
            letter = "ABCD"[copies[piece.key] - 1] if piece.key in copies else ""
            _piece_words(canvas, shape, piece, wood_mark(composition, piece), dx, dy, letter)
            up = 90.0 if str(piece.key) in alike.turned_of else None
            twin = str(piece.key) in alike.twins_of
            for stroke in mix_marks(shape.spot.x_mm + dx, shape.spot.y_mm + dy, label_size_mm(shape), up, twin):
                draw_line(canvas, *stroke)
            canvas.setStrokeColor(RED)
    if own.layer is not None:
        canvas.setStrokeColor(INK)
        for detail in composition.decisions.pattern.details:
            canvas.setDash([float(mm) * POINTS_PER_MM for mm in DASHES[detail.how].split()])
            for (x0, y0), (x1, y1) in pairwise(detail.line):
                draw_line(canvas, x0 + dx, y0 + dy, x1 + dx, y1 + dy)
        canvas.setDash()
    if len(composition.layers) > 1:
        canvas.setStrokeColor(INK)
        for (x0, y0), (x1, y1) in registration_lines(composition):
            draw_line(canvas, x0 + dx, y0 + dy, x1 + dx, y1 + dy)
    canvas.restoreState()
    overlap_marks(canvas, composition.width_mm, composition.height_mm, sheet, dx, dy)
    draw_foot(canvas, layout, ", ".join(word for word in (composition.name, own.name, f"sheet {sheet.name}") if word))


def begin_tile(canvas: Canvas, layout: Layout, sheet: Sheet, practice: Practice) -> tuple[float, float]:
    """A page for one part of a drawing at true size, in red lines that end at its margins, until `restoreState`; gives
    how far (mm) what is drawn is moved."""
    page_axes(canvas, layout, practice)
    canvas.saveState()
    window = canvas.beginPath()
    window.rect(*(v * POINTS_PER_MM for v in (layout.margin_mm, layout.margin_mm, sheet.width_mm, sheet.height_mm)))
    canvas.clipPath(window, stroke=0)
    canvas.setLineWidth(0.3 * POINTS_PER_MM)
    canvas.setStrokeColor(RED)
    return layout.margin_mm - sheet.left_mm, layout.margin_mm - sheet.top_mm


def page_axes(canvas: Canvas, layout: Layout, practice: Practice | None = None) -> None:
    """y downwards from the page's upper left corner, as everywhere else in the core; still in points.

    With a practice, stretched about the printable corner by what its printer shrinks.
    """
    canvas.transform(1, 0, 0, -1, 0, layout.page_height_mm * POINTS_PER_MM)
    if practice is not None:
        across, down = CHECK_MM / practice.ruler_across_mm, CHECK_MM / practice.ruler_down_mm
        corner = layout.margin_mm * POINTS_PER_MM
        canvas.transform(across, 0, 0, down, corner * (1 - across), corner * (1 - down))


def check_pdf(practice: Practice, paper: str) -> bytes:
    """A page with a ruler across and one down, `CHECK_MM` long, printed without any correction, to be measured."""
    layout = layout_for(10, 10, paper, practice.print_margin_mm)
    size = layout.page_width_mm * POINTS_PER_MM, layout.page_height_mm * POINTS_PER_MM
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=size, invariant=1)
    canvas.setTitle("Check page")
    page_axes(canvas, layout)
    left, top = 22.0, 60.0
    draw_words(canvas, left, 24, "Check page", 8, bold=True)
    for i, line in enumerate(
        (
            "Print at 100 %, “actual size”, on the printer that will print the pattern. Measure both rulers",
            f"between their end marks. Each should be {CHECK_MM:g} mm. Type what yours measure at Pattern,",
            "“how it is done here”: the pages of the pattern are then stretched to come out true.",
        )
    ):
        draw_words(canvas, left, 34 + 6 * i, line, 3.6)
    canvas.setStrokeColor(INK)
    canvas.setLineWidth(0.2 * POINTS_PER_MM)
    for mm in range(0, int(CHECK_MM) + 1):
        long = 6.0 if mm % 10 == 0 else 4.0 if mm % 5 == 0 else 2.0
        draw_line(canvas, left + mm, top, left + mm, top + long)
        draw_line(canvas, left, top + mm, left + long, top + mm)
        if mm % 10 == 0:
            draw_words(canvas, left + mm, top - 2, str(mm), 3, centre=True)
            draw_words(canvas, left - 6, top + mm + 1, str(mm), 3)
    draw_line(canvas, left, top, left + CHECK_MM, top)
    draw_line(canvas, left, top, left, top + CHECK_MM)
    canvas.save()
    return buffer.getvalue()


def draw_line(canvas: Canvas, x0: float, y0: float, x1: float, y1: float) -> None:
    canvas.line(*(v * POINTS_PER_MM for v in (x0, y0, x1, y1)))


def draw_words(canvas, x_mm, y_mm, text, size_mm, bold=False, centre=False, colour=INK) -> None:
    canvas.saveState()
    canvas.translate(x_mm * POINTS_PER_MM, y_mm * POINTS_PER_MM)
    canvas.scale(1, -1)
    canvas.setFillColor(colour)
    canvas.setFont("Helvetica-Bold" if bold else "Helvetica", size_mm * POINTS_PER_MM)
    (canvas.drawCentredString if centre else canvas.drawString)(0, 0, text)
    canvas.restoreState()


def draw_outline(canvas: Canvas, outline: shapely.Polygon, dx: float, dy: float, fill: bool = False) -> None:
    path = canvas.beginPath()
    for ring in (outline.exterior, *outline.interiors):
        points = ((shapely.get_coordinates(ring) + [dx, dy]) * POINTS_PER_MM).tolist()
        path.moveTo(*points[0])
        for x, y in points[1:-1]:
            path.lineTo(x, y)
        path.close()
    canvas.drawPath(path, fill=int(fill))


def _piece_words(canvas, shape: Shape, piece: Piece, mark: str, dx: float, dy: float, letter: str) -> None:
    size = label_size_mm(shape)
    x, y = shape.spot.x_mm + dx, shape.spot.y_mm + dy
    draw_words(canvas, x, y - 0.1 * size, " ".join(p for p in (str(piece.number), mark, letter) if p), size, True, True)
    if mark:
        arrow_x, arrow_y, reach = arrow_place(shape)
        canvas.saveState()
        canvas.setStrokeColor(INK)
        canvas.setLineWidth(0.35 * POINTS_PER_MM)
        canvas.translate((arrow_x + dx) * POINTS_PER_MM, (arrow_y + dy) * POINTS_PER_MM)
        canvas.rotate(-(piece.grain_deg or 0.0))
        r, head = reach * POINTS_PER_MM, min(2.5, 0.4 * reach) * POINTS_PER_MM
        canvas.lines([(-r, 0, r, 0), (r, 0, r - head, head / 2), (r, 0, r - head, -head / 2)])
        canvas.restoreState()


def overlap_marks(canvas, width_mm: float, height_mm: float, sheet: Sheet, dx: float, dy: float) -> None:
    """Crosses on a grid that neighbouring sheets share, in the middle of each overlap."""
    canvas.saveState()
    canvas.setStrokeColor(SOFT)
    canvas.setLineWidth(0.25 * POINTS_PER_MM)
    xs = [sheet.left_mm + OVERLAP_MM / 2, sheet.left_mm + sheet.width_mm - OVERLAP_MM / 2]
    ys = [sheet.top_mm + OVERLAP_MM / 2, sheet.top_mm + sheet.height_mm - OVERLAP_MM / 2]
    for x in xs:
        for y in ys:
            if x < width_mm + OVERLAP_MM and y < height_mm + OVERLAP_MM:
                px, py, arm = (x + dx) * POINTS_PER_MM, (y + dy) * POINTS_PER_MM, 4 * POINTS_PER_MM
                canvas.lines([(px - arm, py, px + arm, py), (px, py - arm, px, py + arm)])
    canvas.restoreState()


def draw_foot(canvas, layout: Layout, words: str) -> None:
    """Sheet name and check ruler: 100 mm above the line, 4 in below it."""
    page_width, page_height = layout.page_width_mm, layout.page_height_mm
    y = page_height - layout.margin_mm - 4
    left = page_width - layout.margin_mm - 4 * MM_PER_INCH - 2
    draw_words(canvas, layout.margin_mm, y, words, 3.5)
    canvas.saveState()
    canvas.setStrokeColor(INK)
    canvas.setLineWidth(0.25 * POINTS_PER_MM)
    p = POINTS_PER_MM
    canvas.line(left * p, y * p, (left + RULER_MM) * p, y * p)
    canvas.lines(
        [
            ((left + i) * p, y * p, (left + i) * p, (y - (4 if i % 10 == 0 else 2 if i % 5 == 0 else 1.2)) * p)
            for i in range(int(RULER_MM) + 1)
        ]
    )
    canvas.lines(
        [
            (
                (left + i * MM_PER_INCH / 8) * p,
                (y + 0.6) * p,
                (left + i * MM_PER_INCH / 8) * p,
                (y + (4 if i % 8 == 0 else 2 if i % 4 == 0 else 1.2)) * p,
            )
            for i in range(33)
        ]
    )
    canvas.restoreState()
    draw_words(canvas, left - 22, y - 1, "100 mm", 2.8)
    draw_words(canvas, left - 22, y + 3, "4 in", 2.8)
