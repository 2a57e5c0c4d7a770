"""What a person owns and how they work."""

from django.db import transaction
from django.db.models import F

from emberquilt.errors import BadChoice
from emberquilt.practice import Practice
from emberquilt.stock import need
from emberquilt.units import Length
from emberquilt.wood.woods import wood

from .models import Board, Shop

LONGEST_BOARD_MM = 6000.0


def shop_of(owner) -> Shop:
    return Shop.objects.get_or_create(owner=owner)[0]


def practice_of(owner) -> Practice:
    return Practice.from_dict(shop_of(owner).practice)


def boards_of(owner) -> tuple[need.Board, ...]:
    rows = Board.objects.filter(shop__owner=owner)
    return tuple(need.Board(b.pk, b.wood, b.name, b.length_mm, b.width_mm, b.thickness_mm) for b in rows)


def change_practice(owner, values: dict) -> Practice:
    """Change the shop's practice; compositions begun before keep theirs."""
    with transaction.atomic():
        shop = Shop.objects.select_for_update().get(pk=shop_of(owner).pk)
        practice = Practice.from_dict(shop.practice)
        typed = {
            name: Length.parse(value, practice.unit).mm if name.endswith("_mm") and isinstance(value, str) else value
            for name, value in values.items()
        }
        changed = practice.changed(**typed)
        shop.practice = changed.as_dict()
        shop.save(update_fields=["practice"])
    return changed


def add_board(owner, code: str, name: str, length: str, width: str, thickness: str) -> Board:
    unit = practice_of(owner).unit
    wood(code)
    sizes = [Length.parse(text, unit).mm for text in (length, width, thickness)]
    if any(mm <= 0 for mm in sizes):
        raise BadChoice("A board needs a length, a width and a thickness above zero.")
    if max(sizes) > LONGEST_BOARD_MM:
        raise BadChoice(f"No board on a rack is longer than {LONGEST_BOARD_MM / 1000:g} m.")
    with transaction.atomic():
        shop = shop_of(owner)
        _changed(shop)
        title = " ".join(name.split())[:40] or f"{wood(code).mark}{shop.boards.filter(wood=code).count() + 1}"
        return Board.objects.create(
            shop=shop, wood=code, name=title, length_mm=sizes[0], width_mm=sizes[1], thickness_mm=sizes[2]
        )


def drop_board(owner, pk: int) -> None:
    with transaction.atomic():
        shop = shop_of(owner)
        if shop.boards.filter(pk=pk).delete()[0]:
            _changed(shop)


def _changed(shop: Shop) -> None:
    Shop.objects.filter(pk=shop.pk).update(revision=F("revision") + 1)
