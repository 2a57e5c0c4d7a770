"""The shelf, bringing a drawing, accepting its pieces, and what leaves the workshop."""

import json
import re
from collections import Counter
from dataclasses import replace

from django.conf import settings
from django.contrib import messages
from django.core.paginator import Paginator
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from emberquilt.drawing.back_pdf import back_pdf
from emberquilt.drawing.panel import dress_json, shapes_json
from emberquilt.drawing.pdf import check_pdf
from emberquilt.drawing.read import read
from emberquilt.errors import BadDrawing, BadProject, EmberError
from emberquilt.formats.export import export
from emberquilt.formats.project import Project, write_project
from emberquilt.intake.judged import said
from emberquilt.intake.knobs import CHOICES, KINDS, LIMITS, MARKED, knobs_of, size_of
from emberquilt.intake.lettering import open_font
from emberquilt.intake.propose import recognise, source_picture
from emberquilt.intake.raster_source import read_picture
from emberquilt.intake.simpler import FEWEST, simpler
from emberquilt.layers.stacked import from_afar, scene_in
from emberquilt.outline.details import HOWS
from emberquilt.outline.paths import path_of
from emberquilt.practice import Practice
from emberquilt.solid.reading import is_body
from emberquilt.work.parts import job_of
from emberquilt.work.scene import Dress, Mark, Scene, shapes_of
from emberquilt.work.setting import points_of
from emberquilt.work.view import view_of
from workshop.entry.allowance import near, need_work
from workshop.longwork.queue import stop
from workshop.shop.actions import practice_of, rack_of, shop_of
from workshop.stations.faces import rack_stamp, table_of
from workshop.stations.rack import rack
from workshop.stations.rule import next_station
from workshop.stations.told import shelf_entry, tell_afresh

from . import actions, store, tasks
from .access import at_work, is_helper, own, to_see
from .beginnings import led_on
from .beside import WISHES
from .knobs import knob_context, wanted_pieces
from .models import Composition, Draft, Share
from .plans import plan_of
from .proposals import marked_on, proposed, stroked, unpack_proposal
from .titles import title_of
from .told import forget
from .uploads import MOST_TYPED, MOST_UPLOAD

TYPES = {
    "pdf": "application/pdf",
    "svg": "image/svg+xml",
    "dxf": "image/vnd.dxf",
    "csv": "text/csv; charset=utf-8",
    "parts": "text/csv; charset=utf-8",
}
SANDBOX = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox"


def _own_draft(request, uid) -> Draft:
    return get_object_or_404(Draft, uid=uid, owner=request.user)


A_SHELF = 24
"""Works that are shown at a time."""
MOST_DRAFTS = 60


@require_GET
def shelf(request):
    """The works, newest first, a shelf at a time, or those whose name holds what was looked for. Nothing is planned
    here."""
    shop = shop_of(request.user)
    find = " ".join(request.GET.get("find", "").split())[:80]
    rows = request.user.compositions.all()
    shown = rows.filter(name__icontains=find) if find else rows
    page = Paginator(shown, A_SHELF).get_page(request.GET.get("page"))
    works = [shelf_entry(row, shop) for row in page]
    starter = rows.filter(starter=True, cursor=0).first()
    begin = shelf_entry(starter, shop) if starter is not None else None
    stock, practice = rack_of(request.user, shop), Practice.from_dict(shop.practice)
    context = {
        "works": works,
        "page": page,
        "find": find,
        "all": rows.count() if find else page.paginator.count,
        "drafts": request.user.drafts.defer("data", "result")[:MOST_DRAFTS],
        "practice": practice,
        "rack": rack(stock.boards, stock.shelf, works),
        "rack_stamp": rack_stamp(stock.shelf, stock.boards),
        "wood_table": table_of(stock.shelf),
        "begin": begin if begin and not begin["begun"] else None,
        "shown": Share.objects.filter(person=request.user).select_related("composition__owner")[:MOST_DRAFTS],
        "near": near(request.user),
        "club": not settings.LOCAL_PERSON,
    }
    return render(request, "compositions/shelf.html", context)


