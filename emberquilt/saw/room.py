"""What a part comes out of, as it lies on the saw's table: its section of a board with the parts round it, in the
millimetres of the work's picture."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely

from ..rack.boards import Board, to_board
from ..stock.milling import milling_of, section_cuts
from ..work.on_boards import Lying, about_of
from ..work.parts import Job

MARGIN_MM = 8.0
"""Wood round what is sawn where its place on a board is not known: own choice."""
COARSE_MM = 0.3
"""Parts that only stand in the way are known this well."""
Points = np.ndarray


@dataclass(frozen=True)
class Section:
    """A length of a board on the table, with all that is to come out of it, in the board's mm."""

    board: str
    number: int
    stock: shapely.Polygon
    keys: tuple[str, ...]
    outlines: np.ndarray


@dataclass(frozen=True, eq=False)
class Back:
    """From a board's millimetres to the picture's."""

    turn: Points
    shift: Points

    def __call__(self, xy: Points) -> Points:
        return (xy - self.shift) @ self.turn


@dataclass(frozen=True)
class Room:
    """What one part is sawn out of. `stock`: the outline of the wood on the table, in the picture's mm; `section` is
    known where the part has a place on a board."""

    stock: shapely.Polygon
    key: str = ""
    section: Section | None = None
    back: Back | None = None

    @property
    def board(self) -> str:
        """The mark of the board; empty where none is known."""
        return self.section.board if self.section else ""

    @property
    def number(self) -> int:
        """Of the section, from 1; 0 where the board is not cut into any."""
        return self.section.number if self.section else 0

    def others(self, gone: Collection[str]) -> shapely.Geometry | None:
        """What else is still to come out of the same wood."""
        if self.section is None or self.back is None:
            return None
        left = [i for i, key in enumerate(self.section.keys) if key != self.key and key not in gone]
        if not left:
            return None
        return shapely.transform(shapely.geometrycollections(self.section.outlines[left]), self.back)


def room_round(bodies: shapely.Geometry) -> Room:
    """Of wood cut to size for it."""
    x0, y0, x1, y1 = bodies.bounds
    return Room(shapely.box(x0 - MARGIN_MM, y0 - MARGIN_MM, x1 + MARGIN_MM, y1 + MARGIN_MM))


def rooms_of(job: Job) -> Mapping[str, Room]:
    """Of every part of the first copy that lies on a board."""
    return job.once("saw rooms", lambda: _rooms(job))


def _rooms(job: Job) -> dict[str, Room]:
    found: dict[str, Room] = {}
    for name, stretches in milling_of(job).stretches.items():
        board = job.composition.rack.by_name[name]
        _, y0, _, y1 = board.region.bounds
        for stretch in stretches:
            cuts = section_cuts(stretch, stretch.end_mm - stretch.begin_mm, job.composition.practice)
            ends = (stretch.begin_mm, *cuts, stretch.end_mm)
            for n, (left, right) in enumerate(pairwise(ends), 1):
                ground = shapely.intersection(board.region, shapely.box(left, y0, right, y1))
                inside = [one for one in stretch.lying if left <= _middle(one) < right]
                found |= _in_section(job, board, ground, inside, n if cuts else 0)
    return found


def _middle(one: Lying) -> float:
    left, _, right, _ = one.outline.bounds
    return (left + right) / 2


def _in_section(
    job: Job, board: Board, ground: shapely.Geometry, lying: Sequence[Lying], number: int
) -> dict[str, Room]:
    """The rooms of the parts of one section, those of one leaf among themselves."""
    stock = max(shapely.get_parts(ground), key=lambda part: part.area, default=None)
    if stock is None or not lying:
        return {}
    # a part reaches over the section's end where no cut passes clear of it
    hull = shapely.convex_hull(shapely.union_all([stock, *(one.outline for one in lying)]))
    stock = stock if all(stock.covers(one.outline) for one in lying) else hull
    made = {}
    for leaf in {one.place.leaf for one in lying}:
        own = [one for one in lying if one.place.leaf == leaf]
        coarse = shapely.simplify(np.array([one.outline for one in own]), COARSE_MM)
        section = Section(board.name, number, stock, tuple(one.key for one in own), coarse)
        for one in own:
            if "/" not in one.key:
                back = _back(job, one, board)
                made[one.key] = Room(shapely.transform(stock, back), one.key, section, back)
    return made


def _back(job: Job, one: Lying, board: Board) -> Back:
    x, y = one.place.point or (0.0, 0.0)
    move = to_board(about_of(job, one.part), board, one.place.along_deg(one.part.grain_deg), x, y)
    return Back(move[:, :2], move[:, 2])
