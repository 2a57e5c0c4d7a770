"""How every seam will read: separate, shading or lost, by colour, grain and height."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from ..outline.coverage import Seam
from ..practice import Practice
from ..rack.seen import Look, Seen
from ..work.composition import Composition, Layer, Piece
from ..work.parts import job_of

MELTS_DE = 4.0
"""Below this two neighbours cannot be told apart by colour; to `practice.reads_de` they shade. Common practice, no
source."""
STEP_MM = 1.5
"""A step in height that the eye reads: 1/16 in. Common practice, no source."""
CLEAR_STEP_MM = 3.0
"""A step that is clear: 1/8 in. Common practice, no source."""
ORDER = ("melts", "shades", "reads", "open")
EMPTY = shapely.LineString()
READINGS = {"reads": "separate", "shades": "shading", "melts": "lost", "open": "bare"}


@dataclass(frozen=True, slots=True)
class SeamReading:
    """A seam and how it reads: `reading` one of `READINGS`, `apart` CIEDE2000, `turn_deg` between the arrows,
    `step_mm` in height."""

    seam: Seam
    reading: str
    apart: float
    turn_deg: float
    step_mm: float


class Contrast(Sequence[SeamReading]):
    """How many seams read. Worked out for all at once; a reading is made when it is asked for."""

    def __init__(
        self,
        seams: Sequence[Seam],
        pieces: Sequence[Piece],
        ends: np.ndarray,
        practice: Practice,
        seen: Seen,
        looks: Sequence[Look],
        height_mm: Sequence[float],
    ):
        """`ends` (seams, 2): positions in `pieces` of the two that each seam parts; `looks` and `height_mm` (of tops
        above one level) of each piece."""
        self.seams = tuple(seams)
        first, second = ends.T
        wooden = np.array([bool(look[0]) for look in looks], bool)
        known = wooden[first] & wooden[second]
        self.apart = np.where(known, seen.apart(looks, first, second), 0.0)
        height = np.array(height_mm, float)
        self.step = np.abs(height[first] - height[second]).round(6)
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


def contrast_of(composition: Composition, layer: Layer, seen: Seen | None = None) -> Contrast:
    """Every seam of a layer, rated; `seen` for other light than today's."""
    made = layer.without_openings
    ends = made.coverage.once("seam ends", lambda: _ends(made, made.coverage.seams))
    return _contrast(composition, made, made.coverage.seams, ends, seen or composition.seen)


def rated(composition: Composition, layer: Layer, seams: Iterable[Seam]) -> Contrast:
    """Some seams of a layer."""
    made, some = layer.without_openings, tuple(seams)
    return _contrast(composition, made, some, _ends(made, some), composition.seen)


def _contrast(composition: Composition, made: Layer, seams: Sequence[Seam], ends: np.ndarray, seen: Seen) -> Contrast:
    job = job_of(composition)
    looks = [composition.look_of(p) for p in made.pieces]
    heights = [job.lifted_mm(p) for p in made.pieces]
    return Contrast(seams, made.pieces, ends, composition.practice, seen, looks, heights)


def _ends(layer: Layer, seams: Sequence[Seam]) -> np.ndarray:
    place = {p.key: i for i, p in enumerate(layer.pieces)}
    return np.array([(place[s.a], place[s.b]) for s in seams], int).reshape(-1, 2)
