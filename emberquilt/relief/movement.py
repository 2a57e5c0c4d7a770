"""How solid wood moves across its grain between dry and damp rooms."""

import math
from dataclasses import dataclass

ROOM_C = 21.0
"""A heated room, 70 F."""


def equilibrium_moisture(humidity: float, celsius: float = ROOM_C) -> float:
    """Moisture content (%) that wood comes to in air of this relative humidity (0 to 100).

    Hailwood and Horrobin's equation with the constants that the Wood Handbook (USDA Forest Products Laboratory,
    chapter on moisture relations) gives for temperatures in Celsius; from memory.
    """
    h = min(max(humidity, 0.0), 100.0) / 100
    t = celsius
    w = 349 + 1.29 * t + 0.0135 * t**2
    k = 0.805 + 0.000736 * t - 0.00000273 * t**2
    k1 = 6.27 - 0.00938 * t - 0.000303 * t**2
    k2 = 1.91 + 0.0407 * t - 0.000293 * t**2
    kh = k * h
    first = kh / (1 - kh)
    second = (k1 * kh + 2 * k1 * k2 * kh**2) / (1 + k1 * kh + k1 * k2 * kh**2)
    return 1800 / w * (first + second)


def change_mm(width_mm: float, coefficient: float, from_moisture: float, to_moisture: float) -> float:
    """What a width across the grain gains: D (M2 - M1) C, the handbook's formula for small changes of moisture (in %)
    with its coefficient for radial or tangential change."""
    return width_mm * coefficient * (to_moisture - from_moisture)


@dataclass(frozen=True, slots=True)
class Movement:
    """A solid part by its key: how far it reaches across its grain, and how much wider it is in damp than in dry
    air."""

    part: str
    across_mm: float
    moves_mm: float


def across_mm(outline, grain_deg: float) -> float:
    """Extent of an outline across its grain (degrees counter-clockwise as seen)."""
    turn = math.radians(grain_deg)
    # y runs downwards: along the grain is (cos, -sin), across it (sin, cos)
    nx, ny = math.sin(turn), math.cos(turn)
    far = [nx * x + ny * y for x, y in outline.convex_hull.exterior.coords]
    return max(far) - min(far)
