"""How the Fit and glue station reads the panel."""

from ..outline.paths import path_of
from ..relief.readings import heights
from ..work.parts import Job
from ..work.readings import Read, woods, worn
from ..work.register import reading
from ..work.scene import Mark
from ..work.view import View
from .glueup import GluePlan


@reading("assembly", "lifted", plan="glue")
def lifted_apart(job: Job, _plan: GluePlan, view: View) -> Read:
    """In a corner, while the work lifted apart is the large drawing."""
    return worn(job, view, "full"), ()


def carrier_of(job: Job, key: int) -> str:
    """The part that a piece is of: itself, or the board that it is routed into."""
    home = job.composition.home[key].key
    return next((board.key for board in job.boards if board.id.layer == home), str(key))


@reading("assembly", "order", plan="glue")
def glue_order(job: Job, plan: GluePlan, view: View) -> Read:
    """Numbers in gluing order, the backer's outline dashed inside, anchors ringed."""
    rows = plan.by_part
    shown = {p.key for p in view.pieces(job.composition)}
    marks = [Mark("guide", path=path_of(ground)) for ground in plan.grounds if view.kind != "apart"]
    for anchor in plan.anchors.values():
        if anchor in shown:
            spot = job.composition.home[anchor].coverage.spots[anchor]
            marks.append(Mark("ring", spot.x_mm, spot.y_mm, piece=anchor))
    first = {step.piece for batch in plan.batches[:1] for step in batch.steps}

    def label(p) -> str:
        row = rows.get(carrier_of(job, p.key))
        return str(row.order) if row else ""

    return worn(job, view, "pale", label, strong=lambda p: p.key in first), tuple(marks)


@reading("assembly", "batches", plan="glue")
def glue_batches(job: Job, plan: GluePlan, view: View) -> Read:
    number = {batch.key: i for i, batch in enumerate(plan.batches, 1)}

    def label(p) -> str:
        batch = plan.batch_of.get(carrier_of(job, p.key))
        return str(number[batch.key]) if batch else ""

    return worn(job, view, "pale", label), ()


@reading("assembly", "coats")
def coats(job: Job, _plan, view: View) -> Read:
    """The picture of the result, coat by coat."""
    return worn(job, view, "full"), ()


reading("assembly", "heights")(heights)
reading("assembly", "woods")(woods)
