"""What a flat part would hit on a straight way out of its place in space.

Each part is looked at by points within it, which are moved step by step; a step is no longer than the thinner of the
two is thick, so none is passed over.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import combinations

import numpy as np
import shapely
from networkx.utils import UnionFind

from ..work.joints import joints_of
from ..work.parts import Job
from ..work.poses import Pose, poses_of

INSET_MM = 0.4
"""What touches does not hit: parts are looked at so far within their faces."""
MOST_POINTS = 400
LEAST_STEP_MM = 1.0


@dataclass(frozen=True)
class _Body:
    """A part within its faces: points in space, its pose, its thickness, and its outline on the sheet."""

    points: np.ndarray
    pose: Pose
    thick_mm: float
    outline: shapely.Geometry

    @property
    def box(self) -> tuple[np.ndarray, np.ndarray]:
        return self.points.min(axis=0), self.points.max(axis=0)

    def holds(self, points: np.ndarray) -> np.ndarray:
        """Which of some places in space lie within it."""
        own = (points - self.pose.shift) @ self.pose.turn
        inside = (own[..., 2] > INSET_MM) & (own[..., 2] < self.thick_mm - INSET_MM)
        place = np.nonzero(inside)
        inside[place] = shapely.contains_xy(self.outline, own[..., 0][place], -own[..., 1][place])
        return inside


class Sweeps:
    """Parts of one copy where they stand; what was looked at is known."""

    def __init__(self, job: Job, poses: Mapping[int, Pose]):
        self._job, self._poses = job, poses
        self._bodies: dict[int, _Body | None] = {}
        self._found: dict[tuple, bool] = {}

    def overlap(self, one: int, other: int) -> bool:
        """Whether two parts are in one place."""
        return self._once((min(one, other), max(one, other)), self._overlap)

    def hits(self, one: int, other: int, way: np.ndarray) -> bool:
        """Whether `one`, drawn out along a direction in space, comes upon `other`. Those that are in one place already
        are told elsewhere."""
        return self._once((one, other, *np.round(way, 3).tolist()), lambda a, b: self._hits(a, b, way))

    def _once(self, key: tuple, look) -> bool:
        if key not in self._found:
            self._found[key] = look(key[0], key[1])
        return self._found[key]

    def _overlap(self, one: int, other: int) -> bool:
        a, b = self._body(one), self._body(other)
        if a is None or b is None or _apart(a.box, b.box, np.zeros(3)):
            return False
        return bool(b.holds(a.points).any() or a.holds(b.points).any())

    def _hits(self, one: int, other: int, way: np.ndarray) -> bool:
        a, b = self._body(one), self._body(other)
        if a is None or b is None or self.overlap(one, other):
            return False
        (low, high), (other_low, other_high) = a.box, b.box
        far = float(np.linalg.norm(np.maximum(high, other_high) - np.minimum(low, other_low)))
        if _apart(a.box, b.box, way * far):
            return False
        step = max(LEAST_STEP_MM, min(a.thick_mm, b.thick_mm) - 2 * INSET_MM)
        moves = np.arange(step, far + step, step)[:, None, None] * way
        # of two that meet either may be the one whose points lie in the other
        return bool(b.holds(a.points + moves).any() or a.holds(b.points - moves).any())

    def _body(self, key: int) -> _Body | None:
        """Nothing of a part that is too thin or narrow to be looked at."""
        if key not in self._bodies:
            part, pose = self._job.pieces[key], self._poses[key]
            within = shapely.buffer(part.outline, -INSET_MM)
            thick = part.thickness_mm
            if within.is_empty or thick <= 2 * INSET_MM:
                self._bodies[key] = None
            else:
                xy = _within(within)
                heights = np.unique([1.5 * INSET_MM, thick / 2, thick - 1.5 * INSET_MM])
                points = np.concatenate([pose.at(xy, float(mm)) for mm in heights])
                shapely.prepare(within)
                self._bodies[key] = _Body(points, pose, thick, within)
        return self._bodies[key]


def overlaps(job: Job) -> tuple[tuple[int, int], ...]:
    """Pairs of parts that hang together and of which one stands where the other is; worked out once for a job."""
    return job.once("in one place", lambda: _overlaps(job))


def _overlaps(job: Job) -> tuple[tuple[int, int], ...]:
    poses, joints = poses_of(job), [joint for _, joint in joints_of(job.composition)]
    together = UnionFind()
    for joint in joints:
        together.union(joint.tab, joint.slot)
    joined = {frozenset((joint.tab, joint.slot)) for joint in joints}
    sweeps = Sweeps(job, poses)
    pairs = [pair for keys in together.to_sets() for pair in combinations(sorted(keys), 2)]
    return tuple((a, b) for a, b in sorted(pairs) if {a, b} not in joined and sweeps.overlap(a, b))


def _within(area: shapely.Geometry) -> np.ndarray:
    """Places in an area: corners and steps along its border, and a grid inside."""
    apart = max(2.0, (float(area.area) / MOST_POINTS) ** 0.5)
    border = shapely.get_coordinates(shapely.segmentize(shapely.boundary(area), apart))
    if len(border) > MOST_POINTS:
        border = border[:: len(border) // MOST_POINTS + 1]
    x0, y0, x1, y1 = area.bounds
    xs, ys = np.meshgrid(np.arange(x0 + apart / 2, x1, apart), np.arange(y0 + apart / 2, y1, apart))
    grid = np.c_[xs.ravel(), ys.ravel()]
    return np.concatenate([border, grid[shapely.contains_xy(area, *grid.T)]])


def _apart(one: tuple[np.ndarray, np.ndarray], other: tuple[np.ndarray, np.ndarray], move: np.ndarray) -> bool:
    """Whether the box round a body and where it is moved to, and another's box, have nothing in common."""
    low, high = np.minimum(one[0], one[0] + move), np.maximum(one[1], one[1] + move)
    return bool((low > other[1]).any() or (high < other[0]).any())
