"""Blades: the generic table, which one a practice takes, and how tight it turns."""

from dataclasses import dataclass
from functools import cache

from ..constants import MM_PER_INCH
from ..practice import Practice
from .woods import data_rows

KERF_PER_THICKNESS = 1.35
"""Set and wander widen the cut beyond the blade: common practice, no source."""
HARD_LBF = 1000
DETAIL_STEPS = 2
TEETH_WANTED = 8.0
"""Middle of the school of 6 to 10 teeth in the cut."""
MOST_TEETH_SCHOOL = 10.0
LEAST_TEETH = 2.0
"""With fewer teeth in the wood the blade catches and tears. Met at the finest: No. 2 in 3 mm maple, 2.4. Common
practice."""
MOST_TEETH = 14.0
"""With more the dust does not get out and the blade burns or wanders. Met: No. 5 in 25 mm butternut, 13.8; No. 2 in 19
mm would be 15. Common practice, no source."""


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
        """Smallest radius the middle of the kerf follows without the blade twisting: r in what follows.

        Geometry: a blade of width w and thickness t stands in a curved kerf k with c = k - t to spare:
        r >= (w^2/4 + c^2)/(2c) - k/2.
        """
        spare = self.kerf_mm - self.thickness_mm
        return (self.width_mm**2 / 4 + spare**2) / (2 * spare) - self.kerf_mm / 2

    @property
    def inner_wall_mm(self) -> float:
        """Smallest radius of a wall on the outer side of the turn, as in an inner corner of a piece sawn beside its
        line: the kerf lies in the waste, so the wall is half a kerf farther out, r + k/2."""
        return self.tightest_mm + self.kerf_mm / 2

    @property
    def outer_wall_mm(self) -> float:
        """Smallest radius of a wall on the inner side of the turn, r - k/2. Round an outer corner the blade may also
        swing out through the waste, so nothing is ever lost there."""
        return max(0.0, self.tightest_mm - self.kerf_mm / 2)

    def line_mm(self, fit: str) -> float:
        """Smallest radius of an inner corner of the drawn line for a way to saw: on the line the kerf's middle follows
        it, beside the line its wall does."""
        return self.inner_wall_mm if fit == "beside" else self.tightest_mm

    def teeth_in_cut(self, thickness_mm: float) -> float:
        return thickness_mm / MM_PER_INCH * self.teeth_per_inch


@cache
def blades() -> tuple[Blade, ...]:
    """The table, fine to coarse."""
    return tuple(
        Blade(r["no"], int(r["size"]), float(r["width_mm"]), float(r["thickness_mm"]), float(r["teeth_per_inch"]))
        for r in data_rows("blades.csv")
    )


def choose_blade(practice: Practice, thickness_mm: float, hardness_lbf: float) -> Blade:
    """The blade this practice usually takes for a thickness and a hardness, whatever the path."""
    table = blades()
    if practice.blade_school == "one":
        return min(table, key=lambda b: abs(b.size - practice.one_blade))
    if practice.blade_school == "teeth":
        return min(table, key=lambda b: abs(b.teeth_in_cut(thickness_mm) - TEETH_WANTED))
    steps = ((4.5, 1), (9, 3), (15, 5), (22, 5), (1e9, 7))
    size = next(size for upto, size in steps if thickness_mm <= upto)
    position = next(i for i, b in enumerate(table) if b.size == size)
    position = min(position + (1 if hardness_lbf >= HARD_LBF else 0), len(table) - 1)
    while position and table[position].teeth_in_cut(thickness_mm) < LEAST_TEETH:
        position -= 1
    return table[position]


def finer_blades(practice: Practice, usual: Blade, thickness_mm: float) -> tuple[Blade, ...]:
    """Blades that this practice would take for a tighter path, from the usual one on: up to two sizes finer, none with
    more teeth in the cut than clear their dust."""
    table = blades()
    if practice.blade_school == "one":
        return (usual,)
    most = MOST_TEETH_SCHOOL if practice.blade_school == "teeth" else MOST_TEETH
    place = table.index(usual)
    finer = table[max(0, place - DETAIL_STEPS) : place][::-1]
    return (usual, *(b for b in finer if b.teeth_in_cut(thickness_mm) <= most))
