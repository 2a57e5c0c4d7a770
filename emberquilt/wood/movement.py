"""How much a wood swells or shrinks. Source: Wood Handbook, FPL-GTR-282 (2021), chapter 13: dD = D C (M2 - M1)."""

from .woods import Wood


def movement_mm(wood: Wood, width_mm: float, from_percent: float, to_percent: float, cut: str = "flat") -> float | None:
    """Change of width across the grain between two moisture contents (6 to 14 %); flat sawn moves tangentially.

    None where the coefficient of this wood is not tabulated.
    """
    coefficient = wood.c_tangential if cut == "flat" else wood.c_radial
    return None if coefficient is None else width_mm * coefficient * (to_percent - from_percent)
