"""The print pack: seen page by page, then left as a PDF."""

from urllib.parse import urlencode

from django.http import HttpResponse
from django.shortcuts import render
from django.utils.text import slugify
from django.views.decorators.http import require_GET

from emberquilt.drawing.print_pack import (
    LINES,
    PACKS,
    STUCK,
    USUAL_LINE_MM,
    PrintPack,
    checked_line,
    pack_pdf,
    page_svg,
    print_pack,
    seen_line_mm,
)
from emberquilt.errors import BadChoice
from emberquilt.plan import Plan
from emberquilt.practice import CHOICES
from emberquilt.saw.cuts import holes_of
from emberquilt.work.setting import number
from workshop.compositions.access import at_work
from workshop.compositions.plans import plan_of

MOST_SHOWN = 60


def _asked(request, plan: Plan) -> dict[str, str]:
    line = request.GET.get("line", "red")
    return {
        "pack": request.GET.get("pack") or "ready",
        "paper": request.GET.get("paper") or plan.composition.practice.paper,
        "line": line if line in LINES else "red",
        "width": request.GET.get("width", "").strip()[:12] or f"{USUAL_LINE_MM:g}",
        "mirrored": "yes" if request.GET.get("mirrored") else "",
        "parts": request.GET.get("parts", "").strip()[:200],
    }


def _pack(plan: Plan, asked: dict[str, str]) -> PrintPack:
    only = tuple(filter(None, asked["parts"].split(",")))
    holes = holes_of(plan.saw) if asked["pack"] in ("template", "drill") else ()
    return print_pack(plan.job, asked["pack"], asked["paper"], plan.paper, bool(asked["mirrored"]), holes, only)


def _line_mm(asked: dict[str, str]) -> float:
    return checked_line(number(asked["width"], "millimetres"))


@require_GET
def printing(request, uid):
    """Every page of the pack, before it is printed."""
    row = at_work(request, uid)
    plan = plan_of(row)
    asked = _asked(request, plan)
    context = {
        "row": row,
        "plan": plan,
        "practice": plan.composition.practice,
        "asked": asked,
        "query": urlencode({name: value for name, value in asked.items() if value}),
        "packs": PACKS,
        "papers": CHOICES["paper"],
        "lines": LINES,
    }
    try:
        context["line_seen"] = seen_line_mm(_line_mm(asked))
        made = _pack(plan, asked)
    except BadChoice as bad:
        return render(request, "pictures/printing.html", context | {"problem": str(bad)})
    stuck = made.pack in STUCK
    copies = _pack(plan, asked | {"pack": "copies"}) if stuck and made.pack != "copies" else made
    cut, usual = made.count("copy", "ready", "board"), copies.count("copy")
    context |= {
        "pages": [page_svg(page) for page in made.pages[:MOST_SHOWN]],
        "more_pages": max(0, len(made.pages) - MOST_SHOWN),
        "count": len(made.pages),
        "cut": cut,
        "usual": usual,
        "less": 1 - cut / usual if usual and cut < usual else 0.0,
        "stuck": stuck,
        "ticked": stuck and plan.composition.practice.fit in ("beside", "gap"),
        "placement": made.count("placement"),
        "under": made.count("under"),
    }
    return render(request, "pictures/printing.html", context)


@require_GET
def printed(request, uid):
    """The pack as a PDF."""
    row = at_work(request, uid)
    plan = plan_of(row)
    asked = _asked(request, plan)
    data = pack_pdf(plan.job, _pack(plan, asked), asked["line"], _line_mm(asked))
    name = f"{slugify(row.name) or 'picture'}-{asked['pack']}"
    headers = {"Content-Disposition": f'attachment; filename="{name}.pdf"', "X-Content-Type-Options": "nosniff"}
    return HttpResponse(data, content_type="application/pdf", headers=headers)
