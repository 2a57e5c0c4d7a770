"""The practice sheet of a work: printed, and measured once it is sawn."""

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods

from emberquilt.drawing.practice_pdf import practice_pdf
from emberquilt.errors import BadChoice, EmberError
from emberquilt.intake.marked_sheet import SHEET_MM, marks
from emberquilt.practice import CHOICES
from emberquilt.saw.difficulty import difficulty_of
from emberquilt.saw.drift import Drift, drift_of
from emberquilt.saw.practice_sheet import LEVELS, exercises
from workshop.compositions.access import own
from workshop.compositions.plans import plan_of
from workshop.shop.actions import shop_of

from .models import Skill

MOST_PHOTO = 60_000_000
MOST_SHOWN = 12
SMALL = ("Letter", "A4", "Legal", "A3", "Tabloid")


def _level(text: str, usual: int) -> int:
    return int(text) if text in map(str, LEVELS) else usual


@require_http_methods(["GET", "POST"])
def practising(request, uid):
    """The sheet that this work asks for; by POST the photo of one that was sawn."""
    row = own(request, uid)
    plan = plan_of(row)
    difficulty = difficulty_of(plan.job, plan.saw)
    level = _level(request.POST.get("level", "") or request.GET.get("level", ""), difficulty.level)
    problem = ""
    if request.method == "POST":
        try:
            _measured(request, level)
        except EmberError as bad:
            problem = str(bad)
        else:
            return redirect(f"{reverse('practising', args=(row.uid,))}?level={level}&measured=yes")
    papers = {name: words for name, words in CHOICES["paper"].items() if name in SMALL}
    usual = plan.composition.practice.paper
    skills = shop_of(request.user).skills.all()[:MOST_SHOWN]
    context = {
        "row": row,
        "practice": plan.composition.practice,
        "difficulty": difficulty,
        "level": level,
        "levels": LEVELS,
        "lines": [
            "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in line.tolist())
            for exercise in exercises(level)
            for line in exercise.lines
        ],
        "marks": [(x - side / 2, y - side / 2, side) for x, y, side in marks()],
        "sheet": SHEET_MM,
        "papers": papers,
        "paper": usual if usual in papers else "Letter",
        "skills": skills,
        "measured": bool(request.GET.get("measured")) and bool(skills),
        "problem": problem,
    }
    return render(request, "bench/practising.html", context, status=422 if problem else 200)


def photo_of(request, missing: str) -> bytes:
    """The photo that was sent. Raises `BadChoice` for none, or one too large."""
    photo = request.FILES.get("photo")
    if photo is None:
        raise BadChoice(missing)
    if photo.size > MOST_PHOTO:
        raise BadChoice(f"This photo is {photo.size / 1e6:.0f} MB; up to {MOST_PHOTO / 1e6:.0f} MB can be read.")
    return photo.read()


def _measured(request, level: int) -> Drift:
    drift = drift_of(photo_of(request, "Choose a photo of the sheet first."), level)
    Skill.objects.create(
        shop=shop_of(request.user),
        level=level,
        drift_mm=drift.middle_mm,
        worst_mm=drift.worst_mm,
        at=timezone.now(),
    )
    return drift


@require_GET
def sheet(request, uid):
    """The sheet as a PDF."""
    plan = plan_of(own(request, uid))
    level = _level(request.GET.get("level", ""), 1)
    data = practice_pdf(plan.composition.practice, level, request.GET.get("paper", "Letter"))
    headers = {
        "Content-Disposition": f'attachment; filename="practice-{level}.pdf"',
        "X-Content-Type-Options": "nosniff",
    }
    return HttpResponse(data, content_type="application/pdf", headers=headers)
