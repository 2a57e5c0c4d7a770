"""Narrow necks of a piece: places where shrinking the outline parts it into two bodies."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely

TOLERANCE_MM = 0.1
BODY_SHARE = 0.04
"""A part counts as a body when it has this share of the piece's area; a lesser tip is only a corner."""


@dataclass(frozen=True, slots=True)
class Neck:
    """Narrowest neck of a piece: width, the middle of it, and the direction the piece runs through it."""

    key: int
    width_mm: float
    x_mm: float
    y_mm: float
    along_deg: float


def necks(keys: Sequence[int], outlines: np.ndarray, limit_mm: float) -> list[Neck | None]:
    """The narrowest neck under `limit_mm` of each piece, or None where it has none."""
    opened = shapely.buffer(outlines, -limit_mm / 2, quad_segs=3)
    return [
        _narrowest(key, outline, limit_mm) if len(_bodies(rest, outline.area)) > 1 else None
        for key, outline, rest in zip(keys, outlines, opened, strict=True)
    ]


def _bodies(shrunk: shapely.Geometry, area_mm2: float) -> list[shapely.Geometry]:
    return [part for part in shapely.get_parts(shrunk) if part.area > BODY_SHARE * area_mm2]


def _narrowest(key: int, outline: shapely.Polygon, limit_mm: float) -> Neck:
    """Halve between a width that leaves one body and one that leaves two; the neck lies between these two."""
    whole, parted = 0.0, limit_mm
    bodies = _bodies(shapely.buffer(outline, -parted / 2, quad_segs=4), outline.area)
    while parted - whole > TOLERANCE_MM:
        middle = (whole + parted) / 2
        parts = _bodies(shapely.buffer(outline, -middle / 2, quad_segs=4), outline.area)
        if len(parts) > 1:
            parted, bodies = middle, parts
        else:
            whole = middle
    bodies.sort(key=lambda part: -part.area)
    gap = shapely.shortest_line(bodies[0], bodies[1])
    (x0, y0), (x1, y1) = shapely.get_coordinates(gap)
    # y runs downwards in the picture, angles run counter-clockwise as one sees them
    along = float(np.degrees(np.arctan2(y0 - y1, x1 - x0))) % 180
    return Neck(key, (whole + parted) / 2, (x0 + x1) / 2, (y0 + y1) / 2, along)
