"""One page for every station, its ticket, and the one place that edits go through."""

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from emberquilt.edits import VERBS
from emberquilt.errors import BadChoice
from workshop.bench.actions import sawing_ratio
from workshop.compositions import actions
from workshop.compositions.journal import keys_in
from workshop.compositions.models import Composition
from workshop.compositions.plans import plan_of
from workshop.compositions.views import own
from workshop.stations.rule import NAMES, rule_of
from workshop.stations.tickets import station_context

OWN_FIELDS = {"pieces", "revision", "verb", "show", "csrfmiddlewaretoken"}


def _keys(text: str) -> list[int]:
    try:
        return list(dict.fromkeys(keys_in(text)))
    except ValueError:
        raise BadChoice("The chosen pieces could not be read. Choose again.") from None


def _context(request, row: Composition, station: str, show: str, keys: list[int]) -> dict:
    plan = plan_of(row)
    entries = dict(row.entries.filter(seq__in=(row.cursor, row.cursor + 1)).values_list("seq", "label"))
    context = {
        "row": row,
        "rule": rule_of(row, plan, station),
        "station_name": NAMES[station],
        "undo_label": entries.get(row.cursor, ""),
        "redo_label": entries.get(row.cursor + 1, ""),
        **station_context(plan, station, show, keys),
    }
    if station == "log":
        context |= _log_context(request, row, plan)
    return context


def _log_context(request, row: Composition, plan) -> dict:
    number = {p.key: p.number for p in plan.composition.pieces()}
    ratio = sawing_ratio(request.user)
    events = [{"event": e, "number": number.get(e.piece)} for e in row.events.order_by("-at")[:200]]
    timed = row.events.filter(step="saw", what="done", minutes__isnull=False).values_list("minutes", "estimate_minutes")
    return {
        "events": events,
        "ratio": ratio,
        "taken": sum(m for m, _ in timed),
        "guessed": sum(e or 0 for _, e in timed),
        "timed": len(timed),
    }


@require_GET
def station(request, uid, station):
    row = own(request, uid)
    context = _context(request, row, station, request.GET.get("show", ""), _keys(request.GET.get("pieces", "")))
    return render(request, "stations/station.html", context)


@require_GET
def ticket(request, uid, station):
    """The ticket of other pieces, or the surroundings in another reading."""
    row = own(request, uid)
    context = _context(request, row, station, request.GET.get("show", ""), _keys(request.GET.get("pieces", "")))
    return render(request, "stations/_changed.html", context)


@require_POST
def do(request, uid, station):
    """One edit: a verb, the chosen pieces, its values, and the revision that the page saw."""
    row = own(request, uid)
    verb = request.POST.get("verb", "")
    if verb not in VERBS:
        raise BadChoice(f"There is no verb “{verb[:40]}”.")
    keys = _keys(request.POST.get("pieces", ""))
    values = {name: value for name, value in request.POST.items() if name not in OWN_FIELDS}
    if verb == "practice":
        values = _practice_values(values)
    if verb == "wood" and values.get("wood"):
        request.session["last_wood"] = values["wood"][:40]
    return _answer(request, row, station, keys, lambda r: actions.perform(row, r, verb, keys, values))


def _practice_values(values: dict) -> dict:
    """Hours come as one field a day."""
    hours = {name.removeprefix("hours-"): text for name, text in values.items() if name.startswith("hours-")}
    rest = {name: text for name, text in values.items() if not name.startswith("hours-")}
    return rest | ({"hours": hours} if hours else {})


@require_POST
def undo(request, uid, station):
    row = own(request, uid)
    return _answer(request, row, station, _keys(request.POST.get("pieces", "")), lambda r: actions.undo(row, r))


@require_POST
def redo(request, uid, station):
    row = own(request, uid)
    return _answer(request, row, station, _keys(request.POST.get("pieces", "")), lambda r: actions.redo(row, r))


def _answer(request, row: Composition, station: str, keys: list[int], act) -> HttpResponse:
    """Do it, then show everything that may have changed; a stale page gets the newest state and is told so."""
    try:
        revision = int(request.POST.get("revision", ""))
    except ValueError:
        raise BadChoice("This page does not say which state it shows. Load it again.") from None
    said, status = "", 200
    try:
        act(revision)
    except actions.Stale as stale:
        said, status = str(stale), 409
    row = own(request, row.uid)
    if not request.htmx:
        return redirect(reverse("station", args=(row.uid, station)))
    context = _context(request, row, station, request.POST.get("show", ""), keys) | {"words": said}
    return render(request, "stations/_changed.html", context, status=status)
