"""One page for every station, its ticket, and the one place that edits go through."""

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from emberquilt.drawing.panel import shape_rows
from emberquilt.errors import BadChoice
from emberquilt.keys import keys_in, runs
from emberquilt.layers.stacked import VIEWS
from emberquilt.pattern.verbs import length_of, small_pairs
from emberquilt.work.scene import shapes_of
from emberquilt.work.verbs import VERBS
from workshop.bench.actions import sawing_ratio
from workshop.compositions import actions
from workshop.compositions.models import Composition
from workshop.compositions.plans import plan_of
from workshop.compositions.views import layer_in_hand, own
from workshop.pictures.light import look_address
from workshop.shop.actions import shop_of
from workshop.stations.rule import NAMES, bare_rule, counts_later, rule_of
from workshop.stations.tickets import station_context, suggestion
from workshop.stations.told import tell

OWN_FIELDS = {"pieces", "revision", "verb", "show", "layer", "back", "csrfmiddlewaretoken"}
BACK = ("pack", "palettes")
"""Pages of the work that an edit made on them returns to."""


def _keys(text: str) -> list[int]:
    try:
        return list(dict.fromkeys(keys_in(text)))
    except ValueError:
        raise BadChoice("The chosen pieces could not be read. Choose again.") from None


def _hand(values, row: Composition, keys: list[int]) -> int:
    """The layer in hand: the one that is asked for, unless the chosen pieces lie in another."""
    hand = layer_in_hand(values)
    if keys:
        home = row.pieces.filter(key=keys[0]).values_list("layer_key", flat=True).first()
        hand = home or hand
    return hand


def _context(
    request, row: Composition, station: str, show: str, keys: list[int], hand: int, later: bool = False
) -> dict:
    """What the page of a station shows. `later`: the other stations' counts are asked for once the answer is seen."""
    plan = plan_of(row, hand)
    later = later or counts_later(plan)
    entries = dict(row.entries.filter(seq__in=(row.cursor, row.cursor + 1)).values_list("seq", "label"))
    context = {
        "row": row,
        "rule": bare_rule(station) if later else rule_of(row, plan, station),
        "later": later,
        "station_name": NAMES[station],
        "undo_label": entries.get(row.cursor, ""),
        "redo_label": entries.get(row.cursor + 1, ""),
        "hand": plan.composition.whole.key,
        "shapes_url": _shapes_url(row, plan.composition.whole.key, show),
        **station_context(plan, station, show, keys),
    }
    if not later:
        tell(row, shop_of(row.owner), plan)
    if station == "wood":
        context |= look_address(row, plan.composition)
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
    return render(request, "stations/station.html", _asked(request, row, station))


@require_GET
def ticket(request, uid, station):
    """The ticket of other pieces, or the surroundings in another reading."""
    row = own(request, uid)
    return render(request, "stations/_changed.html", _asked(request, row, station))


def _asked(request, row: Composition, station: str) -> dict:
    keys = _keys(request.GET.get("pieces", ""))
    return _context(request, row, station, request.GET.get("show", ""), keys, _hand(request.GET, row, keys))


MOST_LISTED = 40


@require_GET
def small(request, uid):
    """Which small pieces would be joined into which neighbour, listed before it happens."""
    row = own(request, uid)
    plan = plan_of(row, layer_in_hand(request.GET))
    smallest = request.GET.get("smallest", "")
    width = length_of({"smallest": smallest}, plan.composition, "smallest", 0.1, 200.0)
    pairs = small_pairs(plan.composition.whole, width)
    context = {"row": row, "pairs": pairs[:MOST_LISTED], "more": max(0, len(pairs) - MOST_LISTED), "count": len(pairs)}
    return render(request, "stations/tickets/_small.html", context | {"smallest": smallest})


@require_GET
def suggest(request, uid):
    """Which woods would suit best together, told before any is given."""
    row = own(request, uid)
    keys = _keys(request.GET.get("pieces", ""))
    plan = plan_of(row, _hand(request.GET, row, keys))
    told = suggestion(plan, keys, request.GET.get("scope", "all"), request.GET.get("by", "colour"))
    return render(request, "stations/tickets/_suggest.html", {"row": row, "practice": plan.composition.practice} | told)


@require_GET
def rule(request, uid, station):
    """The strip of stations with what is left at each."""
    row = own(request, uid)
    plan = plan_of(row, layer_in_hand(request.GET))
    context = {"row": row, "rule": rule_of(row, plan, station), "plan": plan, "hand": plan.composition.whole.key}
    tell(row, shop_of(row.owner), plan)
    return render(request, "stations/_rule.html", context)


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
    hand = _hand(request.POST, row, keys)
    return _answer(request, row, station, keys, lambda r: actions.perform(row, r, verb, keys, values, hand))


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
    said, status, made = "", 200, None
    try:
        made = act(revision).made
    except actions.Stale as stale:
        said, status = str(stale), 409
    if not request.htmx:
        if said:
            messages.error(request, said)
        back = request.POST.get("back", "")
        if back == "shelf":
            return redirect("shelf")
        if back in BACK:
            return redirect(f"{reverse(back, args=(row.uid,))}?layer={layer_in_hand(request.POST)}")
        return redirect(reverse("station", args=(row.uid, station)) + (f"?pieces={runs(keys)}" if keys else ""))
    before, row = row, own(request, row.uid)
    keys = _still(keys, made)
    hand = _hand(request.POST, row, keys)
    later = made is not None and made.reshapes
    context = _context(request, row, station, request.POST.get("show", ""), keys, hand, later) | {"words": said}
    if made is not None and made.reshapes and not made.layers and not made.composition:
        context["reshape"] = _reshape(before, made, context)
    return render(request, "stations/_changed.html", context, status=status)


def _shapes_url(row: Composition, hand: int, show: str) -> str:
    """Where the outlines are read from. The address changes with the shape, so a browser may keep what it has."""
    view = f"&view={show}" if show in VIEWS else ""
    return f"{reverse('shapes', args=(row.uid,))}?s={row.shape_revision}&layer={hand}{view}"


def _still(keys: list[int], made) -> list[int]:
    """The chosen pieces that are left after an edit, and those that came of them."""
    if made is None or not made.reshapes:
        return keys
    joined = [key for key in made.outlines if made.gone and key in keys]
    kept = [key for key in keys if key not in made.gone]
    return joined or [*kept, *(key for key, b in made.born.items() if not b.piece.opening)][:200]


def _reshape(before: Composition, made, context: dict) -> dict:
    """Only the outlines that an edit changed, for a page that shows the state before it."""
    shapes = shapes_of(context["plan"].composition.whole.coverage)
    changed = shape_rows(shape for shape in shapes if shape.key in made.outlines or shape.key in made.born)
    old = _shapes_url(before, context["hand"], context["show"])
    return {"from": old, "to": context["shapes_url"], "changed": changed, "gone": list(made.gone)}
