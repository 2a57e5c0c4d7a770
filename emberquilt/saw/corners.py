"""Inner corners of a piece that a blade cannot turn: what is left when a disc rolls along the outline."""

import numpy as np
import shapely

DEEP_MM = 0.4
"""An inner corner counts when the blade leaves more than this standing in it, across: common practice, no source."""
Rest = tuple[float, tuple[float, float]]
"""How much is left standing in the worst corner, across (mm), and where (mm)."""


def corner_rests(radius_mm: float, _keys: list[int], outlines: np.ndarray) -> list[Rest | None]:
    """For each outline what a disc of that radius, rolling along its outside, leaves standing in its worst inner
    corner: the largest circle that fits there, across. None where that is no more than `DEEP_MM`."""
    closed = shapely.buffer(shapely.buffer(outlines, radius_mm, quad_segs=4), -radius_mm, quad_segs=4)
    # a disc given as a 16-gon falls short of the circle by r (1 - cos(pi/16)), under 2 % of r
    rests = shapely.difference(closed, outlines)
    deep = shapely.buffer(rests, -DEEP_MM / 2, quad_segs=2)
    found: list[Rest | None] = []
    for rest, core in zip(rests, deep, strict=True):
        if core.is_empty:
            found.append(None)
            continue
        parts = [p for p in shapely.get_parts(rest) if p.area > DEEP_MM**2 / 2]
        circles = [shapely.maximum_inscribed_circle(p, tolerance=0.02) for p in parts]
        best = max(circles, key=lambda c: c.length)
        x, y = best.coords[0]
        found.append((max(2 * float(best.length), DEEP_MM), (round(x, 2), round(y, 2))))
    return found
