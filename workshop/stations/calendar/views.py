"""Dates kept, polished and made afresh; what would bring the end forward."""

from dataclasses import replace

from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from emberquilt.calendar.forward import ways_forward
from emberquilt.errors import BadChoice
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.work.steps import Step
from workshop.compositions.plans import plan_of
from workshop.compositions.views import own

from . import dates
from .ticket import begin_by, polishing

MOST_WAYS = 3


def _back(uid):
    return redirect(reverse("station", args=(uid, "calendar")))


@require_POST
def agree(request, uid):
    """Go by the dates as they are shown, make them afresh, or take what the search found."""
    row, what = own(request, uid), request.POST.get("what", "")
    if what == "agree":
        dates.agree(row)
        messages.success(request, "These dates are kept: what slips moves as few of them as can be.")
    elif what == "afresh":
        dates.afresh(row)
        messages.success(request, "The dates are made afresh.")
    elif what == "take":
        dates.take(row)
        messages.success(request, "You go by the better plan now.")
    else:
        raise BadChoice(f"“{what[:20]}” is nothing to do with dates.")
    return _back(uid)


def polish(request, uid):
    """How far the search for a better plan is, polled while it runs; asked for by POST, a new one begins."""
    row = own(request, uid)
    if request.method == "POST":
        text = request.POST.get("seconds", "")
        if text not in {str(seconds) for seconds in dates.SECONDS}:
            raise BadChoice("Look for 10 or 60 seconds.")
        dates.begin(row, int(text))
    if not request.htmx:
        return _back(uid)
    return _polishing(request, row)


@require_POST
def polish_stop(request, uid):
    row = own(request, uid)
    dates.stop(row)
    return _polishing(request, row)


def _polishing(request, row):
    return render(request, "calendar/polishing.html", {"row": row, "schedule": _schedule(row), **polishing(row)})


def _schedule(row):
    try:
        return plan_of(row).schedule
    except BadChoice:
        return None


@require_GET
def forward(request, uid):
    """What would bring the end forward, each tried by planning anew."""
    row = own(request, uid)
    plan = plan_of(row)
    try:
        made = plan.schedule
        ways = ways_forward(made, plan.composition.practice, plan.start, plan.wishes, _steps_with(plan))
    except BadChoice:
        return render(request, "calendar/forward.html", {"row": row, "ways": []})
    context = {"row": row, "ways": ways[:MOST_WAYS], "schedule": made, "begin_by": begin_by(plan)}
    return render(request, "calendar/forward.html", context | {"do_url": reverse("do", args=(row.uid, "calendar"))})


def _steps_with(plan: Plan):
    """The steps that are left under another practice: only a glue, a warmth or a place changes what is to be done."""

    def steps(practice: Practice) -> tuple[Step, ...]:
        same = ("glue", "shop_c", "spray_at", "spring_clamps", "screw_clamps", "cauls", "weights", "sand_bags")
        usual = plan.composition.practice
        if all(getattr(practice, name) == getattr(usual, name) for name in same):
            return plan.left
        return Plan(replace(plan.composition, practice=practice), plan.start, plan.done).left

    return steps
