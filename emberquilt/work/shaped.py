"""How the top of a piece is shaped: how far its edges are rounded, how high it is along a slope that is carved."""

from dataclasses import dataclass

import numpy as np
import shapely

from .decisions import Slope
from .parts import Job

USUAL_EDGE_MM = 3.0
"""Edges that stand free are rounded by this at most: common practice, no source."""
EASED_MM = 0.5
"""Edges of sheets, and of pieces that are level with what is beside them, are only eased."""
LEVEL_MM = 0.01
ON_SEAM_MM = 0.05
LEAST_FREE_MM = 1.0
"""A shorter stretch of border is not spoken of."""


def edge_of(job: Job, key: int) -> tuple[float, str]:
    """The most to which a piece's edges are rounded, in mm, and why they stay square where they do."""
    composition = job.composition
    said, layer = composition.decisions.relief.edges.get(key), composition.home[key]
    if said == 0:
        return 0.0, "as was said"
    if said is None and not layer.fitted and composition.decisions.pattern.lettered:
        return 0.0, "letters keep their edges"
    beside = layer.without_openings.coverage.neighbours.get(key, {})
    most = max((_step_mm(job, key, other) for other in beside), default=0.0)
    if most < USUAL_EDGE_MM and _stands_free(job, key):
        most = job.thickness_mm[key]
    return radius_mm(job, key, max(most, 0.0)), ""


def radius_mm(job: Job, key: int, exposed_mm: float) -> float:
    """To what a piece's edge is rounded where it stands so far above what is beside it: as was said for it, or no
    more than shows of it; where it lies lower (less than zero) it stays as it was sawn."""
    composition = job.composition
    if exposed_mm < -LEVEL_MM:
        return 0.0
    said = composition.decisions.relief.edges.get(key)
    if said is not None:
        return said
    if not composition.home[key].fitted:
        return 0.0 if composition.decisions.pattern.lettered else EASED_MM
    return min(exposed_mm, USUAL_EDGE_MM) if exposed_mm > LEVEL_MM else EASED_MM


def _step_mm(job: Job, key: int, other: int) -> float:
    """How far a piece stands above another."""
    return job.standing.top_mm(key) - job.standing.top_mm(other)


@dataclass(frozen=True, slots=True)
class Edge:
    """A stretch of a piece's border, with the neighbour beyond it (0: none), and the radius to which it is rounded."""

    other: int
    line: shapely.Geometry
    mm: float


def edges_of(job: Job, key: int) -> list[Edge]:
    """All of a piece's border; by each neighbour as far as the piece stands above it, and where nothing is beside it.
    What lies at the edge of the sheet stays square for its frame, and the lower side of a step as it was sawn."""
    layer = job.composition.home[key]
    outline = layer.coverage.by_key[key]
    beside = layer.without_openings.coverage.neighbours.get(key, {}) if layer.fitted else {}
    made = [
        Edge(other, seam.line, radius_mm(job, key, _step_mm(job, key, other))) for other, seam in sorted(beside.items())
    ]
    rest = outline.boundary
    if outline.length - sum(one.line.length for one in made) < LEAST_FREE_MM:
        return made
    if made:
        rest = shapely.difference(rest, shapely.buffer(shapely.union_all([one.line for one in made]), ON_SEAM_MM))
    at_edge = shapely.buffer(sheet_edge(job), ON_SEAM_MM)
    free, framed = shapely.difference(rest, at_edge), shapely.intersection(rest, at_edge)
    if free.length > LEAST_FREE_MM:
        made.append(Edge(0, free, radius_mm(job, key, job.thickness_mm[key])))
    if framed.length > LEAST_FREE_MM:
        made.append(Edge(0, framed, 0.0))
    return made


def _stands_free(job: Job, key: int) -> bool:
    """Whether some of a piece's border has nothing beside it and does not lie at the edge of the sheet."""
    coverage = job.composition.home[key].without_openings.coverage
    outline = coverage.by_key[key]
    left = outline.length - sum(seam.length_mm for seam in coverage.neighbours.get(key, {}).values())
    if left < LEAST_FREE_MM:
        return False
    x0, y0, x1, y1 = outline.bounds
    wide, high = job.composition.width_mm, job.composition.height_mm
    if min(x0, y0, wide - x1, high - y1) > ON_SEAM_MM:
        return True
    at_edge = shapely.intersection(outline.boundary, shapely.buffer(sheet_edge(job), ON_SEAM_MM))
    return left - at_edge.length > LEAST_FREE_MM


def sheet_edge(job: Job) -> shapely.Geometry:
    """The border of the sheet: what lies there stays square, for a frame."""
    return shapely.box(0, 0, job.composition.width_mm, job.composition.height_mm).boundary


def height_at(slope: Slope, xy: np.ndarray) -> np.ndarray:
    """Heights of a carved top at points (n, 2): straight from the high to the low end, level beyond both."""
    way = np.subtract(slope.low, slope.high)
    share = np.clip((xy - np.asarray(slope.high)) @ way / float(way @ way), 0.0, 1.0)
    return slope.high_mm + share * (slope.low_mm - slope.high_mm)
