"""Lines of an SVG, a DXF or a PDF page, as pieces."""

import numpy as np
import shapely

from ..errors import BadDrawing
from ..outline import linework
from . import svg_source
from .finish import Drawn, Intake, closed_gaps, end_findings, finished
from .proposal import Proposal, ReadAs


def from_lines(source: svg_source.LineSource, kind: str, why: str, work: Intake) -> Proposal:
    return finished(line_faces(source, work), kind, ReadAs("line", why), work)


def line_faces(source: svg_source.LineSource, work: Intake) -> Drawn:
    """What the lines enclose. Raises `BadDrawing` where that is nothing."""
    work.progress(0.3, "joining the lines")
    lines = svg_source.as_lines(source)
    linework.refuse_tangle(lines)
    left, top, page_width, page_height = source.page
    outside, gap = work.knobs.outside, work.knobs.gap_mm
    framed = outside == "keep" or (outside == "auto" and _runs_off(lines, source.page))
    box = (left, top, left + page_width, top + page_height) if framed else shapely.bounds(lines)
    for _ in range(3):
        span = (box[2] - box[0], box[3] - box[1])
        if span[0] <= 0:
            raise BadDrawing("This drawing has no width.")
        scale = work.size.mm_per_unit((span[0], span[1] or span[0]), (page_width, page_height), source.unit_mm)
        placed = shapely.transform(lines, lambda xy, s=scale, b=box: (xy - [b[0], b[1]]) * s)  # type: ignore[misc]
        frame = shapely.box(0, 0, span[0] * scale, span[1] * scale) if framed else None
        # what is seen as a gap begins at the edges of the strokes, not at their middles
        reach = linework.CLOSE_MM if gap is None else gap
        reach += source.stroke * scale / 2 if reach else 0.0
        faces = linework.faces_of(placed, frame, reach)
        if not faces.outlines:
            raise BadDrawing("No closed region was found in this drawing. Its lines must enclose the pieces.")
        found = shapely.total_bounds(np.array(faces.outlines))
        if abs(found[2] - span[0] * scale) <= 1e-3 and abs(found[0]) <= 1e-3 and abs(found[1]) <= 1e-3:
            break
        # lines that stick out made the work smaller than was asked: measure what is enclosed and do it again
        box = tuple(box[i % 2] + found[i] / scale for i in range(4))
    work.progress(0.8, "checking the pieces")
    findings = end_findings(faces.open_ends, work.say)
    if faces.closed_gaps:
        findings.append(closed_gaps(faces.closed_gaps, reach))
    source_box = ((left - box[0]) * scale, (top - box[1]) * scale, page_width * scale, page_height * scale)
    traces = [("bridged", x, y) for x, y in faces.closed_gaps] + [("lost", x, y) for x, y in faces.open_ends]
    return Drawn(faces.outlines, [""] * len(faces.outlines), source_box, findings, source.left_out, tuple(traces))


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
