"""How the Pattern station reads the panel."""

from ..work.parts import Job
from ..work.readings import Read, by_number, open_ones, plain, woods, worn
from ..work.register import reading
from ..work.scene import Dress
from ..work.view import View


@reading("pattern", "numbers")
def numbers(job: Job, _plan, view: View) -> Read:
    """The bare pattern with its numbers, openings seen through."""
    return open_ones(job, view) | worn(job, view, "plain", by_number), ()


@reading("pattern", "colours")
def colours(job: Job, _plan, view: View) -> Read:
    """The drawing's own colours, which woods are matched to."""
    dress = {
        p.key: Dress("", 0.0, "tint" if p.colour else "plain", str(p.number), colour=p.colour)
        for p in view.pieces(job.composition)
    }
    return open_ones(job, view) | dress, ()


reading("pattern", "woods")(woods)
reading("pattern", "plain")(plain)
