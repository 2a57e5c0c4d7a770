"""Blades: the generic table, which one a practice takes, and how tight it turns."""

from dataclasses import dataclass
from functools import cache

from ..constants import MM_PER_INCH
from ..practice import Practice
from ..rack.woods import data_rows

KERF_PER_THICKNESS = 1.35
"""Set and wander widen the cut beyond the blade: common practice, no source."""
HARD_LBF = 1000
DETAIL_STEPS = 2
TEETH_WANTED = 8.0
"""Middle of the school of 6 to 10 teeth in the cut."""


@dataclass(frozen=True, slots=True)
class Blade:
    no: str
    size: int
    width_mm: float
    thickness_mm: float
    teeth_per_inch: float

    @property
    def kerf_mm(self) -> float:
        return KERF_PER_THICKNESS * self.thickness_mm

    @property
    def tightest_mm(self) -> float:
        """Smallest radius the middle of the kerf follows without the blade twisting.

        Geometry: a blade of width w and thickness t stands in a curved kerf k with c = k - t to spare:
        r >= (w^2/4 + c^2)/(2c) - k/2.
        """
        spare = self.kerf_mm - self.thickness_mm
        return (self.width_mm**2 / 4 + spare**2) / (2 * spare) - self.kerf_mm / 2

    def teeth_in_cut(self, thickness_mm: float) -> float:
        return thickness_mm / MM_PER_INCH * self.teeth_per_inch


@cache
def blades() -> tuple[Blade, ...]:
    """The table, fine to coarse."""
    return tuple(
        Blade(r["no"], int(r["size"]), float(r["width_mm"]), float(r["thickness_mm"]), float(r["teeth_per_inch"]))
        for r in data_rows("blades.csv")
    )


def choose_blade(practice: Practice, thickness_mm: float, hardness_lbf: float, detail: bool = False) -> Blade:
    """The blade this practice takes for a thickness and a hardness; two sizes finer for tight detail."""
    table = blades()
    if practice.blade_school == "one":
        return min(table, key=lambda b: abs(b.size - practice.one_blade))
    if practice.blade_school == "teeth":
        return min(table, key=lambda b: abs(b.teeth_in_cut(thickness_mm) - TEETH_WANTED))
    steps = ((4.5, 1), (9, 3), (15, 5), (22, 5), (1e9, 7))
    size = next(size for upto, size in steps if thickness_mm <= upto)
    position = next(i for i, b in enumerate(table) if b.size == size)
    harder = 1 if hardness_lbf >= HARD_LBF else 0
    finer = DETAIL_STEPS if detail else 0
    return table[min(max(position + harder - finer, 0), len(table) - 1)]
