"""What the panel fills pieces with: a tile of each wood, and the faces of the boards that pieces lie on."""

import zlib
from dataclasses import replace
from functools import lru_cache

from django.templatetags.static import static
from django.urls import reverse
from django.utils.html import format_html_join

from emberquilt.rack.boards import Board
from emberquilt.rack.rack import Rack
from emberquilt.rack.woods import Shelf, Wood, woods
from emberquilt.work.composition import Composition

FACE_PX_PER_MM = 3.0
RACK_PX_PER_MM = 1.0
"""On the rack, where a page shows two dozen boards."""


def stamp(value) -> int:
    """Tells one state of a frozen value from another, in every process alike."""
    return zlib.crc32(repr(value).encode())


@lru_cache(maxsize=32)
def rack_stamp(shelf: Shelf, boards: tuple[Board, ...]) -> int:
    """Tells one state of a shop's woods and boards from another: pictures whose address holds it may be kept for
    ever."""
    return stamp((tuple(shelf.values()), boards))


def looks_as_shipped(wood: Wood) -> bool:
    """Nothing was changed in it but what it costs here."""
    shipped = woods().get(wood.code)
    return shipped is not None and replace(wood, price=shipped.price) == shipped


def tile_url(wood: Wood) -> str:
    """Shipped woods have their tile among the static files; one's own is drawn on demand, and its address tells its
    colours."""
    if looks_as_shipped(wood):
        return static(f"woods/{wood.code}.jpg")
    return f"{reverse('wood-tile', args=(wood.code,))}?v={stamp(wood)}"


@lru_cache(maxsize=32)
def table_of(shelf: Shelf) -> dict[str, dict]:
    """What each wood is filled with, by its code. Do not change what this gives."""
    return {code: {"tile": tile_url(wood), "colour": wood.finished} for code, wood in shelf.items()}


@lru_cache(maxsize=32)
def shelf_buttons(shelf: Shelf) -> str:
    """A button for each wood, with what to know of it; made once for a shelf, since every page of a picture holds
    it."""
    rows = ((w.code, w.code, w.name, f"{w.hardness_lbf:.0f} lbf{', dust!' if w.dust else ''}") for w in shelf.values())
    button = '<button name="wood" value="{}"><i class="wd-{}"></i><b>{}</b><span>{}</span></button>'
    return format_html_join("", button, rows)


@lru_cache(maxsize=32)
def shelf_options(shelf: Shelf) -> str:
    """An option for each wood."""
    return format_html_join("", '<option value="{}">{}</option>', ((w.code, w.name) for w in shelf.values()))


def wood_table(composition: Composition) -> dict[str, dict]:
    """Tiles of the woods, and under ``@MARK`` the faces of boards in use."""
    table = dict(table_of(composition.rack.shelf))
    used = {place.board for place in composition.placements.values()}
    for board in composition.rack.boards:
        if board.name in used:
            table[f"@{board.name}"] = {
                "tile": face_url(board, composition.rack, composition.practice.finish),
                "scale": 1 / FACE_PX_PER_MM,
            }
    return table


def face_url(board: Board, rack: Rack, finish: str = "raw", small: bool = False) -> str:
    """The face of a board at `FACE_PX_PER_MM`, or `RACK_PX_PER_MM` where it is `small`, under a finish; the address
    changes with the board and its wood."""
    size = "&small=yes" if small else ""
    return (
        f"{reverse('board-face', args=(board.key,))}?finish={finish}&v={stamp((board, rack.shelf[board.wood]))}{size}"
    )
