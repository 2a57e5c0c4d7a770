"""From the bytes of a file, or typed words, to a proposal of pieces at finished size."""

from dataclasses import replace

import numpy as np

from ..errors import BadDrawing
from ..units import Length, format_length
from . import raster_source, tones
from .by_sight import ByNumbers, by_sight
from .dxf_source import read_dxf
from .finish import Intake, Say
from .from_lines import from_lines
from .from_pixels import from_pixels
from .from_seen import SIDE
from .from_svg import from_svg
from .from_words import from_nothing, from_text
from .knobs import Knobs, Size, finished_width
from .pdf_source import read_pdf
from .proposal import Progress, Proposal, no_progress
from .simpler import simpler

__all__ = ["finished_width", "propose", "recognise", "source_picture"]


def in_millimetres(mm: float) -> str:
    return format_length(mm, "mm")


def recognise(data: bytes) -> str:
    """``svg``, ``picture``, ``pdf`` or ``dxf`` by content, never by the file's name. Raises `BadDrawing`."""
    if not data:
        raise BadDrawing("This file is empty.")
    head = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    if head.startswith((b"\x89PNG", b"\xff\xd8\xff")) or (head[:4] == b"RIFF" and head[8:12] == b"WEBP"):
        return "picture"
    if head.startswith(b"\x1f\x8b"):
        return "svg"
    if b"%PDF-" in head[:1024]:
        return "pdf"
    if head.startswith((b"<", b"\xff\xfe<", b"\xfe\xff")) or b"<svg" in head:
        return "svg"
    if head.startswith((b"AutoCAD Binary DXF", b"999")) or (b"SECTION" in head and b"\n" in head[:8]):
        return "dxf"
    raise BadDrawing("This is no drawing that can be read. Bring an SVG, PNG, JPEG, WebP, DXF or PDF file.")


def propose(
    data: bytes,
    size: Size | Length,
    knobs: Knobs = Knobs(),  # noqa: B008  frozen, so sharing it is safe
    *,
    font: bytes = b"",
    progress: Progress = no_progress,
    say: Say = in_millimetres,
) -> Proposal:
    """The pieces in a drawing, a photo, a page, or typed words (`knobs.kind` text; `font` the bytes of one's own).

    `say` puts a length in mm into the words of the shop. Raises `BadDrawing` with one clear sentence when nothing can
    be sawn from it, `BadLength` for a size that cannot be, `Cancelled` from `progress`.
    """
    work = Intake(Size("width", size.mm) if isinstance(size, Length) else size, knobs, progress, say)
    progress(0.02, "reading the file")
    if knobs.kind == "text":
        return from_text(data, font, work)
    if knobs.kind == "blank":
        return from_nothing(work)
    return simpler(_from_file(data, work), knobs.simplify)


def _from_file(data: bytes, work: Intake) -> Proposal:
    knobs = work.knobs
    kind = recognise(data)
    if kind == "svg":
        return from_svg(data, work)
    if kind == "dxf":
        return from_lines(read_dxf(data), "DXF drawing", "drawn lines", work)
    if kind == "pdf":
        page = read_pdf(data, knobs.page, SIDE, knobs.kind == "photo")
        if page.lines is not None and page.rendering is not None:
            lines, rendering = page.lines, page.rendering
            found = by_sight(lambda _: rendering, ByNumbers("PDF page", (), (), lambda: lines), work)
        elif page.lines is not None:
            found = from_lines(page.lines, "PDF page", "nothing on it is painted", work)
        else:
            found = from_pixels(raster_source.picture_of(page.picture, page.pixel_mm), work, "PDF page, as a picture")
        return replace(found, pages=page.pages)
    return from_pixels(raster_source.read_picture(data), work)


def source_picture(data: bytes, knobs: Knobs) -> tuple[bytes, str]:
    """The source as a page can show it under its pieces, and its media type; empty where there is no picture of it."""
    if knobs.kind in ("text", "blank"):
        return b"", "text/plain"
    kind = recognise(data)
    if kind == "svg":
        return data, "image/svg+xml"
    if kind == "dxf":
        return b"", "text/plain"
    if kind == "pdf":
        picture = read_pdf(data, knobs.page, SIDE, as_picture=True).picture
    elif knobs.corners:
        flat = raster_source.straightened(raster_source.read_picture(data), knobs.corners)
        picture = flat.rgb if flat.rgb is not None else np.dstack([flat.grey] * 3)
    else:
        return data, "image/png" if data.startswith(b"\x89PNG") else "image/jpeg" if data.startswith(
            b"\xff\xd8"
        ) else "image/webp"
    return raster_source.as_png(raster_source.reduced(picture, tones.MOST_SIDE)[0]), "image/png"
