"""How every seam will read: separate, shading or lost, by colour, grain and height."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from ..outline.coverage import Seam
from ..practice import Practice
from ..rack.seen import Seen
from ..work.composition import Composition, Layer, Piece

MELTS_DE = 4.0
"""Below this two neighbours cannot be told apart by colour; to `practice.reads_de` they shade. Common practice, no source."""
STEP_MM = 1.5
"""A step in height that the eye reads: 1/16 in. Common practice, no source."""
CLEAR_STEP_MM = 3.0
"""A step that is clear: 1/8 in. Common practice, no source."""
ORDER = ("melts", "shades", "reads", "open")
EMPTY = shapely.LineString()
READINGS = {"reads": "separate", "shades": "shading", "melts": "lost", "open": "bare"}


@dataclass(frozen=True, slots=True)
class SeamReading:
    """A seam and how it reads: `reading` one of `READINGS`, `apart` CIEDE2000, `turn_deg` between the arrows, `step_mm` in height."""

    seam: Seam
    reading: str
    apart: float
    turn_deg: float
    step_mm: float


class Contrast(Sequence[SeamReading]):
    """How many seams read. Worked out for all at once; a reading is made when it is asked for."""

    def __init__(
        self, seams: Sequence[Seam], pieces: Sequence[Piece], ends: np.ndarray, practice: Practice, seen: Seen
    ):
        """`ends` (seams, 2): positions in `pieces` of the two that each seam parts."""
        self.seams = tuple(seams)
        first, second = ends.T
        wooden = np.array([bool(p.wood) for p in pieces], bool)
        known = wooden[first] & wooden[second]
        self.apart = np.where(known, seen.apart(pieces, first, second), 0.0)
        height = np.array([np.nan if p.height_mm is None else p.height_mm for p in pieces], float)
        self.step = np.nan_to_num(np.abs(height[first] - height[second]))
        grain = np.array([p.grain_deg or 0.0 for p in pieces], float)
        turned = np.abs(grain[first] - grain[second]) % 180
        self.turn = np.minimum(turned, 180 - turned)
        # colour apart separates alone; less than that shades, and a clear step makes it separate; where colours melt, a
        # step or a turned grain at least shades
        melt, shade, read = (ORDER.index(name) for name in ("melts", "shades", "reads"))
        held = (self.step >= STEP_MM) | (self.turn >= practice.turn_apart_deg)
        low = np.where(held, shade, melt)
        middle = np.where(self.step >= CLEAR_STEP_MM, read, shade)
        self.code = np.where(self.apart >= practice.reads_de, read, np.where(self.apart >= MELTS_DE, middle, low))
        self.code[~known] = ORDER.index("open")

    def __len__(self) -> int:
        return len(self.seams)

    def __getitem__(self, i):
        if isinstance(i, slice):
            return [self[j] for j in range(*i.indices(len(self)))]
        return SeamReading(
            self.seams[i], ORDER[self.code[i]], float(self.apart[i]), float(self.turn[i]), float(self.step[i])
        )

    def which(self, *readings: str) -> np.ndarray:
        """Whether each seam reads so."""
        return np.isin(self.code, [ORDER.index(name) for name in readings])

    def of(self, reading: str) -> list[SeamReading]:
        """Those that read so, the longest first."""
        found = [self[i] for i in np.flatnonzero(self.which(reading)).tolist()]
        return sorted(found, key=lambda r: -r.seam.length_mm)


def seam_reading(a: Piece, b: Piece, practice: Practice, seen: Seen) -> tuple[str, float]:
    """How a seam of two pieces would read, and the CIEDE2000 of their finished colours."""
    one = Contrast([Seam(a.key, b.key, 0.0, EMPTY)], [a, b], np.array([[0, 1]]), practice, seen)[0]
    return one.reading, one.apart


def contrast_of(composition: Composition, seen: Seen | None = None) -> Contrast:
    """Every seam of the layer in hand, rated; `seen` for other light than today's."""
    layer = composition.in_hand
    ends = layer.coverage.once("seam ends", lambda: _ends(layer, layer.coverage.seams))
    return Contrast(layer.coverage.seams, layer.pieces, ends, composition.practice, seen or composition.seen)


def rated(layer: Layer, seams: Iterable[Seam], practice: Practice, seen: Seen) -> Contrast:
    """Some seams of a layer."""
    some = tuple(seams)
    return Contrast(some, layer.pieces, _ends(layer, some), practice, seen)


def _ends(layer: Layer, seams: Sequence[Seam]) -> np.ndarray:
    place = {p.key: i for i, p in enumerate(layer.pieces)}
    return np.array([(place[s.a], place[s.b]) for s in seams], int).reshape(-1, 2)
