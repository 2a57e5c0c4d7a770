"""How the Wood station reads the panel."""

from dataclasses import replace

from ..outline.coverage import Seam
from ..work.parts import Job
from ..work.readings import Read, numbered_woods, worn
from ..work.register import reading
from ..work.scene import Mark
from ..work.view import View
from .contrast import contrast_of
from .judgement import neck_table


@reading("wood", "woods")
def woods_and_seams(job: Job, _plan, view: View) -> Read:
    """Woods as they will look, seams that melt and were not accepted marked."""
    return worn(job, view, "full"), melting(job, view)


@reading("wood", "arrows")
def flows(job: Job, _plan, view: View) -> Read:
    """Arrows, with the lines they follow and the necks that are weak."""
    composition = job.composition
    lines = [
        Mark("guide", path="M" + " L".join(f"{x:g} {y:g}" for x, y in flow.line))
        for flow in composition.decisions.wood.flows
    ]
    necks = [
        Mark("neck", n.x_mm, n.y_mm, piece=key)
        for layer in view.layers(composition)
        for key, own in neck_table(layer.without_openings, composition.practice).items()
        for n in own
    ]
    return worn(job, view, "full", arrow=True), (*lines, *necks, *melting(job, view))


@reading("wood", "picture")
def picture(job: Job, _plan, view: View) -> Read:
    """The picture of the result."""
    return worn(job, view, "clear"), ()


@reading("wood", "seams")
def contrast(job: Job, _plan, view: View) -> Read:
    """Every seam as it will read: thin where two things are separate, dotted where they shade, dashed where they are
    lost."""
    marks = []
    for layer in view.layers(job.composition):
        rated = contrast_of(job.composition, layer)
        for kind in ("reads", "shades", "melts"):
            rows = rated.of(kind)
            if view.stacked:
                marks += [_along(f"seam-{kind}", r.seam) for r in rows]
            elif rows:
                marks.append(Mark(f"seam-{kind}", path=" ".join(r.seam.path for r in rows)))
    return worn(job, view, "pale"), tuple(marks)


@reading("wood", "greys")
def greys(job: Job, _plan, view: View) -> Read:
    """Does it read without colour?"""
    return worn(job, view, "grey"), melting(job, view)


@reading("wood", "red-green")
def blind(job: Job, _plan, view: View) -> Read:
    """Does it read for those who cannot tell red from green?"""
    return worn(job, view, "blind"), melting(job, view)


@reading("wood", "aged")
def aged(job: Job, _plan, view: View) -> Read:
    """After about a year of room light."""
    composition, shelf = job.composition, job.composition.rack.shelf
    dress = worn(job, view, "full")
    for p in view.pieces(composition):
        code = composition.wood_of(p)
        if code in shelf and shelf[code].aged:
            dress[p.key] = replace(dress[p.key], coat=composition.seen.older.hex(composition.look_of(p)))
    return dress, ()


reading("wood", "numbers")(numbered_woods)


def melting(job: Job, view: View) -> tuple[Mark, ...]:
    """Seams that will be lost, those left out that were accepted."""
    accepted = job.composition.accepted
    marks = []
    for layer in view.layers(job.composition):
        by_key = layer.by_key
        for row in contrast_of(job.composition, layer).of("melts"):
            a, b = sorted((row.seam.a, row.seam.b), key=lambda key: by_key[key].number)
            if f"melts:{a},{b}" not in accepted:
                marks.append(_along("melt", row.seam))
    return tuple(marks)


def _along(kind: str, seam: Seam) -> Mark:
    """A mark along a seam, which belongs to the first of its pieces."""
    x, y = seam.middle
    return Mark(kind, x, y, seam.path, piece=seam.a)
