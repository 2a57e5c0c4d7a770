"""All tasks of a composition with hands-on minutes and waits, and what each has to wait for."""

from dataclasses import dataclass

from ..assembly.glueup import GluePlan
from ..assembly.supplies import finishes
from ..saw.cuts import SawPlan
from ..work.composition import Composition


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
    divisible: bool = False
    """It can be put down and taken up again: the calendar cuts it by the windows one really has."""


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
    to_shape = job.left("shape")
    minutes = job.practice.shape_minutes * len(to_shape)
    shaped = job.add("shape", "Shape and sand", "assembly", minutes, 0.0, fitted, to_shape, "Dust mask and extraction.")
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

    def add(
        self, key, label, station, minutes, wait=0.0, after=(), pieces=None, caution="", in_one_go=False
    ) -> tuple[str, ...]:
        """A task; none where its pieces are all done (`pieces` empty), so that what follows waits for what came
        before."""
        if pieces is not None and not pieces:
            return tuple(after)
        work = tuple(pieces or ())
        self.tasks.append(Task(key, label, station, minutes, wait, tuple(after), work, caution, not in_one_go))
        return (key,)

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
    label = f"Print, cut out and paste {len(to_saw)} patterns"
    caution = "Spray adhesive: ventilate, no flame."
    after = job.add("paste", label, "pattern", 15 + 0.8 * len(to_saw), 5.0, (), to_saw, caution)
    for chapter in saw.chapters:
        pieces = tuple(key for key in chapter.pieces if key in to_saw)
        minutes = sum(job.minutes[k] for k in pieces)
        label = f"Saw with No. {chapter.blade.no}"
        caution = "Eye protection, dust mask, fingers beside the blade; unplug to change it."
        after = job.add(f"saw{chapter.number}", label, "saw", minutes, 0.0, after, pieces, caution)
    to_fit = job.left("shape")
    minutes = job.practice.fit_minutes * len(to_fit)
    after = job.add("fit", "Fit on the placement sheet", "assembly", minutes, 0.0, after, to_fit)
    shims = tuple(key for key in to_fit if job.pieces[key].shim_mm > 0)
    return job.add("shims", f"Cut {len(shims)} shims", "relief", 2.0 * len(shims), 0.0, after, shims)


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
            None, finish.caution,
        )  # fmt: skip
        glued = job.add("anchor-line", "Mark the anchor on the backer", "assembly", 5.0, 0.0, (*before, *backed))
    glued = _glued(job, glue, to_glue, glued)
    done = job.add("cure", "Take the clamps off, clean up", "assembly", 5.0, glue.glue.work_minutes, glued)
    done = job.finishing(done) if job.practice.finish_when == "after" else done
    job.add("hang", "Hanger, name on the back, photograph", "assembly", 20.0, 0.0, done)


def _glued(job: _Job, glue: GluePlan, to_glue: tuple[int, ...], after: tuple[str, ...]) -> tuple[str, ...]:
    """Batches that are clamped together; with a glue that is held by hand, one piece after the other."""
    waiting = set(to_glue)
    if glue.one_by_one:
        left = tuple(step.piece for step in glue.steps if step.piece in waiting)
        label = f"Glue {len(left)} piece{'s' if len(left) != 1 else ''} one by one, each held until it sets"
        minutes = glue.minutes_each(job.practice) * len(left)
        return job.add("glue1", label, "assembly", minutes, 0.0, after, left, glue.glue.caution)
    for number, batch in enumerate(glue.batches, 1):
        pieces = tuple(key for key in batch if key in waiting)
        label = f"Glue batch {number} of {len(glue.batches)}, {len(pieces)} piece{'s' if len(pieces) != 1 else ''}"
        minutes = 3 + glue.minutes_each(job.practice) * len(pieces)
        wait = glue.glue.clamp_minutes
        # glue that is out sets: a batch is laid in one go
        after = job.add(
            f"glue{number}", label, "assembly", minutes, wait, after, pieces, glue.glue.caution, in_one_go=True
        )
    return after
