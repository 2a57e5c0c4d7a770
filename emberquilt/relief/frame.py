"""The frame: what its rabbet must take, the lengths of its sides and how much moulding they need."""

import math
from dataclasses import dataclass

from ..work.parts import ROOM_MM

LIP_THICK_MM = 5.0
"""A lip over the work is at least so thick: own choice."""
ALLOWANCE_MM = 1.5
"""The work lies in the rabbet with so much to spare on all sides together: common practice, 1/16 in."""
SAW_KERF_MM = 3.0
"""What a mitre saw takes at each cut: common practice, 1/8 in."""
WASTE = 0.10
"""Moulding bought beyond what is cut: common practice."""


@dataclass(frozen=True, slots=True)
class FramePlan:
    """`sides` with their lengths along the outer and the inner (sight) edge; `mitre_deg` to which each end is cut;
    `rabbet_deep_mm` what the stack needs, `has_mm` what the rails leave; `strips` of each side where it is built up,
    with how many there are and how wide they are; `buy_mm` of moulding, or of strips."""

    sides: tuple[tuple[str, int, float, float], ...]
    mitre_deg: float
    rabbet_deep_mm: float
    rabbet_wide_mm: float
    has_mm: float
    buy_mm: float
    strips: tuple[tuple[str, int, float], ...] = ()


def polygon_side(apothem_mm: float, sides: int) -> float:
    """Side of a regular polygon whose sides lie this far from its middle."""
    return 2 * apothem_mm * math.tan(math.pi / sides)


def frame_of(
    width_mm: float,
    height_mm: float,
    rail_mm: float,
    thick_mm: float,
    depth_mm: float,
    rabbet_wide_mm: float,
    sides: int,
    fillers: int = 0,
    closed: bool = False,
) -> FramePlan:
    """A frame of four mitred sides round a rectangle, or of `sides` equal ones round the circle that the work fills.
    The rabbet lets the work in with an allowance and covers `rabbet_wide_mm` of its edge. With `fillers` every side is
    built up of strips so thick, a full one in front, and where it is `closed` to a groove one behind."""
    deep = depth_mm + ROOM_MM
    lip = min(rabbet_wide_mm, rail_mm)
    if sides == 4:
        inner = (width_mm + ALLOWANCE_MM - 2 * lip, height_mm + ALLOWANCE_MM - 2 * lip)
        made: tuple[tuple[str, int, float, float], ...] = (
            ("across", 2, inner[0] + 2 * rail_mm, inner[0]),
            ("upright", 2, inner[1] + 2 * rail_mm, inner[1]),
        )
    else:
        middle = max(width_mm, height_mm) / 2 + ALLOWANCE_MM / 2 - lip
        made = (("side", sides, polygon_side(middle + rail_mm, sides), polygon_side(middle, sides)),)
    cut = sum(count * outer for _, count, outer, _ in made)
    buy = (cut + (sides + 1) * SAW_KERF_MM) * (1 + WASTE)
    if not fillers:
        return FramePlan(made, 180 / sides, deep, lip, max(thick_mm - LIP_THICK_MM, 0.0), buy)
    # all strips of a side end at its outer edge, so all are as long as it is
    strips = [("lip", 1, rail_mm), ("filler", fillers, rail_mm - lip)] + ([("back", 1, rail_mm)] if closed else [])
    buy *= sum(count for _, count, _ in strips)
    return FramePlan(made, 180 / sides, deep, lip, fillers * thick_mm, buy, tuple(strips))
