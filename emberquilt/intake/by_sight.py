"""A drawing by numbers (SVG, PDF), by what it shows: its kind, and its pieces by its own lines where these say the
same."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import shapely

from ..errors import BadDrawing, Tangled
from ..findings import Finding
from . import seen
from .finish import Drawn, Intake, finished
from .from_lines import line_faces
from .from_painted import painted_faces
from .from_photo import SMALLEST_PHOTO_MM
from .from_pixels import from_pixels
from .from_seen import CLEAR, SIDE, Looked, agreement, as_painted, colours_under, seen_proposal
from .knobs import PICTURED, Point
from .painted import PaintedSource
from .proposal import Proposal, ReadAs
from .raster_source import picture_of
from .readings import FIRST_SIDE, others_of
from .rendering import Rendering, on_white
from .svg_source import LineSource


@dataclass(frozen=True)
class ByNumbers:
    """What a drawing itself says: its name in words, what was left out, and how its lines and its painted shapes (dark
    strokes up to a width in page units as seams) are read; None where they cannot be."""

    name: str
    left_out: tuple[str, ...]
    findings: tuple[Finding, ...]
    lines: Callable[[], LineSource]
    paints: Callable[[float], PaintedSource] | None = None


def by_sight(render: Callable[[int], Rendering], source: ByNumbers, work: Intake) -> Proposal:
    """`render` draws the figure with so many pixels along its longer side. Raises `BadDrawing` where nothing in it can
    be a piece."""
    kind = work.knobs.kind
    if kind in PICTURED:
        return replace(_as_picture(render(SIDE), work), left_out=source.left_out)
    looked = Looked(render(FIRST_SIDE), work)
    painting = kind == "painted" or (kind == "auto" and looked.is_coloured)
    as_kind = _as_painted if painting else _as_ink
    found, proposal = as_kind(source, looked, True)
    if proposal is None:
        fine = Looked(render(SIDE), work)
        if as_kind is _as_ink:
            # hairlines vanish at first sight: by its own lines once more, before what is seen counts
            _, proposal = as_kind(source, fine, True)
        if proposal is None:
            _, proposal = as_kind(source, fine, False)
    assert proposal is not None
    work.progress(0.92, "trying the other ways")
    others = others_of(looked, proposal.read_as.kind, found.ink.up_to, work.knobs.smallest_mm or SMALLEST_PHOTO_MM)
    return replace(proposal, others=others, findings=(*proposal.findings, *source.findings))


def _as_picture(rendering: Rendering, work: Intake) -> Proposal:
    """What is drawn as a picture of its figure; marks and the source's box are those of its page."""
    unit = rendering.unit
    flat = picture_of(on_white(rendering.rgba), unit * rendering.unit_mm)
    rows, columns = flat.grey.shape

    def place(point: Point) -> Point:
        (x, y), (width, height) = point, rendering.page
        return (x * width - rendering.left) / unit / columns, (y * height - rendering.top) / unit / rows

    found = from_pixels(flat, replace(work, knobs=work.knobs.marks_at(place)))
    x, y, width, _ = found.source_box_mm
    mm = width / columns
    page = tuple(v / unit * mm for v in rendering.page)
    return replace(found, source_box_mm=(x - rendering.left / unit * mm, y - rendering.top / unit * mm, *page))


def _as_painted(source: ByNumbers, looked: Looked, by_its_own: bool) -> tuple[seen.Seen, Proposal | None]:
    """`by_its_own` lines or not at all, else by what is seen."""
    found = looked.seen(looked.work.knobs.lines_up_to_mm)
    up_to_mm = found.ink.up_to * looked.pixel_mm
    read_as, words = as_painted(found, looked), f"painted {source.name}"
    paints = source.paints
    drawn = None
    if paints is not None and by_its_own:
        up_to = found.ink.up_to * looked.rendering.unit
        drawn = _drawn(lambda: painted_faces(paints(up_to), looked.work), looked, found, False)
    if drawn is None:
        if by_its_own:
            return found, None
        return found, seen_proposal(looked, found, words, read_as, source.left_out, False)
    return found, finished(drawn, words, read_as, looked.work, up_to_mm, _details(found, looked, drawn))


def _as_ink(source: ByNumbers, looked: Looked, by_its_own: bool) -> tuple[seen.Seen, Proposal | None]:
    """Dark on light: by its strokes where all that shows is strokes, else by its ink."""
    work, found = looked.work, looked.seen(looked.work.knobs.lines_up_to_mm, bridged=True)
    drawn = _drawn(lambda: line_faces(source.lines(), work), looked, found, True) if by_its_own else None
    if drawn is None and by_its_own:
        return found, None
    words = f"line {source.name}"
    if not found.ink.up_to:
        why, words = "dark areas on light, no lines between them", "silhouettes"
    elif drawn is not None:
        why = "lines alone, and what they enclose"
    else:
        why = f"dark lines up to {work.say(found.ink.up_to * looked.pixel_mm)} on light are seams"
    read_as = ReadAs("line", why)
    if drawn is not None:
        up_to_mm = found.ink.up_to * looked.pixel_mm or None
        return found, finished(drawn, words, read_as, work, up_to_mm, _details(found, looked, drawn))
    return found, seen_proposal(looked, found, words, read_as, source.left_out, True)


def _drawn(read: Callable[[], Drawn], looked: Looked, found: seen.Seen, unpainted: bool) -> Drawn | None:
    """The drawing by its own lines, in the colours that show, where that says what is seen."""
    try:
        drawn = read()
    except Tangled:
        if unpainted:
            raise
        return None
    except BadDrawing:
        return None
    outlines = _in_pixels(drawn, looked.rendering)
    if agreement(outlines, found) < CLEAR:
        return None
    return replace(drawn, colours=colours_under(outlines, found, looked.rendering, unpainted))


def _details(found: seen.Seen, looked: Looked, drawn: Drawn) -> list[np.ndarray]:
    """Lines that part nothing, on the sheet of the drawing's own lines."""
    picture = looked.rendering
    x, y, width, _ = drawn.source_box_mm
    scale = width / picture.page[0]
    return [(line * picture.unit + [picture.left, picture.top]) * scale + [x, y] for line in found.details]


def _in_pixels(drawn: Drawn, picture: Rendering) -> list:
    """Its pieces in the pixels of the rendering."""
    x, y, width, _ = drawn.source_box_mm
    scale = picture.page[0] / width

    def place(xy: np.ndarray) -> np.ndarray:
        return ((xy - [x, y]) * scale - [picture.left, picture.top]) / picture.unit

    return list(shapely.transform(np.array(drawn.outlines), place))
