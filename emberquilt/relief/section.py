"""A section through the work along a straight line: what is met, how high it lies, what shows of each edge."""

from dataclasses import dataclass

import numpy as np
import shapely

from ..errors import BadChoice
from ..work.parts import Job, Part
from ..work.pools import resin_of

LEAST_MET_MM = 0.02
"""Less of a part than this is only touched."""
Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Slice:
    """A stretch of the line that lies over a part, in mm from the line's first end."""

    part: Part
    from_mm: float
    to_mm: float

    @property
    def floor_mm(self) -> float:
        return self.part.floor_mm

    @property
    def top_mm(self) -> float:
        return self.part.top_mm


@dataclass(frozen=True, slots=True)
class Step:
    """Where what is seen changes its height along the line: the parts that are seen on both sides (None for nothing),
    and how much shows of the higher one's edge."""

    at_mm: float
    before: Part | None
    after: Part | None
    exposed_mm: float


@dataclass(frozen=True)
class Section:
    """`slices` back to front; `seen` those of them, in stretches, that are uppermost, along the line."""

    a: Point
    b: Point
    length_mm: float
    slices: tuple[Slice, ...]
    seen: tuple[Slice, ...]
    steps: tuple[Step, ...]

    @property
    def depth_mm(self) -> float:
        return max((one.top_mm for one in self.slices), default=0.0)


def section_of(job: Job, a: Point, b: Point) -> Section:
    """The section from `a` to `b` (mm, as on the picture). Raises `BadChoice` for a line without length, or one that
    meets nothing of the work."""
    line = shapely.LineString([a, b])
    if not line.length > 1.0:
        raise BadChoice("Draw the section line from one place to another: it has no length.")
    parts, tree = _standing(job)
    met = np.sort(tree.query(line, predicate="intersects"))
    along, of = shapely.get_parts(shapely.intersection(tree.geometries[met], line), return_index=True)
    places, stretch = shapely.get_coordinates(along, return_index=True)
    far = (places - np.asarray(a)) @ (np.subtract(b, a) / line.length)
    first = np.flatnonzero(np.diff(stretch, prepend=-1))
    slices = (
        [
            Slice(parts[met[of[stretch[i]]]], from_mm, to_mm)
            for i, from_mm, to_mm in zip(
                first.tolist(), *(ends.reduceat(far, first).tolist() for ends in (np.minimum, np.maximum)), strict=True
            )
            if to_mm - from_mm > LEAST_MET_MM
        ]
        if len(first)
        else []
    )
    if not slices:
        raise BadChoice("This section line lies outside the picture: draw it across the pieces.")
    slices.sort(key=lambda s: (s.floor_mm, s.from_mm))
    seen = _uppermost(slices)
    return Section(a, b, line.length, tuple(slices), tuple(seen), tuple(_steps(seen)))


def _standing(job: Job) -> tuple[list[Part], shapely.STRtree]:
    """All parts that stand in the work, with a tree of their outlines; kept with the job."""
    kept = job.__dict__.get("_section_tree")
    if kept is None:
        parts = [*job.shown, *resin_of(job)]
        kept = job.__dict__["_section_tree"] = parts, shapely.STRtree(np.array([p.outline for p in parts], object))
    return kept


def _uppermost(slices: list[Slice]) -> list[Slice]:
    """What is seen from the front along the line, stretch by stretch."""
    cuts = sorted({round(end, 6) for s in slices for end in (s.from_mm, s.to_mm)})
    seen: list[Slice] = []
    for low, high in zip(cuts, cuts[1:], strict=False):
        if high - low < LEAST_MET_MM:
            continue
        middle = (low + high) / 2
        over = [s for s in slices if s.from_mm < middle < s.to_mm]
        if not over:
            continue
        top = max(over, key=lambda s: s.top_mm).part
        if seen and seen[-1].part is top and abs(seen[-1].to_mm - low) < LEAST_MET_MM:
            seen[-1] = Slice(top, seen[-1].from_mm, high)
        else:
            seen.append(Slice(top, low, high))
    return seen


def _steps(seen: list[Slice]) -> list[Step]:
    """Steps between neighbours along the line, and at both its ends and at gaps what stands free."""
    steps = []
    for one, other in zip([None, *seen], [*seen, None], strict=True):
        if one is not None and other is not None and abs(other.from_mm - one.to_mm) < 2 * LEAST_MET_MM:
            steps.append(Step(one.to_mm, one.part, other.part, round(abs(one.top_mm - other.top_mm), 4)))
            continue
        if one is not None:
            steps.append(Step(one.to_mm, one.part, None, one.part.thickness_mm))
        if other is not None:
            steps.append(Step(other.from_mm, None, other.part, other.part.thickness_mm))
    return steps


def reach_of(job: Job) -> float:
    """How far a section line that shows the frame reaches beyond the sheet; 0 without a frame."""
    rails = job.composition.decisions.relief.rails
    return rails.width_mm + 2.0 if rails is not None else 0.0


def telling_line(job: Job) -> tuple[Point, Point]:
    """A line across the work that meets many heights: of a few, the one along which they change most often.
    Kept with the job."""
    kept = job.__dict__.get("_telling_line")
    if kept is None:
        kept = job.__dict__["_telling_line"] = _telling_line(job)
    return kept


def _telling_line(job: Job) -> tuple[Point, Point]:
    w, h = job.composition.width_mm, job.composition.height_mm
    tries = [((x0 * w, y0 * h), (x1 * w, y1 * h)) for x0, y0, x1, y1 in LINES]
    out = reach_of(job)
    if out:
        # what stands round the work is to be seen too
        tries = [((-out, share * h), (w + out, share * h)) for share in (0.5, 0.3, 0.7)]
        tries += [((share * w, -out), (share * w, h + out)) for share in (0.5, 0.35, 0.65)]
    best, most = tries[0], -1
    for a, b in tries:
        try:
            count = sum(step.exposed_mm > 0.1 for step in section_of(job, a, b).steps)
        except BadChoice:
            continue
        if count > most:
            best, most = (a, b), count
    return best


LINES = (
    (0.02, 0.5, 0.98, 0.5),
    (0.35, 0.02, 0.7, 0.98),
    (0.7, 0.02, 0.35, 0.98),
    (0.02, 0.3, 0.98, 0.7),
    (0.02, 0.7, 0.98, 0.3),
    (0.5, 0.02, 0.5, 0.98),
)
