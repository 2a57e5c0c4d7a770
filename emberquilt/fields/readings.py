"""How the Relief station shows fields: how deep each is routed, and what fills it."""

from ..outline.paths import path_of
from ..work.parts import Job
from ..work.pools import fills_of
from ..work.readings import Read, open_ones, worn
from ..work.register import reading
from ..work.scene import Mark
from ..work.view import View
from .routing import routings_of


@reading("relief", "depths", of="flat")
def depths(job: Job, _plan, view: View) -> Read:
    """The depth of every field, where the base tips, corners that stay, and pools by their colour."""
    practice, deep = job.composition.practice, job.composition.decisions.fields.depths

    def label(p) -> str:
        return practice.short(deep[p.key]) if p.key in deep else ""

    dress = worn(job, view, "pale", label) | open_ones(job, view)
    shown = {p.key for layer in view.layers(job.composition) for p in layer.pieces}
    marks: list[Mark] = []
    for routing in routings_of(job):
        for one in routing.fields:
            if one.piece in shown:
                marks += [Mark("ring", *one.tips)] if one.tips else []
                marks += [Mark("neck", x, y) for x, y in one.corners]
    for fill in fills_of(job):
        key = fill.piece.key
        if key in shown:
            outline = fill.layer.coverage.by_key[key]
            marks.append(Mark("pool", path=path_of(outline), text=fill.colour, piece=key))
    return dress, tuple(marks)
