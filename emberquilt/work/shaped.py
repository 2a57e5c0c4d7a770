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
ON_SEAM_MM = 0.05
LEAST_FREE_MM = 1.0
"""A shorter stretch of border is not spoken of."""


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
    coverage = layer.without_openings.coverage
    shows = [seam_edge_mm(job, key, other) for other in coverage.neighbours.get(key, {})]
    free = max(shows, default=0.0)
    if free < USUAL_EDGE_MM and _stands_free(job, key):
        free = min(USUAL_EDGE_MM, job.thickness_mm[key])
    return (free, "") if free > 0 else (EASED_MM, "")


@dataclass(frozen=True, slots=True)
class Edge:
    """A stretch of a piece's border, with the neighbour beyond it (0: none), and the radius to which it is rounded."""

    other: int
    line: shapely.Geometry
    mm: float


def edges_of(job: Job, key: int) -> list[Edge]:
    """All of a piece's border; by each neighbour as far as the piece stands above it, and where nothing is beside it.
    What lies at the edge of the sheet stays square for its frame, and the lower side of a step as it was sawn."""
    composition = job.composition
    layer, said = composition.home[key], composition.decisions.relief.edges.get(key)
    outline = layer.coverage.by_key[key]
    border = outline.boundary
    if layer.kind not in ("mosaic", "overlay"):
        return [Edge(0, border, edge_of(job, key)[0])]
    made, top = [], job.standing.top_mm(key)
    beside = layer.without_openings.coverage.neighbours.get(key, {})
    for other, seam in sorted(beside.items()):
        lower = job.standing.top_mm(other) > top + 0.01
        mm = 0.0 if lower else seam_edge_mm(job, key, other) or EASED_MM
        made.append(Edge(other, seam.line, mm if said is None or lower else said))
    rest = border
    if outline.length - sum(one.line.length for one in made) < LEAST_FREE_MM:
        return made
    if beside:
        rest = shapely.difference(border, shapely.buffer(shapely.union_all([one.line for one in made]), ON_SEAM_MM))
    at_edge = shapely.buffer(_sheet_edge(job), ON_SEAM_MM)
    free, framed = shapely.difference(rest, at_edge), shapely.intersection(rest, at_edge)
    if free.length > LEAST_FREE_MM:
        made.append(Edge(0, free, min(USUAL_EDGE_MM, job.thickness_mm[key]) if said is None else said))
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
    at_edge = shapely.intersection(outline.boundary, shapely.buffer(_sheet_edge(job), ON_SEAM_MM))
    return left - at_edge.length > LEAST_FREE_MM


def _sheet_edge(job: Job) -> shapely.Geometry:
    return shapely.box(0, 0, job.composition.width_mm, job.composition.height_mm).boundary


def seam_edge_mm(job: Job, key: int, other: int) -> float:
    """How far a piece can be rounded along its seam with another: no more than it stands above it."""
    step = job.standing.top_mm(key) - job.standing.top_mm(other)
    return float(min(max(step, 0.0), USUAL_EDGE_MM))


def height_at(slope: Slope, xy: np.ndarray) -> np.ndarray:
    """Heights of a carved top at points (n, 2): straight from the high to the low end, level beyond both."""
    way = np.subtract(slope.low, slope.high)
    share = np.clip((xy - np.asarray(slope.high)) @ way / float(way @ way), 0.0, 1.0)
    return slope.high_mm + share * (slope.low_mm - slope.high_mm)
