"""What the dry fit changed: how much was sanded off which piece where, and by how much the whole became smaller."""

from collections.abc import Iterable, Mapping

import numpy as np
import shapely

from ..keys import pairs_in
from ..outline.coverage import Coverage
from .composition import Composition
from .decisions import Fit

ROWS = 24
"""Straight rows and columns that are looked along in each layer."""


def fits_of(composition: Composition) -> tuple[Fit, ...]:
    """All that was found in the dry fit, worked out once for each state of the work."""
    kept = composition.__dict__.get("_fits")
    if kept is None:
        decided = composition.decisions.assembly
        right = tuple(Fit(a, b, "ok", copy=n) for n, text in decided.right.items() for a, b in pairs_in(text))
        kept = composition.__dict__["_fits"] = (*decided.fits, *right)
    return kept


def off_at(composition: Composition, key: int, copy: int = 0) -> dict[int, float]:
    """What has been sanded off a piece, by the neighbour it was for; of one copy, or the most of any (0)."""
    found: dict[int, float] = {}
    for fit in fits_of(composition):
        if fit.sanded == key and copy in (0, fit.copy):
            other = fit.b if fit.a == key else fit.a
            found[other] = max(found.get(other, 0.0), fit.off_mm)
    return found


def sanded_mm(composition: Composition) -> dict[int, float]:
    """The most that has been sanded off a side of each piece, of those that were sanded."""
    table: dict[int, float] = {}
    for fit in fits_of(composition):
        if fit.sanded and fit.off_mm:
            table[fit.sanded] = max(table.get(fit.sanded, 0.0), fit.off_mm)
    return table


def narrowed_mm(coverage: Coverage, off: Mapping[tuple[int, int], float]) -> float:
    """By how much the laid pieces are narrower than drawn along the row or column on which most was sanded off, by
    seam."""
    seams = [(off[seam.a, seam.b], seam.line) for seam in coverage.seams if off.get((seam.a, seam.b))]
    if not seams:
        return 0.0
    lines = np.array([line for _, line in seams], object)
    mm = np.array([one for one, _ in seams])
    return max(float(mm[shapely.intersects(lines, row)].sum()) for _, row in rows_of(coverage))


def rows_of(coverage: Coverage) -> Iterable[tuple[bool, shapely.LineString]]:
    """Straight rows of a coverage, and columns, which are told by True."""
    left, top, right, bottom = coverage.bounds_mm
    for share in ((np.arange(ROWS) + 0.5) / ROWS).tolist():
        y, x = top + share * (bottom - top), left + share * (right - left)
        yield False, shapely.LineString([(left, y), (right, y)])
        yield True, shapely.LineString([(x, top), (x, bottom)])


def off_by_seam(composition: Composition) -> dict[tuple[int, int], float]:
    """What has been sanded off at each seam, the most of any copy."""
    table: dict[tuple[int, int], float] = {}
    for fit in fits_of(composition):
        if fit.off_mm:
            table[fit.a, fit.b] = max(table.get((fit.a, fit.b), 0.0), fit.off_mm)
    return table


def found_at(composition: Composition, one: int, other: int, copy: int = 1) -> Fit | None:
    """What was said of the seam of two pieces, None for nothing."""
    low, high = min(one, other), max(one, other)
    return next((f for f in fits_of(composition) if (f.a, f.b, f.copy) == (low, high, copy)), None)
