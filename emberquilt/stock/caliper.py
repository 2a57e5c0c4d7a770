"""True thickness: what the caliper says of a milled stretch or a sheet goes into heights, shims, backer and blades."""

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from ..constants import MM_PER_INCH
from ..errors import BadChoice
from ..findings import Finding, Fix
from ..practice import Practice
from ..work.change import Edit
from ..work.copies import any_copy
from ..work.on_boards import Lying, on_boards
from ..work.parts import Job, Part
from .leaves import MEASURED_MM, is_sheet
from .milling import Stretch, milling_of

TOLD_MM = 0.15
"""A caliper and a thickness that differ by less agree."""
THINNEST_MM, THICKEST_MM = 0.4, 120.0
SHEETS = ("shim", "spacer")


def stretch_of(job: Job, key: str) -> tuple[str, Stretch] | None:
    """The board and stretch that a part lies on."""
    place = job.composition.placements.get(key)
    if place is None:
        return None
    for stretch in milling_of(job).stretches.get(place.board, ()):
        if key in stretch.parts:
            return place.board, stretch
    return None


def measured(job: Job, board: str, stretch: Stretch, mm: float) -> Edit:
    """Everything on a stretch, or a sheet, that measures so much once it is milled. Raises `BadChoice` where sanding
    leaves nothing of it."""
    composition, say = job.composition, job.composition.practice.say
    sheet = is_sheet(composition.rack, composition.rack.by_name[board].wood)
    made = round(mm if sheet else mm - composition.practice.sanding_mm, 4)
    if made < THINNEST_MM:
        raise BadChoice(f"{say(mm)} leaves nothing once {say(composition.practice.sanding_mm)} are sanded off.")
    parts = [one.part for one in stretch.lying if one.key not in stretch.thinner]
    return _so_thick(job, parts, made, f"{board} measured {say(mm)}")


def _so_thick(job: Job, parts: Iterable[Part], mm: float, words: str) -> Edit:
    """Pieces get that thickness of their own; the practice of this work what lies under them."""
    pieces: dict[int, dict[str, Any]] = {}
    practice = job.composition.practice
    changed: dict[str, Any] = {}
    for part in parts:
        if part.id.in_any_copy.isdecimal():
            if job.composition.by_key[part.id.piece].thickness_mm != mm:
                pieces[part.id.piece] = {"thickness_mm": mm}
        elif part.role == "backer" and practice.backer_mm != mm:
            changed["backer_mm"] = mm
        elif part.role in SHEETS:
            changed |= _sheets(practice, part.thickness_mm, mm)
            for key in job.carried.get(part.id.in_any_copy, ()):
                # a shim of one sheet that somebody put under a piece is that sheet
                given = job.composition.by_key[key].shim_mm
                if given and abs(given - part.thickness_mm) <= TOLD_MM / 10:
                    pieces[key] = {"shim_mm": mm}
    composition = {"practice": practice.changed(**changed).as_dict()} if changed else {}
    return Edit(words, pieces, composition)


def _sheets(practice: Practice, was_mm: float, mm: float) -> Mapping[str, Any]:
    """The sheets at hand with this one as it measures."""
    nearest = min(practice.shims_mm, key=lambda sheet: abs(sheet - was_mm))
    if abs(nearest - was_mm) > MEASURED_MM or nearest == mm:
        return {}
    return {"shims_mm": tuple(sorted({mm, *(sheet for sheet in practice.shims_mm if sheet != nearest)}))}


def off_the_caliper(job: Job) -> list[Finding]:
    """Sheets that measure otherwise than what lies on them is reckoned with, and boards that are thinner."""
    rack, found = job.composition.rack, []
    for name, lying in on_boards(job).items():
        board = rack.by_name[name]
        for part_mm, some in _by_thickness(lying).items():
            sheet = is_sheet(rack, board.wood)
            off = board.thickness_mm - part_mm
            wrong = abs(off) > TOLD_MM if sheet else -off > TOLD_MM
            if wrong and abs(off) <= MEASURED_MM and some[0].part.material == board.wood:
                found.append(_off(job, name, board.thickness_mm, part_mm, some, sheet))
    return found


def _by_thickness(lying: Iterable[Lying]) -> dict[float, list[Lying]]:
    table: dict[float, list[Lying]] = {}
    for one in lying:
        table.setdefault(round(one.part.thickness_mm, 3), []).append(one)
    return table


def _off(job: Job, board: str, mm: float, part_mm: float, some: list[Lying], sheet: bool) -> Finding:
    practice = job.composition.practice
    first = some[0]
    pieces = tuple(dict.fromkeys(one.part.id.piece for one in some if any_copy(one.key).isdecimal()))
    count = f"{len(some)} parts on it are" if len(some) > 1 else f"{first.part.name} on it is"
    measured = mm if sheet else mm + practice.sanding_mm
    say = _fine(practice)
    return Finding(
        "caliper",
        "stock",
        f"{board} measures {say(mm)}, and {count} reckoned as {say(part_mm)}: heights, shims and blades go by that.",
        "The caliper's thickness of the board on the rack, beside the thickness of what lies on it.",
        pieces,
        amount=round(abs(mm - part_mm), 2),
        limit=TOLD_MM,
        unit="mm",
        part=first.key if not pieces else f"{board}-{part_mm:g}",
        fix=Fix("Go by the caliper", "caliper", {"part": first.key, "length": f"{measured:.3f} mm"}),
    )


def _fine(practice: Practice) -> Callable[[float], str]:
    """As a caliper shows it: fractions of an inch are too coarse for that."""
    return lambda mm: f"{mm:.1f} mm" if practice.unit == "mm" else f"{mm / MM_PER_INCH:.3f} in"
