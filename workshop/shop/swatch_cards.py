"""Swatch cards of a work's woods: printed, photographed, and taken over as the shop's own colours."""

import re

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods

from emberquilt.assembly.supplies import finish_of
from emberquilt.colour import hex_apart
from emberquilt.drawing.swatch_pdf import swatch_pdf
from emberquilt.errors import BadChoice, EmberError
from emberquilt.plan import Plan
from emberquilt.practice import CHOICES
from emberquilt.rack.swatches import MOST_WOODS, swatches_in
from emberquilt.rack.woods import Wood
from emberquilt.work.made_of import made_of
from workshop.bench.practice import SMALL, photo_of
from workshop.compositions.access import own
from workshop.compositions.plans import plan_of

from . import actions

HEX = re.compile(r"#[0-9a-f]{6}")


def _woods(plan: Plan) -> list[Wood]:
    """Woods of a work, what most of it is of first."""
    shelf = plan.composition.rack.shelf
    return [shelf[one.code] for one in made_of(plan.composition) if one.code in shelf]


def _sheet(plan: Plan, text: str) -> tuple[int, list[Wood], int]:
    """Which sheet is meant, the woods on it, and how many sheets there are."""
    woods = _woods(plan)
    count = -(-len(woods) // MOST_WOODS)
    number = max(min(int(text), count), 1) if text.isdecimal() and int(text[:3]) > 0 else 1
    return number, woods[(number - 1) * MOST_WOODS : number * MOST_WOODS], count


@require_http_methods(["GET", "POST"])
def swatches(request, uid):
    """The sheet, and by POST a photo of it, or the colours that were read from one to be taken over."""
    row = own(request, uid)
    plan = plan_of(row)
    values = request.POST if request.method == "POST" else request.GET
    number, woods, count = _sheet(plan, values.get("sheet", ""))
    practice, problem, rows = plan.composition.practice, "", []
    if request.method == "POST" and values.get("what") == "take":
        taken = _take(request, woods)
        return redirect(f"{reverse('swatches', args=(row.uid,))}?sheet={number}&taken={taken}")
    if request.method == "POST":
        try:
            rows = _read(request, woods)
        except EmberError as bad:
            problem = str(bad)
    context = {
        "row": row,
        "practice": practice,
        "woods": woods,
        "sheet": number,
        "sheets": range(1, count + 1),
        "finish": finish_of(practice.finish, practice).name,
        "papers": {name: words for name, words in CHOICES["paper"].items() if name in SMALL},
        "paper": practice.paper if practice.paper in SMALL else "Letter",
        "rows": rows,
        "taken": request.GET.get("taken", ""),
        "problem": problem,
    }
    return render(request, "shop/swatches.html", context, status=422 if problem else 200)


def _read(request, woods: list[Wood]) -> list[dict]:
    """What the photo shows beside what the table says."""
    seen = swatches_in(photo_of(request, "Choose a photo of the sheet first."), len(woods))
    rows = []
    for wood, one in zip(woods, seen, strict=True):
        rows.append(
            {
                "wood": wood,
                "raw": one.raw,
                "finished": one.finished,
                "sides": [
                    ("bare", wood.raw, one.raw, hex_apart(wood.raw, one.raw) if one.raw else None),
                    (
                        "finished",
                        wood.finished,
                        one.finished,
                        hex_apart(wood.finished, one.finished) if one.finished else None,
                    ),
                ],
            }
        )
    return rows


def _take(request, woods: list[Wood]) -> int:
    """Keep the colours that were ticked; how many woods changed."""
    taken = 0
    for wood in woods:
        told = {side: request.POST.get(f"{side}-{wood.code}", "") for side in ("raw", "finished")}
        kept = {side: colour for side, colour in told.items() if HEX.fullmatch(colour)}
        if kept and request.POST.get(f"take-{wood.code}"):
            actions.recolour(request.user, wood.code, **kept)
            taken += 1
    return taken


@require_GET
def sheet(request, uid):
    """The sheet as a PDF."""
    plan = plan_of(own(request, uid))
    number, woods, _ = _sheet(plan, request.GET.get("sheet", ""))
    if not woods:
        raise BadChoice("No piece has a wood yet: there is nothing to make swatch cards of.")
    practice = plan.composition.practice
    finish = finish_of(practice.finish, practice).name
    data = swatch_pdf(practice, [wood.name for wood in woods], finish, request.GET.get("paper", "Letter"))
    headers = {
        "Content-Disposition": f'attachment; filename="swatches-{number}.pdf"',
        "X-Content-Type-Options": "nosniff",
    }
    return HttpResponse(data, content_type="application/pdf", headers=headers)
