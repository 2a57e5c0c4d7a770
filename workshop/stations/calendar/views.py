"""Dates kept, polished and made afresh; what would bring the end forward."""

import json
from dataclasses import replace

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from emberquilt.calendar.forward import ways_forward
from emberquilt.drawing.day_pdf import day_pdf
from emberquilt.errors import BadChoice
from emberquilt.hours import day_of
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.work.steps import Step
from workshop.compositions.access import own
from workshop.compositions.models import DatePlan
from workshop.compositions.plans import plan_of
from workshop.longwork.queue import stop
from workshop.shop.actions import shop_of
from workshop.shop.clock import zone_of
from workshop.shop.models import Shop

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
    stop(DatePlan.objects.filter(composition=row))
    return _polishing(request, row)


def _polishing(request, row):
    made = _schedule(row)
    return render(request, "calendar/polishing.html", {"row": row, "schedule": made, **polishing(row, made)})


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
    alone = "" if made.others else begin_by(plan)
    told = [(way, _as_form(way.changes)) for way in ways[:MOST_WAYS]]
    context = {"row": row, "ways": told, "schedule": made, "begin_by": alone}
    return render(request, "calendar/forward.html", context)


def _as_form(changes: dict) -> str:
    """A change of the practice as the page would send it."""
    told = {"verb": "practice"}
    for name, value in changes.items():
        if name == "hours":
            told |= {f"hours-{day}": text for day, text in value.items()}
        elif name == "helpers":
            ((person, week),) = value.items()
            told |= {"helper": person} | {f"helper-{day}": text for day, text in week.items()}
        else:
            told[name] = str(value)
    return json.dumps(told)


def _steps_with(plan: Plan):
    """The steps that are left under another practice: only a glue, a warmth or a place changes what is to be done."""

    def steps(practice: Practice) -> tuple[Step, ...]:
        same = ("glue", "shop_c", "spray_at", "spring_clamps", "screw_clamps", "cauls", "weights", "sand_bags")
        usual = plan.composition.practice
        if all(getattr(practice, name) == getattr(usual, name) for name in same):
            return plan.left
        return Plan(replace(plan.composition, practice=practice), plan.start, plan.done).left

    return steps


@require_GET
def file(request, uid):
    return _file(dates.calendar_file(own(request, uid)), "text/calendar", f"{uid}.ics")


@require_GET
def day_sheet(request, uid):
    """On paper: one day, or every day that is left."""
    plan = plan_of(own(request, uid))
    made, asked = plan.schedule, request.GET.get("day", "")
    days = sorted({slot.begin.date() for slot in made.slots})
    if not days:
        raise BadChoice("Nothing is left to be done: there is no day to print.")
    wanted = days if asked == "all" else [day_of(asked)] if asked else days[:1]
    return _file(day_pdf(made, plan.composition, wanted), "application/pdf", f"day-{wanted[0]}.pdf")


@require_POST
def together(request, uid):
    """Plan another work of the shop at once with this one, or no longer."""
    row = own(request, uid)
    dates.plan_with(row, request.POST.get("other", ""), request.POST.get("what") == "with")
    return _back(uid)


@require_POST
def subscribe(request, uid):
    """An address for calendar programs, with a secret in it; a new one puts the old one out of use."""
    row = own(request, uid)
    dates.keep_before(row)
    dates.new_secret(shop_of(request.user))
    messages.success(request, "The address is below. Whoever has it can read your dates: a new one ends it.")
    return _back(uid)


@login_not_required
@require_GET
def subscribed(request, secret):
    """The dates of all works whose dates are kept, for a calendar program that knows the secret."""
    shop = Shop.objects.select_related("owner").filter(calendar_secret=secret).first() if secret else None
    if shop is None:
        raise Http404
    with timezone.override(zone_of(shop)):
        answer = _file(dates.shop_calendar(shop), "text/calendar", "workshop.ics")
    answer["Cache-Control"] = "private, max-age=300"
    return answer


def _file(data: bytes, kind: str, name: str) -> HttpResponse:
    return HttpResponse(
        data,
        content_type=kind,
        headers={"Content-Disposition": f'attachment; filename="{name}"', "X-Content-Type-Options": "nosniff"},
    )
