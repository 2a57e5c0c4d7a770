"""The composition: layers back to front, and in each a coverage of pieces.

Coordinates are millimetres from the upper left corner of the sheet, y downwards. Grain is in degrees
counter-clockwise from the right as one looks at the picture. Everything is frozen: an edit makes a new value.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from ..errors import BadChoice
from ..findings import Finding
from ..lazy import lazy
from ..outline.coverage import Coverage
from ..practice import Practice
from ..rack.rack import Rack
from ..rack.seen import Look, Seen
from .decisions import Decisions
from .lesson import Lesson
from .pace import Pace

LAYER_KINDS = {
    "backer": "backer",
    "sheet": "sheet with openings",
    "mosaic": "fitted pieces",
    "overlay": "overlay",
    "spacer": "spacer",
    "kit": "parts drawn side by side",
    "face": "a face of a block",
    "routed": "fields routed into one board",
}
IN_SPACE = ("kit", "face")
"""Kinds of layers whose parts do not lie flat on each other."""


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


@dataclass(frozen=True, slots=True)
class Placement:
    """Where a part comes from: the mark of a board, and where its fattest spot lies on it (mm), if that is decided.
    `turned_deg`: how far it is turned there, counter-clockwise, beyond its arrow along the grain. `leaf` counts from 1
    where the board is resawn. `nailed`: a person put it there, and laying the rest leaves it alone."""

    board: str
    x_mm: float | None = None
    y_mm: float | None = None
    turned_deg: float = 0.0
    leaf: int = 0
    nailed: bool = True

    @property
    def point(self) -> tuple[float, float] | None:
        return None if self.x_mm is None or self.y_mm is None else (self.x_mm, self.y_mm)

    def meets(self, other: "Placement") -> bool:
        """Both go through the same wood of their board: they lie on one leaf, or one of them goes through all."""
        return not self.leaf or not other.leaf or self.leaf == other.leaf

    def along_deg(self, grain_deg: float | None) -> float:
        """The way of a part of that arrow that lies along the board's grain here."""
        return ((grain_deg or 0.0) - self.turned_deg) % 360


@dataclass(frozen=True)
class Layer:
    """One layer. `kind` is one of `LAYER_KINDS`; `thickness_mm` of its sheet, None where its pieces have their own;
    `material` a wood or sheet goods of the shelf by code, or in words, for pieces that have no wood of their own."""

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

    @lazy
    def by_key(self) -> dict[int, Piece]:
        return {piece.key: piece for piece in self.pieces}

    @property
    def fitted(self) -> bool:
        """Its pieces are fitted to each other, each with a wood and a height of its own; other layers are sheets."""
        return self.kind in ("mosaic", "overlay")

    @lazy
    def openings(self) -> tuple[int, ...]:
        return tuple(piece.key for piece in self.pieces if piece.opening)

    @property
    def without_openings(self) -> "Layer":
        """This layer with only those pieces that are made of something."""
        return self if not self.openings else self._closed

    @lazy
    def _closed(self) -> "Layer":
        cut = set(self.openings)
        coverage = self.coverage.once(
            ("without", self.openings), lambda: self.coverage.only(k for k in self.coverage.keys if k not in cut)
        )
        return Layer(
            self.key,
            self.name,
            self.kind,
            coverage,
            tuple(p for p in self.pieces if p.key not in cut),
            self.thickness_mm,
            self.material,
            self.note,
            self.trim_flush,
        )


@dataclass(frozen=True)
class Composition:
    """One work. `decisions` keep what the person decided about its plans; `placements` where parts come from, by the
    keys of parts (see `parts.PartId.key`)."""

    name: str
    width_mm: float
    height_mm: float
    layers: tuple[Layer, ...]
    practice: Practice = field(default_factory=Practice)
    decisions: Decisions = field(default_factory=Decisions)
    key: str = ""
    intake_findings: tuple[Finding, ...] = ()
    """What intake could not read from the drawing; it stays to be seen, or accepted."""

    rack: Rack = field(default_factory=Rack)
    """The woods and boards of the shop it is made in."""

    last_key: int = 0
    """The highest key a piece ever had, gone ones too: the log and accepted findings may still speak of them."""

    placements: Mapping[str, Placement] = field(default_factory=dict)
    pace: Pace | None = None
    """How the shop's own log corrects estimates; without one the practice's ratio does."""

    blade_lasts: Mapping[str, float] = field(default_factory=dict)
    """By the name of a blade how much longer it lasts here than planned, as the shop's log has it."""

    lessons: tuple[Lesson, ...] = ()
    """What went wrong here before, as the shop's log has it."""

    def paced(self, verb: str, made_of: Mapping[str, Any]) -> float:
        """Minutes to be expected for each one that is estimated for sawing."""
        if self.pace is not None:
            return self.pace.factor(verb, made_of)
        return self.practice.estimate_ratio

    @lazy
    def usual_layer(self) -> Layer:
        """The one that is meant where none is chosen: the front layer of fitted pieces, or the front one; layers that
        hold only openings come last."""
        front_first = tuple(reversed(self.layers))
        wooden = [layer for layer in front_first if len(layer.openings) < len(layer.pieces)] or front_first
        return next((layer for layer in wooden if layer.kind == "mosaic"), wooden[0])

    def layer(self, key: int) -> Layer:
        """The layer with this key. Raises `BadChoice`."""
        found = next((layer for layer in self.layers if layer.key == key), None)
        if found is None:
            raise BadChoice("That layer is no longer in this picture.")
        return found

    def pieces(self) -> Iterator[Piece]:
        """Every piece of every layer, openings too."""
        for layer in self.layers:
            yield from layer.pieces

    @lazy
    def made(self) -> tuple[Piece, ...]:
        """Every piece that is made of something, back to front."""
        return tuple(p for layer in self.layers for p in layer.without_openings.pieces)

    @property
    def stands(self) -> bool:
        """All its parts stand in space; nothing of it is a flat picture."""
        return bool(self.layers) and all(layer.kind in IN_SPACE for layer in self.layers)

    @lazy
    def by_key(self) -> dict[int, Piece]:
        return {p.key: p for p in self.pieces()}

    @lazy
    def home(self) -> dict[int, Layer]:
        """The layer that each piece lies in."""
        return {p.key: layer for layer in self.layers for p in layer.pieces}

    @property
    def next_key(self) -> int:
        return 1 + max([self.last_key, *(p.key for p in self.pieces())])

    @property
    def next_number(self) -> int:
        return 1 + max((p.number for p in self.pieces()), default=0)

    @lazy
    def seen(self) -> Seen:
        """How its pieces look once they are finished."""
        return Seen(self.rack, self.practice.finish)

    def placed(self, key: int) -> Placement | None:
        """Where the first copy of a piece comes from."""
        return self.placements.get(str(key))

    def board_of(self, key: int) -> str:
        """Mark of the board that the first copy of a piece comes from, or empty."""
        placed = self.placements.get(str(key))
        return placed.board if placed else ""

    def wood_of(self, piece: Piece) -> str:
        """Code of what a piece is made of: its own wood, else what its layer is of where the shelf has it, or empty."""
        if piece.wood:
            return piece.wood
        layer = self.home.get(piece.key)
        return self.rack.shelf.code_of(layer.material) if layer is not None and layer.material else ""

    def look_of(self, piece: Piece) -> Look:
        """What decides how a piece looks: its wood, its coat, and its board where that tells its own colour."""
        return self.seen.look(self.wood_of(piece), piece.coat, self.board_of(piece.key))

    @property
    def accepted(self) -> Mapping[str, str]:
        return self.decisions.whole.accepted
