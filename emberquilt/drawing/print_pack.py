"""The print pack: what is printed to be stuck on wood, sheet by sheet.

Everything is drawn on *planes* of true size, a plane is cut into sheets that overlap, and what has nothing on it is not
printed. A pack is either copies to cut up, or parts ready apart, or one plane a board with its parts in place; the
placement sheet, and what is traced or lies under, go with each.
"""

import io
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
import shapely
from reportlab.lib.colors import HexColor
from reportlab.pdfgen.canvas import Canvas
from shapely import affinity

from ..errors import BadChoice
from ..outline.coverage import largest_circle
from ..outline.paths import path_of
from ..work.composition import Composition
from ..work.parts import Job
from .more_planes import Points, fold_planes, label_planes, template_planes, trace_planes
from .pdf import (
    INK,
    POINTS_PER_MM,
    RED,
    Layout,
    Sheet,
    begin_tile,
    draw_foot,
    draw_line,
    draw_outline,
    draw_words,
    layout_for,
    on_sheet,
    overlap_marks,
)
from .planes import (
    Plane,
    Printed,
    board_planes,
    copy_planes,
    mirrored_plane,
    placement_planes,
    ready_planes,
    under_planes,
)

PACKS = {
    "copies": "copies to cut up",
    "ready": "parts ready apart",
    "boards": "one sheet a board",
    "labels": "labels for the parts",
    "trace": "lines to trace with carbon paper",
    "template": "a template to keep, on hardboard",
    "fold": "both faces, folded over the edge",
}
STUCK = ("copies", "ready", "boards")
"""Packs that are stuck on the wood; the placement sheet and what lies under go with them."""
LINES = {"red": RED, "black": INK}
TINT = 0.22
"""How much of its wood's colour a part on paper is tinted with."""
LEAST_LINE_MM, USUAL_LINE_MM, MOST_LINE_MM = 0.1, 0.3, 1.5
TICK_MM, TICKS_APART_MM = 1.4, 22.0
"""Little strokes on the waste side of a line that is sawn beside."""
MARK_MM = 1.5
LEAST_WORDS_MM, MOST_WORDS_MM = 1.2, 6.0


@dataclass(frozen=True)
class Page:
    """One sheet of paper: a part of a plane, on a page of that size."""

    plane: Plane
    sheet: Sheet
    layout: Layout

    @property
    def title(self) -> str:
        several = len(self.layout.sheets) > 1
        return f"{self.plane.name}, sheet {self.sheet.name}" if several else self.plane.name


@dataclass(frozen=True)
class PrintPack:
    pack: str
    paper: str
    pages: tuple[Page, ...]

    def count(self, *kinds: str) -> int:
        """Sheets of paper of these kinds."""
        return sum(page.plane.kind in kinds for page in self.pages)


def print_pack(
    job: Job,
    pack: str,
    paper: str,
    copies: Mapping[int, int],
    mirrored: bool = False,
    holes: Mapping[str, Points] = {},
) -> PrintPack:
    """The pages of a pack. `copies`: the cutting copy of each piece; `holes`: pilot holes (mm) by part. Raises
    `BadChoice` for what is no pack or paper, or where nothing lies on boards yet."""
    if pack not in PACKS:
        raise BadChoice(f"“{pack[:20]}” is no way to print: {', '.join(PACKS)}.")
    margin = job.composition.practice.print_margin_mm
    layout_for(10, 10, paper, margin)
    planes = _planes(job, pack, paper, copies, holes)
    if mirrored:
        planes = [mirrored_plane(plane) for plane in planes]
    return PrintPack(pack, paper, tuple(page for plane in planes for page in pages_of(plane, paper, margin)))


def _planes(job: Job, pack: str, paper: str, copies: Mapping[int, int], holes: Mapping[str, Points]) -> list[Plane]:
    if pack == "labels":
        return label_planes(job, paper)
    if pack == "trace":
        return trace_planes(job)
    if pack == "template":
        return template_planes(job, holes)
    if pack == "fold":
        return fold_planes(job)
    if pack == "copies":
        cut = copy_planes(job, copies)
    elif pack == "ready":
        cut = ready_planes(job, paper)
    else:
        cut = board_planes(job)
    shown = [part.key for plane in cut for part in plane.parts]
    return [*placement_planes(job), *cut, *under_planes(job, shown)]


