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


@reading("saw", "way", plan="saw")
def way(job: Job, plan: SawPlan, view: View) -> Read:
    """What lies under the player: the pieces, without a word."""
    return open_ones(job, view) | worn(job, view, "pale", lambda _: ""), ()


@reading("saw", "holes", plan="saw")
def holes(job: Job, plan: SawPlan, view: View) -> Read:
    shown = {p.key for p in view.pieces(job.composition)}
    return open_ones(job, view) | worn(job, view, "pale", by_number), hole_marks(plan, shown)


@reading("saw", "kerf", plan="saw")
def kerf(job: Job, plan: SawPlan, view: View) -> Read:
    """By how much each seam opens, drawn wider than it is, and the row and column that grow most."""
    shown = {p.key for p in view.pieces(job.composition)}
    seams = {
        (seam.a, seam.b): seam
        for layer in job.composition.layers
        if layer.fitted
        for seam in layer.without_openings.coverage.seams
    }
    gaps = plan.gaps(job)
    marks = [
        Mark("gap", path=seams[pair].path, wide=round(mm * MAGNIFIED, 3))
        for pair, mm in gaps.items()
        if mm > 0 and set(pair) <= shown
    ]
    layers = {job.composition.home[key].key for key in shown}
    for row in plan.rows:
        if row.layer in layers and row.joints > 0 and row.growth_mm > 0:
            x0, y0, x1, y1 = row.ends
            grows = f"{job.composition.practice.say(row.growth_mm)} {'taller' if row.across else 'wider'}"
            words = f"{row.joints} joints, {grows}"
            marks.append(Mark("guide", path=f"M{x0:g} {y0:g}L{x1:g} {y1:g}"))
            marks.append(Mark("name", x0 + 3.0, y0 + (9.0 if row.across else -5.0), text=words))
    return open_ones(job, view) | worn(job, view, "pale", by_number), tuple(marks)


MAGNIFIED = 6.0
"""Gaps are drawn so many times as wide as they are."""

reading("saw", "copies", plan="paper")(paper)
reading("saw", "woods")(woods)
reading("saw", "plain")(plain)


def hole_marks(plan: SawPlan, shown: set[int]) -> tuple[Mark, ...]:
    """Pilot holes of pieces that are seen."""
    return tuple(
        Mark("hole", h.x_mm, h.y_mm, piece=cut.piece) for cut in plan.cuts if cut.piece in shown for h in cut.holes
    )
