"""What the shop owns and how it works."""

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from emberquilt.errors import EmberError
from emberquilt.hours import DAYS
from emberquilt.saw.blades import blades
from emberquilt.wood.woods import woods
from workshop.stations.rack import rack

from . import actions
from .words import WORDS, fields_of


@require_GET
def shop(request):
    practice = actions.practice_of(request.user)
    context = {
        "practice": practice,
        "fields": fields_of(practice, WORDS),
        "hours": [(day, practice.hours.get(day, "")) for day in DAYS],
        "rack": rack(actions.boards_of(request.user)),
        "woods": woods(),
        "blades": blades(),
    }
    return render(request, "shop/shop.html", context)


@require_POST
def practice(request):
    values = {name: request.POST[name] for name in WORDS if name in request.POST}
    hours = {day: request.POST[f"hours-{day}"] for day in DAYS if f"hours-{day}" in request.POST}
    return _said(
        request,
        lambda: actions.change_practice(request.user, values | ({"hours": hours} if hours else {})),
        "Practice kept. Pictures begun before keep theirs.",
    )


@require_POST
def add_board(request):
    fields = [request.POST.get(name, "") for name in ("wood", "name", "length", "width", "thickness")]
    return _said(request, lambda: actions.add_board(request.user, *fields), "Board put on the rack.")


@require_POST
def drop_board(request, pk):
    return _said(request, lambda: actions.drop_board(request.user, pk), "Board taken off the rack.")


def _said(request, act, done: str):
    try:
        act()
    except EmberError as problem:
        messages.error(request, str(problem))
    else:
        messages.success(request, done)
    return redirect("shop")
