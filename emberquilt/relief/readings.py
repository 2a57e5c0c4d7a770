"""How the Relief station reads the panel."""

from ..units import format_length
from ..work.parts import Job
from ..work.readings import Read, numbered_woods, woods, worn
from ..work.register import reading
from ..work.view import View
from .heights import undecided


@reading("relief", "heights")
def heights(job: Job, _plan, view: View) -> Read:
    """The top of every piece above what the rearmost layer lies on; the highest set strongly."""
    practice = job.composition.practice
    top = max((job.lifted_mm(p) for p in job.composition.made), default=0.0)

    def label(p) -> str:
        if undecided(job, p.key):
            return "?"
        return format_length(job.lifted_mm(p), practice.unit, practice.denominator, with_unit=False)

    return worn(job, view, "pale", label, strong=lambda p: job.lifted_mm(p) == top), ()


@reading("relief", "shims")
def shims(job: Job, _plan, view: View) -> Read:
    practice = job.composition.practice

    def label(p) -> str:
        mm = job.shim_mm[p.key]
        return format_length(mm, practice.unit, practice.denominator, with_unit=False) if mm else ""

    return worn(job, view, "pale", label), ()


reading("relief", "woods")(woods)
reading("relief", "numbers")(numbered_woods)
