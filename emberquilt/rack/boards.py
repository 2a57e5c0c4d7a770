"""Boards on the rack as one has them: size, outline, grain, defects, and the colour that their photo shows.

Board coordinates are millimetres from the upper left corner of the board's box, x along its length, y downwards.
"""

from dataclasses import dataclass

import numpy as np
import shapely
from shapely import affinity

from ..colour import Lab
from ..lazy import lazy

DEFECTS = {"knot": "a knot", "gouge": "a gouge", "sap": "sapwood", "split": "a split", "stain": "a stain"}
Ring = tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class Defect:
    """A place on a board that a piece should keep clear of; `ring` in board millimetres."""

    kind: str
    ring: Ring


@dataclass(frozen=True, slots=True)
class Panel:
    """What a panel is glued up of: `strips` so wide, of the length and thickness of the wood they are ripped from
    (mm), and the mark of that board. `made`: it is glued."""

    strips: int
    strip_mm: float
    board: str
    long_mm: float
    wide_mm: float
    thick_mm: float
    made: bool = False


@dataclass(frozen=True)
class Board:
    """A board on the rack. `name` is the mark written on it, the only one of its kind on the rack; thickness as
    measured with a caliper; `grain_deg` the way its grain runs, counter-clockwise from the length as one sees the
    face. `lab` and `spread` are the robust mean of its bare colour in CIELAB and how far it strays (CIEDE2000); both
    from its photo."""

    key: int
    wood: str
    name: str
    length_mm: float
    width_mm: float
    thickness_mm: float
    grain_deg: float = 0.0
    outline: Ring = ()
    defects: tuple[Defect, ...] = ()
    lab: Lab | None = None
    spread: float = 0.0
    photo: int = 0
    """Revision of its photo, 0 where it has none."""
    offcut: bool = False
    """Left over from a board: used up before boards are begun."""
    panel: Panel | None = None
    """Glued up of strips, or to be."""

    @property
    def area_mm2(self) -> float:
        return float(self.region.area)

    @lazy
    def region(self) -> shapely.Polygon:
        """All of its face."""
        if self.outline:
            return shapely.Polygon(self.outline)
        return shapely.box(0, 0, self.length_mm, self.width_mm)

    @lazy
    def clear(self) -> shapely.Geometry:
        """Its face without the defects."""
        return shapely.difference(self.region, shapely.union_all([shapely.Polygon(d.ring) for d in self.defects]))


def turn_deg(board: Board, grain_deg: float) -> float:
    """How far a piece with this arrow is turned on the board, counter-clockwise as seen, so that its grain is the
    board's."""
    return (board.grain_deg - grain_deg) % 360


def laid(
    outline: shapely.Polygon, about: tuple[float, float], board: Board, grain_deg: float, x_mm: float, y_mm: float
):
    """A piece's outline on a board: `about`, a point of the piece, comes to lie at (x, y) and its arrow along the
    grain."""
    # y runs downwards, so a turn that one sees as counter-clockwise is a negative one here
    turned = affinity.rotate(outline, -turn_deg(board, grain_deg), origin=about)
    return affinity.translate(turned, x_mm - about[0], y_mm - about[1])


def to_board(about: tuple[float, float], board: Board, grain_deg: float, x_mm: float, y_mm: float) -> np.ndarray:
    """The 2 x 3 matrix that takes a point of the picture (mm) to the board (mm); the same move as `laid`."""
    turn_rad = np.radians(-turn_deg(board, grain_deg))
    cosine, sine = np.cos(turn_rad), np.sin(turn_rad)
    turn = np.array([[cosine, -sine], [sine, cosine]])
    shift = np.array([x_mm, y_mm]) - turn @ np.array(about)
    return np.column_stack([turn, shift])
