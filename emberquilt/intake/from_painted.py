"""Painted shapes that lie over each other, as pieces of what is seen."""

import numpy as np
import shapely

from ..constants import MM_PER_INCH
from ..errors import BadDrawing
from ..findings import Finding
from ..outline import linework
from . import painted
from .finish import Drawn, Intake


def painted_faces(source: painted.PaintedSource, work: Intake) -> Drawn:
    """What is visible of painted shapes. Raises `BadDrawing` where that is nothing."""
    work.progress(0.3, "seeing what is visible")
    left, top, page_width, page_height = source.page
    whole = work.knobs.outside == "keep"
    box = (
        (left, top, left + page_width, top + page_height)
        if whole
        else tuple(shapely.total_bounds(np.array([p.shape for p in source.paints])).tolist())
    )
    span = (box[2] - box[0], box[3] - box[1])
    if min(span) <= 0:
        raise BadDrawing("This drawing has no width.")
    scale = work.size.mm_per_unit(span, (page_width, page_height), MM_PER_INCH / 96)

    def place(xy: np.ndarray) -> np.ndarray:
        return (xy - [box[0], box[1]]) * scale

    paints = [painted.Paint(shapely.transform(p.shape, place), p.colour, p.alpha, p.seam) for p in source.paints]
    frame = shapely.box(0, 0, span[0] * scale, span[1] * scale) if whole else None
    faces, colours = painted.faces_of(paints, frame)
    if not faces:
        raise BadDrawing("No region of this drawing is painted. Bring it as lines.")
    work.progress(0.7, "joining what no blade can part")
    clean, slivers = linework.without_slivers(faces)
    by_shape = dict(zip(map(id, faces), colours, strict=True))
    kept = [by_shape.get(id(p)) for p in clean]
    spots = shapely.point_on_surface(np.array(clean))
    tree = shapely.STRtree(np.array(faces))
    for i, colour in enumerate(kept):
        if colour is None:
            near = tree.query(spots[i], predicate="intersects").tolist()
            kept[i] = colours[near[0]] if near else ""
    findings = [_slivers(slivers)] if slivers else []
    box_mm = ((left - box[0]) * scale, (top - box[1]) * scale, page_width * scale, page_height * scale)
    return Drawn(clean, [c or "" for c in kept], box_mm, findings, source.left_out)


def _slivers(count: int) -> Finding:
    return Finding(
        "slivers",
        "pattern",
        f"{count} hairline regions thinner than {linework.SLIVER_MM} mm were joined to their neighbours.",
        "No blade parts what is thinner than its own kerf.",
        amount=count,
        limit=linework.SLIVER_MM,
        unit="mm",
    )
