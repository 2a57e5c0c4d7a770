"""One page for every station, its ticket, and the one place that edits go through."""

from urllib.parse import urlencode

from django.contrib import messages
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from emberquilt.assembly.told import glue_order
from emberquilt.drawing.panel import shape_rows
from emberquilt.drawing.rack import rack_drawing
from emberquilt.drawing.solid import packed
from emberquilt.drawing.way import way_scene
from emberquilt.errors import BadChoice
from emberquilt.keys import keys_in, runs
from emberquilt.layout.effort import Effort
from emberquilt.pattern.verbs import small_pairs
from emberquilt.plan import Plan
from emberquilt.stock.laying import Laying
from emberquilt.stock.panels import panel_for
from emberquilt.work.copies import any_copy
from emberquilt.work.passed_on import HOURS, MONEY
from emberquilt.work.register import VERBS
from emberquilt.work.scene import shapes_of
from emberquilt.work.setting import length_of
from emberquilt.work.view import Target, View, target_of, view_of, view_with
from workshop.compositions import actions, store
from workshop.compositions.access import at_work, is_helper, own
from workshop.compositions.models import Composition, LayoutSearch
from workshop.compositions.plans import keep_whole, plan_of
from workshop.longwork.queue import stop
from workshop.pictures.light import look_address
from workshop.shop import actions as shop_actions
from workshop.shop.actions import practice_of, shop_of
from workshop.shop.swatches import woods_of
from workshop.stations.calendar import dates
from workshop.stations.calendar.ticket import polishing
from workshop.stations.desk import station_context
from workshop.stations.log.ticket import logged
from workshop.stations.relief.ticket import section as section_along
from workshop.stations.rule import NAMES, WITH_OWNER, Leaf, bare_rule, counts_later, rule_of, seen_by_helper
from workshop.stations.stock.search import SECONDS, begin, found_places
from workshop.stations.stock.ticket import search_context
from workshop.stations.told import is_of_today, tell
from workshop.stations.wood.ticket import suggestion

OWN_FIELDS = {
    "pieces",
    "revision",
    "verb",
    "show",
    "view",
    "layer",
    "back",
    "cut",
    "knot",
    "slot",
    "csrfmiddlewaretoken",
}
BESIDES = ("cut", "part", "knot", "coat", "slot")
BACK = ("pack", "palettes")
"""Pages of the work that an edit made on them returns to."""


def _keys(text: str) -> list[int]:
    try:
        return list(dict.fromkeys(keys_in(text)))
    except ValueError:
        raise BadChoice("The chosen pieces could not be read. Choose again.") from None


def _layer_of(values, view: View) -> int:
    """The layer that an edit speaks of where no piece is chosen: the one that is named, else the one that is seen."""
    named = values.get("layer", "")
    return int(named) if named.isdecimal() and len(named) < 9 else view.layer


def _context(
    request, row: Composition, station: str, show: str, keys: list[int], name: str, later: bool = False
) -> dict:
    """What the page of a station shows in a view. `later`: the other stations' counts are asked for once the answer is
    seen."""
    plan = plan_of(row)
    view = view_with(plan.composition, view_of(plan.composition, name), keys)
    shop = shop_of(row.owner)
    known = is_of_today(row, shop)
    later = not known and (later or counts_later(plan))
    entries = dict(row.entries.filter(seq__in=(row.cursor, row.cursor + 1)).values_list("seq", "label"))
    context = {
        "row": row,
        "helper": is_helper(request, row),
        "rule": _rule(request, row, bare_rule(station) if later else rule_of(plan, station, tell(row, shop, plan))),
        "later": later,
        "station_name": NAMES[station],
        "undo_label": entries.get(row.cursor, ""),
        "redo_label": entries.get(row.cursor + 1, ""),
        "shapes_url": _shapes_url(row, view),
        "do_url": reverse("do", args=(row.uid, station)),
        **station_context(plan, station, show, keys, view, _besides(request)),
    }
    keep_whole(row, plan)
    if context["helper"]:
        context |= woods_of(row, shop)
    if station in ("wood", "relief") or "coat_at" in context:
        context |= look_address(row, plan.composition)
    if "coat_at" in context:
        context["look_url"] += f"&coats={context['coat_at']}"
    if station == "saw":
        context |= _spread_context(row, plan, context)
    if station == "stock":
        context |= search_context(row)
    if station == "calendar":
        context |= polishing(row, context["schedule"])
        if secret := shop_of(row.owner).calendar_secret:
            context["calendar_address"] = request.build_absolute_uri(reverse("subscribed", args=(secret,)))
    if station == "log":
        context |= logged(row, plan)
    return context


