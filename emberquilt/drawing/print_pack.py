"""The print pack: what is printed to be stuck on wood, sheet by sheet.

Everything is drawn on *planes* of true size, a plane is cut into sheets that overlap, and what has nothing on it is not
printed. A pack is either copies to cut up, or parts ready apart, or one plane a board with its parts in place; the
placement sheet, and what is traced or lies under, go with each.
"""

import io
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from reportlab.lib.colors import HexColor
from reportlab.pdfgen.canvas import Canvas
from shapely import affinity

from ..errors import BadChoice
from ..outline.paths import path_of
from ..saw.cuts import Drilled
from ..work.composition import Composition
from ..work.parts import Job
from .more_planes import drill_planes, fold_planes, label_planes, template_planes, trace_planes
from .on_paper import Stroke, Text, arrow_of, lines_of, mixed_up, texts_of, waste_side
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
from .space_planes import coupon_planes, face_planes, pile_planes

PACKS = {
    "copies": "copies to cut up",
    "ready": "parts ready apart",
    "boards": "one sheet a board",
    "labels": "labels for the parts",
    "trace": "lines to trace with carbon paper",
    "template": "a template to keep, on hardboard",
    "drill": "a drill map, bit by bit",
    "fold": "both faces, folded over the edge",
    "coupon": "a coupon that tries how slots fit",
    "piles": "slices on each other, some at a time",
    "faces": "both faces of a block, with the fold",
}
STUCK = ("copies", "ready", "boards")
"""Packs that are stuck on the wood; the placement sheet and what lies under go with them."""
STUCK_PLANES = ("copy", "ready", "board")
LINES = {"red": RED, "black": INK}
TINT = 0.22
"""How much of its wood's colour a part on paper is tinted with."""
SEEN_MORE_MM = 0.5
LEAST_LINE_MM, USUAL_LINE_MM, MOST_LINE_MM = 0.1, 0.3, 1.5


@dataclass(frozen=True)
class Page:
    """One sheet of paper: a part of a plane, on a page of that size."""

    plane: Plane
    sheet: Sheet
    layout: Layout
    ticked: bool = False
    """The waste side of its lines is marked."""

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
    drilled: Sequence[Drilled] = (),
    only: Sequence[str] = (),
) -> PrintPack:
    """The pages of a pack. `copies`: the cutting copy of each piece; `drilled`: all pilot holes; `only`: parts that are
    made again, by key, ready apart and nothing else. Raises `BadChoice` for what is no pack, part or paper, or where
    nothing lies on boards yet."""
    if pack not in PACKS:
        raise BadChoice(f"“{pack[:20]}” is no way to print: {', '.join(PACKS)}.")
    margin = job.composition.practice.print_margin_mm
    layout_for(10, 10, paper, margin)
    planes = ready_planes(job, paper, only) if only else _planes(job, pack, paper, copies, drilled)
    if mirrored:
        planes = [mirrored_plane(plane) for plane in planes]
    beside = job.composition.practice.fit in ("beside", "gap")
    return PrintPack(pack, paper, tuple(page for plane in planes for page in pages_of(plane, paper, margin, beside)))


def _planes(job: Job, pack: str, paper: str, copies: Mapping[int, int], drilled: Sequence[Drilled]) -> list[Plane]:
    if pack == "labels":
        return label_planes(job, paper)
    if pack == "trace":
        return trace_planes(job)
    if pack == "template":
        return template_planes(job, drilled)
    if pack == "drill":
        return drill_planes(job, drilled)
    if pack == "fold":
        return fold_planes(job)
    if pack == "coupon":
        return coupon_planes(job)
    if pack == "piles":
        return pile_planes(job)
    if pack == "faces":
        return face_planes(job)
    if pack == "copies":
        cut = copy_planes(job, copies)
    elif pack == "ready":
        cut = ready_planes(job, paper)
    else:
        cut = board_planes(job)
    shown = [part.key for plane in cut for part in plane.parts]
    return [*placement_planes(job), *cut, *under_planes(job, shown)]


def pages_of(plane: Plane, paper: str, margin_mm: float, beside: bool = False) -> Iterator[Page]:
    """The sheets of a plane that have anything on them. `beside`: what is stuck on wood is sawn beside its lines."""
    layout = layout_for(plane.width_mm, plane.height_mm, paper, margin_mm)
    # of a drill map only sheets with something to drill on them are printed
    drilled = [shapely.Point(place) for place in plane.marks] if plane.kind == "drill" else []
    shapes = drilled or [*(part.outline for part in plane.parts), *plane.edges]
    if not shapes:
        return
    boxes = shapely.bounds(np.array(shapes, object))
    for sheet in layout.sheets:
        if on_sheet(sheet, boxes).any():
            yield Page(plane, sheet, layout, beside and plane.kind in STUCK_PLANES)


# -- on paper --------------------------------------------------------------------------------------------------------


