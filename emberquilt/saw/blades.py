"""Which blade saws which part, and why: by the school for its wood, finer where a corner or an opening asks for it."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
import shapely

from ..outline.coverage import Coverage, largest_circle
from ..practice import Practice
from ..rack.blades import DETAIL_STEPS, Blade, blades_of, choose_blade, finer_blades
from ..work.parts import Job
from .blanks import Blank
from .corners import Rest, corner_rests
from .holes import least_opening_mm

ALL, INSIDE, OUTLINE = "all", "inside", "outline"
"""What of a part a cut is about: everything, its openings, or what is left of its outline once they are sawn."""
SPIRAL_SIZE = 5
"""Of the spiral blade that takes over where the work cannot be turned: met from 3 mm to just under 50 mm. Common
practice, no source."""
KIND_WHY = {
    "reverse": "its last teeth point up, the underside stays clean",
    "crown": "turned over when it is dull it cuts again",
    "spiral": "it cuts whichever way the work is pushed, and leaves a rougher wall",
    "pinned": "its pins want a hole of 5 mm",
}
Asked = tuple[str, str]
"""A part and what of it."""


@dataclass(frozen=True, slots=True)
class Pick:
    """A blade, and why it is the one."""

    blade: Blade
    why: str


def picks_of(job: Job, blanks: Iterable[Blank]) -> dict[Asked, Pick]:
    """For each cut its blade. A part whose openings want a finer one than its outline has two cuts."""
    practice = job.composition.practice
    alike: dict[tuple[float, float], list[str]] = {}
    for blank in blanks:
        alike.setdefault((blank.thickness_mm, blank.hardness_lbf), []).extend(blank.leads)
    picks: dict[Asked, Pick] = {}
    for (thickness_mm, hardness_lbf), leads in alike.items():
        usual = choose_blade(practice, thickness_mm, hardness_lbf)
        finer = finer_blades(practice, usual, thickness_mm)
        open_ones = [key for key in leads if _has_openings(job, key)]
        outer = _by_corners(job, leads, finer, OUTLINE)
        inner = _by_corners(job, open_ones, finer, INSIDE)
        for key in open_ones:
            inner[key] = _through_openings(job, key, inner[key], practice, thickness_mm)
        for key in leads:
            chosen = _decided(job, key)
            one = chosen or Pick(outer[key], _why(practice, outer[key], usual, "an inner corner of its outline"))
            if key not in inner or chosen is not None or inner[key] == outer[key]:
                picks[key, ALL] = one
            else:
                picks[key, INSIDE] = Pick(inner[key], _why(practice, inner[key], usual, "its openings"))
                picks[key, OUTLINE] = one
    return picks


def _why(practice: Practice, blade: Blade, usual: Blade, what: str) -> str:
    school = {
        "thickness": "by thickness and hardness",
        "teeth": "6 to 10 teeth in the cut",
        "one": "one size for everything",
    }[practice.blade_school]
    why = school if blade == usual else f"finer than No. {usual.no} for {what}"
    return f"{why}; {KIND_WHY[blade.kind]}" if blade.kind in KIND_WHY else why


def _decided(job: Job, key: str) -> Pick | None:
    if not key.isdecimal():
        return None
    saw, table = job.composition.decisions.saw, blades_of(job.composition.practice)
    if int(key) in saw.spiral:
        near = min(table, key=lambda b: abs(b.size - SPIRAL_SIZE))
        return Pick(replace(near, kind="spiral"), "a spiral blade: the work need not be turned")
    blade = next((b for b in table if b.no == saw.blades.get(int(key))), None)
    return Pick(blade, "your choice") if blade else None


def _has_openings(job: Job, key: str) -> bool:
    return any(part.interiors for part in shapely.get_parts(job.by_key[key].outline))


def _by_corners(job: Job, keys: list[str], blades: tuple[Blade, ...], where: str) -> dict[str, Blade]:
    """The usual blade, or the first finer one that turns the tightest inner corner there. A corner that none turns is
    sawn from both sides with the usual one."""
    practice = job.composition.practice
    found = dict.fromkeys(keys, blades[0])
    waiting = keys
    for blade in blades[: DETAIL_STEPS + 1]:
        if not waiting:
            break
        left = tight_corners(job, blade.line_mm(practice), waiting, where)
        found |= {key: blade for key in waiting if key not in left}
        waiting = [key for key in waiting if key in left]
    return found


def _through_openings(job: Job, key: str, blade: Blade, practice: Practice, thickness_mm: float) -> Blade:
    """The blade, or a finer one that the holes of all openings let through; the first where none goes."""
    least = job.once(("least opening", key), lambda: _least_opening(job, key))
    table = blades_of(practice)
    for one in (blade, *(b for b in reversed(table) if b.width_mm < blade.width_mm)):
        fits = least_opening_mm(one) <= least + 1e-9
        if fits and (one == blade or one in finer_blades(practice, blade, thickness_mm)):
            return one
    return blade


def _least_opening(job: Job, key: str) -> float:
    """Across the fattest spot of the part's smallest opening."""

    def across(outline: shapely.Geometry) -> float:
        rings = [shapely.Polygon(ring) for part in shapely.get_parts(outline) for ring in part.interiors]
        return min((2 * largest_circle(ring).radius_mm for ring in rings), default=0.0)

    if key.isdecimal():
        return job.composition.home[int(key)].coverage.of(int(key), "least opening", across)
    return across(job.by_key[key].outline)


def tight_corners(
    job: Job, radius_mm: float, keys: Iterable[str], where: str = ALL
) -> dict[str, tuple[float, tuple[float, float]]]:
    """Of these parts those with inner corners tighter than the radius: how much is left standing, and where."""
    found: dict[str, tuple[float, tuple[float, float]]] = {}
    by_layer: dict[int, list[int]] = {}
    bare = []
    for key in keys:
        if key.isdecimal():
            by_layer.setdefault(job.composition.home[int(key)].key, []).append(int(key))
        else:
            bare.append(key)
    if radius_mm <= 0:
        return found
    for layer, pieces in by_layer.items():
        found |= {
            str(key): rest for key, rest in _rests(job.composition.layer(layer).coverage, radius_mm, pieces, where)
        }
    if bare:
        rests = _rests_where(radius_mm, where, [], np.array([job.by_key[key].outline for key in bare]))
        found |= {key: rest for key, rest in zip(bare, rests, strict=True) if rest is not None}
    return found


def _rests(coverage: Coverage, radius_mm: float, keys: list[int], where: str) -> Iterable[tuple[int, Rest]]:
    table = coverage.each(("corners", where, round(radius_mm, 4)), partial(_rests_where, radius_mm, where), keys)
    return ((key, rest) for key in keys if (rest := table[key]) is not None)


def _rests_where(radius_mm: float, where: str, keys: list[int], outlines: np.ndarray) -> list[Rest | None]:
    if where == OUTLINE:
        outlines = np.array([_filled(outline) for outline in outlines])
    elif where == INSIDE:
        outlines = np.array([_frame(outline) for outline in outlines])
    return corner_rests(radius_mm, keys, outlines)


def _filled(outline: shapely.Geometry) -> shapely.Geometry:
    return shapely.multipolygons([shapely.Polygon(part.exterior) for part in shapely.get_parts(outline)])


def _frame(outline: shapely.Geometry) -> shapely.Geometry:
    """What lies round the openings alone."""
    x0, y0, x1, y1 = outline.bounds
    rings = [ring for part in shapely.get_parts(outline) for ring in part.interiors]
    return shapely.Polygon(shapely.box(x0 - 1, y0 - 1, x1 + 1, y1 + 1).exterior, rings)
