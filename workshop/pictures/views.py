"""The picture of the result, palettes and packs beside each other, pieces on boards."""

from urllib.parse import urlencode

import cv2
import numpy as np
import shapely
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.text import slugify
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from emberquilt.assembly.tried import as_after
from emberquilt.drawing.panel import dress_json
from emberquilt.errors import BadChoice, EmberError
from emberquilt.keys import keys_in
from emberquilt.picture.board_face import drawn_photo
from emberquilt.picture.render import draft
from emberquilt.plan import Plan
from emberquilt.rack.boards import Board
from emberquilt.stock.verdict import verdict_of
from emberquilt.wood.axis import long_axis_deg
from emberquilt.wood.packs import pack_in
from emberquilt.wood.palettes import in_woods
from emberquilt.wood.spots import WISHES, places
from emberquilt.wood.verbs import answered, matched, palette_named
from emberquilt.work.composition import Composition, Layer, Piece
from emberquilt.work.on_boards import on_boards
from emberquilt.work.parts import job_of
from emberquilt.work.readings import dress_of
from emberquilt.work.scene import Scene, shapes_of
from emberquilt.work.view import View, target_of, view_of
from workshop.compositions.access import at_work
from workshop.compositions.plans import plan_of
from workshop.longwork.queue import stop
from workshop.shop.actions import photos_of
from workshop.stations.faces import FACE_PX_PER_MM, face_url, wood_table

from . import tasks
from .light import DPIS, light_of, lit_from, look_address
from .models import FinalPicture

WIDEST_DRAFT = 2400
QUALITY = 90
MOST_PANELS = 4


def _width(request) -> int:
    text = request.GET.get("w", "")
    return min(max(int(text), 60), WIDEST_DRAFT) if text.isdecimal() and len(text) < 6 else 870


@require_GET
@cache_control(max_age=31536000, private=True, immutable=True)
def look(request, uid):
    """The picture as it stands, quickly drawn. Its address holds the state it shows, so it may be kept."""
    plan = plan_of(at_work(request, uid))
    composition = _coated(plan, request.GET.get("coats", ""))
    width = _width(request)
    light = lit_from(
        light_of(composition, aged=request.GET.get("aged") == "yes"),
        request.GET.get("lamp", ""),
    )
    tried = in_woods(composition, woods_in(composition, request.GET))
    shown = draft(tried, width, light, photos=photos_of(request.user))
    return _jpeg(shown)


def _coated(plan: Plan, count: str) -> Composition:
    """The work as it stands, or after so many kinds of coats."""
    if not count.isdecimal() or len(count) > 3:
        return plan.composition
    return as_after(plan.job, int(count))


def woods_in(composition: Composition, values) -> dict[int, str]:
    """Other woods to be seen: a kept palette, the best of all woods or of one's own, a picture of the pack, or a wood
    to try."""
    if name := values.get("palette"):
        return palette_named(composition, name)
    if tried := values.get("try"):
        wood = composition.rack.shelf.wood(tried)
        return dict.fromkeys(_keys(values.get("pieces", "")), wood.code)
    if scope := values.get("best"):
        return answered(*matched(target_of(composition, []), {"scope": scope}))
    if (which := values.get("pack", "")).isdecimal():
        pack = pack_in(composition, _layer(composition, values))
        return pack.picture(int(which[:3])) if pack else {}
    return {}


def _layer(composition: Composition, values) -> Layer:
    """The layer that a page is about: the one that is seen, or the usual one."""
    view = view_of(composition, values.get("view", ""))
    return composition.usual_layer if view.stacked else composition.layer(view.layer)


def _keys(text: str) -> list[int]:
    try:
        return keys_in(text)
    except ValueError:
        raise BadChoice("The chosen pieces could not be read. Choose again.") from None


def _jpeg(rgb: np.ndarray, quality: int = QUALITY) -> HttpResponse:
    _, data = cv2.imencode(".jpg", cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, quality])
    return HttpResponse(data.tobytes(), content_type="image/jpeg")


@require_POST
def final_begin(request, uid):
    """Ask for the picture at print size; it is made outside the request."""
    row = at_work(request, uid)
    text = request.POST.get("dpi", "150")
    if not text.isdecimal() or int(text[:5]) not in DPIS:
        raise BadChoice("Choose 100, 150, 200 or 300 dots to the inch.")
    tasks.begin(row, int(text))
    return final(request, uid)


@require_POST
def final_stop(request, uid):
    row = at_work(request, uid)
    stop(FinalPicture.objects.filter(composition=row))
    return final(request, uid)


