"""What a person owns and how they work."""

import secrets
from dataclasses import asdict, replace

import cv2
import numpy as np
import shapely
from django.db import transaction

from emberquilt.errors import BadChoice
from emberquilt.practice import Practice
from emberquilt.rack.boards import DEFECTS, Board, Defect, Panel
from emberquilt.rack.photo import Marks, colour_of, face_of
from emberquilt.rack.rack import Rack
from emberquilt.rack.woods import MOST_OWN, Wood, typed_wood, woods
from emberquilt.stock.laying import CROSSCUT_MM
from emberquilt.stock.panels import PanelPlan
from emberquilt.units import Length
from emberquilt.work.setting import number
from workshop.compositions.access import helps
from workshop.entry.allowance import need_bytes
from workshop.kept import Kept

from . import models
from .clock import zone_named
from .models import BoardPhoto, OwnWood, Shop

LONGEST_BOARD_MM = 6000.0
FACE_QUALITY = 90
MOST_DEFECTS = 80
MOST_PRICE = 100_000.0

_racks = Kept(64)
_faces = Kept(24)


def shop_of(owner) -> Shop:
    return Shop.objects.get_or_create(owner=owner)[0]


def practice_of(owner) -> Practice:
    return Practice.from_dict(shop_of(owner).practice)


def rack_of(owner, shop: Shop | None = None) -> Rack:
    """The owner's woods and boards as they stand."""
    shop = shop or shop_of(owner)
    return _racks.get((shop.pk, shop.revision), lambda: _read_rack(shop))


def _read_rack(shop: Shop) -> Rack:
    own = [Wood(**values) for values in shop.own_woods.values_list("values", flat=True)]
    shelf = woods().with_own(own) if own else woods()
    return Rack(shelf, tuple(board_of(row) for row in shop.boards.all() if row.wood in shelf))


def board_of(row: models.Board) -> Board:
    return Board(
        row.pk,
        row.wood,
        row.name,
        row.length_mm,
        row.width_mm,
        row.thickness_mm,
        row.grain_deg,
        tuple(tuple(point) for point in row.outline),
        tuple(Defect(kind, tuple(tuple(point) for point in ring)) for kind, ring in row.defects),
        tuple(row.lab) if row.lab else None,
        row.spread,
        row.photo,
        row.offcut,
        Panel(**row.panel) if row.panel else None,
    )


def photos_of(owner):
    """Gives the photographed face of a board and its resolution, for whoever draws it."""

    def face(board: Board) -> tuple[np.ndarray, float] | None:
        return _faces.get((board.key, board.photo), lambda: _read_face(board))

    return face


def _read_face(board: Board) -> tuple[np.ndarray, float] | None:
    kept = BoardPhoto.objects.filter(board=board.key).values_list("face", "px_per_mm").first()
    if kept is None or not kept[0]:
        return None
    picture = cv2.imdecode(np.frombuffer(bytes(kept[0]), np.uint8), cv2.IMREAD_COLOR)
    return cv2.cvtColor(picture, cv2.COLOR_BGR2RGB), kept[1]


def change_practice(owner, values: dict) -> Practice:
    """Change the shop's practice; compositions begun before keep theirs."""
    with transaction.atomic():
        shop = Shop.objects.select_for_update().get(pk=shop_of(owner).pk)
        practice = Practice.from_dict(shop.practice)
        changed = practice.changed(**practice.typed(**values))
        shop.practice = changed.as_dict()
        shop.save(update_fields=["practice"])
    return changed


def change_prices(owner, values: dict[str, str], woods: dict[str, str]) -> None:
    """What things cost here: the shop's practice, and woods by their code, a board foot or a square foot. All of it is
    kept, or nothing. Raises `BadChoice`."""
    with transaction.atomic():
        change_practice(owner, values)
        shelf, shop = rack_of(owner).shelf, shop_of(owner)
        for code, text in woods.items():
            if code not in shelf:
                continue
            wood = shelf[code]
            price = number(text, "price") if text.strip() else None
            if price is not None and not 0 <= price <= MOST_PRICE:
                raise BadChoice(f"A price lies between 0 and {MOST_PRICE:g}.")
            if price != wood.price:
                made = replace(wood, price=price or None)
                OwnWood.objects.update_or_create(shop=shop, code=code, defaults={"values": made.as_dict()})
                _changed(shop)


