"""What the kerf does to the joints: the gap on every seam, its sums along rows, and a blade out of square."""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import shapely

from ..outline.coverage import Coverage
from ..practice import Practice
from ..work.fitted import rows_of
from ..work.parts import Job


@dataclass(frozen=True, slots=True)
class Row:
    """A straight row of a layer from (x0, y0) to (x1, y1) in mm: how many joints it crosses, and by how much it grows
    in all; `across` where it is a column."""

    layer: int
    joints: int
    growth_mm: float
    ends: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    across: bool = False


def gape_mm(thickness_mm: float, off_deg: float) -> float:
    """How far a joint stands open on one side when the blade was out of square: 2 T tan e. Geometry."""
    return 2 * thickness_mm * math.tan(math.radians(off_deg))


def off_square_deg(gap_mm: float, thickness_mm: float) -> float:
    """By how many degrees the blade is off square where a kerf in a block of that thickness, turned round to the back
    of the blade, misses it by a gap: what it is off is twice the error."""
    return math.degrees(math.atan(gap_mm / 2 / max(thickness_mm, 0.1)))


def gaps_of(job: Job, kerf_of: Mapping[int, float], shared: Mapping[int, int]) -> dict[tuple[int, int], float]:
    """By how much each seam opens, by the keys of its pieces: half of either's kerf less how far outside the line it
    was sawn, or one kerf where both come out of one blank (`shared`: the blank of each piece)."""
    practice = job.composition.practice
    gaps = {}
    for layer in job.composition.layers:
        if not layer.fitted:
            continue
        for seam in layer.without_openings.coverage.seams:
            if seam.a not in kerf_of or seam.b not in kerf_of:
                continue
            if shared.get(seam.a, -1) == shared.get(seam.b, -2):
                gaps[seam.a, seam.b] = max(kerf_of[seam.a], kerf_of[seam.b])
            else:
                gaps[seam.a, seam.b] = sum(practice.joint_mm(kerf_of[key]) / 2 for key in (seam.a, seam.b))
    return gaps


def longest_rows(layer: int, coverage: Coverage, gap_mm: float) -> tuple[Row, Row] | None:
    """Of a layer the row and the column that cross most joints."""
    if not len(coverage):
        return None
    along, across = coverage.once("joints", lambda: _most_joints(coverage))
    return (
        Row(layer, along[0], gap_mm * along[0], along[1]),
        Row(layer, across[0], gap_mm * across[0], across[1], across=True),
    )


Crossed = tuple[int, tuple[float, float, float, float]]


def _most_joints(coverage: Coverage) -> tuple[Crossed, Crossed]:
    left, top, right, bottom = coverage.bounds_mm
    outlines = np.array(coverage.outlines)
    shapely.prepare(outlines)
    best: list[Crossed] = [(0, (left, top, right, top)), (0, (left, top, left, bottom))]
    for across, line in rows_of(coverage):
        joints = int(shapely.intersects(outlines, line).sum()) - 1
        if joints > best[across][0]:
            (x0, y0), (x1, y1) = line.coords
            best[across] = joints, (x0, y0, x1, y1)
    return best[0], best[1]


def joint_gap_mm(practice: Practice, kerfs: list[float]) -> float:
    """How far a joint opens at most, between pieces sawn with such kerfs."""
    return max((practice.joint_mm(kerf) for kerf in kerfs), default=0.0)
