"""Whether everything that lies on the backer has enough of it under it, long pieces at both ends."""

from dataclasses import dataclass

import numpy as np
import shapely

from ..work.parts import Job, Part

LEAST_SHARE = 0.5
"""Less of a piece on the backer than this and it can be pushed off or tips: common practice, no source."""
LONG = 3.0
"""A piece so many times as long as wide is held at both its ends: own choice."""
END_SHARE = 0.25
LEAST_END_SHARE = 0.3
NEAR_MM = 0.02


@dataclass(frozen=True, slots=True)
class Support:
    """A part that lies on the backer: the share of it that does, and the least share of its two ends (1 where it is not
    long)."""

    part: Part
    share: float
    end_share: float

    @property
    def holds(self) -> bool:
        return self.share >= LEAST_SHARE and self.end_share >= LEAST_END_SHARE


def supports_of(job: Job) -> list[Support]:
    """Of every piece and shim that lies on a backer. What lies on a shim is judged by its shim."""
    if not job.grounds:
        return []
    ground = shapely.union_all([part.outline for part in job.grounds])
    shapely.prepare(ground)
    lying = [p for p in (*job.pieces.values(), *job.shims) if abs(p.floor_mm - job.ground_mm) < NEAR_MM]
    if not lying:
        return []
    outlines = np.array([p.outline for p in lying], object)
    area = shapely.area(outlines)
    inside = shapely.contains_properly(ground, outlines)
    shared = area.copy()
    shared[~inside] = shapely.area(shapely.intersection(outlines[~inside], ground))
    found = []
    for part, own, on, whole in zip(lying, area, shared, inside, strict=True):
        ends = 1.0 if whole or own <= 0 else _ends(part.outline, ground)
        found.append(Support(part, float(on / own) if own else 0.0, ends))
    return found


def _ends(outline: shapely.Geometry, ground: shapely.Geometry) -> float:
    """The least share of its two ends that lies on the ground, 1 where the outline is not long."""
    box = shapely.get_coordinates(shapely.oriented_envelope(outline))
    if len(box) < 5:
        return 1.0
    sides = np.hypot(*(box[1:3] - box[:2]).T)
    long, short = (0, 1) if sides[0] > sides[1] else (1, 0)
    if sides[long] < LONG * max(sides[short], 1e-9):
        return 1.0
    a, along, across = box[long], box[long + 1] - box[long], box[long + 2] - box[long + 1]
    shares = []
    for low, high in ((0.0, END_SHARE), (1 - END_SHARE, 1.0)):
        strip = shapely.Polygon(
            [a + low * along, a + high * along, a + high * along + across, a + low * along + across]
        )
        end = shapely.intersection(outline, strip)
        shares.append(shapely.area(shapely.intersection(end, ground)) / max(float(end.area), 1e-9))
    return float(min(shares))