def pages_of(plane: Plane, paper: str, margin_mm: float) -> Iterator[Page]:
    """The sheets of a plane that have anything on them."""
    layout = layout_for(plane.width_mm, plane.height_mm, paper, margin_mm)
    shapes = [*(part.outline for part in plane.parts), *plane.edges]
    if not shapes:
        return
    boxes = shapely.bounds(np.array(shapes, object))
    for sheet in layout.sheets:
        if on_sheet(sheet, boxes).any():
            yield Page(plane, sheet, layout)


# -- on paper --------------------------------------------------------------------------------------------------------


def pack_pdf(job: Job, made: PrintPack, line: str = "red", line_mm: float = USUAL_LINE_MM) -> bytes:
    """The pages of a pack, each with its check ruler, stretched by what the printer shrinks. Lines `line_mm` wide."""
    if line not in LINES:
        raise BadChoice(f"Lines are {' or '.join(LINES)}, not “{line[:20]}”.")
    if not LEAST_LINE_MM <= line_mm <= MOST_LINE_MM:
        raise BadChoice(f"Lines are {LEAST_LINE_MM:g} to {MOST_LINE_MM:g} mm wide, not {line_mm:g}.")
    buffer = io.BytesIO()
    canvas = Canvas(buffer, invariant=1)
    canvas.setTitle(f"{job.composition.name}, {PACKS[made.pack]}")
    for i, page in enumerate(made.pages):
        if i:
            canvas.showPage()
        canvas.setPageSize((page.layout.page_width_mm * POINTS_PER_MM, page.layout.page_height_mm * POINTS_PER_MM))
        _draw(canvas, job.composition, page, line, line_mm)
    canvas.save()
    return buffer.getvalue()


def _draw(canvas: Canvas, composition: Composition, page: Page, line: str, line_mm: float) -> None:
    plane, sheet = page.plane, page.sheet
    dx, dy = begin_tile(canvas, page.layout, sheet, composition.practice)
    canvas.setLineWidth(line_mm * POINTS_PER_MM)
    ticked = plane.kind in ("copy", "ready", "board") and composition.practice.fit == "beside"
    if plane.edges:
        canvas.setStrokeColor(INK)
        canvas.setDash([3 * POINTS_PER_MM, 2 * POINTS_PER_MM])
        for edge in plane.edges:
            for body in shapely.get_parts(edge):
                draw_outline(canvas, body, dx, dy)
        canvas.setDash()
    shown = on_sheet(sheet, shapely.bounds(np.array([part.outline for part in plane.parts], object)))
    for i in np.flatnonzero(shown).tolist():
        _part(canvas, plane.parts[i], dx, dy, line)
        if ticked:
            _waste_side(canvas, plane.parts[i], dx, dy)
    canvas.setStrokeColor(INK)
    for (x0, y0), (x1, y1) in plane.lines:
        draw_line(canvas, x0 + dx, y0 + dy, x1 + dx, y1 + dy)
    for x, y in plane.marks:
        draw_line(canvas, x + dx - MARK_MM, y + dy, x + dx + MARK_MM, y + dy)
        draw_line(canvas, x + dx, y + dy - MARK_MM, x + dx, y + dy + MARK_MM)
    canvas.restoreState()
    if len(page.layout.sheets) > 1:
        overlap_marks(canvas, plane.width_mm, plane.height_mm, sheet, dx, dy)
    draw_foot(canvas, page.layout, f"{composition.name}, {page.title}")


def _part(canvas: Canvas, part: Printed, dx: float, dy: float, line: str) -> None:
    canvas.setStrokeColor(LINES[line])
    if part.tint:
        canvas.setFillColor(_tinted(part.tint))
    for body in shapely.get_parts(part.outline):
        if body.geom_type == "Polygon":
            draw_outline(canvas, body, dx, dy, fill=bool(part.tint))
    body = max(shapely.get_parts(part.outline).tolist(), key=lambda one: one.area)
    spot = largest_circle(body)
    words = part.words
    size = min(MOST_WORDS_MM, max(LEAST_WORDS_MM, 0.6 * spot.radius_mm))
    room = 1.9 * spot.radius_mm / (0.55 * size)
    while len(words) > room and " " in words:
        words = words.rpartition(" ")[0]
    x, y = spot.x_mm + dx, spot.y_mm + dy
    if part.notes:
        _card(canvas, part, dx, dy)
        return
    draw_words(canvas, x, y - 0.1 * size, words, size, True, True)
    if part.grain_deg is not None and spot.radius_mm > 3.0:
        drop = 0.55 * min(spot.radius_mm, 14.0)
        _arrow(canvas, x, y + drop, 0.85 * min(spot.radius_mm - drop, drop), part.grain_deg)


