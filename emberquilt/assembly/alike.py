"""Parts that are easily taken for each other, or for themselves turned: found from their outlines, so that they can be
marked before they are off the pattern."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.spatial import cKDTree

from ..outline.coverage import Coverage
from ..work.parts import Job, Part
from .shapes import laid_on, mirrored, steps_along, turned

SAME_SHARE, SAME_MM = 0.03, 1.0
"""Outlines that are off each other, on average, by less than this share of the square root of the area, and by less
than so many mm, are taken for each other: own choice."""
TURNED_SHARE = 0.03
LOW = 12
"""Of the spectrum so many frequencies either way tell shapes apart at first."""
ROUND_TURNS = 6
"""What fits itself at so many turns is round: it can lie any way, and its arrow alone tells."""
PAIRS_AT_ONCE = 20000


@dataclass(frozen=True, slots=True)
class Twins:
    """Parts of one copy that look alike, by key; `mirrored`: some of them only when turned over. `off_mm`: how far the
    two that differ most are apart; `same_wood`: nothing else tells them apart."""

    parts: tuple[str, ...]
    mirrored: bool
    off_mm: float
    same_wood: bool


@dataclass(frozen=True, slots=True)
class Turned:
    """A part that nearly fits its place when it is turned by so many degrees, either way."""

    part: str
    degs: tuple[int, ...]
    off_mm: float

    @property
    def round(self) -> bool:
        """It can lie any way; its arrow alone tells."""
        return len(self.degs) >= ROUND_TURNS


@dataclass(frozen=True)
class Alike:
    """All that can be mixed up in one copy."""

    twins: tuple[Twins, ...]
    turned: tuple[Turned, ...]

    @cached_property
    def twins_of(self) -> dict[str, tuple[str, ...]]:
        """For each part the others that it is taken for."""
        return {key: tuple(k for k in one.parts if k != key) for one in self.twins for key in one.parts}

    @cached_property
    def turned_of(self) -> dict[str, Turned]:
        return {one.part: one for one in self.turned}

    def warning(self, job: Job, key: str) -> str:
        """What to heed with this part, empty for nothing."""
        told = []
        if others := self.twins_of.get(key):
            names = ", ".join(job.by_key[other].name for other in others[:3])
            told.append(f"Looks like {names}: write its number on the back before the paper comes off")
        if one := self.turned_of.get(key):
            way = "any way round" if one.round else f"turned by {max(one.degs)}°"
            told.append(f"Nearly fits {way}: mark which end is up")
        return ". ".join(told)


def alike_of(job: Job) -> Alike:
    """What can be mixed up, worked out once for a job."""
    return job.once("alike", lambda: _alike(job))


def _alike(job: Job) -> Alike:
    parts = [part for part in job.pieces.values() if part.outline.geom_type == "Polygon"]
    if not parts:
        return Alike((), ())
    points = points_of(job, parts)
    area = np.array([part.outline.area for part in parts])
    return Alike(tuple(_twins(parts, points, area)), tuple(_turned(parts, points, area)))


def points_of(job: Job, parts: list[Part]) -> np.ndarray:
    """Points along the outlines of pieces, kept with each outline."""
    rows = []
    by_layer: dict[int, Coverage] = {one.key: one.without_openings.coverage for one in job.composition.layers}
    table = {
        key: coverage.each("steps along", lambda _, outlines: [steps_along(outline) for outline in outlines])
        for key, coverage in by_layer.items()
    }
    for part in parts:
        rows.append(table[part.id.layer][part.id.piece])
    return np.array(rows)


def _allowed(area: np.ndarray, share: float) -> np.ndarray:
    return np.minimum(SAME_MM, share * np.sqrt(area))


def _twins(parts: list[Part], points: np.ndarray, area: np.ndarray) -> Iterable[Twins]:
    """Every part is with the first one that it lies on; so no chain of small differences makes a group."""
    allowed = _allowed(area, SAME_SHARE)
    first, second = _pairs(points, allowed)
    behind = mirrored(points)
    like: dict[int, list[tuple[int, float, bool]]] = {}
    for begin in range(0, len(first), PAIRS_AT_ONCE):
        a, b = first[begin : begin + PAIRS_AT_ONCE], second[begin : begin + PAIRS_AT_ONCE]
        plain, over = laid_on(points[a], points[b]).off_mm, laid_on(points[a], behind[b]).off_mm
        off, turned_over = np.minimum(plain, over), plain > allowed[a]
        for i in np.flatnonzero(off <= allowed[a]).tolist():
            like.setdefault(int(a[i]), []).append((int(b[i]), float(off[i]), bool(turned_over[i])))
    taken: set[int] = set()
    for seed in sorted(like):
        group = [one for one in like[seed] if one[0] not in taken]
        if seed in taken or not group:
            continue
        mine = [seed, *(other for other, _, _ in group)]
        taken.update(mine)
        woods = {(parts[i].material, parts[i].coat) for i in mine}
        keys = tuple(parts[i].key for i in mine)
        off = round(max(off for _, off, _ in group), 3)
        yield Twins(keys, any(over for _, _, over in group), off, len(woods) < len(mine))


def _pairs(points: np.ndarray, allowed: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Pairs that may lie on each other within what is allowed, the earlier one first. Where outlines begin and how they
    are turned changes but the phase of their spectrum, so its size bounds how near they can come."""
    spectrum = np.abs(np.fft.fft(points, axis=1)) / points.shape[1]
    low = np.concatenate([spectrum[:, : LOW + 1], spectrum[:, -LOW:]], axis=1)
    near = cKDTree(low).query_ball_point(low, allowed)
    first = np.repeat(np.arange(len(low)), [len(one) for one in near])
    second = np.fromiter((k for one in near for k in sorted(one)), int, len(first))
    later = second > first
    return first[later], second[later]


def _turned(parts: list[Part], points: np.ndarray, area: np.ndarray) -> Iterable[Turned]:
    allowed = _allowed(area, TURNED_SHARE)
    for part, ways, limit in zip(parts, turned(points), allowed.tolist(), strict=True):
        fits = [(off, deg) for deg, off in ways if off <= limit]
        if fits:
            degs = tuple(sorted({round(deg) for _, deg in fits}))
            yield Turned(part.key, degs, round(min(fits)[0], 3))
