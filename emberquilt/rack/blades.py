"""Blades: the generic table, which one a practice takes, and how tight it turns."""

from dataclasses import dataclass, replace
from functools import cache

from ..constants import MM_PER_INCH
from ..practice import BladeRow, Practice
from .woods import data_rows

KERF_PER_THICKNESS = 1.35
"""Set and wander widen the cut beyond the blade: common practice, no source."""
SPIRAL_KERF = 0.93
"""A spiral No. 5 cuts about 0.9 mm: common practice, no source."""
PASS_MM = 0.1
"""The bit must be this much wider than the blade for it to pass: common practice, no source."""
PIN_HOLE_MM = 5.0
KIND_WORDS = {"reverse": "reverse", "crown": "crown-tooth", "spiral": "spiral", "pinned": "with pins"}
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
    kind: str = "plain"
    at_hand: int = 0

    @property
    def name(self) -> str:
        """“No. 5”, with its kind where that is not the usual one."""
        return f"No. {self.no}" + ("" if self.kind == "plain" else f" {KIND_WORDS[self.kind]}")

    @property
    def kerf_mm(self) -> float:
        # a spiral blade is twisted: it cuts as wide as the flat one is broad, near enough
        return SPIRAL_KERF * self.width_mm if self.kind == "spiral" else KERF_PER_THICKNESS * self.thickness_mm

    @property
    def passes_mm(self) -> float:
        """The narrowest hole it can be threaded through."""
        return PIN_HOLE_MM if self.kind == "pinned" else self.width_mm + PASS_MM

    @property
    def tightest_mm(self) -> float:
        """Smallest radius the middle of the kerf follows without the blade twisting: r in what follows.

        Geometry: a blade of width w and thickness t stands in a curved kerf k with c = k - t to spare:
        r >= (w^2/4 + c^2)/(2c) - k/2.
        """
        if self.kind == "spiral":
            # it cuts in every direction, and turns on the spot
            return 0.0
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

    def line_mm(self, practice: Practice) -> float:
        """Smallest radius of an inner corner of the drawn line as this practice saws: the kerf's middle runs so far
        beside it, in the waste."""
        return max(0.0, self.tightest_mm + practice.offset_mm(self.kerf_mm))

    def teeth_in_cut(self, thickness_mm: float) -> float:
        return thickness_mm / MM_PER_INCH * self.teeth_per_inch


def blades_of(practice: Practice) -> tuple[Blade, ...]:
    """The blades of a shop, fine to coarse, of the kind it usually mounts."""
    return _table(practice.blades, practice.blade_kind)


@cache
def _table(rows: tuple[BladeRow, ...] | None, kind: str) -> tuple[Blade, ...]:
    if rows is None:
        return tuple(replace(blade, kind=kind) for blade in blades())
    return tuple(
        Blade(no, _size(no, n), width, thick, teeth, kind, count)
        for n, (no, width, thick, teeth, count) in enumerate(rows)
    )


def table_text(practice: Practice) -> str:
    """The table as it is typed, one blade a line: number, width and thickness in mm, teeth per inch, how many are at
    hand."""
    return "\n".join(
        f"{b.no}: {b.width_mm:g} {b.thickness_mm:g} {b.teeth_per_inch:g} {b.at_hand}" for b in blades_of(practice)
    )


def _size(no: str, place: int) -> int:
    """Of a number as it is written on the packet: 2/0 is finer than 0. Where it says none, its place in the table."""
    digits, _, zero = no.partition("/")
    if not digits.isdecimal():
        return place
    return 1 - int(digits) if zero == "0" else int(digits)


@cache
def blades() -> tuple[Blade, ...]:
    """The usual table, fine to coarse."""
    return tuple(
        Blade(r["no"], int(r["size"]), float(r["width_mm"]), float(r["thickness_mm"]), float(r["teeth_per_inch"]))
        for r in data_rows("blades.csv")
    )


def choose_blade(practice: Practice, thickness_mm: float, hardness_lbf: float) -> Blade:
    """The blade this practice usually takes for a thickness and a hardness, whatever the path. With less than the least
    teeth in the cut it is a finer one, in every school."""
    table = blades_of(practice)
    if practice.blade_school == "one":
        position = min(range(len(table)), key=lambda i: abs(table[i].size - practice.one_blade))
    elif practice.blade_school == "teeth":
        position = min(range(len(table)), key=lambda i: abs(table[i].teeth_in_cut(thickness_mm) - TEETH_WANTED))
    else:
        steps = ((4.5, 1), (9, 3), (15, 5), (22, 5), (1e9, 7))
        size = next(size for upto, size in steps if thickness_mm <= upto)
        position = min(range(len(table)), key=lambda i: (abs(table[i].size - size), i))
        position = min(position + (1 if hardness_lbf >= HARD_LBF else 0), len(table) - 1)
    while position and table[position].teeth_in_cut(thickness_mm) < LEAST_TEETH:
        position -= 1
    return table[position]


def finer_blades(practice: Practice, usual: Blade, thickness_mm: float) -> tuple[Blade, ...]:
    """Blades that this practice would take for a tighter path, from the usual one on: up to two sizes finer, none with
    more teeth in the cut than clear their dust."""
    table = blades_of(practice)
    if practice.blade_school == "one":
        return (usual,)
    most = MOST_TEETH_SCHOOL if practice.blade_school == "teeth" else MOST_TEETH
    place = table.index(usual)
    finer = table[max(0, place - DETAIL_STEPS) : place][::-1]
    return (usual, *(b for b in finer if b.teeth_in_cut(thickness_mm) <= most))
