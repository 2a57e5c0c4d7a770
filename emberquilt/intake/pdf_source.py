"""A page of a PDF: its drawn paths as lines, or, where it is a scan, its picture."""

import ctypes
from dataclasses import dataclass

import numpy as np
import pypdfium2 as pdfium
import pypdfium2.raw as raw

from ..constants import MM_PER_INCH
from ..errors import BadDrawing
from .rendering import LOOK_SIDE, MARGIN_PX, Figure, Rendering, figure_in
from .svg_source import MOST_POINTS, LineSource

POINT_MM = MM_PER_INCH / 72
SCAN_DPI = 200
MOST_PIXELS = 24_000_000
SCAN_SHARE = 0.25
"""A page of which pictures take up this share is a scan."""
CURVE_STEPS = 24


@dataclass(frozen=True)
class PdfPage:
    """Either lines or a picture (uint8 RGB); `pages` of the whole file."""

    pages: int
    lines: LineSource | None
    picture: np.ndarray
    """Empty where the page is drawn."""
    pixel_mm: float = 0.0
    figure: Figure | None = None
    """Where something shows on a drawn page."""


def read_pdf(data: bytes, page: int, as_picture: bool = False) -> PdfPage:
    """One page, counted from 1. Raises `BadDrawing` for what is locked, damaged or not there."""
    try:
        document = pdfium.PdfDocument(data)
    except pdfium.PdfiumError as problem:
        if "password" in str(problem).lower():
            raise BadDrawing("This PDF is locked with a password. Save it without one and bring it again.") from None
        raise BadDrawing("This PDF is damaged and cannot be read.") from None
    try:
        count = len(document)
        if not 1 <= page <= count:
            raise BadDrawing(f"This PDF has {count} page{'' if count == 1 else 's'}; there is no page {page}.")
        sheet = document[page - 1]
        width, height = sheet.get_size()
        if not (1 < width < 50_000 and 1 < height < 50_000):
            raise BadDrawing("This page has no usable size.")
        lines = [] if as_picture or _is_scan(sheet) else _lines(sheet)
        if lines:
            drawn = LineSource(lines, (0.0, 0.0, width, height), (), POINT_MM)
            return PdfPage(count, drawn, np.empty((0, 0, 3), np.uint8), POINT_MM, _figure(sheet))
        scale = min(SCAN_DPI / 72, (MOST_PIXELS / (width * height)) ** 0.5)
        picture = sheet.render(scale=scale, rev_byteorder=True).to_numpy()[..., :3]
        return PdfPage(count, None, np.ascontiguousarray(picture), POINT_MM / scale)
    except pdfium.PdfiumError:
        raise BadDrawing("This page of the PDF is damaged and cannot be read.") from None
    finally:
        document.close()


def _is_scan(sheet) -> bool:
    """Whether pictures take up much of the page: what is drawn beside them is a frame or a mark."""
    width, height = sheet.get_size()
    area = 0.0
    for thing in sheet.get_objects(filter=[raw.FPDF_PAGEOBJ_IMAGE], max_depth=8):
        left, bottom, right, top = thing.get_bounds()
        area += max(0.0, right - left) * max(0.0, top - bottom)
    return area >= SCAN_SHARE * width * height


def _figure(sheet) -> Figure | None:
    """Where on the page something shows, in points from its upper left; None where nothing does."""
    width, height = sheet.get_size()
    look = LOOK_SIDE / max(width, height)
    return figure_in(_opaque(sheet.render(scale=look, rev_byteorder=True).to_numpy()), look)