def set_zone(owner, name: str, only_if_unknown: bool = False) -> str:
    """The shop's time zone. What a browser tells does not change what is known already. Raises `BadChoice`."""
    zone_named(name)
    shops = Shop.objects.filter(pk=shop_of(owner).pk)
    (shops.filter(time_zone="") if only_if_unknown else shops).update(time_zone=name)
    return f"Dates are those of {name}."


def _sizes(owner, *typed: str) -> list[float]:
    unit = practice_of(owner).unit
    sizes = [Length.parse(text, unit).mm for text in typed]
    if any(mm <= 0 for mm in sizes):
        raise BadChoice("A board needs a length, a width and a thickness above zero.")
    if max(sizes) > LONGEST_BOARD_MM:
        raise BadChoice(f"No board on a rack is longer than {LONGEST_BOARD_MM / 1000:g} m.")
    return sizes


def add_board(
    owner, code: str, name: str, length: str, width: str, thickness: str, offcut: bool = False
) -> models.Board:
    """A board put on the rack. Its mark is the only one of its kind there."""
    wood = rack_of(owner).shelf.wood(code)
    sizes = _sizes(owner, length, width, thickness)
    with transaction.atomic():
        shop = shop_of(owner)
        _changed(shop)
        title = " ".join(name.split())[:40] or _free_mark(shop, wood.mark)
        if shop.boards.filter(name=title).exists():
            raise BadChoice(f"A board marked {title} is on the rack already. Give this one another mark.")
        return models.Board.objects.create(
            shop=shop,
            wood=code,
            name=title,
            length_mm=sizes[0],
            width_mm=sizes[1],
            thickness_mm=sizes[2],
            offcut=offcut,
        )


def _free_mark(shop: Shop, letters: str) -> str:
    taken = set(shop.boards.values_list("name", flat=True))
    return next(f"{letters}{i}" for i in range(1, len(taken) + 2) if f"{letters}{i}" not in taken)


def own_board(owner, pk: int) -> models.Board:
    """Raises `BadChoice` where it is nobody's or another's."""
    row = models.Board.objects.filter(pk=pk, shop__owner=owner).first()
    if row is None:
        raise BadChoice("That board is no longer on the rack.")
    return row


def seen_board(person, pk: int) -> models.Board:
    """One's own, or one of a shop whose owner one works with. Raises `BadChoice`."""
    row = models.Board.objects.select_related("shop__owner").filter(pk=pk).first()
    if row is None or not (row.shop.owner_id == person.pk or helps(person, row.shop.owner_id)):
        raise BadChoice("That board is no longer on the rack.")
    return row


def drop_board(owner, pk: int) -> None:
    with transaction.atomic():
        shop = shop_of(owner)
        if shop.boards.filter(pk=pk).delete()[0]:
            _changed(shop)


def keep_rest(owner, pk: int, begin_mm: float) -> tuple[models.Board, models.Board]:
    """A board cut across at `begin_mm` of its length: what is left beyond becomes an off-cut of its own, with its
    outline, flaws and photo; what was there before keeps the mark. Gives both. Raises `BadChoice`."""
    with transaction.atomic():
        row = own_board(owner, pk)
        board = board_of(row)
        x0, y0, x1, y1 = board.region.bounds
        near = shapely.intersection(board.region, shapely.box(x0 - 1, y0 - 1, begin_mm - CROSSCUT_MM, y1 + 1))
        rest = shapely.intersection(board.region, shapely.box(begin_mm, y0 - 1, x1 + 1, y1 + 1))
        if rest.area < LEAST_OFFCUT_MM2 or near.area < LEAST_OFFCUT_MM2 or rest.geom_type != "Polygon":
            raise BadChoice(f"Nothing of board {board.name} is left over that is worth keeping.")
        rx0, ry0, rx1, ry1 = rest.bounds
        defects = [
            [d.kind, [[x - rx0, y - ry0] for x, y in part.exterior.coords[:-1]]]
            for d in board.defects
            for part in shapely.get_parts(shapely.intersection(shapely.Polygon(d.ring), rest))
            if part.geom_type == "Polygon" and part.area > 1.0
        ]
        made = models.Board.objects.create(
            shop=row.shop,
            wood=row.wood,
            name=_free_mark(row.shop, rack_of(owner).shelf.wood(row.wood).mark),
            length_mm=round(rx1 - rx0, 2),
            width_mm=round(ry1 - ry0, 2),
            thickness_mm=row.thickness_mm,
            grain_deg=row.grain_deg,
            outline=_ring_unless_straight(shapely.transform(rest, lambda points: points - (rx0, ry0))),
            defects=defects,
            lab=row.lab,
            spread=row.spread,
            offcut=True,
        )
        _crop_face(row, made, (rx0, ry0, rx1, ry1))
        row.defects = [
            [d.kind, [list(p) for p in d.ring]] for d in board.defects if shapely.Polygon(d.ring).intersects(near)
        ]
        row.outline = _ring_unless_straight(near)
        if not row.photo:
            row.length_mm = round(near.bounds[2], 2)
        elif not row.outline:
            # the photo goes on to show all that it showed
            row.outline = [list(c) for c in near.exterior.coords[:-1]]
        row.save()
        _changed(row.shop)
    return row, made


