"""What lies in a pack or a stack: in which order, how it is held together, what comes out of it and what it saves.
Common practice, no source."""

from dataclasses import dataclass

import shapely

from ..work.parts import Job
from .cuts import SawPlan
from .minutes import feed_mm_per_minute

THIN_MM = 4.0
"""Sheets up to here are held by hot glue in the waste of their corners, and tape round the edge."""
PINS_MM = 20.0
"""A thicker pack gets pins through its waste as well."""


@dataclass(frozen=True, slots=True)
class PackTold:
    """One blank of several sheets. `woods` from below upwards; `held` how it is fastened; `gives` what comes out;
    `saves_minutes` against sawing each sheet by itself; `kerf_mm` stands between parts that swap their places."""

    blank: int
    woods: tuple[str, ...]
    thickness_mm: float
    opens_mm: float
    teeth: float
    held: tuple[str, ...]
    gives: str
    saves_minutes: float
    kerf_mm: float


def packs_of(job: Job, plan: SawPlan) -> tuple[PackTold, ...]:
    """Every blank in which sheets lie on each other."""
    return tuple(_told(job, plan, at) for at, blank in enumerate(plan.blanks) if blank.stack > 1 and plan.of_blank(at))


def _told(job: Job, plan: SawPlan, at: int) -> PackTold:
    blank, cuts = plan.blanks[at], plan.of_blank(at)
    shelf, practice = job.composition.rack.shelf, job.composition.practice
    codes = blank.woods or tuple(dict.fromkeys(job.by_key[key].material for key in blank.parts))
    # the softest lies below: there the blade tears most, and it is the first to be seen on no face
    woods = sorted((code for code in codes if code in shelf), key=lambda code: shelf[code].hardness_lbf)
    sheet = blank.thickness_mm / blank.stack
    alone = sum(cut.length_mm for cut in cuts) / feed_mm_per_minute(practice, sheet, blank.hardness_lbf) * blank.stack
    together = sum(cut.length_mm for cut in cuts) / feed_mm_per_minute(practice, blank.thickness_mm, blank.hardness_lbf)
    handling = practice.minutes_per_cut * len(cuts) * (blank.stack - 1)
    pictures = f"{blank.stack} pictures, every one of all woods" if blank.pack else f"{len(blank.parts)} parts"
    return PackTold(
        at,
        tuple(shelf.name(code) for code in woods),
        blank.thickness_mm,
        practice.opens_mm,
        min(cut.teeth_in_cut for cut in cuts),
        _held(job, plan, at, sheet),
        pictures,
        (alone - together + handling) * cuts[0].pace,
        max(cut.blade.kerf_mm for cut in cuts),
    )


def _held(job: Job, plan: SawPlan, at: int, sheet_mm: float) -> tuple[str, ...]:
    """How the sheets are held together until the last part is free."""
    blank, practice = plan.blanks[at], job.composition.practice
    outlines = [job.by_key[key].outline for key in blank.leads]
    small = sum(2 * shapely.maximum_inscribed_circle(one).length < 2 * practice.hold_mm for one in outlines)
    ways = []
    if blank.out_of_one:
        return ("double-sided tape over the whole face: both come out of one tilted cut",)
    if sheet_mm <= THIN_MM:
        ways.append("hot glue on the corners, in the waste: warmed again it lets go")
    ways.append("tape round the edge")
    if small:
        ways.append(f"double film, or tape with CA between, under the {small} small part{'' if small == 1 else 's'}")
    if blank.thickness_mm > PINS_MM:
        ways.append("pins through the waste, well away from every line")
    return tuple(ways)
