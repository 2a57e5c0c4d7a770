"""Strength at an angle to the grain, and what a neck bears.

Source: Hankinson's formula, Wood Handbook, FPL-GTR-282 (2021), chapter 5: N = PQ / (P sin^n t + Q cos^n t).
"""

import math

from ..rack.woods import Wood

BENDING_EXPONENT = 2.0
"""Wood Handbook, chapter 5, table of n and Q/P: about 2 for bending strength."""
HANDLING_NMM = 600.0
"""Moment that fingers put on a piece while sanding, about 12 N at 50 mm: own assumption, no source."""


def hankinson(along: float, across: float, angle_deg: float, exponent: float = BENDING_EXPONENT) -> float:
    """Strength at `angle_deg` to the grain, in the unit of `along` and `across`; 0 degrees gives `along`."""
    angle_rad = math.radians(angle_deg)
    sine, cosine = abs(math.sin(angle_rad)) ** exponent, abs(math.cos(angle_rad)) ** exponent
    return along * across / (along * sine + across * cosine)


def bending_mpa(wood: Wood, angle_deg: float) -> float:
    """Bending strength of a wood when it is stressed at this angle to its grain."""
    return hankinson(wood.mor_mpa, wood.mor_mpa * wood.across_ratio, angle_deg)


def neck_moment_nmm(wood: Wood, width_mm: float, thickness_mm: float, angle_deg: float) -> float:
    """Sideways moment a neck bears: M = N b^2 h / 6 for width b and thickness h. A third less in brittle woods."""
    moment = bending_mpa(wood, angle_deg) * width_mm**2 * thickness_mm / 6
    return moment * (2 / 3 if wood.brittle else 1)


def width_to_bear_mm(wood: Wood, thickness_mm: float, angle_deg: float, moment_nmm: float = HANDLING_NMM) -> float:
    """Neck width that bears the moment at this angle."""
    unit_moment = neck_moment_nmm(wood, 1.0, thickness_mm, angle_deg)
    return math.sqrt(moment_nmm / unit_moment)


def angle_to_grain_deg(direction_deg: float, grain_deg: float) -> float:
    """Smallest angle between a direction and the grain, 0..90."""
    turned = abs(direction_deg - grain_deg) % 180
    return min(turned, 180 - turned)


def weakest_nmm(wood: Wood, thickness_mm: float, necks, grain_deg: float) -> float:
    """The least moment that any of a piece's necks bears with this arrow; infinite without a neck."""
    return min(
        (neck_moment_nmm(wood, n.width_mm, thickness_mm, angle_to_grain_deg(n.along_deg, grain_deg)) for n in necks),
        default=math.inf,
    )


def strong_grain_deg(wood: Wood, thickness_mm: float, necks, flow_deg: float) -> tuple[float, bool]:
    """The arrow nearest to the flow with which every neck bears a hand, and whether it does.

    Where no arrow suffices it is the strongest one. *Up the grain* is kept: the arrow turns by 90 degrees at most.
    """
    turns = sorted(range(-90, 91), key=abs)
    bears = {turn: weakest_nmm(wood, thickness_mm, necks, flow_deg + turn) for turn in turns}
    enough = next((turn for turn in turns if bears[turn] >= HANDLING_NMM), None)
    turn = enough if enough is not None else max(turns, key=lambda t: (round(bears[t], 6), -abs(t)))
    return round((flow_deg + turn) % 360, 1) % 360, enough is not None
