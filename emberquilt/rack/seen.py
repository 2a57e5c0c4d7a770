"""How a piece looks once it is finished: its wood or the very board it comes from, under what it is coated with."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from ..colour import Lab, difference, hex_of, lab_of
from ..lazy import lazy
from .coats import coat_of, coated_lab
from .rack import Rack

Look = tuple[str, str, str]
"""Wood, coat and board: pieces of one look have one colour."""
NO_WOOD: Lab = lab_of("#fbf6ea")


@dataclass(frozen=True)
class Seen:
    """Colours of pieces under the picture's finish. `aged`: as they are after about a year of room light."""

    rack: Rack
    finish: str = "gel"
    aged: bool = False
    _lab: dict[Look, Lab] = field(default_factory=dict, compare=False, repr=False)
    _apart: dict[tuple[Look, Look], float] = field(default_factory=dict, compare=False, repr=False)

    @lazy
    def older(self) -> "Seen":
        return Seen(self.rack, self.finish, aged=True)

    def look(self, wood: str, coat: str = "", board: str = "") -> Look:
        """What decides a colour: the board counts where it is of that wood and its photo tells its own colour."""
        known = self.rack.by_name.get(board)
        coloured = known is not None and known.lab is not None and known.wood == wood
        return wood, coat, board if coloured else ""

    def lab_of(self, look: Look) -> Lab:
        if look not in self._lab:
            self._lab[look] = self._worked_out(*look)
        return self._lab[look]

    def _worked_out(self, code: str, coat: str, board: str) -> Lab:
        if code not in self.rack.shelf:
            # paint hides what it is on
            return lab_of(coat_of(coat).colour) if coat_of(coat).kind == "paint" else NO_WOOD
        wood = self.rack.shelf[code]
        finished = wood.aged if self.aged and wood.aged else wood.finished
        lab = coated_lab(wood.raw, finished, coat, self.finish)
        own = self.rack.by_name[board].lab if board else None
        if own is None or coat_of(coat).kind == "paint":
            return lab
        # the board strays from its kind when bare; finished, it strays as far
        moved = np.array(lab) + np.array(own) - np.array(lab_of(wood.raw))
        return float(np.clip(moved[0], 0, 100)), float(moved[1]), float(moved[2])

    def hex(self, look: Look) -> str:
        return hex_of(self.lab_of(look))

    def apart(self, looks: Sequence[Look], first: np.ndarray, second: np.ndarray) -> np.ndarray:
        """CIEDE2000 between the looks at positions `first` and those at `second`."""
        number = {look: i for i, look in enumerate(sorted(set(looks)))}
        labs = np.array([self.lab_of(look) for look in number]).reshape(-1, 3)
        of = np.array([number[look] for look in looks], int)
        a, b = of[first], of[second]
        # far fewer looks than seams: each two are compared once
        pairs, place = np.unique(np.minimum(a, b) * len(number) + np.maximum(a, b), return_inverse=True)
        return (
            difference(labs[pairs // len(number)], labs[pairs % len(number)])[place.ravel()]
            if len(pairs)
            else np.zeros(0)
        )

    def between(self, first: Look, second: Look) -> float:
        """CIEDE2000 between two looks."""
        a, b = sorted((first, second))
        if (a, b) not in self._apart:
            self._apart[a, b] = float(difference(self.lab_of(a), self.lab_of(b)))
        return self._apart[a, b]