def final(request, uid):
    """How far the picture at print size is; polled while it is made."""
    row = at_work(request, uid)
    if not request.htmx:
        # a part of the Wood station: opened by its address, the whole page comes
        return redirect(f"{reverse('station', args=(row.uid, 'wood'))}?show=picture")
    made = FinalPicture.objects.filter(composition=row).defer("png").first()
    live = made is not None and made.live
    context = {
        "row": row,
        "final": made,
        "live": live,
        "stale": made is not None and made.revision != row.revision,
        "dpis": DPIS,
    }
    return render(request, "pictures/_final.html", context)


@require_GET
def final_png(request, uid):
    row = at_work(request, uid)
    made = FinalPicture.objects.filter(composition=row, state=FinalPicture.State.READY).first()
    if made is None:
        raise BadChoice("The picture at print size is not made yet.")
    headers = {"Content-Disposition": f'attachment; filename="{slugify(row.name) or "picture"}.png"'}
    return HttpResponse(bytes(made.png), content_type="image/png", headers=headers)


@require_GET
def palettes(request, uid):
    """Two to four palettes beside each other, each as the picture it would make."""
    row = at_work(request, uid)
    plan = plan_of(row)
    composition = plan.composition
    kept = [p.name for p in composition.decisions.wood.palettes]
    offers = [("now", "As it stands", "")] + [(f"palette={n}", n, n) for n in kept]
    if any(p.colour for p in composition.made):
        offers.append(("best=all", "Best of all woods", ""))
        if composition.rack.owned:
            offers.append(("best=own", "Best of what I own", ""))
    asked = [code for code in request.GET.getlist("show") if any(code == o[0] for o in offers)]
    shown = asked[:MOST_PANELS] or [o[0] for o in offers[:MOST_PANELS]]
    panels = [_panel(plan, *offer) for offer in offers if offer[0] in shown]
    context = {
        "row": row,
        "plan": plan,
        "practice": composition.practice,
        "offers": offers,
        "shown": shown,
        "panels": panels,
        "view": view_of(composition, request.GET.get("view", "")),
        **look_address(row, composition),
    }
    return render(request, "pictures/palettes.html", context)


def _panel(plan, code: str, name: str, kept: str) -> dict:
    """One palette: the woods it takes, and what it comes to."""
    composition = plan.composition
    kind, _, value = code.partition("=")
    try:
        woods = woods_in(composition, {kind: value}) if value else {}
    except EmberError as problem:
        return {"code": code, "name": name, "kept": kept, "problem": str(problem)}
    verdict, shelf = verdict_of(job_of(in_woods(composition, woods))), composition.rack.shelf
    total = sum(verdict.area_mm2.values())
    return {
        "code": code,
        "name": name,
        "kept": kept,
        "query": urlencode({kind: value}) if value else "",
        "chips": [(shelf[w], 1 + round(19 * mm2 / total)) for w, mm2 in verdict.area_mm2.items()],
        "verdict": verdict,
        "short": [(shelf[w], mm2) for w, mm2 in verdict.short_mm2[:MOST_SHORT]],
    }


MOST_SHORT = 3


@require_GET
def pack(request, uid):
    """The pictures that one pack of woods gives, of one layer."""
    row = at_work(request, uid)
    plan = plan_of(row)
    composition = plan.composition
    layer = _layer(composition, request.GET)
    made = pack_in(composition, layer)
    context = {
        "row": row,
        "plan": plan,
        "practice": composition.practice,
        "pack": made,
        "woods": composition.rack.shelf,
        "view": View("", layer.key),
        "layer": layer if len(composition.layers) > 1 else None,
        "wood_table": wood_table(composition),
    }
    if made is not None:
        number = {p.key: p.number for p in layer.pieces}
        pictures = range(len(made.codes))
        context["pictures"] = [_dressed(in_woods(composition, made.picture(k)), layer.key) for k in pictures]
        context["clashes"] = [(number[c.a], number[c.b], c.length_mm) for c in made.clashes]
    return render(request, "pictures/pack.html", context)


def _dressed(composition: Composition, layer: int) -> dict:
    dress = {p.key: dress_of(composition, p, "full") for p in composition.layer(layer).without_openings.pieces}
    return dress_json(Scene(composition.width_mm, composition.height_mm, (), dress))


def _piece(composition: Composition, values) -> Piece:
    """The piece that is asked for. Raises `BadChoice`."""
    text = values.get("piece", "")
    piece = composition.by_key.get(int(text)) if text.isdecimal() and len(text) < 9 else None
    if piece is None or piece.opening:
        raise BadChoice("Choose one piece first, then lay it on a board.")
    return piece


