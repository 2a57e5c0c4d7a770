"""The composition: layers back to front, and in each a coverage of pieces.

Coordinates are millimetres from the upper left corner of the sheet, y downwards. Grain is in degrees
counter-clockwise from the right as one looks at the picture. Everything is frozen: an edit makes a new value.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

from .findings import Finding
from .pattern.coverage import Coverage
from .pattern.proposal import Proposal
from .practice import Practice


@dataclass(frozen=True, slots=True)
class Piece:
    """What a person decided about one piece; its outline stands in the layer's coverage under the same key."""

    key: int
    number: int
    wood: str = ""
    grain_deg: float | None = None
    thickness_mm: float | None = None
    shim_mm: float = 0.0
    part: str = ""
    colour: str = ""

    @property
    def height_mm(self) -> float | None:
        """Top of the piece above the backer: stock thickness and shim."""
        return None if self.thickness_mm is None else self.thickness_mm + self.shim_mm


@dataclass(frozen=True)
class Layer:
    """One layer. `kind` is backer, sheet, mosaic or overlay."""

    key: int
    name: str
    kind: str
    coverage: Coverage
    pieces: tuple[Piece, ...]

    @cached_property
    def by_key(self) -> dict[int, Piece]:
        return {piece.key: piece for piece in self.pieces}


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

    @cached_property
    def mosaic(self) -> Layer:
        """The layer of pieces that most stations speak of."""
        return next(layer for layer in reversed(self.layers) if layer.kind == "mosaic")

    def pieces(self) -> Iterator[Piece]:
        for layer in self.layers:
            yield from layer.pieces

    @property
    def accepted(self) -> dict[str, str]:
        return self.pins.get("accepted", {})


def composition_of(proposal: Proposal, name: str, practice: Practice) -> Composition:
    """A fresh composition from an accepted proposal: numbers in reading order, nothing decided yet."""
    colours = proposal.colours
    pieces = tuple(Piece(key, key, colour=colours.get(key, "")) for key in proposal.coverage.keys)
    layer = Layer(1, "Picture", "mosaic", proposal.coverage, pieces)
    return Composition(name, proposal.width_mm, proposal.height_mm, (layer,), practice,
                       intake_findings=proposal.findings)  # fmt: skip
