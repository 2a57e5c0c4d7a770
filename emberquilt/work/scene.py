"""One scene in millimetres, drawn by every back end: the panel in the page, SVG and PDF.

A scene has shapes (outlines that change only when pieces are split or joined), what each piece wears in a reading
(wood, grain, words), and marks laid over them. Back ends know these and nothing of stations.
"""

from dataclasses import dataclass, field

from ..outline.coverage import Coverage, Spot
from ..outline.paths import path_of
from .composition import Composition, Layer, Piece


@dataclass(frozen=True, slots=True)
class Shape:
    """`path` is SVG path data in mm; `spot` the place for words."""

    key: int
    path: str
    spot: Spot


@dataclass(frozen=True, slots=True)
class Dress:
    """What a piece wears. `wood` empty means bare paper; `tone` is full, pale, plain, tint, grey, blind, ghost, dark,
    clear or open; `label` stands at the spot; an arrow lies along the grain."""

    wood: str = ""
    grain_deg: float = 0.0
    tone: str = "full"
    label: str = ""
    arrow: bool = False
    strong: bool = False
    colour: str = ""
    """Of the drawing, to be seen while a piece has no wood."""
    coat: str = ""
    """How it looks where that is not the wood's own finished colour: sRGB hex."""
    face: tuple = ()
    """Where its wood lies on a board: the board's mark and the six numbers that take the picture's mm to the board's,
    row by row."""

    @property
    def row(self) -> list:
        """Plain values for a page: [wood, grain, tone, label, arrow, strong, colour], and coat and face where there are
        any."""
        row = [self.wood, self.grain_deg, self.tone, self.label, int(self.arrow), int(self.strong), self.colour]
        return [*row, self.coat, list(self.face)] if self.coat or self.face else row


@dataclass(frozen=True, slots=True)
class Mark:
    """Something laid over the pieces at a point or along a path; `piece` where it belongs to one.

    `kind` is tab (`path`: the way it points, `text` front, level or wrong), mass, hanger, plumb, slope, pin, hole,
    start, melt, gap (a seam that opens, drawn so `wide`), guide, ring, neck, detail (`text` how it is made), edge
    (rounded so `wide`, in mm, within its piece), edge-words, or how a seam reads: seam-reads, seam-shades, seam-melts.
    """

    kind: str
    x_mm: float = 0.0
    y_mm: float = 0.0
    path: str = ""
    text: str = ""
    piece: int = 0
    wide: float = 0.0


@dataclass(frozen=True)
class Scene:
    width_mm: float
    height_mm: float
    shapes: tuple[Shape, ...]
    dress: dict[int, Dress]
    marks: tuple[Mark, ...] = field(default=())
    stacked: bool = False
    """Shapes lie over each other, in order; otherwise they lie side by side."""
    rendered: bool = False
    """The picture of the result stands in place of the drawn pieces."""


def wood_mark(composition: Composition, piece: Piece) -> str:
    """What stands beside the number on the pattern: the wood's two letters, and the mark of the board it comes from."""
    wood = composition.rack.shelf.get(composition.wood_of(piece))
    return f"{wood.mark if wood else ''} {composition.board_of(piece.key)}".strip()


def shapes_of(coverage: Coverage) -> tuple[Shape, ...]:
    """Shapes of a coverage, worked out once for each outline."""
    spots = coverage.spots

    def make(keys, outlines):
        return [Shape(key, path_of(outline), spots[key]) for key, outline in zip(keys, outlines, strict=True)]

    table = coverage.each("shape", make)
    return tuple(table[key] for key in coverage.keys)


def scene_of(layer: Layer, composition: Composition, dress: dict[int, Dress], marks: tuple[Mark, ...] = ()) -> Scene:
    """One layer; its openings have a shape, and a dress only where a station speaks of them."""
    return Scene(composition.width_mm, composition.height_mm, shapes_of(layer.coverage), dress, marks)