@require_GET
def place(request, uid):
    """One piece over a board's face: slid and turned there, seen in the picture at once."""
    row = at_work(request, uid)
    plan = plan_of(row)
    composition, rack = plan.composition, plan.composition.rack
    piece = _piece(composition, request.GET)
    layer = composition.home[piece.key]
    boards = sorted(rack.boards, key=lambda b: (b.wood != piece.wood, b.wood, b.name))
    if not boards:
        raise BadChoice("No board is on the rack yet. Put one there in the shop first.")
    asked = request.GET.get("copy", "1")
    copy = int(asked) if asked.isdecimal() and 1 <= int(asked[:3]) <= plan.job.copies else 1
    key = f"{piece.key}/{copy}" if copy > 1 else str(piece.key)
    placed = composition.placements.get(key)
    board = rack.by_name.get(request.GET.get("board", "") or (placed.board if placed else "")) or boards[0]
    context = {
        "row": row,
        "plan": plan,
        "practice": composition.practice,
        "piece": piece,
        "board": board,
        "boards": boards,
        "copy": copy,
        "copies": range(1, plan.job.copies + 1),
        "woods": rack.shelf,
        "wood_table": wood_table(composition) | {f"@{board.name}": _face(board, composition)},
        "view": View("", layer.key),
        "wishes": WISHES,
        "setting": _setting(composition, piece, board, key),
        "dress": _dressed(composition, layer.key),
    }
    return render(request, "pictures/place.html", context)


def _setting(composition: Composition, piece: Piece, board: Board, key: str) -> dict:
    """What the page needs to slide a part over a board."""
    coverage, placed = composition.home[piece.key].coverage, composition.placements.get(key)
    spot = coverage.spots[piece.key]
    grain = piece.grain_deg if piece.grain_deg is not None else long_axis_deg(coverage.by_key[piece.key])
    here = placed.point if placed is not None and placed.board == board.name else None
    x, y = here or (board.length_mm / 2, board.width_mm / 2)
    others = [one for one in on_boards(job_of(composition)).get(board.name, []) if one.key != key]
    return {
        "piece": piece.key,
        "board": board.name,
        "boardGrain": board.grain_deg,
        "length": board.length_mm,
        "width": board.width_mm,
        "x": x,
        "y": y,
        "grain": grain,
        "about": [spot.x_mm, spot.y_mm],
        "shape": shapes_of(coverage.only([piece.key]))[0].path,
        "wood": board.wood,
        "outline": [list(c) for c in board.region.exterior.coords],
        "defects": [[d.kind, [list(c) for c in d.ring]] for d in board.defects],
        "others": [
            [one.part.number, [list(c) for c in body.exterior.coords]]
            for one in others
            for body in shapely.get_parts(one.outline)
        ],
    }


def _face(board: Board, composition: Composition) -> dict:
    return {"tile": face_url(board, composition.rack, composition.practice.finish), "scale": 1 / FACE_PX_PER_MM}


@require_GET
def spots(request, uid):
    """The best places for a piece on a board, by what one looks for there."""
    row = at_work(request, uid)
    composition = plan_of(row).composition
    piece = _piece(composition, request.GET)
    coverage, asked = composition.home[piece.key].coverage, request.GET.get("copy", "1")
    key = str(piece.key) + (f"/{asked}" if asked.isdecimal() and asked != "1" else "")
    board = composition.rack.board(request.GET.get("board", ""))
    try:
        grain = float(request.GET.get("deg", "") or piece.grain_deg or 0.0)
    except ValueError:
        raise BadChoice("The arrow's degrees could not be read.") from None
    face, fine = photos_of(request.user)(board) or (
        drawn_photo(board, composition.rack.shelf, FACE_PX_PER_MM),
        FACE_PX_PER_MM,
    )
    lightness = cv2.cvtColor(face, cv2.COLOR_RGB2LAB)[..., 0].astype(np.float32) * (100 / 255)
    taken = [one.outline for one in on_boards(job_of(composition)).get(board.name, []) if one.key != key]
    spot = coverage.spots[piece.key]
    found = places(
        coverage.by_key[piece.key],
        (spot.x_mm, spot.y_mm),
        grain % 360,
        board,
        lightness,
        fine,
        taken,
        request.GET.get("wish", "figured"),
    )
    return JsonResponse({"places": [[p.x_mm, p.y_mm, p.score] for p in found]})
