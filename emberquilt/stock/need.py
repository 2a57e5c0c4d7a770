"""How much of each wood at each thickness, with an honest allowance for what the saw and the layout waste."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import shapely

from ..composition import Layer
from ..constants import MM3_PER_BOARD_FOOT
from ..findings import Finding, Fix
from ..pattern.coverage import Coverage
from ..practice import Practice
from ..rack.boards import Board
from ..rack.woods import Shelf, woods

MEASURED_MM = 0.4
"""A board counts as thick enough when it lacks no more than this: a 3/4 in board is often 19 mm."""
SPACING_MM = 3.0
"""Left between pieces on a board for the saw and a finger's slip; common practice, no source."""


@dataclass(frozen=True, slots=True)
class Need:
    """Stock for one wood and thickness. `net` is the pieces' own area; `rough` what to have at hand."""

    wood: str
    thickness_mm: float
    pieces: tuple[int, ...]
    net_mm2: float
    rough_mm2: float
    owned_mm2: float

    @property
    def waste_factor(self) -> float:
        return self.rough_mm2 / self.net_mm2

    @property
    def board_feet(self) -> float:
        return board_feet(self.rough_mm2, self.thickness_mm)

    @property
    def short_mm2(self) -> float:
        return max(0.0, self.rough_mm2 - self.owned_mm2)


def board_feet(area_mm2: float, thickness_mm: float) -> float:
    """Board feet of an area at its actual thickness (144 cubic inches each)."""
    return area_mm2 * thickness_mm / MM3_PER_BOARD_FOOT


def grain_boxes_mm2(coverage: Coverage, grain_deg: Mapping[int, float]) -> dict[int, float]:
    """Area of the rectangle round each piece that lies along its grain, with the spacing a saw needs."""
    x, y, starts, owner = coverage.once("hull points", lambda: _hull_points(coverage))
    angle_rad = np.radians([grain_deg.get(key, 0.0) for key in coverage.keys])[owner]
    along = x * np.cos(angle_rad) - y * np.sin(angle_rad)
    across = x * np.sin(angle_rad) + y * np.cos(angle_rad)
    sides = [np.maximum.reduceat(v, starts) - np.minimum.reduceat(v, starts) + SPACING_MM for v in (along, across)]
    return dict(zip(coverage.keys, (sides[0] * sides[1]).tolist(), strict=True))


def _hull_points(coverage: Coverage):
    """Corners of all pieces' convex hulls one after another: x, y, where each piece begins, and whose each is."""
    points, owner = shapely.get_coordinates(shapely.convex_hull(np.array(coverage.outlines)), return_index=True)
    return *points.T, np.searchsorted(owner, np.arange(len(coverage))), owner


def needs_of(layer: Layer, practice: Practice, boards: tuple[Board, ...] = ()) -> tuple[Need, ...]:
    """Needs by wood and thickness, largest first.

    Rough area is net over `practice.board_use`, but never less than the grain-aligned box of the largest piece:
    one wide piece cannot be cut from the gaps between others.
    """
    groups: dict[tuple[str, float], list] = {}
    for piece in layer.pieces:
        if piece.wood:
            groups.setdefault((piece.wood, piece.thickness_mm or practice.stock_mm), []).append(piece)
    needs = []
    boxes = grain_boxes_mm2(layer.coverage, {p.key: p.grain_deg or 0.0 for p in layer.pieces})
    free = {board.key: board.area_mm2 for board in boards}
    # the thickest need takes its boards first: only it has no other choice
    for (code, thickness), pieces in sorted(groups.items(), key=lambda item: (item[0][0], -item[0][1])):
        net = sum(layer.coverage.area_mm2[p.key] for p in pieces)
        largest = max(boxes[p.key] for p in pieces)
        rough = max(net / practice.board_use, largest)
        owned = _take(rough, [b for b in boards if b.wood == code and b.thickness_mm >= thickness - MEASURED_MM], free)
        needs.append(Need(code, thickness, tuple(p.key for p in pieces), net, rough, owned))
    return tuple(sorted(needs, key=lambda need: (-need.rough_mm2, need.wood, need.thickness_mm)))


def _take(rough_mm2: float, fitting: list[Board], free: dict[int, float]) -> float:
    """Area on the rack for this need, the thinnest boards first; what it uses is no longer free for others."""
    owned = sum(free[board.key] for board in fitting)
    for board in sorted(fitting, key=lambda b: b.thickness_mm):
        used = min(free[board.key], rough_mm2)
        free[board.key] -= used
        rough_mm2 -= used
    return owned


def stock_findings(needs: tuple[Need, ...], practice: Practice, shelf: Shelf | None = None) -> list[Finding]:
    shelf = woods() if shelf is None else shelf
    return [
        Finding(
            "short-of-wood",
            "stock",
            f"Short of {shelf.name(need.wood)} {practice.say(need.thickness_mm)}: {practice.say_area(need.short_mm2)} "
            f"({board_feet(need.short_mm2, need.thickness_mm):.1f} board feet) to find"
            + (
                f" beside the {practice.say_area(need.owned_mm2)} on the rack."
                if need.owned_mm2
                else "; none is on the rack."
            ),
            "Rough area by the share of a board that ends up in pieces; boards on the rack of that wood, thick enough.",
            need.pieces,
            amount=round(need.short_mm2 / 100),
            limit=0,
            unit="cm2",
            fix=Fix("Note a board", "board", {"wood": need.wood}),
        )
        for need in needs
        if need.short_mm2 > 0
    ]