@require_GET
def tag(request, uid):
    """What the shelf says of one work, worked out; asked for by a tag that is of an older state."""
    row = own(request, uid)
    shop = shop_of(request.user)
    tell_afresh(row, shop)
    context = {"w": shelf_entry(row, shop), "practice": Practice.from_dict(shop.practice)}
    return render(request, "compositions/_work.html", context | {"rack_stamp": request.GET.get("v", "")})


@require_GET
@cache_control(max_age=31536000, private=True, immutable=True)
def thumb(request, uid):
    """A work as it stands on the shelf, seen from afar: outlines and what they wear. Its address holds the state it
    shows."""
    scene = from_afar(store.load(to_see(request, uid)), numbered=request.GET.get("numbers") == "yes")
    return JsonResponse(shapes_json(scene) | {"dress": dress_json(scene)})


@require_POST
def bring(request):
    """A drawing becomes a draft; a project file becomes a composition."""
    upload = request.FILES.get("drawing")
    kind = request.POST.get("kind", "auto")
    if upload is None and kind not in ("text", "blank"):
        return _shelf_with(request, "Choose a file first: a drawing, a photo, or a project file.")
    if upload is not None and upload.size > MOST_UPLOAD:
        return _shelf_with(
            request, f"This file is {upload.size / 1e6:.0f} MB; up to {MOST_UPLOAD / 1e6:.0f} MB can be read."
        )
    unit = practice_of(request.user).unit
    knobs = {"how": "width", "size": request.POST.get("width", "")} | _typed(request.POST)
    if kind in ("text", "blank"):
        data = request.POST.get("words", "").encode() if kind == "text" else b""
        name = request.POST.get("words", "").split("\n")[0][:40] if kind == "text" else "Empty outline"
        file_name = "words.txt" if kind == "text" else ""
    else:
        data, name, file_name = upload.read(), title_of(upload.name), upload.name[:200]
    if upload is not None and is_body(data):
        messages.error(request, "This is a body, not a drawing: say here how it is to be sliced, and choose it again.")
        return redirect("begin")
    try:
        if data[:4] == b"PK\x03\x04" or file_name.lower().endswith((".zip", ".ember")):
            row = actions.bring_project(request.user, data)
            return redirect("station", row.uid, next_station(plan_of(row)))
        size_of(knobs, unit), knobs_of(knobs, unit)
        if kind not in ("text", "blank"):
            recognise(data)
    except EmberError as problem:
        return _shelf_with(request, str(problem))
    draft = Draft(owner=request.user, name=name or "Words", file_name=file_name, data=data, knobs=knobs)
    try:
        need_work(request.user)
        tasks.begin(draft)
    except EmberError as problem:
        return _shelf_with(request, str(problem))
    return redirect("draft", draft.uid)


KNOBS = ("how", "size", "points", "font", "corners", "more", "box", "finer", *MARKED, *CHOICES, *LIMITS)


def _typed(values) -> dict[str, str]:
    """The knobs in a form, as they were typed."""
    return {name: values[name][:MOST_TYPED] for name in KNOBS if values.get(name)}


def _shelf_with(request, words: str):
    messages.error(request, words)
    return redirect("shelf")


@require_GET
def draft(request, uid):
    row = _own_draft(request, uid)
    live = row.live
    if row.way and not live and not request.htmx:
        return led_on(request, row)
    context = {"draft": row, "practice": practice_of(request.user), "live": live}
    if request.htmx:
        if live:
            return render(request, "compositions/_finding_pieces.html", context)
        return HttpResponse(headers={"HX-Refresh": "true"})
    if row.result:
        whole = proposed(row)
        proposal = simpler(whole, wanted_pieces(row))
        context |= {
            "proposal": proposal,
            "found": len(proposal.coverage) - len(proposal.openings),
            "most": len(whole.coverage),
            "fewest": FEWEST if len(whole.coverage) > FEWEST and not whole.openings else 0,
            "done": [
                (what, count, TRACE_WORDS.get(what, what))
                for what, count in Counter(what for what, *_ in proposal.traces).items()
            ],
            "said": said(proposal, context["practice"]),
            "read_as": KINDS[proposal.read_as.kind],
            "details": HOWS,
            "corners": json.dumps(proposal.corners),
        }
    return render(request, "compositions/draft.html", context | knob_context(row, practice_of(request.user)))


