"""What the shop owns and how it works."""

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from emberquilt.calendar.hours import DAYS
from emberquilt.errors import EmberError
from emberquilt.practice import CHOICES, LIMITS
from emberquilt.saw.blades import blades
from emberquilt.wood.woods import woods
from workshop.stations.rack import rack

from . import actions

WORDS = {
    "unit": "Lengths in", "denominator": "Fractions down to 1/", "paper": "Paper", "blade_school": "Blade",
    "one_blade": "The one size, where one is used", "fit": "Saw", "stock_mm": "Usual stock", "shim_inset_mm": "Shims stay inside by",
    "board_use": "Share of a board that becomes pieces", "saw_mm_per_minute": "Feed in 3/4 in cherry, mm a minute",
    "minutes_per_cut": "Minutes to set up a cut", "hold_mm": "Safe to hold from", "neck_mm": "Judge necks under",
    "reads_de": "Colours read as two from (dE00)", "turn_apart_deg": "A turned grain reads from, degrees", "glue": "Glue",
    "seconds_per_piece": "Seconds to lay a piece", "anchor": "Anchor", "backer_inset_mm": "Backer inside by",
    "fit_minutes": "Minutes to fit a piece", "shape_minutes": "Minutes to shape a piece", "finish": "Finish", "finish_when": "Finish when", "coats": "Coats",
}  # fmt: skip


@require_GET
def shop(request):
    practice = actions.practice_of(request.user)
    fields = [
        {
            "name": name,
            "words": words,
            "value": getattr(practice, name),
            "choices": CHOICES.get(name),
            "limits": LIMITS.get(name),
            "is_length": name.endswith("_mm"),
        }
        for name, words in WORDS.items()
    ]
    context = {
        "practice": practice,
        "fields": fields,
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
