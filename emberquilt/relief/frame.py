"""The frame: what its rabbet must take, the lengths of its sides and how much moulding they need."""

import math
from dataclasses import dataclass

ROOM_MM = 2.0
"""Left behind the backer for points or clips: common practice, no source."""
ALLOWANCE_MM = 1.5
"""The work lies in the rabbet with so much to spare on all sides together: common practice, 1/16 in."""
SAW_KERF_MM = 3.0
"""What a mitre saw takes at each cut: common practice, 1/8 in."""
WASTE = 0.10
"""Moulding bought beyond what is cut: common practice."""


@dataclass(frozen=True, slots=True)
class FramePlan:
    """`sides` with their lengths along the outer and the inner (sight) edge; `mitre_deg` to which each end is cut;
    `rabbet_deep_mm` what the stack needs, `has_mm` what the rails' thickness leaves; `buy_mm` of moulding."""

    sides: tuple[tuple[str, int, float, float], ...]
    mitre_deg: float
    rabbet_deep_mm: float
    rabbet_wide_mm: float
    has_mm: float
    buy_mm: float


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
) -> FramePlan:
    """A frame of four mitred sides round a rectangle, or of `sides` equal ones round the circle that the work fills.
    The rabbet lets the work in with an allowance and covers `rabbet_wide_mm` of its edge."""
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
    return FramePlan(made, 180 / sides, deep, lip, max(thick_mm - 5.0, 0.0), buy)
