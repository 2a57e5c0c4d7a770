"""What an edit does to pieces and layers, told to whatever was decided about them."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from ..keys import keys_in, runs


@dataclass(frozen=True)
class Reshaped:
    """What an edit did to pieces and layers. `heirs`: the piece that took the place of one that is gone; `parents`:
    the one that a new piece was cut from; `pieces`: keys of all that are made of something afterwards; `layers`: those
    left."""

    heirs: Mapping[int, int] = field(default_factory=dict)
    parents: Mapping[int, int] = field(default_factory=dict)
    pieces: frozenset[int] = frozenset()
    layers: frozenset[int] = frozenset()
    every: frozenset[int] = frozenset()
    """Keys of all pieces afterwards, openings too."""

    def home(self, key: int) -> int | None:
        """The piece that now stands for this one: itself, the one that took its place, or none."""
        if key in self.pieces:
            return key
        heir = self.heirs.get(key)
        return heir if heir in self.pieces else None

    def run(self, text: str, born: bool = True) -> str:
        """A run of keys after the edit, with the new pieces that were cut from these."""
        old = set(keys_in(text))
        new = {home for key in old if (home := self.home(key)) is not None}
        if born:
            new |= {key for key, parent in self.parents.items() if parent in old and key in self.pieces}
        return runs(new)
