"""The dry fit, seam by seam with a thumb; and which part it is that one holds in the hand."""

from urllib.parse import urlencode

import shapely
from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from emberquilt.assembly.alike import alike_of
from emberquilt.assembly.dryfit import USUAL_MM, Advice, FitSeam, advice_for, fit_order
from emberquilt.assembly.found import found_in
from emberquilt.drawing.panel import dress_json, shapes_json
from emberquilt.errors import EmberError
from emberquilt.outline.paths import path_of
from emberquilt.plan import Plan
from emberquilt.work.decisions import Fit
from emberquilt.work.fitted import fits_of, found_at
from emberquilt.work.readings import dress_of
from emberquilt.work.scene import Mark, Scene, scene_of
from emberquilt.work.setting import whole_number
from workshop.compositions import actions
from workshop.compositions.access import at_work
from workshop.compositions.plans import plan_of
from workshop.stations.faces import wood_table

from .practice import photo_of

STEPS_MM = (0.1, 0.2, 0.5, 1.0)
"""What a thumb says of how much a seam is off."""


@require_http_methods(["GET", "POST"])
def fit(request, uid):
    """One seam: it fits, is tight, or gapes; then what to do about it. By POST what was found."""
    row = at_work(request, uid)
    plan = plan_of(row)
    order = fit_order(plan.job, plan.glue)
    asked = request.POST if request.method == "POST" else request.GET
    copy = whole_number(asked.get("copy", 1), 1, plan.job.copies)
    if not order:
        return render(request, "bench/fitting.html", {"row": row, "plan": plan, "seam": None})
    seam = _seam(order, plan, copy, asked.get("seam", ""))
    if request.method == "POST":
        return _say(request, row, order, seam, copy)
    return render(request, "bench/fitting.html", _shown(row, plan, order, seam, copy))


def _seam(order: tuple[FitSeam, ...], plan: Plan, copy: int, asked: str) -> FitSeam:
    """The asked seam, or the first of which nobody said that it fits."""
    if asked:
        return order[whole_number(asked, 1, len(order)) - 1]
    fits = _said(plan, copy)
    return next((seam for seam in order if seam.pair not in fits or fits[seam.pair].found != "ok"), order[-1])


def _said(plan: Plan, copy: int) -> dict[tuple[int, int], Fit]:
    return {(f.a, f.b): f for f in fits_of(plan.composition) if f.copy == copy}


def _say(request, row, order: tuple[FitSeam, ...], seam: FitSeam, copy: int):
    """Write down what was found, and go on where it fits."""
    what, values = request.POST.get("what", ""), {"copy": copy}
    mm = request.POST.get("mm", "")
    if what == "sanded":
        verb, values = "sanded", values | {"sand": request.POST.get("sand", ""), "mm": mm}
    else:
        verb, values = "fit", values | {"found": what} | ({"mm": mm} if mm else {})
    revision = whole_number(request.POST.get("revision", ""), 0, 10**9)
    try:
        actions.perform(row, revision, verb, list(seam.pair), values)
    except EmberError as bad:
        messages.error(request, str(bad))
        return redirect(_address(row, seam.order, copy))
    after = seam.order + 1 if what in ("ok", "sanded") and seam.order < len(order) else seam.order
    return redirect(_address(row, after, copy))


def _address(row, seam: int, copy: int) -> str:
    told = {"seam": seam} | ({"copy": copy} if copy > 1 else {})
    return f"{reverse('fit', args=(row.uid,))}?{urlencode(told)}"


def _shown(row, plan: Plan, order: tuple[FitSeam, ...], seam: FitSeam, copy: int) -> dict:
    said = _said(plan, copy)
    found = found_at(plan.composition, seam.laid, seam.lies, copy)
    advice = advice_for(plan.job, plan.glue, found) if found else None
    number, job = plan.composition.by_key, plan.job
    alike = alike_of(job)
    return {
        "row": row,
        "plan": plan,
        "practice": plan.composition.practice,
        "seam": seam,
        "laid": number[seam.laid],
        "lies": number[seam.lies],
        "found": found,
        "advice": advice,
        "remake": number[advice.remake] if advice and advice.remake else None,
        "sand": number[advice.sand] if advice and advice.sand else None,
        "mm": f"{(advice.mm if advice else USUAL_MM):g} mm",
        "steps": [(f"{mm:g} mm", plan.composition.practice.say(mm)) for mm in STEPS_MM],
        "copy": copy,
        "copies": range(1, job.copies + 1),
        "total": len(order),
        "fits": sum(1 for one in order if one.pair in said and said[one.pair].found == "ok"),
        "off": sum(1 for one in order if one.pair in said and said[one.pair].found != "ok"),
        "warning": alike.warning(job, str(seam.laid)),
        "focus": _focus(plan, seam),
        "before": _address(row, seam.order - 1, copy) if seam.order > 1 else "",
        "next": _address(row, seam.order + 1, copy) if seam.order < len(order) else "",
        "scene": _drawn(plan, order, seam, said, advice),
        "wood_table": wood_table(plan.composition),
    }


