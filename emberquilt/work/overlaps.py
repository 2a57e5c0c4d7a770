"""What lies over what: outlines of one coverage that share more than a hair with those of another."""

from dataclasses import dataclass

import numpy as np
import shapely

from ..outline.coverage import Coverage

LEAST_OVERLAP_MM2 = 1.0
"""Less than this is a line that was rounded, not one part lying on another."""
HAIR_MM = 0.15
"""A strip thinner than twice this does not carry a part."""


@dataclass(frozen=True)
class Overlap:
    """Pieces of one coverage that lie over pieces of another: positions in both, and the area they share (mm2)."""

    upper: np.ndarray
    lower: np.ndarray
    area_mm2: np.ndarray


def overlap_of(upper: Coverage, lower: Coverage, place: int) -> Overlap:
    """Which outlines share more than a hair with which. Kept with the upper coverage, one for each `place` behind
    it."""
    return upper.against(("over", place), (lower,), lambda: _overlap(upper, lower))


def _overlap(upper: Coverage, lower: Coverage) -> Overlap:
    if not len(upper) or not len(lower):
        nothing = np.zeros(0, int)
        return Overlap(nothing, nothing, np.zeros(0))
    above, below = np.array(upper.outlines), np.array(lower.outlines)
    i, j = shapely.STRtree(below).query(above, predicate="intersects")
    # what only touches, as neighbours on a grid do, is told by the boxes
    near = _boxes_share_mm2(above[i], below[j]) > LEAST_OVERLAP_MM2
    i, j = i[near], j[near]
    shared = shapely.intersection(above[i], below[j])
    area = shapely.area(shared)
    real = area > LEAST_OVERLAP_MM2
    # a long thin rest of rounding carries nothing; what is a good share of either part surely does
    thin = real & (area < 0.02 * np.minimum(shapely.area(above)[i], shapely.area(below)[j]))
    real[thin] = ~shapely.is_empty(shapely.buffer(shared[thin], -HAIR_MM, quad_segs=1))
    return Overlap(i[real], j[real], area[real])


def _boxes_share_mm2(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    a, b = shapely.bounds(one), shapely.bounds(other)
    wide = np.minimum(a[:, 2], b[:, 2]) - np.maximum(a[:, 0], b[:, 0])
    high = np.minimum(a[:, 3], b[:, 3]) - np.maximum(a[:, 1], b[:, 1])
    return np.maximum(wide, 0.0) * np.maximum(high, 0.0)