def _card(canvas: Canvas, part: Printed, dx: float, dy: float) -> None:
    """A label: its number large, the rest beneath each other, its arrow in the corner."""
    left, top, right, _ = part.outline.bounds
    draw_words(canvas, left + dx + 3, top + dy + 8, part.words, 6.0, True)
    for i, note in enumerate(part.notes):
        draw_words(canvas, left + dx + 3, top + dy + 12.5 + 3.6 * i, note, 2.9)
    if part.grain_deg is not None:
        _arrow(canvas, right + dx - 11, top + dy + 7, 7.0, part.grain_deg)


def _waste_side(canvas: Canvas, part: Printed, dx: float, dy: float) -> None:
    """Short strokes out of the line, on the side that is waste: the blade runs there, and the line stays."""
    for body in shapely.get_parts(shapely.normalize(part.outline)):
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
            inside = shapely.contains_xy(body, *(here + 0.2 * out).T)
            out[inside] *= -1
            for (x, y), (ox, oy) in zip(here.tolist(), out.tolist(), strict=True):
                draw_line(canvas, x + dx, y + dy, x + dx + TICK_MM * ox, y + dy + TICK_MM * oy)


def _arrow(canvas: Canvas, x: float, y: float, reach: float, grain_deg: float) -> None:
    canvas.saveState()
    canvas.setStrokeColor(INK)
    canvas.setLineWidth(0.35 * POINTS_PER_MM)
    canvas.translate(x * POINTS_PER_MM, y * POINTS_PER_MM)
    canvas.rotate(-grain_deg)
    r, head = reach * POINTS_PER_MM, min(2.5, 0.4 * reach) * POINTS_PER_MM
    canvas.lines([(-r, 0, r, 0), (r, 0, r - head, head / 2), (r, 0, r - head, -head / 2)])
    canvas.restoreState()


def _tinted(colour: str) -> HexColor:
    """A colour as a tint of white paper."""
    rgb = [int(colour[i : i + 2], 16) for i in (1, 3, 5)]
    pale = [round(255 - TINT * (255 - v)) for v in rgb]
    return HexColor("#" + "".join(f"{v:02x}" for v in pale))


def page_svg(page: Page) -> dict[str, object]:
    """What a page shows, to be looked at before it is printed: its size in mm, the box of what is drawn, paths and
    words."""
    sheet, margin = page.sheet, page.layout.margin_mm
    window = shapely.box(sheet.left_mm, sheet.top_mm, sheet.left_mm + sheet.width_mm, sheet.top_mm + sheet.height_mm)
    dx, dy = margin - sheet.left_mm, margin - sheet.top_mm
    parts, words = [], []
    for part in page.plane.parts:
        shown = shapely.intersection(shapely.simplify(part.outline, 0.3), window)
        if shown.is_empty:
            continue
        parts.append((path_of(affinity.translate(shown, dx, dy)), part.tint and _tinted(part.tint).hexval()[2:]))
        body = max(shapely.get_parts(part.outline).tolist(), key=lambda one: one.area)
        spot = body.representative_point()
        if window.contains(spot):
            words.append((round(spot.x + dx, 1), round(spot.y + dy, 1), part.words.partition(" ")[0]))
    edges = [path_of(affinity.translate(shapely.intersection(edge, window), dx, dy)) for edge in page.plane.edges]
    return {
        "title": page.title,
        "wide": page.layout.page_width_mm,
        "high": page.layout.page_height_mm,
        "parts": parts,
        "edges": edges,
        "words": words,
        "marks": [(x + dx, y + dy) for x, y in page.plane.marks if window.covers(shapely.Point(x, y))],
        "lines": [(x0 + dx, y0 + dy, x1 + dx, y1 + dy) for (x0, y0), (x1, y1) in page.plane.lines],
    }
