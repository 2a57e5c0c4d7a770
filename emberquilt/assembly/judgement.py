"""What is left to decide before glue-up, and what would lie on nothing."""

import shapely

from ..findings import Finding, Fix
from ..work.parts import Job
from ..work.register import judgement
from .glueup import GluePlan


@judgement("assembly", plan="glue")
def glue_findings(job: Job, plan: GluePlan) -> list[Finding]:
    """Anchors nobody confirmed, pieces that miss the backer."""
    return [*_open_anchors(job, plan), *_off_backer(job)]


def _open_anchors(job: Job, plan: GluePlan) -> list[Finding]:
    composition = job.composition
    number = {p.key: p.number for p in composition.made}
    return [
        Finding(
            "anchor-open",
            "assembly",
            f"{number[anchor]} would be glued first{_where(job, anchor)}, by your practice. "
            f"Confirm it or choose another "
            "anchor.",
            "Everything is registered from the first piece down.",
            (anchor,),
            fix=Fix(f"Anchor on {number[anchor]}", "anchor", {"pieces": [anchor]}),
        )
        for anchor in plan.anchors.values()
        if anchor not in composition.decisions.assembly.anchors
    ]


def _where(job: Job, key: int) -> str:
    several = len(job.composition.layers) > 1
    return f" of {job.composition.home[key].name}" if several else ""


def _off_backer(job: Job) -> list[Finding]:
    if not job.grounds or job.rear is None:
        return []
    ground = shapely.union_all([part.outline for part in job.grounds])
    shapely.prepare(ground)
    practice = job.composition.practice
    return [
        Finding(
            "off-backer",
            "assembly",
            f"{job.rear.by_key[key].number} would not lie on the backer at all: make its inset less than "
            f"{practice.say(practice.backer_inset_mm)}.",
            "Every piece needs backer under it.",
            (key,),
        )
        for key, outline in job.rear.without_openings.coverage.by_key.items()
        if not ground.intersects(outline)
    ]
