"""How the Relief station reads the panel."""

import numpy as np
import shapely

from ..outline.coverage import Seam
from ..outline.paths import path_of
from ..wood.contrast import CLEAR_STEP_MM, STEP_MM, contrast_of
from ..work.parts import Job
from ..work.readings import Read, woods, worn
from ..work.register import reading
from ..work.scene import Dress, Mark
from ..work.standing import said_pairs
from ..work.view import View
from .heights import Relief, undecided
from .orders_judged import circle_numbers
from .shaping import SAME_EDGE_MM, rounded_of, usual_edge_mm


@reading("relief", "heights", of="flat")
def heights(job: Job, _plan, view: View) -> Read:
    """The top of every piece above what the rearmost layer lies on; the highest set strongly."""
    practice = job.composition.practice
    top = max((job.lifted_mm(p) for p in job.composition.made), default=0.0)

    def label(p) -> str:
        if undecided(job, p.key):
            return "?"
        return practice.short(job.lifted_mm(p))

    slopes = [
        Mark("slope", *slope.high, path=f"M{slope.high[0]} {slope.high[1]}L{slope.low[0]} {slope.low[1]}", piece=key)
        for key, slope in job.composition.decisions.relief.slopes.items()
    ]
    return worn(job, view, "pale", label, strong=lambda p: job.lifted_mm(p) == top), tuple(slopes)


@reading("relief", "shims", of="flat")
def shims(job: Job, _plan, view: View) -> Read:
    practice = job.composition.practice

    def label(p) -> str:
        mm = job.shim_mm[p.key]
        return practice.short(mm) if mm else ""

    return worn(job, view, "pale", label), ()


MOST_SPOKEN = 24
"""Radii told on the panel: those of the longest edges that are not rounded as most are."""
MOST_TABS = 400
"""Tabs on seams beyond this would only cover the picture; those on the longest seams are shown."""


@reading("relief", "orders", of="flat")
def orders(job: Job, _plan, view: View) -> Read:
    """The heights, with a tab on every seam between two pieces of which one is said to be in front, pointing at the one
    behind."""
    dress, slopes = heights(job, None, view)
    shown = {layer.key for layer in view.layers(job.composition)}
    wrong = {one for around in circle_numbers(job) for one in around}
    wrong |= {r.said for r in job.standing.clashes}
    tabs = []
    for said, front, behind, level in said_pairs(job.composition):
        ahead, back = set(front), set(behind)
        for key in ahead if len(ahead) <= len(back) else back:
            layer = job.composition.home[key]
            if layer.key not in shown:
                continue
            for other, seam in layer.without_openings.coverage.neighbours[key].items():
                if other in (back if key in ahead else ahead):
                    first = key if key in ahead else other
                    tabs.append((seam.length_mm, _tab(job, seam, first, level, said in wrong)))
    tabs.sort(key=lambda one: -one[0])
    return dress, (*slopes, *(mark for _, mark in tabs[:MOST_TABS]))


def _tab(job: Job, seam: Seam, front: int, level: bool, wrong: bool) -> Mark:
    """A tab half way along a seam, its point towards what is behind."""
    line = max(shapely.get_parts(seam.line).tolist(), key=lambda part: part.length)
    here = line.interpolate(0.5, normalized=True)
    near = (
        line.interpolate(max(0.5 * line.length - 0.5, 0)),
        line.interpolate(min(0.5 * line.length + 0.5, line.length)),
    )
    across = np.array([near[1].y - near[0].y, near[0].x - near[1].x])
    across = across / max(float(np.hypot(*across)), 1e-9)
    outline = job.pieces[front].outline
    probe = shapely.Point(here.x + 0.3 * across[0], here.y + 0.3 * across[1])
    if outline.contains(probe):
        across = -across
    kind = "wrong" if wrong else "level" if level else "front"
    path = f"{across[0]:.3f} {across[1]:.3f}"
    return Mark("tab", round(here.x, 2), round(here.y, 2), path=path, text=kind, piece=front)