def _rule(request, row: Composition, leaves: list[Leaf]) -> list[Leaf]:
    return seen_by_helper(leaves) if is_helper(request, row) else leaves


def _besides(request) -> dict[str, str]:
    """What a page asks for besides pieces, reading and view."""
    return {name: text for name in BESIDES if (text := request.POST.get(name) or request.GET.get(name))}


@require_GET
def section(request, uid):
    """The section along another line, alone: the line follows the hand."""
    row = at_work(request, uid)
    plan = plan_of(row)
    told = section_along(plan.job, request.GET.get("cut", ""), frozenset(_keys(request.GET.get("pieces", ""))))
    context = {"row": row, "practice": plan.composition.practice, "relief": plan.relief, **told}
    return render(request, "relief/strip.html", context)


@require_GET
@cache_control(private=True, max_age=3600, immutable=True)
def way(request, uid):
    """The way of the blade through the blank of a part; the address changes with the work."""
    plan = plan_of(at_work(request, uid))
    return JsonResponse(way_scene(plan.job, plan.saw, any_copy(request.GET.get("part", ""))))


@require_GET
@cache_control(private=True, max_age=3600, immutable=True)
def mesh(request, uid):
    """The bodies of the turntable; the address changes with the work."""
    plan = plan_of(at_work(request, uid))
    return HttpResponse(packed(plan.job, glue_order(plan.glue)), content_type="application/octet-stream")


def _spread_context(row: Composition, plan: Plan, context: dict) -> dict:
    """Between what 80 of 100 such cuts, or works, take, as the shop's log has it."""
    pace, cut = plan.composition.pace, context["cut"]
    if pace is None:
        return {}
    if cut:
        low, high = pace.between("saw", cut.made_of)
        return {"between": (low * cut.first_minutes / cut.pace, high * cut.first_minutes / cut.pace)}
    return {"between": pace.sum_between((one.minutes, "saw", one.made_of) for one in plan.saw.cuts)}


def _at_station(request, uid, station: str) -> Composition:
    """The work, if whoever asks may work on it here."""
    return own(request, uid) if station in WITH_OWNER else at_work(request, uid)


@require_GET
def station(request, uid, station):
    row = _at_station(request, uid, station)
    return render(request, "stations/station.html", _asked(request, row, station))


@require_GET
def ticket(request, uid, station):
    """The ticket of other pieces, or the surroundings in another reading."""
    row = _at_station(request, uid, station)
    return render(request, "stations/_changed.html", _asked(request, row, station))


def _asked(request, row: Composition, station: str) -> dict:
    keys = _keys(request.GET.get("pieces", ""))
    if request.GET.get("narrow"):
        # another layer is looked at: what was chosen elsewhere would be out of sight there
        composition = plan_of(row).composition
        layer = view_of(composition, request.GET.get("view", "")).layer
        keys = [key for key in keys if key in composition.home and composition.home[key].key == layer]
    return _context(request, row, station, request.GET.get("show", ""), keys, request.GET.get("view", ""))


MOST_LISTED = 40


def _target(request, row: Composition, keys: list[int]) -> Target:
    """What a question is about: the chosen pieces, or the layer that is seen."""
    composition = plan_of(row).composition
    view = view_of(composition, request.GET.get("view", ""))
    return target_of(composition, [key for key in keys if key in composition.by_key], view.layer)


@require_GET
def small(request, uid):
    """Which small pieces would be joined into which neighbour, listed before it happens."""
    row = at_work(request, uid)
    target = _target(request, row, [])
    smallest = request.GET.get("smallest", "")
    width = length_of({"smallest": smallest}, target.composition, "smallest", 0.1, 200.0)
    pairs = small_pairs(target.one_layer, width)
    context = {"row": row, "pairs": pairs[:MOST_LISTED], "more": max(0, len(pairs) - MOST_LISTED), "count": len(pairs)}
    return render(request, "pattern/small.html", context | {"smallest": smallest})


@require_GET
def suggest(request, uid):
    """Which woods would suit best together, told before any is given."""
    row = at_work(request, uid)
    target = _target(request, row, _keys(request.GET.get("pieces", "")))
    told = suggestion(target, request.GET.get("scope", "all"), request.GET.get("by", "colour"))
    context = {"row": row, "practice": target.composition.practice, "do_url": reverse("do", args=(row.uid, "wood"))}
    return render(request, "wood/suggest.html", context | told)


