"""What the panel fills pieces with: a tile of each wood, and the faces of the boards that pieces lie on."""

import zlib

from django.templatetags.static import static
from django.urls import reverse

from emberquilt.composition import Composition
from emberquilt.rack.woods import Shelf, Wood, woods

FACE_PX_PER_MM = 3.0


def stamp(value) -> int:
    """Tells one state of a frozen value from another, in every process alike."""
    return zlib.crc32(repr(value).encode())


def tile_url(wood: Wood) -> str:
    """Shipped woods have their tile among the static files; one's own is drawn on demand, and its address tells its colours."""
    if woods().get(wood.code) == wood:
        return static(f"woods/{wood.code}.jpg")
    return f"{reverse('wood-tile', args=(wood.code,))}?v={stamp(wood)}"


def table_of(shelf: Shelf) -> dict[str, dict]:
    return {code: {"tile": tile_url(wood), "colour": wood.finished} for code, wood in shelf.items()}


def wood_table(composition: Composition) -> dict[str, dict]:
    """Tiles of the woods, and under ``@MARK`` the faces of boards in use."""
    table = table_of(composition.rack.shelf)
    used = {p.board for p in composition.in_hand.pieces if p.board}
    for board in composition.rack.boards:
        if board.name in used:
            table[f"@{board.name}"] = {
                "tile": face_url(board, composition.practice.finish),
                "scale": 1 / FACE_PX_PER_MM,
            }
    return table


def face_url(board, finish: str = "raw") -> str:
    """The face of a board at `FACE_PX_PER_MM`, under a finish; the address changes with the board."""
    return f"{reverse('board-face', args=(board.key,))}?finish={finish}&v={stamp(board)}"