reading("relief", "woods")(woods)


@reading("relief", "back", plan="relief", of="flat")
def back(job: Job, plan: Relief, view: View) -> Read:
    """The backer's outline under the pieces, hangers, and the centre of mass, all as from the front."""
    marks = [Mark("guide", path=path_of(ground.outline), text=ground.name) for ground in job.grounds]
    for body in plan.hanging.bodies:
        marks.append(Mark("mass", round(body.mass.x_mm, 2), round(body.mass.y_mm, 2)))
        for hanger in plan.hanging.hangers:
            plumb = f"M{body.mass.x_mm:.2f} {body.mass.y_mm:.2f}V{hanger.y_mm:.2f}"
            marks.append(Mark("plumb", path=plumb))
    marks += [Mark("hanger", h.x_mm, h.y_mm, text=h.kind) for h in plan.hanging.hangers]
    return worn(job, view, "pale"), tuple(marks)


LOW, HIGH = (0x4A, 0x39, 0x2A), (0xFB, 0xF0, 0xD2)
"""Colours of the lowest and the highest top on the map of heights."""


@reading("relief", "map", of="flat")
def height_map(job: Job, _plan, view: View) -> Read:
    """Tops as tones, the lowest dark, with their heights; what is carved with the wedge of its slope."""
    dress, slopes = heights(job, None, view)
    made = [job.lifted_mm(p) for p in job.composition.made] or [0.0]
    low, span = min(made), max(max(made) - min(made), 1e-6)

    def tone(key: int) -> str:
        share = (job.lifted_mm(job.composition.by_key[key]) - low) / span
        return "#" + "".join(f"{round(a + share * (b - a)):02x}" for a, b in zip(LOW, HIGH, strict=True))

    return {key: Dress(tone="tint", label=one.label, colour=tone(key)) for key, one in dress.items()}, slopes


@reading("relief", "steps", of="flat")
def steps_seen(job: Job, _plan, view: View) -> Read:
    """Every seam by its step: clear, readable, or neither a step nor a contrast, so that it is lost."""
    marks = []
    for layer in view.layers(job.composition):
        for one in contrast_of(job.composition, layer):
            if one.step_mm >= CLEAR_STEP_MM:
                kind = "seam-reads"
            elif one.step_mm >= STEP_MM:
                kind = "seam-shades"
            elif one.reading in ("melts", "open") or one.apart < job.composition.practice.reads_de:
                kind = "seam-melts"
            else:
                continue
            marks.append(Mark(kind, path=one.seam.path, piece=one.seam.a))
    return worn(job, view, "pale", lambda p: ""), tuple(marks)


@reading("relief", "edges", of="flat")
def edges(job: Job, _plan, view: View) -> Read:
    """How far each edge is rounded, as wide as it is."""
    practice, usual = job.composition.practice, usual_edge_mm(job)
    every = rounded_of(job)
    rounded = [(p.key, edge) for p in view.pieces(job.composition) for edge in every[p.key]]
    marks = [Mark("edge", path=path_of(edge.line), piece=key, wide=edge.mm) for key, edge in rounded]
    spoken = [edge for _, edge in rounded if abs(edge.mm - usual) > SAME_EDGE_MM]
    for edge in sorted(spoken, key=lambda one: -one.line.length)[:MOST_SPOKEN]:
        at = edge.line.interpolate(0.5, normalized=True)
        marks.append(Mark("edge-words", round(at.x, 2), round(at.y, 2), text=practice.short(edge.mm)))
    return worn(job, view, "pale"), tuple(marks)


@reading("relief", "lamp", of="flat")
def lamp(job: Job, _plan, view: View) -> Read:
    """The picture of the result; the page moves the lamp round it."""
    return worn(job, view, "full", lambda p: ""), ()


@reading("relief", "turntable")
def turntable(job: Job, _plan, view: View) -> Read:
    """The woods; the page turns the bodies of all parts over them."""
    return worn(job, view, "full"), ()
