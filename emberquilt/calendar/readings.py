"""How the Calendar station reads the panel."""

from dataclasses import replace

from ..saw.readings import cutting_order
from ..work.parts import Job
from ..work.readings import Read, woods
from ..work.register import reading
from ..work.scene import Dress
from ..work.steps import Done
from ..work.view import View


@reading("calendar", "sawn", plan="done")
def sawn_small(job: Job, done: Done, view: View) -> Read:
    """The same without numbers, for a picture in the corner."""
    dress, marks = sawn(job, done, view)
    return {key: replace(one, label="") for key, one in dress.items()}, marks


@reading("log", "sawn", plan="done")
def sawn(job: Job, done: Done, view: View) -> Read:
    """What is sawn, in every copy, stands in its wood, the rest waits."""
    composition, copies = job.composition, range(2, job.copies + 1)

    def ready(key: int) -> bool:
        return ("saw", str(key)) in done and all(("saw", f"{key}/{n}") in done for n in copies)

    return {
        p.key: Dress(composition.wood_of(p), p.grain_deg or 0.0, "full" if ready(p.key) else "pale", str(p.number))
        for p in view.pieces(composition)
    }, ()


reading("calendar", "order", plan="saw")(cutting_order)
reading("calendar", "woods")(woods)