@require_GET
def draft_source(request, uid):
    """The drawing itself, only ever as a picture: whatever scripts it holds stay dead."""
    row = _own_draft(request, uid)
    knobs = knobs_of(row.knobs, practice_of(request.user).unit)
    found = tuple(map(tuple, (row.result or {}).get("corners", ())))
    corners = () if request.GET.get("raw") == "yes" else knobs.corners or found
    data, kind = source_picture(bytes(row.data), replace(knobs, corners=corners))
    return HttpResponse(
        data, content_type=kind, headers={"Content-Security-Policy": SANDBOX, "X-Content-Type-Options": "nosniff"}
    )


@require_GET
def draft_scene(request, uid):
    """The proposed pieces with their numbers, and what was bridged, merged or lost where."""
    row = _own_draft(request, uid)
    if not row.result:
        raise BadDrawing("The pieces of this drawing are not found yet.")
    whole = proposed(row)
    proposal = simpler(whole, wanted_pieces(row, request.GET.get("simplify", "")))
    solid = [key for key in proposal.coverage.keys if key not in proposal.openings]
    dress = {key: Dress(tone="open") for key in proposal.openings}
    dress |= {key: _proposed(proposal.colours.get(key, ""), i) for i, key in enumerate(solid, 1)}
    marks = [Mark(what, x, y) for what, x, y in proposal.traces[:MOST_TRACES]]
    marks += [Mark("detail", path=path_of(d.geometry), text=d.how) for d in proposal.lines[:MOST_TRACES]]
    marks += marked_on(proposal, knobs_of(row.knobs, practice_of(request.user).unit))
    marks += [
        Mark("pin", *f.point_mm, text=str(i)) for i, f in enumerate(proposal.findings, 1) if f.point_mm is not None
    ]
    scene = Scene(proposal.width_mm, proposal.height_mm, shapes_of(proposal.coverage), dress, tuple(marks))
    told = {
        "read": proposal.read_as.kind,
        "pieces": len(solid),
        "most": len(whole.coverage),
        "said": said(proposal, practice_of(request.user)),
    }
    box = list(proposal.source_box_mm)
    return JsonResponse(shapes_json(scene) | {"dress": dress_json(scene), "underlay": box, "told": told})


@require_GET
@cache_control(max_age=3600, private=True)
def draft_other(request, uid, number):
    """The small picture of another way to read the drawing."""
    row = _own_draft(request, uid)
    others = unpack_proposal(row.result).others if row.result else ()
    if not 0 <= number < len(others):
        raise Http404
    return HttpResponse(others[number].picture, content_type="image/png")


MOST_TRACES = 2000
TRACE_WORDS = {
    "inlay": "too small but for an inlay",
    "lost": "open: click an end to draw it on",
    "bridge": "set as bridges",
    "widened": "thin ends widened",
}
"""What was done to a drawing, where its code is no word for reading."""


def _proposed(colour: str, number: int) -> Dress:
    return Dress(label=str(number), tone="tint" if colour else "ghost", colour=colour)


@require_POST
def draft_again(request, uid):
    """Other knobs: the pieces are found again, and what was found before stays to be seen until then."""
    row = _own_draft(request, uid)
    unit = practice_of(request.user).unit
    knobs = row.knobs | {name: request.POST[name][:MOST_TYPED] for name in KNOBS if name in request.POST}
    others = unpack_proposal(row.result).others if row.result else ()
    chosen = request.POST.get("as", "")
    if chosen.isdecimal() and int(chosen) < len(others):
        knobs |= dict(others[int(chosen)].knobs)
    size_of(knobs, unit), knobs_of(knobs, unit)
    if "words" in request.POST and knobs.get("kind") == "text":
        row.data = request.POST["words"].encode()
    if upload := request.FILES.get("font_file"):
        row.font = upload.read()
        open_font(row.font)
    elif request.POST.get("font"):
        row.font = b""
    if upload := request.FILES.get("over_file"):
        row.over = upload.read()
        read_picture(bytes(row.over))
    elif not knobs.get("finer"):
        row.over = b""
    row.knobs = knobs
    tasks.begin(row)
    return redirect("draft", row.uid)


