"""Pilot holes for inner openings: in the waste, at its fattest spot, with the largest bit that fits."""

from dataclasses import dataclass

import shapely

from ..constants import HOLE_WASTE_MM, SMALLEST_BIT_MM
from ..outline.coverage import largest_circle
from ..rack.blades import Blade

BITS_MM = (3.2, 2.0, 1.6, SMALLEST_BIT_MM)
"""1/8, 5/64, 1/16 and 1/32 in; common practice, no source."""
PIN_BITS_MM = (6.0, 5.0)
"""For blades with pins."""


@dataclass(frozen=True, slots=True)
class PilotHole:
    """One opening of a piece. `bit_mm` is None where nothing fits that lets the blade through."""

    x_mm: float
    y_mm: float
    room_mm: float
    bit_mm: float | None
    on_line: bool = False
    """Drilled on the line itself: what lies inside is wood, and the kerf takes the hole with it."""
    tilt_deg: float = 0.0
    """Drilled as the table is tilted for the cut."""


INCHES = {0.8: "1/32", 1.6: "1/16", 2.0: "5/64", 3.2: "1/8"}


def bit_words(bit_mm: float) -> str:
    """A bit as it is marked on the packet: millimetres, and inches where it has a size there."""
    return f"{bit_mm:g} mm" + (f" ({INCHES[bit_mm]} in)" if bit_mm in INCHES else "")


def bits_for(blade: Blade) -> tuple[float, ...]:
    """The bits that a shop has for such a blade, largest first."""
    return (*PIN_BITS_MM, *BITS_MM) if blade.kind == "pinned" else BITS_MM


def least_opening_mm(blade: Blade) -> float:
    """Across: the smallest opening that the blade can be threaded into, with waste left round the bit."""
    passes = [bit for bit in bits_for(blade) if bit >= blade.passes_mm - 1e-9]
    return min(passes, default=blade.passes_mm) + 2 * HOLE_WASTE_MM


def hole_in(waste: shapely.Polygon, blade: Blade) -> PilotHole:
    """In the waste at its fattest spot, with the largest bit that fits."""
    spot = largest_circle(waste)
    fits = [
        bit for bit in bits_for(blade) if bit / 2 + HOLE_WASTE_MM <= spot.radius_mm and bit >= blade.passes_mm - 1e-9
    ]
    return PilotHole(spot.x_mm, spot.y_mm, 2 * spot.radius_mm, max(fits, default=None))


def hole_on(line: tuple[float, float], blade: Blade) -> PilotHole:
    """On the line, where it turns sharpest, with the smallest bit that lets the blade through."""
    passes = [bit for bit in bits_for(blade) if bit >= blade.passes_mm - 1e-9]
    return PilotHole(*line, 0.0, min(passes, default=None), on_line=True)
