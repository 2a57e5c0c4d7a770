"""The print pack: what is printed to be stuck on wood, sheet by sheet.

Everything is drawn on *planes* of true size, a plane is cut into sheets that overlap, and what has nothing on it is not
printed. A pack is either copies to cut up, or parts ready apart, or one plane a board with its parts in place; the
placement sheet, and what is traced or lies under, go with each.
"""

import io
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import shapely
from reportlab.lib.colors import HexColor
from reportlab.pdfgen.canvas import Canvas
from shapely import affinity

from ..errors import BadChoice
from ..layout.cells import Stamps
from ..layout.first import first_layout
from ..layout.task import Face, Gaps, Item, Laid, total_bounds
from ..outline.coverage import largest_circle
from ..outline.paths import path_of
from ..saw.copies import colour_planar, seam_graph
from ..stock.laying import item_of
from ..work.composition import Composition
from ..work.on_boards import on_boards
from ..work.parts import Job, Part
from ..work.scene import wood_mark
from .pdf import (
    INK,
    OVERLAP_MM,
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
from .registration import registration_lines

PACKS = {
    "copies": "copies to cut up",
    "ready": "parts ready apart",
    "boards": "one sheet a board",
}
LINES = {"red": RED, "black": INK}
CLEAR_MM = 2.0
"""Pieces on one cutting copy lie this far apart, for the scissors."""
READY_GAP_MM = 5.0
CELL_MM = 1.0
TINT = 0.22
"""How much of its wood's colour a part on paper is tinted with."""
LEAST_WORDS_MM, MOST_WORDS_MM = 1.2, 6.0


@dataclass(frozen=True)
class Printed:
    """One part on a plane: its outline there, its words, the way of its grain as one sees it, its tint."""

    key: str
    outline: shapely.Geometry = field(repr=False)
    words: str = ""
    grain_deg: float | None = None
    tint: str = ""


@dataclass(frozen=True)
class Plane:
    """A drawing of true size. `kind` is placement, copy, ready, board or under; `lines` are drawn beside the parts."""

    kind: str
    name: str
    width_mm: float
    height_mm: float
    parts: tuple[Printed, ...]
    lines: tuple[tuple[tuple[float, float], tuple[float, float]], ...] = ()
    edges: tuple[shapely.Geometry, ...] = field(default=(), repr=False)
    """Outlines that are no parts: a board's edge, its flaws."""


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


def print_pack(job: Job, pack: str, paper: str, copies: Mapping[int, int], mirrored: bool = False) -> PrintPack:
    """The pages of a pack. `copies`: the cutting copy of each piece. Raises `BadChoice` for what is no pack or paper,
    or where nothing lies on boards yet."""
    if pack not in PACKS:
        raise BadChoice(f"“{pack[:20]}” is no way to print: {', '.join(PACKS)}.")
    margin = job.composition.practice.print_margin_mm
    layout_for(10, 10, paper, margin)
    planes = [*placement_planes(job)]
    if pack == "copies":
        planes += copy_planes(job, copies)
    elif pack == "ready":
        planes += ready_planes(job, paper)
    else:
        planes += board_planes(job)
    planes += under_planes(job, with_shims=pack == "copies")
    if mirrored:
        planes = [_mirrored(plane) for plane in planes]
    return PrintPack(pack, paper, tuple(page for plane in planes for page in pages_of(plane, paper, margin)))


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


def placement_planes(job: Job) -> list[Plane]:
    """The whole of each layer, to lay the parts on."""
    composition = job.composition
    planes = []
    for i, layer in enumerate(composition.layers, 1):
        made = layer.without_openings.pieces
        if made:
            name = f"{i} {layer.name}, whole" if len(composition.layers) > 1 else "Whole, to lay the parts on"
            parts = tuple(_printed(job, job.pieces[p.key], tint=False) for p in made)
            planes.append(_of_work(composition, "placement", name, parts))
    return planes


def copy_planes(job: Job, copies: Mapping[int, int]) -> list[Plane]:
    """Cutting copies: no two neighbours on one, and none nearer than scissors need."""
    composition = job.composition
    apart = clear_copies(job, copies)
    planes = []
    for number in sorted(set(apart.values())):
        own = [job.pieces[p.key] for p in composition.made if apart.get(p.key) == number]
        parts = tuple(_printed(job, part) for part in own)
        planes.append(_of_work(composition, "copy", f"Copy {_letter(number)}, to cut up", parts))
    return planes


def _letter(number: int) -> str:
    return chr(64 + number) if number <= 26 else str(number)


def clear_copies(job: Job, copies: Mapping[int, int]) -> dict[int, int]:
    """The copy of each piece, so that none on it is nearer to another than `CLEAR_MM`, also where two only meet in a
    point: four copies, or a few more."""
    made: dict[int, int] = {}
    for layer in job.composition.layers:
        coverage = layer.without_openings.coverage
        if not len(coverage):
            continue
        outlines, keys = np.array(coverage.outlines), list(coverage.keys)
        graph = seam_graph(coverage)
        pairs = shapely.STRtree(outlines).query(outlines, "dwithin", CLEAR_MM).T.tolist()
        graph.add_edges_from((keys[i], keys[j]) for i, j in pairs if i < j)
        clear = colour_planar(graph)
        # with the seams alone four always do; where the scissors' room takes more, a few further copies hold the rest
        made |= clear if clear else {key: copies[key] for key in keys}
    return made


def ready_planes(job: Job, paper: str) -> list[Plane]:
    """Parts apart, by wood and board, their grain across the page, as many as go on one; a part larger than a page
    stands on a plane of its own."""
    layout = layout_for(10, 10, paper, job.composition.practice.print_margin_mm)
    wide, high = layout.sheets[0].width_mm, layout.sheets[0].height_mm
    parts = sorted(_cut_parts(job), key=lambda part: _order(job, part))
    items = [replace(item_of(job, part), cluster="") for part in parts]
    by_key = {part.key: part for part in parts}
    gaps, stamps = Gaps(READY_GAP_MM, 0.5), Stamps(CELL_MM, READY_GAP_MM)
    area = sum(item.outline.buffer(READY_GAP_MM / 2).area for item in items)
    pages = math.ceil(area / (0.4 * wide * high)) + len({(p.material, p.thickness_mm) for p in parts})
    room = shapely.box(0, 0, wide, high)
    made = first_layout(items, _page_faces(pages, room, 0.0), gaps, stamps, order=items)
    upright = first_layout(made.unplaced, _page_faces(pages, room, 90.0), gaps, stamps, order=list(made.unplaced))
    laid: dict[str, list[Laid]] = {}
    for one in (*made.laid, *upright.laid):
        laid.setdefault(one.face, []).append(one)
    planes = []
    for number, face in enumerate(sorted(laid), 1):
        own = tuple(_printed_as_laid(job, by_key[one.item.key], one) for one in laid[face])
        planes.append(Plane("ready", f"Parts apart {number}", wide, high, own))
    return planes + _larger_planes(job, paper, upright.unplaced, by_key, stamps)


def _larger_planes(
    job: Job, paper: str, items: Sequence[Item], by_key: Mapping[str, Part], stamps: Stamps
) -> list[Plane]:
    """Parts larger than a page, together on planes of as few pages as hold the largest."""
    layout = layout_for(10, 10, paper, job.composition.practice.print_margin_mm)
    sheet, left = layout.sheets[0], list(items)
    planes: list[Plane] = []
    while left:
        wide, high = (max(sides) for sides in zip(*(_sides(item) for item in left), strict=True))
        across, down = (
            max(1, math.ceil((side + 3 - OVERLAP_MM) / (room - OVERLAP_MM)))
            for side, room in ((wide, sheet.width_mm), (high, sheet.height_mm))
        )
        plane_wide = across * (sheet.width_mm - OVERLAP_MM) + OVERLAP_MM
        plane_high = down * (sheet.height_mm - OVERLAP_MM) + OVERLAP_MM
        face = Face("larger", shapely.box(0, 0, plane_wide, plane_high))
        made = first_layout(left, [face], Gaps(READY_GAP_MM, 0.0), stamps, order=left)
        if not made.laid:
            return planes + [_alone(job, by_key[item.key], item) for item in left]
        own = tuple(_printed_as_laid(job, by_key[one.item.key], one) for one in made.laid)
        _, _, right, low = total_bounds([part.outline for part in own])
        planes.append(Plane("ready", f"Larger than a page {len(planes) + 1}", right + 1, low + 1, own))
        left = list(made.unplaced)
    return planes


def _sides(item: Item) -> tuple[float, float]:
    x0, y0, x1, y1 = item.turned(item.turns[0]).bounds
    return x1 - x0, y1 - y0


def _page_faces(count: int, room: shapely.Polygon, grain_deg: float) -> list[Face]:
    return [Face(f"{grain_deg:03.0f}-{n:04}", room, rank=(n,), grain_deg=grain_deg) for n in range(count)]


def _cut_parts(job: Job) -> list[Part]:
    """What is sawn after a pattern of its own: pieces, shims and spacers of one copy."""
    return [*job.pieces.values(), *job.shims, *job.stands]


def _order(job: Job, part: Part) -> tuple:
    place = job.composition.placements.get(part.key)
    return part.material, part.thickness_mm, place.board if place else "", -part.area_mm2, part.key


def _alone(job: Job, part: Part, item: Item) -> Plane:
    outline = item.turned(item.turns[0])
    x0, y0, x1, y1 = outline.bounds
    moved = affinity.translate(outline, 2 - x0, 2 - y0)
    grain = None if part.turn == "any" else 0.0
    printed = replace(_printed(job, part), outline=moved, grain_deg=grain)
    return Plane("ready", f"{part.name}, larger than a page", x1 - x0 + 4, y1 - y0 + 4, (printed,))


def _printed_as_laid(job: Job, part: Part, one: Laid) -> Printed:
    grain = None if part.turn == "any" else part.grain_deg + one.turn_deg
    return replace(_printed(job, part), outline=one.outline, grain_deg=grain)


def board_planes(job: Job) -> list[Plane]:
    """One plane a board, its edge and flaws with the parts where they were laid. Raises `BadChoice` where none are."""
    lying = on_boards(job)
    if not any(lying.values()):
        raise BadChoice("No part lies on a board yet. Lay them at Stock first, or print copies or parts ready apart.")
    planes = []
    for name in sorted(lying):
        board = job.composition.rack.by_name[name]
        parts = []
        for one in lying[name]:
            turn = board.grain_deg - one.place.along_deg(one.part.grain_deg)
            grain = None if one.part.turn == "any" else one.part.grain_deg + turn
            words = _words(job, one.part) + (f" ({one.key.partition('/')[2]})" if "/" in one.key else "")
            parts.append(
                replace(_printed(job, one.part), key=one.key, outline=one.outline, grain_deg=grain, words=words)
            )
        flaws = [shapely.Polygon(defect.ring) for defect in board.defects]
        far = max(part.outline.bounds[2] for part in parts) + OVERLAP_MM
        edge = shapely.intersection(board.region, shapely.box(-1, -1, far, board.width_mm + 1))
        near = [flaw for flaw in flaws if flaw.bounds[0] < far]
        planes.append(
            Plane(
                "board",
                f"Board {name}",
                min(far, board.length_mm) + 1,
                board.width_mm + 1,
                tuple(parts),
                edges=(edge, *near),
            )
        )
    return planes


def under_planes(job: Job, with_shims: bool) -> list[Plane]:
    """Backers to trace; shims and spacers too where they are not among the parts."""
    planes = []
    under = [*job.grounds, *((*job.shims, *job.stands) if with_shims else ())]
    by_role: dict[str, list[Part]] = {}
    for part in under:
        by_role.setdefault(part.role, []).append(part)
    for role, parts in by_role.items():
        printed = tuple(_printed(job, part) for part in parts)
        planes.append(_of_work(job.composition, "under", f"{role.capitalize()}, to trace", printed))
    return planes


def _of_work(composition: Composition, kind: str, name: str, parts: Sequence[Printed]) -> Plane:
    """A plane in the work's own places, with its crosses where it has several layers."""
    lines = tuple(registration_lines(composition)) if len(composition.layers) > 1 else ()
    return Plane(kind, name, composition.width_mm, composition.height_mm, tuple(parts), lines)


def _words(job: Job, part: Part) -> str:
    """Number, wood and board, thickness, layer, and which face is up."""
    composition = job.composition
    piece = composition.by_key.get(part.id.piece) if part.key.isdecimal() else None
    if piece is None:
        return part.name
    thick = composition.practice.short(part.thickness_mm)
    layer = composition.home[piece.key]
    where = f"L{composition.layers.index(layer) + 1}" if len(composition.layers) > 1 else ""
    return " ".join(word for word in (str(piece.number), wood_mark(composition, piece), thick, where, "F") if word)


def _printed(job: Job, part: Part, tint: bool = True) -> Printed:
    shelf = job.composition.rack.shelf
    colour = shelf[part.material].finished if tint and part.material in shelf else ""
    grain = None if part.turn == "any" and not part.key.isdecimal() else part.grain_deg
    return Printed(part.key, part.outline, _words(job, part), grain, colour)


def _mirrored(plane: Plane) -> Plane:
    """The same seen from behind, for film on the back; its words still read right."""

    def turned(shape: shapely.Geometry) -> shapely.Geometry:
        return shapely.transform(shape, lambda xy: np.c_[plane.width_mm - xy[:, 0], xy[:, 1]])

    parts = tuple(
        replace(
            part,
            outline=turned(part.outline),
            grain_deg=None if part.grain_deg is None else 180.0 - part.grain_deg,
            words=part.words.removesuffix(" F") + (" B" if part.words.endswith(" F") else ""),
        )
        for part in plane.parts
    )
    lines = tuple(((plane.width_mm - x0, y0), (plane.width_mm - x1, y1)) for (x0, y0), (x1, y1) in plane.lines)
    return replace(
        plane, name=f"{plane.name}, mirrored", parts=parts, lines=lines, edges=tuple(map(turned, plane.edges))
    )


# -- on paper --------------------------------------------------------------------------------------------------------


def pack_pdf(job: Job, made: PrintPack, line: str = "red") -> bytes:
    """The pages of a pack, each with its check ruler, stretched by what the printer shrinks."""
    if line not in LINES:
        raise BadChoice(f"Lines are {' or '.join(LINES)}, not “{line[:20]}”.")
    buffer = io.BytesIO()
    canvas = Canvas(buffer, invariant=1)
    canvas.setTitle(f"{job.composition.name}, {PACKS[made.pack]}")
    for i, page in enumerate(made.pages):
        if i:
            canvas.showPage()
        canvas.setPageSize((page.layout.page_width_mm * POINTS_PER_MM, page.layout.page_height_mm * POINTS_PER_MM))
        _draw(canvas, job.composition, page, line)
    canvas.save()
    return buffer.getvalue()


def _draw(canvas: Canvas, composition: Composition, page: Page, line: str) -> None:
    plane, sheet = page.plane, page.sheet
    dx, dy = begin_tile(canvas, page.layout, sheet, composition.practice)
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
    canvas.setStrokeColor(INK)
    for (x0, y0), (x1, y1) in plane.lines:
        draw_line(canvas, x0 + dx, y0 + dy, x1 + dx, y1 + dy)
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
    draw_words(canvas, x, y - 0.1 * size, words, size, True, True)
    if part.grain_deg is not None and spot.radius_mm > 3.0:
        drop = 0.55 * min(spot.radius_mm, 14.0)
        _arrow(canvas, x, y + drop, 0.85 * min(spot.radius_mm - drop, drop), part.grain_deg)


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
    }
