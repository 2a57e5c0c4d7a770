"""How every seam will read: separate, shading or lost, by colour, grain and height."""

from collections.abc import Iterable
from dataclasses import dataclass

from ..composition import Composition, Layer, Piece
from ..pattern.coverage import Seam
from ..practice import Practice
from ..rack.seen import Seen
from .strength import angle_to_grain_deg

MELTS_DE = 4.0
"""Below this two neighbours cannot be told apart by colour; to `practice.reads_de` they shade. Common practice, no source."""
STEP_MM = 1.5
"""A step in height that the eye reads: 1/16 in. Common practice, no source."""
CLEAR_STEP_MM = 3.0
"""A step that is clear: 1/8 in. Common practice, no source."""
READINGS = {"reads": "separate", "shades": "shading", "melts": "lost", "open": "bare"}


@dataclass(frozen=True, slots=True)
class SeamReading:
    """A seam and how it reads: `reading` one of `READINGS`, `apart` CIEDE2000, `turn_deg` between the arrows, `step_mm` in height."""

    seam: Seam
    reading: str
    apart: float
    turn_deg: float
    step_mm: float


def seam_reading(a: Piece, b: Piece, practice: Practice, seen: Seen) -> tuple[str, float]:
    """How the seam of two pieces reads, and the CIEDE2000 of their finished colours.

    Colour apart by `practice.reads_de` separates alone. Less than that shades, and a clear step in height makes it
    separate; where the colours melt, a step or a turned grain at least shades.
    """
    reading, apart, _, _ = _rated(a, b, practice, seen)
    return reading, apart


def _rated(a: Piece, b: Piece, practice: Practice, seen: Seen) -> tuple[str, float, float, float]:
    if not (a.wood and b.wood):
        return "open", 0.0, 0.0, 0.0
    apart = seen.between(a, b)
    step = abs(a.height_mm - b.height_mm) if a.height_mm is not None and b.height_mm is not None else 0.0
    turn = angle_to_grain_deg(a.grain_deg or 0.0, b.grain_deg or 0.0)
    if apart >= practice.reads_de:
        reading = "reads"
    elif apart >= MELTS_DE:
        reading = "reads" if step >= CLEAR_STEP_MM else "shades"
    else:
        turned = turn >= practice.turn_apart_deg
        reading = "shades" if step >= STEP_MM or turned else "melts"
    return reading, apart, turn, step


def contrast_of(composition: Composition, seen: Seen | None = None) -> tuple[SeamReading, ...]:
    """Every seam of the layer in hand, rated; `seen` for other light than today's."""
    layer, practice, seen = composition.in_hand, composition.practice, seen or composition.seen
    seen.learn(p for p in layer.pieces if p.wood)
    return rated(layer, layer.coverage.seams, practice, seen)


def rated(layer: Layer, seams: Iterable[Seam], practice: Practice, seen: Seen) -> tuple[SeamReading, ...]:
    by_key = layer.by_key
    return tuple(SeamReading(seam, *_rated(by_key[seam.a], by_key[seam.b], practice, seen)) for seam in seams)