def render_page(data: bytes, page: int, figure: Figure, side: int, whole: bool = False) -> Rendering:
    """The figure on a page that was read, without soft edges, its longer side `side` pixels; `whole` renders the page
    with it."""
    document = pdfium.PdfDocument(data)
    try:
        sheet = document[page - 1]
        width, height = sheet.get_size()
        across, down = (width, height) if whole else (figure.width, figure.height)
        scale = min(side / max(across, down), (MOST_PIXELS / (width * height)) ** 0.5)
        crisp = sheet.render(
            scale=scale, rev_byteorder=True, no_smoothtext=True, no_smoothimage=True, no_smoothpath=True
        ).to_numpy()
    finally:
        document.close()
    if whole:
        return Rendering(_opaque(crisp), 0.0, 0.0, 1 / scale, (width, height), False, unit_mm=POINT_MM)
    left, top = (max(0, int(v * scale) - MARGIN_PX) for v in (figure.left, figure.top))
    right = int((figure.left + figure.width) * scale) + MARGIN_PX
    bottom = int((figure.top + figure.height) * scale) + MARGIN_PX
    part = _opaque(crisp[top:bottom, left:right])
    return Rendering(part, left / scale, top / scale, 1 / scale, (width, height), figure.paper, unit_mm=POINT_MM)


def _opaque(rgb: np.ndarray) -> np.ndarray:
    return np.dstack([rgb[..., :3], np.full(rgb.shape[:2], 255, np.uint8)])


def _lines(sheet) -> list[np.ndarray]:
    """Every path on the page as polylines in points, y downwards."""
    upright = _upright(sheet)
    lines: list[np.ndarray] = []
    points = 0
    for thing in sheet.get_objects(filter=[raw.FPDF_PAGEOBJ_PATH], max_depth=8):
        own = _path(thing.raw)
        matrix = np.array(_matrix(thing))
        for line in own:
            points += len(line)
            if points > MOST_POINTS:
                raise BadDrawing(f"This page has more than {MOST_POINTS:,} points. Bring it as a picture.")
            a, b, c, d, e, f = matrix
            xy = upright(np.c_[a * line[:, 0] + c * line[:, 1] + e, b * line[:, 0] + d * line[:, 1] + f])
            if len(xy) > 1 and np.isfinite(xy).all():
                lines.append(xy)
    return lines


def _upright(sheet):
    """From the page's own coordinates to those of the page as it is seen, y downwards: cropped and turned."""
    left, bottom, right, top = sheet.get_cropbox()
    turns = sheet.get_rotation() // 90 % 4

    def seen_at(xy: np.ndarray) -> np.ndarray:
        x, y = xy[:, 0] - left, top - xy[:, 1]
        width, height = right - left, top - bottom
        return np.column_stack([(x, y), (height - y, x), (width - x, height - y), (y, width - x)][turns])

    return seen_at


def _matrix(thing) -> tuple[float, ...]:
    whole = thing.get_matrix()
    form = thing.container
    while form is not None:
        whole = whole.multiply(form.get_matrix())
        form = form.container
    return whole.get()


def _path(thing) -> list[np.ndarray]:
    lines: list[np.ndarray] = []
    current: list[tuple[float, float]] = []
    bend: list[tuple[float, float]] = []
    x, y = ctypes.c_float(), ctypes.c_float()
    for i in range(raw.FPDFPath_CountSegments(thing)):
        segment = raw.FPDFPath_GetPathSegment(thing, i)
        raw.FPDFPathSegment_GetPoint(segment, x, y)
        here, kind = (x.value, y.value), raw.FPDFPathSegment_GetType(segment)
        if kind == raw.FPDF_SEGMENT_MOVETO:
            if len(current) > 1:
                lines.append(np.array(current))
            current = [here]
        elif kind == raw.FPDF_SEGMENT_LINETO:
            current.append(here)
        else:
            bend.append(here)
            if len(bend) == 3:
                current += _curve(current[-1] if current else bend[0], *bend)
                bend = []
        if raw.FPDFPathSegment_GetClose(segment) and current:
            current.append(current[0])
            lines.append(np.array(current))
            current = [current[0]]
    if len(current) > 1:
        lines.append(np.array(current))
    return lines


def _curve(p0, p1, p2, p3) -> list[tuple[float, float]]:
    t = np.linspace(0, 1, CURVE_STEPS + 1)[1:, None]
    s = 1 - t
    xy = s**3 * np.array(p0) + 3 * s * s * t * np.array(p1) + 3 * s * t * t * np.array(p2) + t**3 * np.array(p3)
    return [(float(a), float(b)) for a, b in xy]