def plan_panel(owner, plan: PanelPlan) -> models.Board:
    """A panel put on the rack before it is glued: its wood comes off the end of its board, so that nothing else is laid
    there. Raises `BadChoice`."""
    with transaction.atomic():
        source = models.Board.objects.filter(shop__owner=owner, name=plan.board).first()
        if source is None:
            raise BadChoice(f"Board {plan.board} is no longer on the rack.")
        begin = source.length_mm - plan.takes_mm + CROSSCUT_MM
        row = keep_rest(owner, source.pk, begin)[1] if begin > LEAST_LEFT_MM else source
        BoardPhoto.objects.filter(board=row).delete()
        strips = Panel(plan.strips, plan.strip_mm, plan.board, row.length_mm, row.width_mm, row.thickness_mm)
        row.panel, row.outline, row.defects = asdict(strips), [], []
        row.photo, row.offcut, row.lab = 0, False, source.lab
        row.length_mm, row.width_mm = round(plan.length_mm, 2), round(plan.width_mm, 2)
        row.thickness_mm = round(plan.thickness_mm, 3)
        row.save()
        _changed(row.shop)
    return row


def panel_glued(owner, pk: int) -> models.Board:
    """It is a board like any other from now on."""
    return _panel(owner, pk, {"made": True})


def panel_apart(owner, pk: int) -> models.Board:
    """Not glued after all: what was to become strips is an off-cut of its board."""
    return _panel(owner, pk, None)


def _panel(owner, pk: int, told: dict | None) -> models.Board:
    with transaction.atomic():
        row = own_board(owner, pk)
        if not row.panel or row.panel["made"]:
            raise BadChoice(f"{row.name} is no panel that waits to be glued up.")
        if told is None:
            was = Panel(**row.panel)
            row.length_mm, row.width_mm, row.thickness_mm = was.long_mm, was.wide_mm, was.thick_mm
            row.panel, row.offcut = None, True
        else:
            row.panel = row.panel | told
        row.save()
        _changed(row.shop)
    return row


LEAST_LEFT_MM = 20.0
"""Where less than this would be left of a board, all of it goes into the panel."""
LEAST_OFFCUT_MM2 = 400.0


def _ring_unless_straight(shape: shapely.Polygon) -> list[list[float]]:
    x0, y0, x1, y1 = shape.bounds
    if abs(shape.area - (x1 - x0) * (y1 - y0)) < 0.5 and abs(x0) < 0.01 and abs(y0) < 0.01:
        return []
    return [[round(x, 2), round(y, 2)] for x, y in shape.exterior.coords[:-1]]


def _crop_face(row: models.Board, made: models.Board, box: tuple[float, float, float, float]) -> None:
    """The off-cut's own photo, out of the board's."""
    face = _read_face(board_of(row)) if row.photo else None
    if face is None:
        return
    rgb, fine = face
    left, top, right, below = (round(mm * fine) for mm in box)
    crop = np.ascontiguousarray(rgb[top : max(top + 1, below), left : max(left + 1, right)])
    _, jpeg = cv2.imencode(".jpg", cv2.cvtColor(crop, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, FACE_QUALITY])
    made.photo = 1
    made.save(update_fields=["photo"])
    BoardPhoto.objects.create(board=made, data=jpeg.tobytes(), marks={}, face=jpeg.tobytes(), px_per_mm=fine)


