"""How much of each wood at each thickness, with an honest allowance for what the saw and the layout waste."""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import shapely

from ..constants import MM3_PER_BOARD_FOOT, MM_PER_INCH
from ..findings import Finding, Fix, name_pieces
from ..outline.coverage import Coverage
from ..practice import Practice
from ..rack.boards import Board
from ..rack.woods import Shelf, woods
from ..work.composition import Layer, Piece

MEASURED_MM = 0.4
"""A board counts as thick enough when it lacks no more than this: a 3/4 in board is often 19 mm."""
SPACING_MM = 3.0
"""Left between pieces on a board for the saw and a finger's slip; common practice, no source."""


@dataclass(frozen=True, slots=True)
class Need:
    """Stock for one wood and thickness. `net` is the pieces' own area; `rough` what to have at hand; `owned` what is
    free on boards that hold at least one of its pieces; `short` the rough area of what finds no board. `fit_nowhere`
    are pieces larger than every board of the wood that is thick enough, where there is any."""

    wood: str
    thickness_mm: float
    pieces: tuple[int, ...]
    net_mm2: float
    rough_mm2: float
    owned_mm2: float
    short_mm2: float
    fit_nowhere: tuple[int, ...] = ()

    @property
    def waste_factor(self) -> float:
        return self.rough_mm2 / self.net_mm2

    @property
    def board_feet(self) -> float:
        """Of the thickness it is used at."""
        return board_feet(self.rough_mm2, self.thickness_mm)

    @property
    def quarters(self) -> int:
        return nominal_quarters(self.thickness_mm)

    @property
    def bought_feet(self) -> float:
        """Of the thickness it is sold by: what the yard charges."""
        return bought_feet(self.rough_mm2, self.thickness_mm)


def board_feet(area_mm2: float, thickness_mm: float) -> float:
    """Board feet of an area at its actual thickness (144 cubic inches each)."""
    return area_mm2 * thickness_mm / MM3_PER_BOARD_FOOT


SURFACED_IN = ((4, 13 / 16), (5, 1 + 1 / 16), (6, 1 + 5 / 16), (8, 1.75), (10, 2.25), (12, 2.75), (16, 3.75))
"""Nominal thickness in quarters of an inch, and what it gives planed on both sides, in inches: rules for measuring
hardwood of the National Hardwood Lumber Association, standard thicknesses, from memory. What is thinner is sawn or
planed from 4/4."""


def nominal_quarters(thickness_mm: float) -> int:
    """The nominal thickness, in quarters of an inch, that stock of this finished thickness is bought at. Thicker stock
    than any in the table is glued up, and reckoned as it is."""
    for quarters, surfaced_in in SURFACED_IN:
        if thickness_mm <= surfaced_in * MM_PER_INCH + 0.05:
            return quarters
    return math.ceil(4 * thickness_mm / MM_PER_INCH)


def bought_feet(area_mm2: float, thickness_mm: float) -> float:
    """Board feet of an area at the thickness by which it is sold: 3/4 in is bought as 4/4."""
    return board_feet(area_mm2, nominal_quarters(thickness_mm) * MM_PER_INCH / 4)


def grain_extents_mm(coverage: Coverage, grain_deg: Mapping[int, float]) -> dict[int, tuple[float, float]]:
    """How far each piece reaches along its grain and across it."""
    x, y, starts, owner = coverage.once("hull points", lambda: _hull_points(coverage))
    angle_rad = np.radians([grain_deg.get(key, 0.0) for key in coverage.keys])[owner]
    along = x * np.cos(angle_rad) - y * np.sin(angle_rad)
    across = x * np.sin(angle_rad) + y * np.cos(angle_rad)
    sides = [np.maximum.reduceat(v, starts) - np.minimum.reduceat(v, starts) for v in (along, across)]
    return dict(zip(coverage.keys, zip(*(side.tolist() for side in sides), strict=True), strict=True))


def grain_boxes_mm2(coverage: Coverage, grain_deg: Mapping[int, float]) -> dict[int, float]:
    """Area of the rectangle round each piece that lies along its grain, with the spacing a saw needs."""
    return {
        key: (along + SPACING_MM) * (across + SPACING_MM)
        for key, (along, across) in grain_extents_mm(coverage, grain_deg).items()
    }


def _hull_points(coverage: Coverage):
    """Corners of all pieces' convex hulls one after another: x, y, where each piece begins, and whose each is."""
    points, owner = shapely.get_coordinates(shapely.convex_hull(np.array(coverage.outlines)), return_index=True)
    return *points.T, np.searchsorted(owner, np.arange(len(coverage))), owner


