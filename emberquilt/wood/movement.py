"""How much a wood swells or shrinks. Source: Wood Handbook, FPL-GTR-282 (2021), chapter 13: dD = D C (M2 - M1)."""

import numpy as np
import shapely

from ..rack.woods import Wood


def movement_mm(wood: Wood, width_mm: float, from_percent: float, to_percent: float, cut: str = "flat") -> float | None:
    """Change of width across the grain between two moisture contents (6 to 14 %); flat sawn moves tangentially.

    None where the coefficient of this wood is not tabulated.
    """
    coefficient = wood.c_tangential if cut == "flat" else wood.c_radial
    return None if coefficient is None else width_mm * coefficient * (to_percent - from_percent)


SEASON_PERCENT = (8.0, 12.0)
"""Moisture of wood in a heated room, winter and summer: common practice, no source."""


def seasonal_mm(wood: Wood, outline: shapely.Polygon, grain_deg: float) -> float | None:
    """How much wider a piece gets across its grain from winter to summer; None where the wood is not tabulated."""
    angle_rad = np.radians(grain_deg)
    x, y = shapely.get_coordinates(outline.exterior).T
    across_mm = float(np.ptp(x * np.sin(angle_rad) + y * np.cos(angle_rad)))
    return movement_mm(wood, across_mm, *SEASON_PERCENT)