def change_board(
    owner, pk: int, length: str, width: str, thickness: str, grain: str, offcut: bool = False
) -> models.Board:
    """Other measures. A board with a photo keeps the size that the photo gave, but its thickness and grain may
    change."""
    try:
        grain_deg = float(grain.replace("°", "").replace(",", ".")) % 180
    except ValueError:
        raise BadChoice(f"“{grain[:20]}” is no number of degrees.") from None
    sizes = _sizes(owner, length, width, thickness)
    with transaction.atomic():
        row = own_board(owner, pk)
        row.thickness_mm, row.grain_deg, row.offcut = sizes[2], round(grain_deg, 1), offcut
        if not row.photo:
            row.length_mm, row.width_mm = sizes[:2]
        row.save()
        _changed(row.shop)
    return row


def photograph_board(
    owner, pk: int, data: bytes | None, marks: dict, length: str = "", width: str = ""
) -> models.Board:
    """A photo (or the one that is kept, marked otherwise) becomes the board's face. Raises `BadDrawing` or
    `BadChoice`."""
    row = own_board(owner, pk)
    unit = practice_of(owner).unit
    need_bytes(owner, len(data or b""))
    if data is None:
        data = bytes(BoardPhoto.objects.filter(board=row).values_list("data", flat=True).first() or b"")
    given = [Length.parse(text, unit).mm if text.strip() else 0.0 for text in (length, width)]
    face = face_of(data, marks_of(marks, unit), *given)
    _, jpeg = cv2.imencode(".jpg", cv2.cvtColor(face.rgb, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, FACE_QUALITY])
    with transaction.atomic():
        row = own_board(owner, pk)
        row.length_mm, row.width_mm, row.outline = face.length_mm, face.width_mm, [list(p) for p in face.outline]
        row.defects, row.photo = [], row.photo + 1
        lab, row.spread = colour_of(face.rgb, face.px_per_mm, board_of(row).region)
        row.lab = list(lab)
        row.save()
        BoardPhoto.objects.update_or_create(
            board=row,
            defaults={"data": data, "marks": marks, "face": jpeg.tobytes(), "px_per_mm": face.px_per_mm},
        )
        _changed(row.shop)
    return row


def marks_of(marks: dict, unit: str) -> Marks:
    """What was marked on a photo, as the page sends it. Raises `BadChoice`."""

    def points(name: str) -> tuple[tuple[float, float], ...]:
        try:
            return tuple((float(x), float(y)) for x, y in marks.get(name) or ())
        except (TypeError, ValueError):
            raise BadChoice("The places that were marked on the photo could not be read. Mark them again.") from None

    apart = str(marks.get("apart") or "").strip()
    patch = points("patch")
    return Marks(
        points("corners"),
        points("outline"),
        points("points"),
        Length.parse(apart, unit).mm if apart else 0.0,
        patch[0] if patch else None,
        str(marks.get("reference") or "white"),
    )


def mark_defect(owner, pk: int, kind: str, ring: list) -> models.Board:
    """Draw a knot, gouge or sapwood on the face; it is left out of the board's colour."""
    if kind not in DEFECTS:
        raise BadChoice(f"“{kind}” is no defect of a board.")
    try:
        shape = shapely.Polygon([(round(float(x), 2), round(float(y), 2)) for x, y in ring])
    except (TypeError, ValueError):
        raise BadChoice("The line round the defect could not be read. Draw it again.") from None
    with transaction.atomic():
        row = own_board(owner, pk)
        region = board_of(row).region
        inside = shapely.intersection(shapely.make_valid(shape), region)
        parts = [p for p in shapely.get_parts(inside) if p.geom_type == "Polygon" and p.area > 1.0]
        if not parts:
            raise BadChoice("That place lies outside the board. Draw the defect on its face.")
        if len(row.defects) + len(parts) > MOST_DEFECTS:
            raise BadChoice(f"{MOST_DEFECTS} defects are marked on this board already.")
        row.defects = [*row.defects, *([kind, [list(c) for c in p.exterior.coords[:-1]]] for p in parts)]
        _recoloured(row)
        row.save()
        _changed(row.shop)
    return row


def clear_defect(owner, pk: int, index: int) -> models.Board:
    with transaction.atomic():
        row = own_board(owner, pk)
        if not 0 <= index < len(row.defects):
            raise BadChoice("That defect is no longer marked on this board.")
        row.defects = [d for i, d in enumerate(row.defects) if i != index]
        _recoloured(row)
        row.save()
        _changed(row.shop)
    return row


