"""What is passed on: the project file, a work shown to others, and the club's shelf of patterns."""

from django.conf import settings
from django.contrib import messages
from django.core.paginator import Paginator
from django.http import JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from emberquilt.drawing.panel import dress_json, shapes_json
from emberquilt.drawing.read import read
from emberquilt.errors import EmberError
from emberquilt.work.made_of import made_of
from emberquilt.work.passed_on import LICENCES, Origin
from emberquilt.work.view import view_of
from workshop.compositions.access import own, to_copy, to_see
from workshop.compositions.beside import WISHES
from workshop.compositions.models import Composition, Share
from workshop.compositions.plans import keep_whole, plan_of
from workshop.shop.actions import practice_of, rack_of, shop_of
from workshop.shop.swatches import woods_of
from workshop.stations.desk import views_of
from workshop.stations.faces import table_of
from workshop.stations.rule import WITH_OWNER, next_station

from . import actions
from .models import Pattern

A_SHELF = 24
MAY = {Share.May.READ: "look at it", Share.May.COPY: "take a copy too", Share.May.WORK: "work on it too"}
SHOWN = {
    "numbers": ("pattern", "numbers"),
    "woods": ("wood", "woods"),
    "arrows": ("wood", "arrows"),
}
"""What whoever is shown a work sees of it: by name the station and its reading."""


@require_GET
def pass_on(request, uid):
    """All ways in which a work goes to others."""
    row = own(request, uid)
    context = {
        "row": row,
        "practice": practice_of(request.user),
        "wishes": WISHES,
        "wood_table": table_of(rack_of(request.user).shelf),
        "shares": row.shares.select_related("person"),
        "may": MAY,
        "licences": LICENCES,
        "origin": row.origin or {"by": request.user.username},
        "pattern": Pattern.objects.filter(composition=row).first(),
        "alone": settings.LOCAL_PERSON,
    }
    return render(request, "club/pass_on.html", context)


def _said(request, act, done: str, to: str, *args):
    """Do it and go there; what cannot be done is said there."""
    try:
        act()
    except EmberError as problem:
        messages.error(request, str(problem))
    else:
        messages.success(request, done)
    return redirect(to, *args)


@require_POST
def show(request, uid):
    row, name = own(request, uid), request.POST.get("name", "")
    done = f"{row.name} stands on {name.strip()[:40]}’s shelf now."
    return _said(request, lambda: actions.show_to(row, name, request.POST.get("may", "")), done, "pass-on", row.uid)


@require_POST
def show_no_longer(request, uid, pk: int):
    row = own(request, uid)
    return _said(request, lambda: actions.show_no_longer(row, pk), "It is shown to them no longer.", "pass-on", row.uid)


@require_POST
def put(request, uid):
    """Put it on the club's shelf, or note only where it is from."""
    row, values = own(request, uid), request.POST.dict()
    if values.get("do") == "note":
        return _said(request, lambda: actions.tell_origin(row, values), "Noted.", "pass-on", row.uid)
    done = f"{row.name} is on the club’s shelf, as it is now."
    return _said(request, lambda: actions.put_on_shelf(row, values), done, "pass-on", row.uid)


@require_GET
def shown(request, uid):
    """A work of somebody else, to be looked at."""
    row = to_see(request, uid)
    if row.owner_id == request.user.pk:
        return redirect("station", row.uid, next_station(plan_of(row)))
    share = row.shares.get(person=request.user)
    plan = plan_of(row)
    view = view_of(plan.composition, request.GET.get("view", ""))
    asked = request.GET.get("show", "woods")
    work = plan.composition
    context = {
        "row": row,
        "practice": practice_of(request.user),
        "work": work,
        "may": share.may,
        "station": _station(plan),
        "shows": list(SHOWN),
        "show": asked if asked in SHOWN else "woods",
        "view": view,
        "views": views_of(plan, view),
        "woods": [(work.rack.shelf.get(one.code), one) for one in made_of(work)],
        "origin": Origin(**row.origin),
        "wood_table": table_of(work.rack.shelf),
        **woods_of(row, shop_of(row.owner)),
    }
    keep_whole(row, plan)
    return render(request, "club/shown.html", context)


def _station(plan) -> str:
    there = next_station(plan)
    return "pattern" if there in WITH_OWNER else there


@require_GET
@cache_control(private=True, max_age=3600)
def shown_scene(request, uid, show):
    """Outlines and what they wear, in one of the readings for others."""
    plan = plan_of(to_see(request, uid))
    view = view_of(plan.composition, request.GET.get("view", ""))
    station, reading = SHOWN.get(show, SHOWN["woods"])
    scene = read(plan, station, reading, (), view)
    return JsonResponse(shapes_json(scene) | {"dress": dress_json(scene)})


@require_POST
def copy(request, uid):
    row = to_copy(request, uid)
    made = actions.copy_for(request.user, row)
    messages.success(request, f"{made.name} is yours now: what you change stays here.")
    return redirect("station", made.uid, next_station(plan_of(made)))


@require_POST
def leave_alone(request, uid):
    row = to_see(request, uid)
    actions.leave_alone(row, request.user)
    return redirect("shelf")


@require_GET
def patterns(request):
    """The club's shelf, newest first, or what was looked for in names, drawers and sources."""
    find = " ".join(request.GET.get("find", "").split())[:80]
    rows = Pattern.objects.defer("data", "scene").select_related("by")
    found = rows.filter(name__icontains=find) | rows.filter(origin__by__icontains=find) if find else rows
    page = Paginator(found, A_SHELF).get_page(request.GET.get("page"))
    context = {
        "page": page,
        "patterns": [(one, Origin(**one.origin)) for one in page],
        "find": find,
        "all": rows.count() if find else page.paginator.count,
        "practice": practice_of(request.user),
        "wood_table": table_of(rack_of(request.user).shelf),
        "alone": settings.LOCAL_PERSON,
    }
    return render(request, "club/patterns.html", context)


def _pattern(uid) -> Pattern:
    return get_object_or_404(Pattern.objects.defer("scene").select_related("by"), uid=uid)


@require_GET
def pattern(request, uid):
    one = _pattern(uid)
    context = {
        "pattern": one,
        "origin": Origin(**one.origin),
        "practice": practice_of(request.user),
        "wood_table": table_of(rack_of(request.user).shelf),
        "mine": Composition.objects.filter(owner=request.user, pattern=one).first(),
    }
    return render(request, "club/pattern.html", context)


@require_GET
@cache_control(private=True, max_age=3600)
def pattern_scene(request, uid):
    return JsonResponse(get_object_or_404(Pattern.objects.only("scene"), uid=uid).scene)


@require_POST
def take(request, uid):
    made = actions.take_pattern(request.user, _pattern(uid))
    messages.success(request, f"{made.name} stands on your shelf.")
    return redirect("station", made.uid, next_station(plan_of(made)))


@require_POST
def take_down(request, uid):
    one = _pattern(uid)
    return _said(request, lambda: actions.take_down(request.user, one), f"{one.name} is taken down.", "club")