@require_POST
def draft_by_hand(request, uid):
    """A stroke on the pieces that were found, points in mm of their sheet; or the last one taken back."""
    row = _own_draft(request, uid)
    if not row.result:
        raise BadDrawing("The pieces of this drawing are not found yet.")
    points = [] if request.POST.get("do") == "back" else points_of(request.POST).tolist()
    strokes = stroked(row, request.POST.get("do", ""), points, request.POST.get("how", ""))
    row.knobs = row.knobs | {"by_hand": strokes}
    row.save(update_fields=["knobs"])
    context = {"draft": row, "details": HOWS, "chosen_how": request.POST.get("how", "")}
    answer = render(request, "compositions/_by_hand.html", context)
    answer["HX-Trigger"] = "pieces-changed"
    return answer


@require_POST
def draft_stop(request, uid):
    row = _own_draft(request, uid)
    stop(Draft.objects.filter(pk=row.pk))
    return redirect("draft", row.uid)


@require_POST
def draft_discard(request, uid):
    _own_draft(request, uid).delete()
    return redirect("shelf")


@require_POST
def draft_accept(request, uid):
    """Keep the pieces that were shown: they become a composition, the draft goes."""
    row = _own_draft(request, uid)
    if not row.result:
        raise BadDrawing("The pieces of this drawing are not found yet.")
    most = wanted_pieces(row, request.POST.get("simplify", ""))
    made = actions.accept_draft(row, request.POST.get("name", row.name), practice_of(request.user), most)
    return redirect("station", made.uid, "wood")


@require_GET
@cache_control(max_age=31536000, private=True, immutable=True)
def shapes(request, uid):
    """Outlines of what is seen. Their address holds the shape's revision, so they may be kept for ever."""
    composition = store.load(to_see(request, uid))
    view = view_of(composition, request.GET.get("view", ""))
    return JsonResponse(shapes_json(scene_in(job_of(composition), view, {})))


@require_GET
def dress(request, uid, station, show):
    plan = plan_of(at_work(request, uid))
    view = view_of(plan.composition, request.GET.get("view", ""))
    return JsonResponse(dress_json(read(plan, station, show, plan.findings(station), view)))


@require_GET
def leave(request, uid, kind):
    """A file that leaves the workshop: one of `TYPES`, or the whole project."""
    row = at_work(request, uid)
    name = re.sub(r"[^A-Za-z0-9]+", "-", row.name).strip("-").lower() or "picture"
    if kind == "project":
        data, content_type, kind = write_project(_leaving(request, row)), "application/zip", "ember"
    elif kind == "check":
        practice = store.load(row).practice
        data, content_type, kind = check_pdf(practice, request.GET.get("paper") or practice.paper), TYPES["pdf"], "pdf"
        name = "check-page"
    elif kind == "back":
        job = plan_of(row).job
        data = back_pdf(job, request.GET.get("paper") or job.composition.practice.paper)
        content_type, kind, name = TYPES["pdf"], "pdf", f"{name}-back"
    elif kind in TYPES:
        data, content_type = export(plan_of(row), kind, request.GET.get("paper") or None), TYPES[kind]
        name, kind = (f"{name}-parts", "csv") if kind == "parts" else (name, kind)
    else:
        raise BadProject(f"Nothing leaves here as “{kind}”.")
    headers = {"Content-Disposition": f'attachment; filename="{name}.{kind}"', "X-Content-Type-Options": "nosniff"}
    return HttpResponse(data, content_type=content_type, headers=headers)


def _leaving(request, row: Composition) -> Project:
    """The project file, as far as it is the asker's to take: what the shop earns and when it works stays with it."""
    if is_helper(request, row):
        return actions.project_of(row, timezone.now()).passed_on()
    return actions.project_of(row, timezone.now(), [wish for wish in request.GET.getlist("with") if wish in WISHES])


@require_POST
def discard(request, uid):
    actions.discard(own(request, uid))
    return redirect("shelf")


@require_POST
def once_more(request, uid):
    """Plan a work that found no end again: its tag on the shelf asks for that by itself."""
    forget(own(request, uid))
    return redirect("shelf")
