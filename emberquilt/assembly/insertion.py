"""Whether a part goes in where everything round it is down already: along the normal, by what its edges leave of room.

An edge that slopes inwards to below by d degrees gains z tan d of room when the part is lifted by z; one that slopes
outwards loses as much (geometry). Square edges keep the joint's own gap on the whole way.
"""

import math
from dataclasses import dataclass

from ..relief.bevel import bevels_of
from ..work.fitted import found_at
from ..work.parts import USUAL_KERF_MM, Job
from .glueup import GluePlan

USUAL_DRAFT_DEG = 2.0
"""What an edge is sanded under so that a part drops in: common practice, no source."""


@dataclass(frozen=True, slots=True)
class Insertion:
    """A part that everything else lies round when it goes in. `gap_mm` of its tightest seam, less than nothing where it
    was found tight, at the neighbour `tight`; `draft_deg` of its edges, less than nothing where it is wider below;
    `room_mm` the least on its way in; `goes`: it does."""

    piece: int
    gap_mm: float
    draft_deg: float
    room_mm: float
    wanted_mm: float
    tight: int = 0

    @property
    def goes(self) -> bool:
        return self.room_mm >= self.wanted_mm - 1e-9


def draft_of(job: Job, key: int) -> float:
    """By how many degrees the edges of a piece slope inwards to below."""
    said = job.composition.decisions.assembly.drafts.get(key)
    if said is not None:
        return said
    bevel = bevels_of(job).get(key)
    return 0.0 if bevel is None else math.copysign(bevel.tilt_deg, -bevel.rise_mm)


def gap_at(job: Job, key: int, other: int) -> float:
    """How far the joint of two pieces stands open, as it was found dry, or as this practice saws it."""
    fit = found_at(job.composition, key, other)
    if fit is not None:
        return {"tight": -1.0, "gap": 1.0, "ok": 0.0}[fit.found] * fit.mm
    return job.composition.practice.joint_mm(USUAL_KERF_MM)


def insertions_of(job: Job, glue: GluePlan) -> tuple[Insertion, ...]:
    """Of every piece that is closed in when it goes down."""
    return job.once("insertions", lambda: tuple(_insertions(job, glue)))


def _insertions(job: Job, glue: GluePlan):
    jams = bevels_of(job)
    for step in glue.steps:
        # a bundle is known by its first piece; what jams in its host is pressed in from the side that lets it
        key = step.piece or (int(step.whole.removeprefix("bundle-")) if step.whole else 0)
        if not step.closed or not key or not step.touches or key in jams:
            continue
        gaps = {int(other): gap_at(job, key, int(other)) for other in step.touches}
        tight = min(gaps, key=lambda other: gaps[other])
        draft, thick = draft_of(job, key), job.thickness_mm[key]
        room = gaps[tight] + min(0.0, thick * math.tan(math.radians(draft)))
        # with a draft the walls meet only at the very end of the way
        wanted = 0.0 if draft > 0 else job.composition.practice.drop_mm
        yield Insertion(key, gaps[tight], draft, round(room, 6), wanted, tight if gaps[tight] < 0 else 0)
