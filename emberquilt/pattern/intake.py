"""From the bytes of a file to a proposal of pieces at finished size."""

from collections.abc import Callable

import numpy as np
import shapely

from ..constants import GREATEST_WIDTH_MM, SMALLEST_WIDTH_MM
from ..errors import BadDrawing, BadLength
from ..findings import Finding
from ..units import Length, format_length
from . import arcs, labels, linework, raster_source, svg_source
from .coverage import Coverage, on_grid
from .numbering import reading_order
from .proposal import Progress, Proposal, no_progress

MOST_MARKED = 12
"""Loose ends are marked one by one up to this many; beyond, one finding counts them."""


Say = Callable[[float], str]


def in_millimetres(mm: float) -> str:
    return format_length(mm, "mm")


def finished_width(text: str, unit: str) -> Length:
    """The finished width a person typed, within what can be a picture in wood. Raises `BadLength`."""
    width = Length.parse(text, unit)
    if width.mm <= 0:
        raise BadLength("The finished width must be more than zero.")
    if not SMALLEST_WIDTH_MM <= width.mm <= GREATEST_WIDTH_MM:
        raise BadLength(
            f"A finished width of {width.mm / 1000:g} m is outside what can be planned: "
            f"from {SMALLEST_WIDTH_MM / 10:g} cm to {GREATEST_WIDTH_MM / 1000:g} m."
        )
    return width


def recognise(data: bytes) -> str:
    """``svg`` or ``picture`` by content, never by the file's name. Raises `BadDrawing`."""
    if not data:
        raise BadDrawing("This file is empty.")
    head = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    if head.startswith((b"\x89PNG", b"\xff\xd8\xff")) or (head[:4] == b"RIFF" and head[8:12] == b"WEBP"):
        return "picture"
    if head.startswith((b"<", b"\xff\xfe<", b"\xfe\xff")) or b"<svg" in head:
        return "svg"
    raise BadDrawing("This is no drawing that can be read. Bring an SVG, PNG, JPEG or WebP file.")


def propose(
    data: bytes, width: Length, *, outside: str = "auto", progress: Progress = no_progress, say: Say = in_millimetres
) -> Proposal:
    """The pieces in a line drawing. `outside`: what becomes of the paper round it, auto, keep or drop.

    `say` puts a length in mm into the words of the shop.

    Raises `BadDrawing` with one clear sentence when nothing can be sawn from it, `Cancelled` from `progress`.
    """
    if outside not in labels.OUTSIDES:
        raise BadDrawing(f"“{outside}” is no way to treat the paper round the drawing: auto, keep or drop.")
    progress(0.02, "reading the file")
    if recognise(data) == "svg":
        return _from_svg(data, width.mm, outside, progress, say)
    return _from_picture(data, width.mm, outside, progress, say)


def _from_svg(data: bytes, width_mm: float, outside: str, progress: Progress, say: Say) -> Proposal:
    source = svg_source.read_svg(data)
    progress(0.3, "joining the lines")
    lines = svg_source.as_lines(source)
    left, top, page_width, page_height = source.page
    framed = outside == "keep" or (outside == "auto" and _runs_off(lines, source.page))
    box = (left, top, left + page_width, top + page_height) if framed else shapely.bounds(lines)
    for _ in range(3):
        span = box[2] - box[0]
        if span <= 0:
            raise BadDrawing("This drawing has no width.")
        scale = width_mm / span
        placed = shapely.transform(lines, lambda xy, s=scale, b=box: (xy - [b[0], b[1]]) * s)
        frame = shapely.box(0, 0, width_mm, (box[3] - box[1]) * scale) if framed else None
        faces = linework.faces_of(placed, frame)
        if not faces.outlines:
            raise BadDrawing("No closed region was found in this drawing. Its lines must enclose the pieces.")
        found = shapely.total_bounds(np.array(faces.outlines))
        if abs(found[2] - found[0] - width_mm) <= 1e-3 and abs(found[0]) <= 1e-3 and abs(found[1]) <= 1e-3:
            break
        # lines that stick out made the work smaller than was asked: measure what is enclosed and do it again
        box = tuple(box[i % 2] + found[i] / scale for i in range(4))
    progress(0.8, "checking the pieces")
    findings = _end_findings(faces.open_ends, say)
    if faces.closed_gaps:
        findings.append(_closed_gaps(faces.closed_gaps))
    source_box = ((left - box[0]) * scale, (top - box[1]) * scale, page_width * scale, page_height * scale)
    fills = [(shapely.transform(f, lambda xy: (xy - [box[0], box[1]]) * scale), colour) for f, colour in source.fills]
    colours = _colours_under(faces.outlines, fills)
    return _finish(faces.outlines, len(faces.outlines), "line SVG", source_box, findings, source.left_out, colours)


