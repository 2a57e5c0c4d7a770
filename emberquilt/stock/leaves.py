"""Which boards give stock of a thickness, and into how many leaves a thick one is sawn for it."""

import math
from collections.abc import Iterable

from ..practice import Practice
from ..rack.boards import Board
from ..rack.rack import Rack

MEASURED_MM = 0.4
"""A board counts as thick enough when it lacks no more than this: a 3/4 in board is often 19 mm."""
JOINTED_MM = 0.5
"""One face is made flat before a board is resawn, which takes this: common practice, no source."""
NEARLY = 1e-9


def slices_of(usable_mm: float, finished_mm: float, kerf_mm: float, planing_mm: float) -> int:
    """How many slices of a finished thickness a board gives: each but the last costs a kerf, each its planing.

    From n t + n a + (n - 1) K <= W; common practice, no source.
    """
    return math.floor((usable_mm + kerf_mm) / (finished_mm + planing_mm + kerf_mm) + NEARLY)


def milled_mm(practice: Practice, thickness_mm: float) -> float:
    """What stock is milled to for a part of this thickness, with what sanding takes off."""
    return thickness_mm + practice.sanding_mm


def is_sheet(rack: Rack, material: str) -> bool:
    """It is sold in sheets, and nobody planes them."""
    wood = rack.shelf.get(material)
    return wood is not None and wood.kind == "sheet"


def serves(board: Board, material: str, thickness_mm: float, rack: Rack) -> bool:
    """Parts of that can be sawn from it: it is thick enough, and a sheet no thicker than wanted."""
    if board.wood != material or board.thickness_mm < thickness_mm - MEASURED_MM:
        return False
    return not is_sheet(rack, material) or board.thickness_mm <= thickness_mm + MEASURED_MM


def serving(rack: Rack, material: str, thickness_mm: float) -> list[Board]:
    return [board for board in rack.boards if serves(board, material, thickness_mm, rack)]


def leaves_of(board: Board, thickness_mm: float, practice: Practice, rack: Rack, whole: Iterable[str] = ()) -> int:
    """Slices that a board is resawn into for parts of this thickness; 1 where it stays in one: too thin for two, wider
    than the saw takes, or kept `whole` by somebody."""
    if is_sheet(rack, board.wood) or board.name in whole or board.width_mm > practice.resaw_high_mm:
        return 1
    usable = board.thickness_mm - JOINTED_MM
    made = slices_of(usable, milled_mm(practice, thickness_mm), practice.resaw_kerf_mm, practice.planing_mm)
    return max(1, made)


def leaf_of(leaf: int, leaves: int) -> int:
    """The leaf that is meant on a board of so many: 0 where it stays in one, otherwise one that there is."""
    return min(max(leaf, 1), leaves) if leaves > 1 else 0
