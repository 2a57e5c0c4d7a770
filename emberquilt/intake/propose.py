"""From the bytes of a file, or typed words, to a proposal of pieces at finished size."""

from dataclasses import replace

import numpy as np

from ..errors import BadDrawing
from ..units import Length, format_length
from . import raster_source, tones
from .by_sight import ByNumbers, by_sight
from .dxf_source import read_dxf
from .finer import finer
from .finish import Intake, Say
from .from_lines import from_lines
from .from_pixels import from_pixels
from .from_svg import from_svg, svg_page
from .from_words import from_nothing, from_text
from .knobs import PICTURED, UNITS, Knobs, Size, finished_width
from .pdf_source import read_pdf, render_page
from .proposal import Progress, Proposal, no_progress
from .sheet import straightened
from .simpler import simpler
from .svg_source import LineSource, unpacked

__all__ = ["finished_width", "propose", "recognise", "source_picture"]


def in_millimetres(mm: float) -> str:
    return format_length(mm, "mm")


def recognise(data: bytes) -> str:
    """``svg``, ``picture``, ``pdf`` or ``dxf`` by content, never by the file's name. Raises `BadDrawing`."""
    if not data:
        raise BadDrawing("This file is empty.")
    head = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    if raster_source.is_picture(data):
        return "picture"
    if head.startswith(b"\x1f\x8b"):
        return "svg"
    if b"%PDF-" in head[:1024]:
        return "pdf"
    if head.startswith((b"<", b"\xff\xfe<", b"\xfe\xff")) or b"<svg" in head:
        return "svg"
    if head.startswith((b"AutoCAD Binary DXF", b"999")) or (b"SECTION" in head and b"\n" in head[:8]):
        return "dxf"
    raise BadDrawing("This is no drawing that can be read. Bring an SVG, a picture, a DXF or a PDF file.")


def propose(
    data: bytes,
    size: Size | Length,
    knobs: Knobs = Knobs(),  # noqa: B008  frozen, so sharing it is safe
    *,
    font: bytes = b"",
    over: bytes = b"",
    progress: Progress = no_progress,
    say: Say = in_millimetres,
) -> Proposal:
    """The pieces in a drawing, a photo, a page, or typed words (`knobs.kind` text; `font` the bytes of one's own);
    `over` a picture that is laid over pieces to part them (`knobs.finer`).

    `say` puts a length in mm into the words of the shop. Raises `BadDrawing` with one clear sentence when nothing can
    be sawn from it, `BadLength` for a size that cannot be, `Cancelled` from `progress`.
    """
    work = Intake(Size("width", size.mm) if isinstance(size, Length) else size, knobs, progress, say)
    progress(0.02, "reading the file")
    if knobs.kind == "text":
        return from_text(data, font, work)
    if knobs.kind == "blank":
        return from_nothing(work)
    found = _from_file(data, work)
    if knobs.finer:
        progress(0.95, "parting pieces by their tones")
        knobs = replace(knobs, corners=knobs.corners or found.corners)
        photo = raster_source.read_picture(over).in_colour if over else None
        page = page_pixels(data, knobs) if photo is None else photo
        found = finer(found, page, photo, knobs, say)
    return simpler(found, knobs.simplify)


def _from_file(data: bytes, work: Intake) -> Proposal:
    kind = recognise(data)
    if kind == "svg":
        return from_svg(data, work)
    if kind == "dxf":
        return from_lines(_in_a_unit(read_dxf(data), work), "DXF drawing", "drawn lines", work)
    if kind == "pdf":
        return _from_pdf(data, work)
    return from_pixels(raster_source.read_picture(data), work)


def _in_a_unit(source: LineSource, work: Intake) -> LineSource:
    """A drawing that does not say in what unit it is, in the one that was told; by percent it must be."""
    if work.knobs.unit:
        return replace(source, unit_mm=UNITS[work.knobs.unit])
    if source.unit_mm is None and work.size.how == "percent":
        _, _, width, height = source.page
        raise BadDrawing(
            f"This DXF is {width:g} by {height:g}, but does not say of what: choose the unit it is drawn in, "
            "millimetres or inches, or tell the finished width."
        )
    return source


def _from_pdf(data: bytes, work: Intake) -> Proposal:
    number = work.knobs.page
    page = read_pdf(data, number, work.knobs.kind in PICTURED)
    lines, figure = page.lines, page.figure
    if lines is None:
        found = from_pixels(raster_source.picture_of(page.picture, page.pixel_mm), work, "PDF page, as a picture")
    elif figure is None:
        found = from_lines(lines, "PDF page", "nothing on it is painted", work)
    else:
        source = ByNumbers("PDF page", (), (), lambda: lines)
        whole = work.knobs.outside == "keep"
        found = by_sight(lambda side: render_page(data, number, figure, side, whole), source, work)
    return replace(found, pages=page.pages)


def source_picture(data: bytes, knobs: Knobs) -> tuple[bytes, str]:
    """The source as a page can show it under its pieces, and its media type; empty where there is no picture of it."""
    if knobs.kind in ("text", "blank"):
        return b"", "text/plain"
    kind = recognise(data)
    if kind == "svg":
        return unpacked(data), "image/svg+xml"
    if kind == "dxf":
        return b"", "text/plain"
    shown = raster_source.shown_by_browsers(data)
    if kind == "picture" and shown and not knobs.corners:
        return data, shown
    return raster_source.as_png(page_pixels(data, knobs)), "image/png"


def page_pixels(data: bytes, knobs: Knobs) -> np.ndarray:
    """The source's whole page as pixels, uint8 RGB. Raises `BadDrawing` for a DXF, which is no picture."""
    kind = recognise(data)
    if kind == "dxf":
        raise BadDrawing("A DXF has no tones to part its pieces by. Lay a photo over them, or draw lines.")
    if kind == "svg":
        return svg_page(data, tones.MOST_SIDE)
    if kind == "pdf":
        picture = read_pdf(data, knobs.page, as_picture=True).picture
        return raster_source.reduced(picture, tones.MOST_SIDE)[0]
    flat = raster_source.read_picture(data)
    flat = straightened(flat, knobs.corners) if knobs.corners else flat
    return flat.no_larger(tones.MOST_SIDE).in_colour