def _focus(plan: Plan, seam: FitSeam) -> str:
    """What is looked at: the seam with the smaller of its pieces, the card below kept clear of it."""
    coverage = plan.composition.layer(seam.layer).without_openings.coverage
    line = coverage.neighbours[seam.laid][seam.lies].line
    small = min(seam.pair, key=lambda key: coverage.area_mm2[key])
    x0, y0, x1, y1 = shapely.union(line, coverage.by_key[small]).bounds
    room = 0.18 * max(x1 - x0, y1 - y0)
    return " ".join(f"{v:.1f}" for v in (x0 - room, y0 - room, x1 + room, y1 + 1.6 * room))


def _drawn(plan: Plan, order, seam: FitSeam, said: dict, advice: Advice | None) -> dict:
    """The two pieces among those that lie, their seam drawn strong; what was found right or not beside it."""
    composition = plan.composition
    layer = composition.layer(seam.layer)
    lying = {one.laid for one in order[: seam.order] if one.layer == seam.layer}
    lying |= {one.lies for one in order[: seam.order] if one.layer == seam.layer}
    dress = {
        p.key: dress_of(
            composition, p, "full" if p.key in seam.pair else "pale" if p.key in lying else "dark", str(p.number)
        )
        for p in layer.without_openings.pieces
    }
    coverage = layer.without_openings.coverage
    marks = [
        Mark("melt", path=path_of(coverage.neighbours[a][b].line))
        for (a, b), one in said.items()
        if one.found != "ok" and b in coverage.neighbours.get(a, {})
    ]
    line = coverage.neighbours[seam.laid][seam.lies].line
    marks.append(Mark("guide", path=path_of(line), piece=seam.laid))
    scene: Scene = scene_of(layer, composition, dress, tuple(marks))
    return shapes_json(scene) | {"dress": dress_json(scene)}


@require_http_methods(["GET", "POST"])
def which(request, uid):
    """The part that one holds in the hand, by its number or by a photo of it on a plain ground."""
    row = at_work(request, uid)
    plan = plan_of(row)
    problem, matches = "", []
    if request.method == "POST":
        try:
            matches = _matches(plan, photo_of(request, "Choose a photo of the part first."))
        except EmberError as bad:
            problem = str(bad)
    job, number = plan.job, plan.composition.by_key
    asked = request.GET.get("number", "").strip()
    if asked:
        found = [p for p in plan.composition.made if str(p.number) == asked]
        matches = [_match(plan, p.key) for p in found]
        problem = "" if found else f"No piece here has the number {asked[:12]}."
    alike = alike_of(job)
    context = {
        "row": row,
        "plan": plan,
        "practice": plan.composition.practice,
        "matches": matches,
        "number": asked,
        "problem": problem,
        "box": _box(job),
        "twins": [[number[int(key)].number for key in one.parts] for one in alike.twins],
        "turned": [(number[int(one.part)].number, one.round, max(one.degs)) for one in alike.turned],
    }
    return render(request, "bench/which.html", context, status=422 if problem else 200)


def _matches(plan: Plan, data: bytes) -> list[dict]:
    found = found_in(plan.job, data)
    best = found[0].off_share if found else 0.0
    return [
        _match(plan, int(one.part))
        | {
            "off": one.off_share,
            "over": one.over,
            "turn": one.turn_deg,
            "sure": one is found[0] and (len(found) == 1 or found[1].off_share > 2 * max(best, 0.002)),
        }
        for one in found
    ]


def _match(plan: Plan, key: int) -> dict:
    """A part as the list of matches shows it."""
    part, piece = plan.job.pieces[key], plan.composition.by_key[key]
    wood = plan.composition.rack.shelf.get(part.material)
    x0, y0, x1, y1 = part.outline.bounds
    pad = 0.08 * max(x1 - x0, y1 - y0)
    return {
        "piece": piece,
        "wood": wood,
        "layer": plan.composition.home[key].name if len(plan.composition.layers) > 1 else "",
        "path": path_of(part.outline),
        "colour": wood.raw if wood else "#e7d3ad",
        "view": f"{x0 - pad:.1f} {y0 - pad:.1f} {x1 - x0 + 2 * pad:.1f} {y1 - y0 + 2 * pad:.1f}",
        "warning": alike_of(plan.job).warning(plan.job, part.key),
        "spot": part.outline.representative_point().coords[0],
    }


def _box(job) -> str:
    composition = job.composition
    return f"0 0 {composition.width_mm:g} {composition.height_mm:g}"
