"""How the Saw station reads the panel."""

from ..stock.readings import paper
from ..work.parts import Job
from ..work.readings import Read, by_number, open_ones, plain, woods, worn
from ..work.register import reading
from ..work.scene import Mark
from ..work.view import View
from .cuts import SawPlan


@reading("saw", "order", plan="saw")
def cutting_order(job: Job, plan: SawPlan, view: View) -> Read:
    """Numbers in sawing order, starts and pilot holes."""
    cuts = plan.by_piece
    shown = {p.key for p in view.pieces(job.composition)}
    marks = [Mark("start", *cut.start_mm, piece=cut.piece) for cut in plan.cuts if cut.piece in shown]
    dress = worn(job, view, "pale", lambda p: str(cuts[p.key].order) if p.key in cuts else "")
    return open_ones(job, view) | dress, (*marks, *hole_marks(plan, shown))


@reading("saw", "holes", plan="saw")
def holes(job: Job, plan: SawPlan, view: View) -> Read:
    shown = {p.key for p in view.pieces(job.composition)}
    return open_ones(job, view) | worn(job, view, "pale", by_number), hole_marks(plan, shown)


reading("saw", "copies", plan="paper")(paper)
reading("saw", "woods")(woods)
reading("saw", "plain")(plain)


def hole_marks(plan: SawPlan, shown: set[int]) -> tuple[Mark, ...]:
    """Pilot holes of pieces that are seen."""
    return tuple(
        Mark("hole", h.x_mm, h.y_mm, piece=cut.piece) for cut in plan.cuts if cut.piece in shown for h in cut.holes
    )
