"""How the top of a piece is shaped: how far its edges are rounded, how high it is along a slope that is carved."""

import numpy as np

from .decisions import Slope
from .parts import Job

USUAL_EDGE_MM = 3.0
"""Edges that stand free are rounded by this at most: common practice, no source."""
EASED_MM = 0.5
"""Edges of sheets, and of pieces that are level with what is beside them, are only eased."""


def edge_of(job: Job, key: int) -> tuple[float, str]:
    """Radius of a piece's free edge in mm, and why it stays square where it does."""
    composition = job.composition
    relief = composition.decisions.relief
    if key in relief.edges:
        return relief.edges[key], "" if relief.edges[key] else "as was said"
    layer = composition.home[key]
    if layer.kind not in ("mosaic", "overlay"):
        if composition.decisions.pattern.lettered:
            return 0.0, "letters keep their edges"
        return EASED_MM, ""
    shows = [seam_edge_mm(job, key, other) for other in layer.without_openings.coverage.neighbours.get(key, {})]
    free = max(shows, default=USUAL_EDGE_MM)
    return (free, "") if free > 0 else (EASED_MM, "")


def seam_edge_mm(job: Job, key: int, other: int) -> float:
    """How far a piece can be rounded along its seam with another: no more than it stands above it."""
    step = job.standing.top_mm(key) - job.standing.top_mm(other)
    return float(min(max(step, 0.0), USUAL_EDGE_MM))


def height_at(slope: Slope, xy: np.ndarray) -> np.ndarray:
    """Heights of a carved top at points (n, 2): straight from the high to the low end, level beyond both."""
    way = np.subtract(slope.low, slope.high)
    share = np.clip((xy - np.asarray(slope.high)) @ way / float(way @ way), 0.0, 1.0)
    return slope.high_mm + share * (slope.low_mm - slope.high_mm)
