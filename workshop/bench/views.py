"""The bench: all cards of a work in one page that goes on without its server, and what phones send when they can."""

import json

import cv2
from django.contrib.staticfiles import finders
from django.contrib.staticfiles.storage import staticfiles_storage
from django.db import IntegrityError, transaction
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.template.loader import render_to_string
from django.templatetags.static import static
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from emberquilt.drawing.shaped import shaped_drawing
from emberquilt.drawing.way import way_scene
from emberquilt.errors import BadChoice
from emberquilt.intake.raster_source import read_picture
from emberquilt.plan import Plan
from emberquilt.saw.steps import SAW_VERBS
from emberquilt.work.copies import any_copy
from workshop.compositions.access import at_work
from workshop.compositions.plans import plan_of
from workshop.entry.allowance import need_bytes
from workshop.stations.faces import wood_table

from . import entries
from .models import Snapshot
from .practice import photo_of

A_LOAD = 24
"""Drawings that a phone fetches at a time, once its cards are there."""
MOST_SIDE_PX = 1600
MOST_SNAPSHOTS = 400
JPEG_QUALITY = 84


@require_GET
def bench(request, uid):
    row = at_work(request, uid)
    plan = plan_of(row)
    pocket = plan.pocket | {
        "uid": str(row.uid),
        "name": row.name,
        "revision": row.revision,
        "woods": wood_table(plan.composition),
        "people": ["", *plan.composition.practice.helpers],
        "loads": [f"{reverse('bench-more', args=(row.uid,))}?r={row.revision}&load={i}" for i in range(_loads(plan))],
        "log": entries.since(row),
    }
    return render(request, "bench/bench.html", {"row": row, "pocket": _told(pocket)})


def _told(pocket: dict) -> str:
    """As it may stand within a page's script element."""
    return json.dumps(pocket, ensure_ascii=False, separators=(",", ":")).replace("<", "\\u003c")


def _drawn(plan: Plan) -> list:
    """The cards that a drawing of their own belongs to."""
    return [card for card in plan.cards if card.step.verb in (*SAW_VERBS, "shape") and card.step.each]


def _loads(plan: Plan) -> int:
    return -(-len(_drawn(plan)) // A_LOAD)


@require_GET
@cache_control(private=True, max_age=86400, immutable=True)
def more(request, uid):
    """Some of the drawings that belong to cards: the ways of the blade, and what comes off in shaping. The address
    changes with the work."""
    plan = plan_of(at_work(request, uid))
    load = request.GET.get("load", "")
    first = int(load) * A_LOAD if load.isdecimal() and len(load) < 6 else 0
    ways, shaped = {}, {}
    for card in _drawn(plan)[first : first + A_LOAD]:
        part = any_copy(card.parts[0])
        if card.step.verb in SAW_VERBS:
            ways[part] = way_scene(plan.job, plan.saw, part)
        elif card.piece:
            drawing = shaped_drawing(plan.job, card.piece)
            shaped[part] = render_to_string("relief/shaped.html", {"shaped": drawing})
    return JsonResponse({"ways": ways, "shaped": shaped})


@require_POST
def sync(request, uid):
    """What a phone wrote down since it was heard last, and what others wrote down since."""
    row = at_work(request, uid)
    try:
        told = json.loads(request.body)
        if not isinstance(told, dict):
            raise ValueError
    except ValueError:
        raise BadChoice("What this phone sent cannot be read.") from None
    sent = told.get("entries", [])
    answers = entries.take(row, sent, told.get("now")) if sent else []
    row.refresh_from_db(fields=["revision"])
    return JsonResponse({"answers": answers} | entries.since(row, told.get("cursor")))


@require_POST
def photo(request, uid):
    """A photo from the bench, once however often it is sent."""
    row = at_work(request, uid)
    name, step, part = (request.POST.get(key, "") for key in ("id", "step", "part"))
    if not entries.NAME.match(name) or not entries.MARK.match(step) or not entries.MARK.match(part):
        raise BadChoice("This photo came without a name, and cannot be kept.")
    if row.snapshots.filter(client=name).exists():
        return JsonResponse({"state": "known"})
    if row.snapshots.count() >= MOST_SNAPSHOTS:
        raise BadChoice(f"This work has {MOST_SNAPSHOTS} photos already. Drop some in its log first.")
    need_bytes(row.owner, 0)
    picture = read_picture(photo_of(request, "Take a photo first."))
    rgb = picture.rgb if picture.rgb is not None else cv2.cvtColor(picture.grey, cv2.COLOR_GRAY2RGB)
    share = MOST_SIDE_PX / max(rgb.shape[:2])
    if share < 1:
        rgb = cv2.resize(rgb, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
    _, jpeg = cv2.imencode(".jpg", cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, JPEG_QUALITY])
    try:
        with transaction.atomic():
            Snapshot.objects.create(
                composition=row, client=name, step=step, part=part, at=timezone.now(), jpeg=jpeg.tobytes()
            )
    except IntegrityError:
        return JsonResponse({"state": "known"})
    return JsonResponse({"state": "kept"})


@require_GET
@cache_control(private=True, max_age=31536000, immutable=True)
def snapshot(request, uid, pk):
    """A photo that was taken at the bench."""
    kept = get_object_or_404(Snapshot, pk=pk, composition=at_work(request, uid))
    return HttpResponse(bytes(kept.jpeg), content_type="image/jpeg")


@require_GET
def pedal(request, uid):
    """A foot switch to try the bench with: it sends what a real one's key would."""
    return render(request, "bench/pedal.html", {"row": at_work(request, uid)})


@require_GET
def manifest(request, uid):
    """What a phone needs to know to put the bench of this work among its applications."""
    row = at_work(request, uid)
    address = reverse("bench", args=(row.uid,))
    icons = [
        {"src": static("mark.svg"), "sizes": "any", "type": "image/svg+xml", "purpose": "any"},
        {"src": static("mark-512.png"), "sizes": "512x512", "type": "image/png", "purpose": "any maskable"},
        {"src": static("mark-180.png"), "sizes": "180x180", "type": "image/png", "purpose": "any"},
    ]
    told = {
        "id": address,
        "name": f"{row.name}: bench",
        "short_name": row.name[:12],
        "start_url": address,
        "scope": address,
        "display": "standalone",
        "background_color": "#f1e9da",
        "theme_color": "#f1e9da",
        "icons": icons,
    }
    return JsonResponse(told, content_type="application/manifest+json")


@require_GET
def worker(request):
    """The script that keeps the bench's pages for when the server cannot be reached; it has to lie above them."""
    path = finders.find("js/bench-worker.js") or staticfiles_storage.path("js/bench-worker.js")
    with open(path, encoding="utf-8") as file:
        return HttpResponse(
            file.read(),
            content_type="text/javascript",
            headers={"Service-Worker-Allowed": "/", "Cache-Control": "no-cache"},
        )