def layout_search(request, uid):
    """How far the search for a better layout is, polled while it runs; asked for by POST, a new one begins."""
    row = at_work(request, uid)
    if request.method == "POST":
        text = request.POST.get("seconds", "")
        if text not in {str(seconds) for seconds in SECONDS}:
            raise BadChoice(f"Look for {', '.join(map(str, SECONDS[:-1]))} or {SECONDS[-1]} seconds.")
        begin(row, int(text))
    if not request.htmx:
        return redirect(reverse("station", args=(row.uid, "stock")))
    return _searching(request, row)


@require_POST
def keep_rest(request, uid):
    """A board is sawn: what lies beyond the parts on it is put back on the rack as an off-cut."""
    row = own(request, uid)
    drawing = rack_drawing(plan_of(row).job)
    name = request.POST.get("board", "")
    drawn = next((one for one in drawing.boards if one.board.name == name), None)
    if drawn is None or drawn.stays is None:
        raise BadChoice("Nothing is left over of that board.")
    board, offcut = shop_actions.keep_rest(request.user, drawn.board.key, drawn.stays[0])
    thick = practice_of(request.user).say(offcut.thickness_mm)
    messages.success(request, f"{offcut.name}, what was left of {board.name}, is in the box for {thick}.")
    return redirect(_address(reverse("station", args=(row.uid, "stock")), part=request.POST.get("part", "")))


@require_POST
def panel(request, uid):
    """A panel planned for a part that is wider than every board; or one glued up, or taken apart again."""
    row = own(request, uid)
    job, part = plan_of(row).job, request.POST.get("part", "")
    done, name = request.POST.get("done", ""), request.POST.get("board", "")
    if done:
        board = job.composition.rack.board(name)
        if done == "glued":
            made = shop_actions.panel_glued(request.user, board.key)
            messages.success(request, f"{made.name} is glued up: a board like any other now.")
        else:
            made = shop_actions.panel_apart(request.user, board.key)
            messages.success(request, f"{made.name} is an off-cut again.")
    else:
        planned = panel_for(job, part)
        made = shop_actions.plan_panel(request.user, planned)
        messages.success(
            request,
            f"Panel {made.name} is on the rack, to be glued up of {planned.strips} strips. Lay the parts again.",
        )
    return redirect(_address(reverse("station", args=(row.uid, "stock")), part=part))


@require_POST
def layout_search_stop(request, uid):
    row = at_work(request, uid)
    stop(LayoutSearch.objects.filter(composition=row))
    return _searching(request, row)


def _searching(request, row: Composition) -> HttpResponse:
    laid = any(place.point for place in plan_of(row).composition.placements.values())
    context = {"row": row, "laid": laid, "do_url": reverse("do", args=(row.uid, "stock")), **search_context(row)}
    return render(request, "stock/searching.html", context)


@require_GET
def rule(request, uid, station):
    """The strip of stations with what is left at each."""
    row = _at_station(request, uid, station)
    plan = plan_of(row)
    view = view_of(plan.composition, request.GET.get("view", ""))
    told = tell(row, shop_of(row.owner), plan)
    context = {"row": row, "rule": _rule(request, row, rule_of(plan, station, told)), "plan": plan, "view": view}
    keep_whole(row, plan)
    return render(request, "stations/_rule.html", context)


@require_POST
def do(request, uid, station):
    """One edit: a verb, the chosen pieces, its values, and the revision that the page saw."""
    row = _at_station(request, uid, station)
    verb = request.POST.get("verb", "")
    if is_helper(request, row) and (verb in (*MOVES, "ready_by") or _of_the_owner(request.POST)):
        raise BadChoice("Dates, hours and prices are planned by whoever the work belongs to.")
    if verb not in VERBS:
        raise BadChoice(f"There is no verb “{verb[:40]}”.")
    keys = _keys(request.POST.get("pieces", ""))
    values = {name: value for name, value in request.POST.items() if name not in OWN_FIELDS}
    if verb == "practice":
        values = _practice_values(row, values)
    values.pop("places", None)
    if verb == "lay":
        # looked for before anything is locked: it takes a second or two
        found = values.pop("found", "")
        values["places"] = found_places(row) if found else Laying(plan_of(row).job).laid(Effort(0.0)).placements
    if verb == "wood" and values.get("wood"):
        request.session["last_wood"] = values["wood"][:40]
    if verb == "ready_by":
        values["today"] = plan_of(row).start.date().isoformat()
    if verb == "pin":
        dates.try_pin(row, values.get("step", ""), values.get("at", ""))
    if verb in MOVES:
        dates.keep_before(row)
    layer = _layer_of(request.POST, view_of(store.as_kept(row), request.POST.get("view", "")))
    return _answer(request, row, station, keys, lambda r: actions.perform(row, r, verb, keys, values, layer))