def needs_of(layer: Layer, practice: Practice, boards: tuple[Board, ...] = ()) -> tuple[Need, ...]:
    """Needs by wood and thickness, largest first.

    Rough area is net over `practice.board_use`, but never less than the grain-aligned box of the largest piece: one
    wide piece cannot be cut from the gaps between others. A board counts only for pieces that lie on it by their size,
    the arrow along its grain.
    """
    groups: dict[tuple[str, float], list[Piece]] = {}
    for piece in layer.pieces:
        if piece.wood:
            groups.setdefault((piece.wood, piece.thickness_mm or practice.stock_mm), []).append(piece)
    grain = {p.key: p.grain_deg or 0.0 for p in layer.pieces}
    boxes = grain_boxes_mm2(layer.coverage, grain) if groups else {}
    rack = _Rack(layer.coverage, grain, boards)
    needs = []
    # the thickest need takes its boards first: only it has no other choice
    for (code, thickness), pieces in sorted(groups.items(), key=lambda item: (item[0][0], -item[0][1])):
        rough_each = {p.key: layer.coverage.area_mm2[p.key] / practice.board_use for p in pieces}
        net = sum(layer.coverage.area_mm2[p.key] for p in pieces)
        rough = max(net / practice.board_use, *(boxes[p.key] for p in pieces))
        usable = [b for b in boards if b.wood == code and b.thickness_mm >= thickness - MEASURED_MM]
        owned, homeless, nowhere = rack.take(usable, rough_each, boxes)
        short = max(sum(rough_each[k] for k in homeless), *(boxes[k] for k in homeless)) if homeless else 0.0
        needs.append(Need(code, thickness, tuple(p.key for p in pieces), net, rough, owned, short, nowhere))
    return tuple(sorted(needs, key=lambda need: (-need.rough_mm2, need.wood, need.thickness_mm)))


class _Rack:
    """What is free on the boards while needs take from them, one after the other."""

    def __init__(self, coverage: Coverage, grain_deg: dict[int, float], boards: tuple[Board, ...]):
        self.free = {board.key: board.area_mm2 for board in boards}
        self.extents = {
            turn: grain_extents_mm(coverage, {key: deg - turn for key, deg in grain_deg.items()})
            for turn in {board.grain_deg for board in boards}
        }

    def holds(self, board: Board, key: int) -> bool:
        along, across = self.extents[board.grain_deg][key]
        return along <= board.length_mm and across <= board.width_mm

    def take(self, boards: list[Board], rough_each: dict[int, float], boxes: dict[int, float]):
        """Pieces go to boards that hold them, the largest first, to the thinnest and smallest board with room: a
        raster layout is the Stock station's own work, this only keeps sizes apart. Gives the area that was free on
        boards that hold any, the pieces that found none, and those that no board could hold."""
        fitting = {key: [b for b in boards if self.holds(b, key)] for key in rough_each}
        owned = sum(self.free[b.key] for b in {b.key: b for some in fitting.values() for b in some}.values())
        homeless = []
        for key in sorted(rough_each, key=lambda k: (-boxes[k], k)):
            for board in sorted(fitting[key], key=lambda b: (b.thickness_mm, b.area_mm2, b.key)):
                # a board that nothing was taken from holds one piece even where more of it is left over than usual
                if rough_each[key] <= self.free[board.key] or self.free[board.key] >= board.area_mm2:
                    self.free[board.key] = max(0.0, self.free[board.key] - rough_each[key])
                    break
            else:
                homeless.append(key)
        nowhere = tuple(key for key in rough_each if boards and not fitting[key])
        return owned, homeless, nowhere


def _too_large(need: Need, number: Mapping[int, int]) -> str:
    if not need.fit_nowhere:
        return ""
    named = name_pieces(sorted(number[key] for key in need.fit_nowhere), 4)
    return f" No board of it holds {named}: longer or wider than any, the arrow along the grain."


def stock_findings(
    needs: tuple[Need, ...], practice: Practice, shelf: Shelf | None = None, number: Mapping[int, int] | None = None
) -> list[Finding]:
    """What is short. `number`: the number of each piece, its key where none is given."""
    shelf = woods() if shelf is None else shelf
    number = {key: key for need in needs for key in need.pieces} if number is None else number
    return [
        Finding(
            "short-of-wood",
            "stock",
            f"Short of {shelf.name(need.wood)} {practice.say(need.thickness_mm)}: {practice.say_area(need.short_mm2)} "
            f"({bought_feet(need.short_mm2, need.thickness_mm):.1f} board feet of {need.quarters}/4) to find"
            + (
                f" beside the {practice.say_area(need.owned_mm2)} on the rack."
                if need.owned_mm2
                else "; no board for it is on the rack."
            )
            + _too_large(need, number),
            "Rough area by the share of a board that ends up in pieces; boards on the rack of that wood, thick, long and "
            "wide enough.",
            need.pieces,
            amount=round(need.short_mm2 / 100),
            limit=0,
            unit="cm2",
            fix=Fix("Note a board", "board", {"wood": need.wood}),
        )
        for need in needs
        if need.short_mm2 > 0
    ]
