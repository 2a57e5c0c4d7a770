"""What the shop owns and how it works."""

import cv2
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from emberquilt.colour import difference, hex_of, lab_of, rgb_of
from emberquilt.errors import BadChoice, EmberError
from emberquilt.hours import DAYS
from emberquilt.intake.raster_source import read_picture
from emberquilt.picture.board_face import board_face
from emberquilt.picture.figure import tile
from emberquilt.plain import read_marks
from emberquilt.rack.blades import blades_of, table_text
from emberquilt.rack.boards import DEFECTS, Board
from emberquilt.rack.photo import REFERENCES
from emberquilt.rack.rack import Rack
from emberquilt.rack.seen import Seen
from emberquilt.rack.woods import KINDS, LIMITS, woods
from workshop.compositions.access import shown_by, to_see
from workshop.stations.faces import FACE_PX_PER_MM, RACK_PX_PER_MM, face_url, looks_as_shipped, stamp, tile_url
from workshop.stations.rack import rack

from . import actions
from .clock import zone_of, zones
from .models import BoardPhoto
from .words import TABLES, WORDS, fields_of

MOST_PHOTO = 60_000_000
SHOWN_PX = 1600
LONGEST_PX = 860


@require_GET
def shop(request):
    practice, stock = actions.practice_of(request.user), actions.rack_of(request.user)
    context = {
        "practice": practice,
        "fields": fields_of(practice, WORDS),
        "hours": [(day, practice.hours.get(day, "")) for day in DAYS],
        "rack": rack(stock.boards, stock.shelf),
        "boxes": stock.boxes(practice.box_mm),
        "woods": stock.shelf,
        "blades": blades_of(practice),
        "blade_text": table_text(practice),
        "zone": zone_of(request.shop).key,
        "zones": zones(),
    }
    return render(request, "shop/shop.html", context)


@require_POST
def practice(request):
    values = {name: request.POST[name] for name in (*WORDS, *TABLES) if name in request.POST}
    hours = {day: request.POST[f"hours-{day}"] for day in DAYS if f"hours-{day}" in request.POST}
    return _said(
        request,
        lambda: actions.change_practice(request.user, values | ({"hours": hours} if hours else {})),
        "Practice kept. Pictures begun before keep theirs.",
    )


@require_POST
def zone(request):
    name = request.POST.get("zone", "")
    if request.POST.get("by") == "browser":
        actions.set_zone(request.user, name, only_if_unknown=True)
        return HttpResponse(status=204)
    return _said(request, lambda: actions.set_zone(request.user, name), "")


@require_POST
def add_board(request):
    fields = [request.POST.get(name, "") for name in ("wood", "name", "length", "width", "thickness")]
    offcut = bool(request.POST.get("offcut"))
    return _said(request, lambda: actions.add_board(request.user, *fields, offcut), "Board put on the rack.")


@require_POST
def drop_board(request, pk):
    return _said(request, lambda: actions.drop_board(request.user, pk), "Board taken off the rack.")


def _said(request, act, done: str, to: str = "shop", *args):
    try:
        answer = act()
    except EmberError as problem:
        messages.error(request, str(problem))
    else:
        messages.success(request, answer if isinstance(answer, str) else done)
    return redirect(to, *args)


@require_GET
def board(request, pk):
    """One board: its face in true size, its measures, what is drawn on it, and how its photo is made one."""
    row = actions.own_board(request.user, pk)
    stock, practice = actions.rack_of(request.user), actions.practice_of(request.user)
    one = next(b for b in stock.boards if b.key == row.pk)
    photo = BoardPhoto.objects.filter(board=row).values_list("marks", flat=True).first()
    wood = stock.shelf[one.wood]
    context = {
        "board": one,
        "wood": wood,
        "practice": practice,
        "has_photo": photo is not None,
        "marks": photo or {},
        "defects": [(i, DEFECTS[d.kind]) for i, d in enumerate(one.defects)],
        "kinds": DEFECTS,
        "references": list(REFERENCES),
        "colour": hex_of(one.lab) if one.lab else wood.raw,
        "apart": float(difference(one.lab, lab_of(wood.raw))) if one.lab else None,
        "setting": {
            "face": face_url(one, stock),
            "photo": f"/shop/board/{row.pk}/photo.jpg?v={row.photo}" if photo is not None else "",
            "length": one.length_mm,
            "width": one.width_mm,
            "grain": one.grain_deg,
            "outline": [list(c) for c in one.region.exterior.coords],
            "defects": [[d.kind, [list(c) for c in d.ring]] for d in one.defects],
        },
    }
    return render(request, "shop/board.html", context)


