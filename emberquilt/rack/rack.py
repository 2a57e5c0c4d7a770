"""What a shop has to work with: its woods and its boards."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import shapely

from ..errors import BadChoice
from ..lazy import lazy
from .boards import Board
from .woods import Shelf, woods


@dataclass(frozen=True)
class Spoken:
    """Where parts of another work lie on a board: its mark, the work's name, and their outlines as one."""

    board: str
    work: str
    outlines: shapely.Geometry = field(repr=False)


@dataclass(frozen=True)
class Rack:
    """The woods on the shelf and the boards on the rack."""

    shelf: Shelf = field(default_factory=woods)
    boards: tuple[Board, ...] = ()
    spoken_for: tuple[Spoken, ...] = ()
    """What other works of the shop have laid on its boards."""

    @lazy
    def by_name(self) -> dict[str, Board]:
        return {board.name: board for board in self.boards}

    def board(self, name: str) -> Board:
        """The board with this mark. Raises `BadChoice`."""
        if name not in self.by_name:
            raise BadChoice(f"There is no board marked “{name[:40]}” on the rack.")
        return self.by_name[name]

    @lazy
    def spoken_on(self) -> dict[str, list[Spoken]]:
        """By the board's mark."""
        table: dict[str, list[Spoken]] = {}
        for one in self.spoken_for:
            table.setdefault(one.board, []).append(one)
        return table

    @lazy
    def owned(self) -> Sequence[str]:
        """Codes of the woods that some board is of, as the shelf has them."""
        have = {board.wood for board in self.boards}
        return [code for code in self.shelf if code in have]

    def boxes(self, step_mm: float) -> list[tuple[float, list[Board]]]:
        """Off-cuts as they stand in boxes: a thickness, rounded to that step, and those of it by wood and size."""
        table: dict[int, list[Board]] = {}
        for board in self.boards:
            if board.offcut:
                table.setdefault(max(1, round(board.thickness_mm / step_mm)), []).append(board)
        return [
            (n * step_mm, sorted(own, key=lambda board: (board.wood, -board.area_mm2)))
            for n, own in sorted(table.items())
        ]

    def area_mm2(self, code: str) -> float:
        return sum(board.area_mm2 for board in self.boards if board.wood == code)
