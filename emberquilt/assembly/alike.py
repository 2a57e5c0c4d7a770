"""Parts that are easily taken for each other, or for themselves turned: found from their outlines, so that they can be
marked before they are off the pattern."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from itertools import islice

import numpy as np
from scipy.spatial import cKDTree

from ..lazy import lazy
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

    @lazy
    def twins_of(self) -> dict[str, Twins]:
        """For each part those among which it is taken for another."""
        return {key: one for one in self.twins for key in one.parts}

    def others(self, key: str, most: int) -> list[str]:
        """Some of those that a part is taken for."""
        group = self.twins_of.get(key)
        return list(islice((k for k in group.parts if k != key), most)) if group else []

    @lazy
    def turned_of(self) -> dict[str, Turned]:
        return {one.part: one for one in self.turned}

    def warning(self, job: Job, key: str) -> str:
        """What to heed with this part, empty for nothing."""
        told = []
        if others := self.others(key, 3):
            names = ", ".join(job.by_key[other].name for other in others)
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
    """Every part is with the first one that it lies on; so no chain of small differences makes a group, and what is
    with another already is compared with nothing more."""
    allowed = _allowed(area, SAME_SHARE)
    behind = mirrored(points)
    taken: set[int] = set()
    near = _near(points, allowed)
    for seed in range(len(parts)):
        # one at a time: of thousands that are all alike each is near to every other
        others = [] if seed in taken else [k for k in near(seed) if k > seed and k not in taken]
        if not others:
            continue
        mine = np.broadcast_to(points[seed], (len(others), points.shape[1]))
        plain, over = laid_on(mine, points[others]).off_mm, laid_on(mine, behind[others]).off_mm
        off = np.minimum(plain, over)
        fits = np.flatnonzero(off <= allowed[seed])
        if not len(fits):
            continue
        group = [seed, *(others[i] for i in fits)]
        taken.update(group)
        woods = {(parts[i].material, parts[i].coat) for i in group}
        turned_over = bool((plain[fits] > allowed[seed]).any())
        keys = tuple(parts[i].key for i in group)
        yield Twins(keys, turned_over, round(float(off[fits].max()), 3), len(woods) < len(group))


def _near(points: np.ndarray, allowed: np.ndarray) -> Callable[[int], list[int]]:
    """Gives for a part those that may lie on it within what is allowed, in their order. Where outlines begin and how
    they are turned changes but the phase of their spectrum, so its size bounds how near they can come."""
    spectrum = np.abs(np.fft.fft(points, axis=1)) / points.shape[1]
    low = np.concatenate([spectrum[:, : LOW + 1], spectrum[:, -LOW:]], axis=1)
    tree = cKDTree(low)
    return lambda part: sorted(tree.query_ball_point(low[part], allowed[part]))


def _turned(parts: list[Part], points: np.ndarray, area: np.ndarray) -> Iterable[Turned]:
    allowed = _allowed(area, TURNED_SHARE)
    for part, ways, limit in zip(parts, turned(points), allowed.tolist(), strict=True):
        fits = [(off, deg) for deg, off in ways if off <= limit]
        if fits:
            degs = tuple(sorted({round(deg) for _, deg in fits}))
            yield Turned(part.key, degs, round(min(fits)[0], 3))