def _colours_under(outlines, fills) -> list[str]:
    """For each outline the colour of the topmost filled shape at a point inside it; empty where there is none."""
    colours = [""] * len(outlines)
    if not fills:
        return colours
    spots = shapely.point_on_surface(np.array(outlines))
    tree = shapely.STRtree([shape for shape, _ in fills])
    found, shapes = tree.query(spots, predicate="within")
    for i, shape in sorted(zip(found.tolist(), shapes.tolist(), strict=True)):
        colours[i] = fills[shape][1]
    return ["" if colour in svg_source.NO_COLOUR else colour for colour in colours]


def _runs_off(lines: shapely.Geometry, page: tuple[float, float, float, float]) -> bool:
    """Lines that end on the page's border, where nothing closes them: the page itself is the sheet."""
    left, top, width, height = page
    border = shapely.box(left, top, left + width, top + height).exterior
    slack = 0.002 * max(width, height)
    merged = shapely.get_parts(shapely.line_merge(shapely.node(lines)))
    tips = merged[~shapely.is_closed(merged)]
    if not len(tips):
        return False
    ends = np.concatenate([shapely.get_point(tips, 0), shapely.get_point(tips, -1)])
    unique, count = np.unique(np.round(shapely.get_coordinates(ends), 6), axis=0, return_counts=True)
    loose = shapely.points(unique[count == 1])
    if not len(loose):
        return False
    return int((shapely.distance(loose, border) <= slack).sum()) >= 2


def _from_picture(data: bytes, width_mm: float, outside: str, progress: Progress, say: Say) -> Proposal:
    grey, coloured = raster_source.read_picture(data)
    progress(0.15, "telling ink from paper")
    found = labels.label_regions(grey, outside)
    progress(0.5, "following the borders")
    outlines, _ = arcs.outlines_of(found.picture, found.count)
    left, top, right, _ = shapely.total_bounds(np.array(outlines))
    scale = width_mm / (right - left)
    placed = list(shapely.transform(np.array(outlines), lambda xy: (xy - [left, top]) * scale))
    progress(0.85, "checking the pieces")
    ends = [((x - left) * scale, (y - top) * scale) for x, y in found.ends]
    findings = _end_findings(ends, say)
    if found.specks:
        findings.append(
            Finding(
                "specks",
                "pattern",
                f"{found.specks} specks of paper inside the lines were left out: each under {labels.SPECK_PX} pixels.",
                "Regions smaller than a blade's kerf are scanning noise.",
                amount=found.specks,
            )
        )
    height, width = grey.shape
    source_box = (-left * scale, -top * scale, width * scale, height * scale)
    colours = labels.region_colours(found, coloured) if coloured is not None else {}
    by_outline = [colours.get(label, "") for label in range(1, found.count + 1)]
    return _finish(placed, found.count, "line picture", source_box, findings, (), by_outline)


def _finish(outlines, faces, kind, source_box, findings, left_out, colours) -> Proposal:
    rounded = [shapely.normalize(p) for p in on_grid(np.array(outlines))]
    draft = Coverage(range(1, len(rounded) + 1), rounded)
    order = reading_order(draft)
    coverage = Coverage(range(1, len(order) + 1), [draft.by_key[key] for key in order])
    _, _, right, bottom = coverage.bounds_mm
    proposal = Proposal(
        coverage,
        round(right, 3),
        round(bottom, 3),
        kind,
        faces,
        tuple(round(v, 3) for v in source_box),
        tuple(findings),
        colours={i: colours[key - 1] for i, key in enumerate(order, 1) if colours[key - 1]},
        left_out=tuple(left_out),
    )
    if not proposal.is_valid:
        raise BadDrawing(
            "The lines of this drawing cross so closely that its pieces could not be told apart without gaps. "
            "Simplify the drawing or make the finished width larger."
        )
    return proposal


def _end_findings(ends: list[tuple[float, float]], say: Say) -> list[Finding]:
    rule = "A line that stops in the open does not part two pieces; what lay on its two sides became one."
    if len(ends) > MOST_MARKED:
        words = f"{len(ends)} lines end in the open: pieces there were lost into their neighbours. Close them and bring the drawing again."
        return [Finding("open-gap", "pattern", words, rule, point_mm=ends[0], amount=len(ends))]
    return [
        Finding(
            "open-gap",
            "pattern",
            f"A line ends in the open {say(max(x, 0.0))} from the left and {say(max(y, 0.0))} from the top: "
            "both sides became one piece. Close it in the drawing if it should part them.",
            rule,
            point_mm=(round(x, 2), round(y, 2)),
        )
        for x, y in ends
    ]


def _closed_gaps(places: list[tuple[float, float]]) -> Finding:
    return Finding(
        "closed-gap",
        "pattern",
        f"{len(places)} line ends stopped up to {linework.CLOSE_MM} mm short of the next line and were joined to it.",
        f"Ends closer than {linework.CLOSE_MM} mm at finished size are taken as meeting.",
        point_mm=places[0],
        amount=len(places),
        limit=linework.CLOSE_MM,
        unit="mm",
    )