@require_POST
def change_board(request, pk):
    fields = [request.POST.get(name, "") for name in ("length", "width", "thickness", "grain")]
    offcut = bool(request.POST.get("offcut"))
    return _said(
        request, lambda: actions.change_board(request.user, pk, *fields, offcut), "Measures kept.", "board", pk
    )


@require_POST
def photograph(request, pk):
    """A new photo, or other marks on the one that is kept."""
    upload = request.FILES.get("photo")
    marks = _marks(request.POST)

    def act():
        if upload is not None and upload.size > MOST_PHOTO:
            raise BadChoice(f"This photo is {upload.size / 1e6:.0f} MB; up to {MOST_PHOTO / 1e6:.0f} MB can be read.")
        data = upload.read() if upload is not None else None
        if data is None and not BoardPhoto.objects.filter(board=pk, board__shop__owner=request.user).exists():
            raise BadChoice("Choose a photo of the board first.")
        actions.photograph_board(
            request.user, pk, data, marks, request.POST.get("length", ""), request.POST.get("width", "")
        )

    return _said(request, act, "The board shows its face.", "board", pk)


def _marks(values) -> dict:
    marks = {}
    for name in ("corners", "outline", "points", "patch"):
        if text := values.get(name, ""):
            sentence = "The places that were marked on the photo could not be read. Mark them again."
            marks[name] = read_marks(text[:20_000], sentence)
    return marks | {name: values[name][:40] for name in ("apart", "reference") if values.get(name)}


@require_POST
def defect(request, pk):
    drawn = request.POST.get("points", "")[:40_000]
    ring = read_marks(drawn, "The line round the defect could not be read. Draw it again.")
    kind = request.POST.get("kind", "")
    return _said(
        request, lambda: actions.mark_defect(request.user, pk, kind, ring), "Marked on the board.", "board", pk
    )


@require_POST
def clear_defect(request, pk, index):
    return _said(request, lambda: actions.clear_defect(request.user, pk, index), "Taken off the board.", "board", pk)


@require_GET
@cache_control(max_age=31536000, private=True, immutable=True)
def face(request, pk):
    """The face of a board, bare or under a finish; `small` as the rack shows it, several to a page."""
    wanted = RACK_PX_PER_MM if request.GET.get("small") else FACE_PX_PER_MM
    shop = actions.seen_board(request.user, pk).shop
    stock = actions.rack_of(shop.owner, shop)
    one = next(b for b in stock.boards if b.key == pk)
    seen = Seen(stock, request.GET.get("finish", "raw"))
    rgb, fine = board_face(
        one,
        stock.shelf,
        seen.lab_of((one.wood, "", one.name if one.lab else "")),
        actions.photos_of(request.user),
        wanted,
    )
    if fine != wanted:
        size = max(1, round(one.length_mm * wanted)), max(1, round(one.width_mm * wanted))
        rgb = cv2.resize(rgb, size, interpolation=cv2.INTER_AREA)
    return _jpeg(rgb)


@require_GET
@cache_control(max_age=31536000, private=True, immutable=True)
def photo(request, pk):
    """The photo as it was taken, no larger than a screen needs."""
    row = actions.own_board(request.user, pk)
    data = BoardPhoto.objects.filter(board=row).values_list("data", flat=True).first()
    if data is None:
        raise BadChoice("This board has no photo.")
    taken = read_picture(bytes(data))
    rgb = taken.rgb if taken.rgb is not None else cv2.cvtColor(taken.grey, cv2.COLOR_GRAY2RGB)
    shrink = min(1.0, SHOWN_PX / max(rgb.shape[:2]))
    return _jpeg(cv2.resize(rgb, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA))


def _jpeg(rgb) -> HttpResponse:
    _, data = cv2.imencode(".jpg", cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, 88])
    return HttpResponse(data.tobytes(), content_type="image/jpeg")


