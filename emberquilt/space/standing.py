"""Whether what stands in space stays standing: its centre of mass over what it stands on, and how far it may lean.

Statics of a rigid body on a table: it tips over an edge of the hull of its feet once its centre of mass is past that
edge.
"""

from dataclasses import dataclass
from math import atan2, degrees

import numpy as np
import shapely

from ..relief.mass import RECKONED_KG_M3, weight_kg
from ..work.parts import Job
from ..work.poses import poses_of

DRAUGHT_DEG = 5.0
"""It is to stand when it leans so far: own choice."""
ON_TABLE_MM = 0.6
"""What comes so near to the lowest point stands on the table."""


@dataclass(frozen=True)
class Stand:
    """`middle` the centre of mass in space, `feet` the hull of what stands on the table (x, y), `lean_deg` how far it
    may lean before it tips the way it tips first, below zero where it does not stand at all; `tips` that way, as x and
    y."""

    weight_kg: float
    middle: tuple[float, float, float]
    feet: shapely.Geometry
    lean_deg: float
    tips: tuple[float, float]

    @property
    def stands(self) -> bool:
        return self.lean_deg >= DRAUGHT_DEG


def stand_of(job: Job) -> Stand | None:
    """Of one copy; nothing where no part stands in space."""
    return job.once("stand", lambda: _stand(job))


def _stand(job: Job) -> Stand | None:
    poses = poses_of(job)
    if not poses:
        return None
    masses, middles, corners = [], [], []
    for key, pose in poses.items():
        part = job.pieces[key]
        centre = part.outline.centroid
        known = weight_kg(job, part)
        masses.append(part.area_mm2 * part.thickness_mm * 1e-9 * RECKONED_KG_M3 if known is None else known)
        middles.append(pose.at(np.array([[centre.x, centre.y]]), part.thickness_mm / 2)[0])
        rim = shapely.get_coordinates(part.outline.exterior if part.outline.geom_type == "Polygon" else part.outline)
        corners += [pose.at(rim, 0.0), pose.at(rim, part.thickness_mm)]
    total = sum(masses)
    if total <= 0:
        return None
    middle = np.average(np.array(middles), axis=0, weights=masses)
    every = np.concatenate(corners)
    low = float(every[:, 2].min())
    feet = shapely.convex_hull(shapely.multipoints(every[every[:, 2] < low + ON_TABLE_MM][:, :2]))
    lean, way = _lean(feet, middle, low)
    x, y, z = (float(v) for v in middle)
    return Stand(total, (x, y, z - low), feet, lean, way)


def _lean(feet: shapely.Geometry, middle: np.ndarray, low: float) -> tuple[float, tuple[float, float]]:
    """The smallest angle by which the whole tips over an edge of its feet, and the way over it."""
    high = max(float(middle[2]) - low, 1e-6)
    point = shapely.Point(middle[:2])
    if feet.geom_type != "Polygon":
        near = shapely.get_coordinates(shapely.shortest_line(point, feet))[1] - middle[:2]
        far = float(np.hypot(*near))
        return -degrees(atan2(far, high)), (0.0, 1.0)
    ring = shapely.get_coordinates(shapely.orient_polygons(feet).exterior)
    best, way = np.inf, (0.0, 1.0)
    for a, b in zip(ring[:-1], ring[1:], strict=True):
        along = (b - a) / max(float(np.hypot(*(b - a))), 1e-9)
        # counter-clockwise: the inside lies to the left
        inside = float(along[0] * (middle[1] - a[1]) - along[1] * (middle[0] - a[0]))
        if inside < best:
            best, way = inside, (float(along[1]), float(-along[0]))
    return degrees(atan2(best, high)), way


@dataclass(frozen=True, slots=True)
class Hidden:
    """A part of which so large a share cannot be seen from the front, because others stand before it."""

    key: int
    share: float
    behind: tuple[int, ...]


def hidden_of(job: Job) -> list[Hidden]:
    """What parts in space hide of each other as one looks at them straight from the front."""
    return job.once("hidden", lambda: _hidden(job))


def _hidden(job: Job) -> list[Hidden]:
    seen = []
    for key, pose in poses_of(job).items():
        part = job.pieces[key]
        facing = abs(float(pose.turn[1, 2]))
        if facing < 0.3:
            continue
        outline = shapely.transform(part.outline, lambda xy, p=pose: p.at(xy, 0.0)[:, [0, 2]])
        near = float(pose.at(shapely.get_coordinates(part.outline.centroid), part.thickness_mm / 2)[0, 1])
        seen.append((near, key, shapely.make_valid(outline)))
    seen.sort(key=lambda entry: entry[0])
    found = []
    for i, (near, key, outline) in enumerate(seen):
        before = [
            (k, other) for depth, k, other in seen[:i] if depth < near - 0.5 and shapely.intersects(other, outline)
        ]
        if not before or not outline.area:
            continue
        cover = shapely.union_all(np.array([other for _, other in before], object))
        share = float(shapely.intersection(cover, outline).area / outline.area)
        if share > 0.01:
            found.append(Hidden(key, share, tuple(k for k, _ in before)))
    return found


def hidden_parts(job: Job, least: float = 0.5) -> list[Hidden]:
    """Those of which less than half is seen."""
    return [one for one in hidden_of(job) if one.share >= least]
