"""A part that broke: glued, patched, or made again, by how it broke and whether it will show."""

from collections.abc import Mapping
from dataclasses import dataclass

from ..assembly.bonds import bonds_of
from ..assembly.supplies import glue_of
from ..rack.coats import coat_of
from ..saw.cuts import SawPlan
from ..units import format_minutes
from ..work.copies import any_copy
from ..work.parts import Job

HOWS = {
    "along": "split along the grain",
    "across": "snapped across the grain",
    "chip": "a chip off its edge",
    "crumbled": "in splinters",
    "gap": "it does not fit",
    "wrong": "the wrong wood, way or face",
    "lost": "it is lost",
}
"""How a part comes to be made again, or glued."""
GLUE, PATCH, REMAKE = "glue", "patch", "remake"
SOON_MINUTES = 10.0
"""What is sawn within this is sooner made again than hidden: own choice."""
UNSEEN_MM2 = 1.0
HIDES = ("paint",)
"""Coats that hide a glue line."""


@dataclass(frozen=True, slots=True)
class Mend:
    """What to do: glue it, patch it, or make it again; `why`, how in `lines`, and how long it is held and left."""

    what: str
    why: str
    lines: tuple[str, ...] = ()

    @property
    def keeps(self) -> bool:
        """The part is not sawn again."""
        return self.what != REMAKE


def mend_of(job: Job, saw: SawPlan, key: str, how: str) -> Mend:
    """What to do about a part that broke `how`."""
    shows = _shows(job, key)
    sawn = _sawing_minutes(saw, any_copy(key))
    again = f"sawing it again takes about {format_minutes(sawn)}" if sawn else "it is made again"
    if how in ("gap", "wrong", "lost", "crumbled"):
        return Mend(REMAKE, {"crumbled": "splinters do not close", "gap": "wood cannot be put on"}.get(how, again))
    if how == "along":
        return Mend(GLUE, "a split along the grain closes to a line that hardly shows", _glued(job, "wood", True))
    if how == "across":
        if not shows:
            return Mend(GLUE, "the break will not be seen", _glued(job, "ca", False))
        if sawn and sawn <= SOON_MINUTES:
            return Mend(REMAKE, f"a break across the grain shows as a line, and {again}")
        if not _lies_wide(job, key):
            return Mend(REMAKE, "nothing lies under it that would hold a break across the grain")
        return Mend(
            GLUE, f"what it lies on holds it; the line will show a little, and {again}", _glued(job, "ca", False)
        )
    if not shows:
        words = "Sawdust of the same wood and wood glue, pressed in, sanded flush when it is hard"
        return Mend(PATCH, "a patch will not be seen here", (words,))
    return Mend(
        GLUE if sawn > SOON_MINUTES else REMAKE,
        "a patch of sawdust would show; the chip itself closes, if you have it" if sawn > SOON_MINUTES else again,
        _glued(job, "ca", False) if sawn > SOON_MINUTES else (),
    )


def mends_of(job: Job, saw: SawPlan, key: str) -> Mapping[str, Mend]:
    """For every way to break what to do."""
    return {how: mend_of(job, saw, key, how) for how in HOWS}


def _shows(job: Job, key: str) -> bool:
    """The part is seen from the front, and not under a coat that hides lines."""
    name = any_copy(key)
    part = job.by_key[name]
    seen = job.seen_of.get(part.id.piece) if name.isdecimal() else None
    return seen is not None and seen.area > UNSEEN_MM2 and coat_of(part.coat).kind not in HIDES


def _lies_wide(job: Job, key: str) -> bool:
    """It is glued to what lies under it over half of its face."""
    name = any_copy(key)
    return job.once("faces glued", lambda: _faces_glued(job)).get(name, 0.0) >= job.by_key[name].area_mm2 / 2


def _faces_glued(job: Job) -> dict[str, float]:
    """How much of each part's face is glued to what lies under it (mm2)."""
    table: dict[str, float] = {}
    for bond in bonds_of(job):
        if bond.kind == "face":
            table[bond.b] = table.get(bond.b, 0.0) + bond.area_mm2
    return table


def _sawing_minutes(saw: SawPlan, key: str) -> float:
    cut = saw.by_part.get(key)
    return cut.first_minutes if cut is not None else 0.0


def _glued(job: Job, code: str, clamped: bool) -> tuple[str, ...]:
    glue = glue_of(code, job.composition.practice)
    lines = ["Both faces as they broke: do not sand them, they find each other"]
    if clamped:
        lines.append(f"{glue.name}, rubbed together, taped on both faces; {format_minutes(glue.clamp_minutes)} in tape")
    else:
        lines.append(f"{glue.name}, one drop, held {format_minutes(max(glue.clamp_minutes, 0.5))}")
    lines.append(f"Work on it after {format_minutes(glue.work_minutes)}; wipe what squeezes out before it sets")
    return tuple(lines)