@require_GET
def by_colour(request):
    """The boards to be looked through by colour: light to dark, or nearest to a colour first."""
    stock, practice = actions.rack_of(request.user), actions.practice_of(request.user)
    near = request.GET.get("near", "")
    near = near if near and rgb_of(near) else ""
    seen = Seen(stock, practice.finish)
    rows = [_by_colour(one, stock, seen, near) for one in stock.boards]
    rows.sort(key=lambda r: r["apart"] if near else -r["lab"][0])
    longest = max((b.length_mm for b in stock.boards), default=1.0)
    for row in rows:
        row["w"], row["h"] = (
            round(LONGEST_PX * mm / longest, 1) for mm in (row["board"].length_mm, row["board"].width_mm)
        )
    return render(request, "shop/by_colour.html", {"rows": rows, "near": near, "practice": practice})


def _by_colour(one: Board, stock: Rack, seen: Seen, near: str) -> dict:
    lab = seen.lab_of((one.wood, "", one.name if one.lab else ""))
    scale = LONGEST_PX / max(b.length_mm for b in stock.boards)
    ring = " L".join(f"{x * scale:.1f} {y * scale:.1f}" for x, y in one.outline)
    return {
        "board": one,
        "outline": f"M{ring}Z" if ring else "",
        "wood": stock.shelf[one.wood],
        "lab": lab,
        "hex": hex_of(lab),
        "face": face_url(one, stock, seen.finish),
        "apart": float(difference(lab, lab_of(near))) if near else None,
    }


@require_GET
def own_woods(request):
    """Every wood on the shelf: what it looks like, how hard, how strong, what its dust does; one's own to add and
    change."""
    stock = actions.rack_of(request.user)
    code = request.GET.get("wood", "")
    own = set(actions.shop_of(request.user).own_woods.values_list("code", flat=True))
    by_kind = [(words, [w for w in stock.shelf.values() if w.kind == kind]) for kind, words in KINDS.items()]
    context = {
        "by_kind": by_kind,
        "wood": stock.shelf.get(code),
        "own": own,
        "kinds": KINDS,
        "limits": LIMITS,
        "shipped": code in woods(),
        "practice": actions.practice_of(request.user),
        "shelf": stock.shelf,
    }
    return render(request, "shop/woods.html", context)


WOOD_FIELDS = ("name", "mark", "kind", "raw", "finished", "aged", "dust", "ages", "figure", "like", *LIMITS)


@require_POST
def keep_wood(request):
    values = {name: request.POST[name][:300] for name in WOOD_FIELDS if name in request.POST}
    values |= {name: request.POST.get(name) == "yes" for name in ("brittle", "flash")}
    code = request.POST.get("code", "")
    return _said(
        request, lambda: f"{actions.keep_wood(request.user, values, code).name} is on the shelf.", "", "own-woods"
    )


@require_POST
def drop_wood(request, code):
    return _said(request, lambda: actions.drop_wood(request.user, code), "", "own-woods")


@require_GET
@cache_control(max_age=31536000, private=True, immutable=True)
def wood_tile(request, code):
    wanted, shelf = request.GET.get("v", ""), actions.rack_of(request.user).shelf
    wood = shelf.get(code)
    if wood is None or str(stamp(wood)) != wanted:
        # a work that somebody shows to this person may be of a wood of theirs
        shelves = (actions.rack_of(owner).shelf for owner in shown_by(request.user))
        shown = (other for one in shelves if (other := one.get(code)) and str(stamp(other)) == wanted)
        wood = next(shown, None) or shelf.wood(code)
    return _jpeg(tile(wood, lab_of(wood.finished)))


@require_GET
def woods_css(request):
    """What swatches of one's own woods look like, beside the shipped ones'; or of those of whoever shows a work."""
    of = request.GET.get("of", "")
    owner = to_see(request, of).owner if of else request.user
    shelf = actions.rack_of(owner).shelf
    own = [w for w in shelf.values() if not looks_as_shipped(w)]
    rules = [f".wd-{w.code}{{background:{w.finished} url({tile_url(w)})}}" for w in own]
    return HttpResponse("\n".join(rules), content_type="text/css")
