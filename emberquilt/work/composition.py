"""The composition: layers back to front, and in each a coverage of pieces.

Coordinates are millimetres from the upper left corner of the sheet, y downwards. Grain is in degrees
counter-clockwise from the right as one looks at the picture. Everything is frozen: an edit makes a new value.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

from ..errors import BadChoice
from ..findings import Finding
from ..outline.coverage import Coverage
from ..practice import Practice
from ..rack.rack import Rack
from ..rack.seen import Seen

LAYER_KINDS = {
    "backer": "backer",
    "sheet": "sheet with openings",
    "mosaic": "fitted pieces",
    "overlay": "overlay",
    "spacer": "spacer",
}


@dataclass(frozen=True, slots=True)
class Piece:
    """What a person decided about one piece; its outline stands in the layer's coverage under the same key.

    An `opening` is a face of the layer that is cut away: it has an outline and neighbours, but no wood.
    """

    key: int
    number: int
    wood: str = ""
    grain_deg: float | None = None
    thickness_mm: float | None = None
    shim_mm: float = 0.0
    part: str = ""
    colour: str = ""
    opening: bool = False
    coat: str = ""
    """What it is coated with, where that differs from the picture's finish (see `rack.coats`)."""
    locked: bool = False
    """Its wood was decided by hand: suggestions and swaps leave it."""
    board: str = ""
    """Mark of the board it comes from, and where its fattest spot lies on that board (mm)."""
    board_x_mm: float | None = None
    board_y_mm: float | None = None

    @property
    def height_mm(self) -> float | None:
        """Top of the piece above the backer: stock thickness and shim."""
        return None if self.thickness_mm is None else self.thickness_mm + self.shim_mm


@dataclass(frozen=True)
class Layer:
    """One layer. `kind` is one of `LAYER_KINDS`; `thickness_mm` of its sheet, None where its pieces have their own."""

    key: int
    name: str
    kind: str
    coverage: Coverage
    pieces: tuple[Piece, ...]
    thickness_mm: float | None = None
    material: str = ""
    note: str = ""
    trim_flush: bool = False
    """Its outer border is trimmed flush with the others after glue-up."""

    @cached_property
    def by_key(self) -> dict[int, Piece]:
        return {piece.key: piece for piece in self.pieces}

    @cached_property
    def openings(self) -> tuple[int, ...]:
        return tuple(piece.key for piece in self.pieces if piece.opening)

    @cached_property
    def solid(self) -> "Layer":
        """This layer without its openings: what is made of wood."""
        if not self.openings:
            return self
        cut = set(self.openings)
        coverage = self.coverage.once(
            ("solid", self.openings), lambda: self.coverage.only(k for k in self.coverage.keys if k not in cut)
        )
        return Layer(self.key, self.name, self.kind, coverage, tuple(p for p in self.pieces if p.key not in cut),
                     self.thickness_mm, self.material, self.note, self.trim_flush)  # fmt: skip


@dataclass(frozen=True)
class Composition:
    """One work. `pins` keep what the person decided about the plan: saw_first (keys), anchor (key), accepted
    (finding id to reason), start ("YYYY-MM-DD")."""

    name: str
    width_mm: float
    height_mm: float
    layers: tuple[Layer, ...]
    practice: Practice = field(default_factory=Practice)
    pins: dict = field(default_factory=dict)
    key: str = ""
    intake_findings: tuple[Finding, ...] = ()
    """What intake could not read from the drawing; it stays to be seen, or accepted."""
    hand: int = 0
    """Key of the layer in hand; 0 for the front layer of pieces, or the front layer where there is none."""

    rack: Rack = field(default_factory=Rack)
    """The woods and boards of the shop it is made in."""

    last_key: int = 0
    """The highest key a piece ever had, gone ones too: the log and accepted findings may still speak of them."""

    @cached_property
    def whole(self) -> Layer:
        """The layer in hand with its openings: what the Pattern station edits. Where none is chosen, the front layer of
        fitted pieces, or the front one; layers that hold only openings come last."""
        chosen = next((layer for layer in self.layers if layer.key == self.hand), None)
        front_first = tuple(reversed(self.layers))
        wooden = [layer for layer in front_first if len(layer.openings) < len(layer.pieces)] or front_first
        return chosen or next((layer for layer in wooden if layer.kind == "mosaic"), wooden[0])

    @cached_property
    def in_hand(self) -> Layer:
        """What is made of wood in the layer in hand: the pieces that the later stations speak of."""
        return self.whole.solid

    def layer(self, key: int) -> Layer:
        found = next((layer for layer in self.layers if layer.key == key), None)
        if found is None:
            raise BadChoice("That layer is no longer in this picture.")
        return found

    def pieces(self) -> Iterator[Piece]:
        for layer in self.layers:
            yield from layer.pieces

    @property
    def next_key(self) -> int:
        return 1 + max([self.last_key, *(p.key for p in self.pieces())])

    @property
    def next_number(self) -> int:
        return 1 + max((p.number for p in self.pieces()), default=0)

    @cached_property
    def seen(self) -> Seen:
        """How its pieces look once they are finished."""
        return Seen(self.rack, self.practice.finish)

    @property
    def together(self) -> tuple[str, ...]:
        """Parts whose arrows run one way."""
        return tuple(self.pins.get("together", ()))

    @property
    def accepted(self) -> dict[str, str]:
        return self.pins.get("accepted", {})
