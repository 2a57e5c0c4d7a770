"""All tasks of a composition with hands-on minutes and waits, and what each has to wait for."""

import math
from dataclasses import dataclass

from ..assembly.glueup import GluePlan
from ..assembly.supplies import finishes
from ..composition import Composition
from ..saw.cuts import SawPlan

LONGEST_SITTING = 60.0
"""Work that can be put down is cut into sittings of at most an hour, so that it fits short evenings."""


@dataclass(frozen=True, slots=True)
class Task:
    """`minutes` of hands, then `wait_minutes` in which nobody is needed; `after` are keys that must be done and dry."""

    key: str
    label: str
    station: str
    minutes: float
    wait_minutes: float = 0.0
    after: tuple[str, ...] = ()
    pieces: tuple[int, ...] = ()
    caution: str = ""


Done = frozenset[tuple[str, int]]
"""Steps done at the bench: (saw, shape or glue; piece key)."""


def tasks_of(composition: Composition, saw: SawPlan, glue: GluePlan, done: Done = frozenset()) -> tuple[Task, ...]:
    """What is left of the job, in an order in which it could be done one after another.

    Minutes beside sawing and glueing are common practice, no source.
    """
    job = _Job(composition, {cut.piece: cut.minutes for cut in saw.cuts}, done)
    if not saw.cuts:
        return ()
    fitted = _to_fitted(job, saw)
    shaped = job.sittings(
        "shape", "Shape and sand", "assembly", job.practice.shape_minutes * len(job.left("shape")), fitted,
        job.left("shape"), "Dust mask and extraction.",
    )  # fmt: skip
    _to_hung(job, glue, fitted, shaped)
    return tuple(job.tasks)


class _Job:
    """Tasks as they gather. Each method returns the keys that what comes next has to wait for."""

    def __init__(self, composition: Composition, minutes: dict[int, float], done: Done):
        self.practice, self.pieces = composition.practice, composition.in_hand.by_key
        self.minutes, self.done = minutes, done
        self.tasks: list[Task] = []

    def left(self, step: str) -> tuple[int, ...]:
        return tuple(key for key in self.minutes if (step, key) not in self.done)

    def add(self, key, label, station, minutes, wait=0.0, after=(), pieces=(), caution="") -> tuple[str, ...]:
        self.tasks.append(Task(key, label, station, minutes, wait, tuple(after), tuple(pieces), caution))
        return (key,)

    def sittings(self, key, label, station, minutes, after, pieces, caution="") -> tuple[str, ...]:
        """Long work cut into sittings that follow one another; none when no piece is left."""
        count = max(1, math.ceil(minutes / LONGEST_SITTING)) if pieces else 0
        share = math.ceil(len(pieces) / count) if count else 0
        for i in range(count):
            name = label if count == 1 else f"{label}, {i + 1} of {count}"
            part = pieces[i * share : (i + 1) * share]
            after = self.add(f"{key}-{i + 1}", name, station, minutes / count, 0.0, after, part, caution)
        return after

    def finishing(self, after: tuple[str, ...]) -> tuple[str, ...]:
        finish, coats = finishes()[self.practice.finish], self.practice.coats
        for coat in range(1, coats + 1):
            wait = finish.handle_minutes if coat == coats else finish.recoat_minutes
            label = f"{finish.name}, coat {coat} of {coats}"
            after = self.add(
                f"coat{coat}",
                label,
                "assembly",
                10 + 0.25 * len(self.minutes),
                wait,
                after,
                self.minutes,
                finish.caution,
            )
        return after


def _to_fitted(job: _Job, saw: SawPlan) -> tuple[str, ...]:
    """Patterns pasted, pieces sawn blade by blade, laid on the placement sheet and fitted, shims cut."""
    after: tuple[str, ...] = ()
    to_saw = job.left("saw")
    if to_saw:
        label = f"Print, cut out and paste {len(to_saw)} patterns"
        caution = "Spray adhesive: ventilate, no flame."
        after = job.add("paste", label, "pattern", 15 + 0.8 * len(to_saw), 5.0, (), to_saw, caution)
    for chapter in saw.chapters:
        pieces = tuple(key for key in chapter.pieces if key in to_saw)
        after = job.sittings(
            f"saw{chapter.number}", f"Saw with No. {chapter.blade.no}", "saw", sum(job.minutes[k] for k in pieces), after,
            pieces, "Eye protection, dust mask, fingers beside the blade; unplug to change it.",
        )  # fmt: skip
    to_fit = job.left("shape")
    minutes = job.practice.fit_minutes * len(to_fit)
    after = job.sittings("fit", "Fit on the placement sheet", "assembly", minutes, after, to_fit)
    shims = tuple(key for key in to_fit if job.pieces[key].shim_mm > 0)
    if shims:
        after = job.add("shims", f"Cut {len(shims)} shims", "relief", 2.0 * len(shims), 0.0, after, shims)
    return after


def _to_hung(job: _Job, glue: GluePlan, fitted: tuple[str, ...], shaped: tuple[str, ...]) -> None:
    """The backer, traced from the fitted pieces and drying while they are shaped; glue-up; finish; hanger."""
    finish = finishes()[job.practice.finish]
    to_glue = job.left("glue")
    begun = len(to_glue) < len(job.minutes)
    before = job.finishing(shaped) if job.practice.finish_when == "before" and not begun else shaped
    glued = before
    if not begun:
        backed = job.add("backer", "Trace and saw the backer, ease its edge", "assembly", 25.0, 0.0, fitted)
        backed = job.add(
            "backer-finish", f"{finish.name} on the back of the backer", "assembly", 10.0, finish.handle_minutes, backed,
            (), finish.caution,
        )  # fmt: skip
        glued = job.add("anchor-line", "Mark the anchor on the backer", "assembly", 5.0, 0.0, (*before, *backed))
    for number, batch in enumerate(glue.batches, 1):
        pieces = tuple(key for key in batch if key in to_glue)
        if pieces:
            label = f"Glue batch {number} of {len(glue.batches)}, {len(pieces)} pieces"
            minutes = 3 + job.practice.seconds_per_piece * len(pieces) / 60
            glued = job.add(
                f"glue{number}", label, "assembly", minutes, glue.glue.clamp_minutes, glued, pieces, glue.glue.caution
            )
    done = job.add("cure", "Take the clamps off, clean up", "assembly", 5.0, glue.glue.work_minutes, glued)
    done = job.finishing(done) if job.practice.finish_when == "after" else done
    job.add("hang", "Hanger, name on the back, photograph", "assembly", 20.0, 0.0, done)