def _recoloured(row: models.Board) -> None:
    board = board_of(row)
    face = _read_face(board)
    if face is not None:
        lab, row.spread = colour_of(*face, board.clear)
        row.lab = list(lab)


def keep_wood(owner, values: dict, code: str = "") -> Wood:
    """A wood of one's own: a new one, or one of the shelf (`code`) as it is here."""
    shelf = rack_of(owner).shelf
    like = shelf.wood(code) if code else shelf.get(values.get("like", ""), None)
    made = typed_wood(code or f"own_{secrets.token_hex(4)}", values, like)
    with transaction.atomic():
        shop = shop_of(owner)
        taken = {w.mark for c, w in shelf.items() if c != made.code}
        if made.mark in taken:
            raise BadChoice(f"The mark {made.mark} stands for another wood already. Choose two other letters.")
        if shop.own_woods.exclude(code=made.code).count() >= MOST_OWN:
            raise BadChoice(f"{MOST_OWN} woods of your own are on the shelf already.")
        OwnWood.objects.update_or_create(shop=shop, code=made.code, defaults={"values": made.as_dict()})
        _changed(shop)
    return made


def recolour(owner, code: str, raw: str = "", finished: str = "") -> Wood:
    """A wood of the shelf in other colours, bare or finished; what is empty stays."""
    wood = rack_of(owner).shelf.wood(code)
    made = replace(wood, raw=raw or wood.raw, finished=finished or wood.finished)
    with transaction.atomic():
        shop = shop_of(owner)
        OwnWood.objects.update_or_create(shop=shop, code=code, defaults={"values": made.as_dict()})
        _changed(shop)
    return made


def bring_woods(owner, own: list[Wood]) -> None:
    """Woods that came with a project file: those whose code is not on the shelf yet."""
    shelf = rack_of(owner).shelf
    shop = shop_of(owner)
    marks = {wood.mark for wood in shelf.values()}
    for wood in own:
        if wood.code not in shelf:
            made = wood if wood.mark not in marks else replace(wood, mark=_other_mark(marks))
            OwnWood.objects.create(shop=shop, code=wood.code, values=made.as_dict())
            marks.add(made.mark)
    if own:
        _changed(shop)


def bring_board(owner, board: Board, photographed: bool) -> models.Board:
    """A board that came with a project file, under its own mark, which is free."""
    shop = shop_of(owner)
    row = models.Board.objects.create(
        shop=shop,
        wood=board.wood,
        name=board.name,
        length_mm=board.length_mm,
        width_mm=board.width_mm,
        thickness_mm=board.thickness_mm,
        grain_deg=board.grain_deg,
        outline=[list(p) for p in board.outline],
        defects=[[d.kind, [list(p) for p in d.ring]] for d in board.defects],
        lab=list(board.lab) if board.lab else None,
        spread=board.spread,
        photo=int(photographed),
        offcut=board.offcut,
    )
    _changed(shop)
    return row


def _other_mark(taken: set[str]) -> str:
    letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
    return next(m for m in (a + b.lower() for a in "QZJVUY" + letters for b in letters) if m not in taken)


def drop_wood(owner, code: str) -> str:
    """Take a wood of one's own away, or a shipped one's changes back; says what was done. Refused while anything uses
    it."""
    with transaction.atomic():
        shop = shop_of(owner)
        row = shop.own_woods.filter(code=code).first()
        if row is None:
            raise BadChoice("That wood is not one of your own.")
        name = row.values["name"]
        if code in woods():
            row.delete()
            _changed(shop)
            return f"{name} is as it was shipped again."
        users = owner.compositions.filter(pieces__wood=code).values_list("name", flat=True).distinct()[:3]
        if users:
            raise BadChoice(f"{name} is used in {', '.join(users)}. Swap it for another wood there first.")
        if shop.boards.filter(wood=code).exists():
            raise BadChoice(f"Boards of {name} are on the rack. Take them off first.")
        row.delete()
        _changed(shop)
        return f"{name} is taken off the shelf."


def _changed(shop: Shop) -> None:
    """The rack is another one now. A number that was never there tells it from any other, also from one that was
    rolled back."""
    Shop.objects.filter(pk=shop.pk).update(revision=secrets.randbits(31))