def _of_the_owner(values) -> bool:
    """Something is said of the owner's money or hours."""
    return any(name in (*MONEY, *HOURS, "helper") or name.startswith(("hours-", "helper-")) for name in values)


def _practice_values(row: Composition, values: dict) -> dict:
    """Hours come as one field a day, those of another person with their name."""
    if name := values.pop("helper", "").strip():
        week = {day.removeprefix("helper-"): text for day, text in values.items() if day.startswith("helper-")}
        values = {n: text for n, text in values.items() if not n.startswith("helper-")}
        return values | {"helpers": store.load(row).practice.helpers | {name: week}}
    hours = {name.removeprefix("hours-"): text for name, text in values.items() if name.startswith("hours-")}
    rest = {name: text for name, text in values.items() if not name.startswith("hours-")}
    return rest | ({"hours": hours} if hours else {})


@require_POST
def undo(request, uid, station):
    row = _at_station(request, uid, station)
    return _answer(request, row, station, _keys(request.POST.get("pieces", "")), lambda r: actions.undo(row, r))


@require_POST
def redo(request, uid, station):
    row = _at_station(request, uid, station)
    return _answer(request, row, station, _keys(request.POST.get("pieces", "")), lambda r: actions.redo(row, r))


def _answer(request, row: Composition, station: str, keys: list[int], act) -> HttpResponse:
    """Do it, then show everything that may have changed; a stale page gets the newest state and is told so."""
    try:
        revision = int(request.POST.get("revision", ""))
    except ValueError:
        raise BadChoice("This page does not say which state it shows. Load it again.") from None
    said, status, made = "", 200, None
    dated = plan_of(row) if station == "calendar" else None
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
            return redirect(_address(reverse(back, args=(row.uid,)), view=request.POST.get("view", "")))
        home = reverse("station", args=(row.uid, station))
        return redirect(_address(home, pieces=runs(keys), view=request.POST.get("view", "")))
    before, row = row, at_work(request, row.uid)
    keys = _still(keys, made)
    gives = _gives(dated, plan_of(row)) if dated is not None and made is not None else ""
    later = made is not None and made.reshapes
    context = _context(request, row, station, request.POST.get("show", ""), keys, request.POST.get("view", ""), later)
    context |= {"words": said, "gives": gives}
    moved = made is not None and (made.layers or {"width_mm", "height_mm"} & set(made.composition))
    if made is not None and made.reshapes and not moved and not context["view"].stacked:
        context["reshape"] = _reshape(before, made, context)
    return render(request, "stations/_changed.html", context, status=status)


MOVES = ("pin", "unpin")
"""Verbs that move a step by hand."""


def _gives(before: Plan, after: Plan) -> str:
    """What an edit at the calendar came to."""
    try:
        return dates.gives(before.schedule, after.schedule)
    except BadChoice:
        return ""


def _address(page: str, **asked: str) -> str:
    """A page with what is asked of it, as far as anything is."""
    query = urlencode({name: text for name, text in asked.items() if text})
    return f"{page}?{query}" if query else page


def _shapes_url(row: Composition, view: View) -> str:
    """Where the outlines are read from. The address changes with the shape, so a browser may keep what it has."""
    return f"{reverse('shapes', args=(row.uid,))}?s={row.shape_revision}&view={view.name}"


def _still(keys: list[int], made) -> list[int]:
    """The chosen pieces that are left after an edit, and those that came of them."""
    if made is None or not made.reshapes:
        return keys
    joined = [key for key in made.outlines if made.gone and key in keys]
    kept = [key for key in keys if key not in made.gone]
    if len({b.layer for b in made.born.values()}) > 1:
        # a work that was laid out anew, layer over layer: nobody goes on with all of its pieces at once
        return kept
    return joined or [*kept, *(key for key, b in made.born.items() if not b.piece.opening)][:200]


def _reshape(before: Composition, made, context: dict) -> dict:
    """Only the outlines that an edit changed, for a page that shows the state before it."""
    view, composition = context["view"], context["plan"].composition
    shapes = shapes_of(composition.layer(view.layer).coverage)
    changed = shape_rows(shape for shape in shapes if shape.key in made.outlines or shape.key in made.born)
    return {
        "from": _shapes_url(before, view),
        "to": context["shapes_url"],
        "changed": changed,
        "gone": list(made.gone),
    }
