"""What a shop has to work with: its woods and its boards."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

from ..errors import BadChoice
from .boards import Board
from .woods import Shelf, woods


@dataclass(frozen=True)
class Rack:
    """The woods on the shelf and the boards on the rack."""

    shelf: Shelf = field(default_factory=woods)
    boards: tuple[Board, ...] = ()

    @cached_property
    def by_name(self) -> dict[str, Board]:
        return {board.name: board for board in self.boards}

    def board(self, name: str) -> Board:
        """The board with this mark. Raises `BadChoice`."""
        if name not in self.by_name:
            raise BadChoice(f"There is no board marked “{name[:40]}” on the rack.")
        return self.by_name[name]

    @cached_property
    def owned(self) -> Sequence[str]:
        """Codes of the woods that some board is of, as the shelf has them."""
        have = {board.wood for board in self.boards}
        return [code for code in self.shelf if code in have]

    def area_mm2(self, code: str) -> float:
        return sum(board.area_mm2 for board in self.boards if board.wood == code)