def pack_pdf(job: Job, made: PrintPack, line: str = "red", line_mm: float = USUAL_LINE_MM) -> bytes:
    """The pages of a pack, each with its check ruler, stretched by what the printer shrinks. Lines `line_mm` wide."""
    if line not in LINES:
        raise BadChoice(f"Lines are {' or '.join(LINES)}, not “{line[:20]}”.")
    checked_line(line_mm)
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


def seen_line_mm(line_mm: float) -> float:
    """How wide a line is drawn where a page is seen small: a line as thin as printed would not be seen."""
    return line_mm + SEEN_MORE_MM


def checked_line(line_mm: float) -> float:
    """The width of a line, or `BadChoice` where no printer draws it or it hides what is sawn along."""
    if not LEAST_LINE_MM <= line_mm <= MOST_LINE_MM:
        raise BadChoice(f"Lines are {LEAST_LINE_MM:g} to {MOST_LINE_MM:g} mm wide, not {line_mm:g}.")
    return line_mm


def _draw(canvas: Canvas, composition: Composition, page: Page, line: str, line_mm: float) -> None:
    plane, sheet = page.plane, page.sheet
    dx, dy = begin_tile(canvas, page.layout, sheet, composition.practice)
    canvas.setLineWidth(line_mm * POINTS_PER_MM)
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
        if page.ticked:
            for stroke in waste_side(plane.parts[i]):
                draw_line(canvas, *_moved(stroke, dx, dy))
    canvas.setStrokeColor(INK)
    for stroke in lines_of(plane):
        draw_line(canvas, *_moved(stroke, dx, dy))
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
    if part.sunk:
        canvas.setDash([1.2 * POINTS_PER_MM, 0.8 * POINTS_PER_MM])
        for slot, _ in part.sunk:
            draw_outline(canvas, slot, dx, dy)
        canvas.setDash()
    for text in texts_of(part):
        draw_words(canvas, text.x_mm + dx, text.y_mm + dy, text.words, text.size_mm, text.bold, text.centred)
    canvas.setStrokeColor(INK)
    for stroke in (*arrow_of(part), *mixed_up(part)):
        draw_line(canvas, *_moved(stroke, dx, dy))


def _tinted(colour: str) -> HexColor:
    """A colour as a tint of white paper."""
    rgb = [int(colour[i : i + 2], 16) for i in (1, 3, 5)]
    pale = [round(255 - TINT * (255 - v)) for v in rgb]
    return HexColor("#" + "".join(f"{v:02x}" for v in pale))


def page_svg(page: Page) -> dict[str, object]:
    """What a page shows, to be looked at before it is printed: its size in mm, paths with their tints, texts, and
    strokes as paths."""
    sheet, margin = page.sheet, page.layout.margin_mm
    window = shapely.box(sheet.left_mm, sheet.top_mm, sheet.left_mm + sheet.width_mm, sheet.top_mm + sheet.height_mm)
    dx, dy = margin - sheet.left_mm, margin - sheet.top_mm
    parts: list[tuple[str, str]] = []
    texts: list[Text] = []
    strokes = list(lines_of(page.plane))
    ticks: list[Stroke] = []
    for part in page.plane.parts:
        shown = shapely.intersection(shapely.simplify(part.outline, 0.3), window)
        if shown.is_empty:
            continue
        parts.append((path_of(affinity.translate(shown, dx, dy)), part.tint and _tinted(part.tint).hexval()[2:]))
        texts += [text for text in texts_of(part) if window.covers(shapely.Point(text.x_mm, text.y_mm))]
        strokes += [*arrow_of(part), *mixed_up(part)]
        ticks += waste_side(part) if page.ticked else []
    dashed = [*page.plane.edges, *(slot for part in page.plane.parts for slot, _ in part.sunk)]
    edges = [path_of(affinity.translate(shapely.intersection(edge, window), dx, dy)) for edge in dashed]
    return {
        "title": page.title,
        "wide": page.layout.page_width_mm,
        "high": page.layout.page_height_mm,
        "parts": parts,
        "edges": edges,
        "texts": [replace(text, x_mm=round(text.x_mm + dx, 2), y_mm=round(text.y_mm + dy, 2)) for text in texts],
        "strokes": _as_path(strokes, window, dx, dy),
        "ticks": _as_path(ticks, window, dx, dy),
    }


def _moved(stroke: Stroke, dx: float, dy: float) -> Stroke:
    x0, y0, x1, y1 = stroke
    return x0 + dx, y0 + dy, x1 + dx, y1 + dy


def _as_path(strokes: Sequence[Stroke], window: shapely.Polygon, dx: float, dy: float) -> str:
    """Those in the window as one path."""
    if not strokes:
        return ""
    inside = shapely.covers(window, shapely.linestrings(np.array(strokes).reshape(-1, 2, 2)))
    moved = [_moved(strokes[i], dx, dy) for i in np.flatnonzero(inside).tolist()]
    return "".join(f"M{x0:.2f} {y0:.2f}L{x1:.2f} {y1:.2f}" for x0, y0, x1, y1 in moved)
