"""How much of each material at each thickness, with an honest allowance for what the saw and the layout waste."""

import math
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from ..constants import MM3_PER_BOARD_FOOT, MM_PER_INCH
from ..rack.boards import Board
from ..relief.bevel import of_boards, stock_outline
from ..work.parts import Job, Part
from .leaves import is_sheet, serving

SPACING_MM = 3.0
"""Left between pieces on a board for the saw and a finger's slip; common practice, no source."""


@dataclass(frozen=True, slots=True)
class Need:
    """Stock for one material and thickness, all copies. `parts` are keys in one copy, `count` how many are cut in all;
    `net` the parts' own area; `rough` what to have at hand; `owned` what is free on boards that hold at least one of
    them; `short` the rough area of what finds no board. `fit_nowhere` are parts larger than every board of the material
    that is thick enough, where there is any. `sheet`: it is sold by the sheet, not by the board foot."""

    material: str
    thickness_mm: float
    parts: tuple[str, ...]
    count: int
    net_mm2: float
    rough_mm2: float
    owned_mm2: float
    short_mm2: float
    fit_nowhere: tuple[str, ...] = ()
    sheet: bool = False

    @property
    def pieces(self) -> tuple[int, ...]:
        """Those of its parts that are pieces of the picture, by key."""
        return tuple(int(key) for key in self.parts if key.isdecimal())

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


Extents = dict[str, tuple[float, float]]


def grain_extents_mm(job: Job, turn_deg: float = 0.0) -> Extents:
    """How far each part of one copy reaches along its grain and across it, on a board whose grain is turned so."""
    extents: Extents = {}
    for layer in job.composition.layers:
        coverage = layer.without_openings.coverage
        if len(coverage):
            corners = coverage.once("hull points", lambda c=coverage: _hull_points(c.outlines))  # type: ignore[misc]
            grain = np.array([layer.by_key[key].grain_deg or 0.0 for key in coverage.keys])
            extents |= zip(map(str, coverage.keys), _reach(corners, grain - turn_deg), strict=True)
    derived = [part for part in job.of_one if not part.key.isdecimal()]
    if derived:
        corners = _hull_points([part.outline for part in derived])
        grain = np.array([part.grain_deg for part in derived])
        extents |= zip((part.key for part in derived), _reach(corners, grain - turn_deg), strict=True)
    return extents


def grain_boxes_mm2(job: Job) -> dict[str, float]:
    """Area of the rectangle round each part that lies along its grain, with the spacing a saw needs."""
    return {key: (along + SPACING_MM) * (across + SPACING_MM) for key, (along, across) in grain_extents_mm(job).items()}


def _hull_points(outlines: Sequence[shapely.Geometry]):
    """Corners of convex hulls one after another: x, y, where each begins, and whose each is."""
    points, owner = shapely.get_coordinates(shapely.convex_hull(np.array(outlines)), return_index=True)
    return *points.T, np.searchsorted(owner, np.arange(len(outlines))), owner


def _reach(corners, grain_deg: np.ndarray) -> Iterator[tuple[float, float]]:
    x, y, starts, owner = corners
    angle_rad = np.radians(grain_deg)[owner]
    along = x * np.cos(angle_rad) - y * np.sin(angle_rad)
    across = x * np.sin(angle_rad) + y * np.cos(angle_rad)
    sides = [np.maximum.reduceat(v, starts) - np.minimum.reduceat(v, starts) for v in (along, across)]
    return zip(*(side.tolist() for side in sides), strict=True)


def needs_of(job: Job) -> tuple[Need, ...]:
    """Needs by material and thickness over all parts of all copies, largest first.

    Rough area is net over `practice.board_use`, but never less than the grain-aligned box of the largest part: one
    wide part cannot be cut from the gaps between others. A board counts only for parts that lie on it by their size,
    the arrow along its grain. Nothing is needed until some piece is of something.
    """
    if not any(job.material.values()):
        return ()
    practice, rack = job.composition.practice, job.composition.rack
    groups: dict[tuple[str, float], list[Part]] = {}
    for part in of_boards(job, job.of_one):
        if part.material:
            groups.setdefault((part.material, part.thickness_mm), []).append(part)
    spares: dict[tuple[str, float], int] = Counter((spare.material, spare.thickness_mm) for spare in job.spares)
    boxes, free, needs = grain_boxes_mm2(job), _Rack(job), []
    # the thickest need takes its boards first: only it has no other choice
    for (code, thickness), parts in sorted(groups.items(), key=lambda item: (item[0][0], -item[0][1])):
        times = dict.fromkeys((part.key for part in parts), job.copies)
        times[parts[-1].key] += spares[code, thickness]
        area = {part.key: float(stock_outline(job, part).area) for part in parts}
        net = sum(area[key] * count for key, count in times.items())
        rough = max(net / practice.board_use, *(boxes[key] for key in times))
        rough_each = {key: area[key] / practice.board_use for key in times}
        usable = serving(rack, code, thickness)
        owned, homeless, nowhere = free.take(usable, rough_each, boxes, times)
        short = max(sum(rough_each[k] for k in homeless), *(boxes[k] for k in homeless)) if homeless else 0.0
        needs.append(
            Need(
                code,
                thickness,
                tuple(times),
                sum(times.values()),
                net,
                rough,
                owned,
                short,
                nowhere,
                is_sheet(rack, code),
            )
        )
    return tuple(sorted(needs, key=lambda need: (-need.rough_mm2, need.material, need.thickness_mm)))


class _Rack:
    """What is free on the boards while needs take from them, one after the other."""

    def __init__(self, job: Job):
        boards = job.composition.rack.boards
        self.free = {board.key: board.area_mm2 for board in boards}
        self.extents = {turn: grain_extents_mm(job, turn) for turn in {board.grain_deg for board in boards}}

    def holds(self, board: Board, key: str) -> bool:
        along, across = self.extents[board.grain_deg][key]
        return along <= board.length_mm and across <= board.width_mm

    def take(self, boards: list[Board], rough_each: dict[str, float], boxes: dict[str, float], times: dict[str, int]):
        """Parts go to boards that hold them, the largest first, to the thinnest and smallest board with room: a
        raster layout is the Stock station's own work, this only keeps sizes apart. Gives the area that was free on
        boards that hold any, the parts that found none (as often as one of them did not), and those that no board could
        hold."""
        fitting = {key: [b for b in boards if self.holds(b, key)] for key in rough_each}
        owned = sum(self.free[b.key] for b in {b.key: b for some in fitting.values() for b in some}.values())
        homeless = []
        for key in sorted(rough_each, key=lambda k: (-boxes[k], k)):
            in_order = sorted(fitting[key], key=lambda b: (b.thickness_mm, b.area_mm2, b.key))
            for _ in range(times[key]):
                # a board that nothing was taken from holds one even where more of it is left over than usual
                board = next(
                    (b for b in in_order if rough_each[key] <= self.free[b.key] or self.free[b.key] >= b.area_mm2), None
                )
                if board is None:
                    homeless.append(key)
                else:
                    self.free[board.key] = max(0.0, self.free[board.key] - rough_each[key])
        nowhere = tuple(key for key in rough_each if boards and not fitting[key])
        return owned, homeless, nowhere
