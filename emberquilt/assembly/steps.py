"""From sawn parts to a finished work: fit, shape, colour, glue, trim, finish, hang."""

from ..work.copies import in_copies, repeated_minutes
from ..work.parts import Job
from ..work.register import steps
from ..work.steps import Gathered, Step
from . import glue_steps  # noqa: F401  enters its own steps
from .coat_steps import put_on
from .finishing import AFTER

SHAPE_CAUTION = "Dust mask and extraction. A part too small to hold goes on a carrier."


@steps(at=30)
def fit(job: Job, plan, gathered: Gathered) -> None:
    """Fitted pieces on their placement sheet, layer by layer."""
    practice, sawn = job.composition.practice, set(plan.saw.pieces)
    several = len(job.composition.layers) > 1
    for layer in job.composition.layers:
        keys = [str(p.key) for p in layer.without_openings.pieces if p.key in sawn]
        if not layer.fitted or len(keys) < 2:
            continue
        parts = in_copies(keys, job.copies)
        share = repeated_minutes(practice, practice.fit_minutes * len(keys), job.copies) / len(parts)
        gathered.add(
            Step(
                f"fit-{layer.key}",
                "assembly",
                "fit",
                f"Fit {layer.name} on the placement sheet" if several else "Fit on the placement sheet",
                share * len(parts),
                parts,
                shares=(share,) * len(parts),
                why="all pieces of a layer must be there",
            )
        )


@steps(at=50)
def shape(job: Job, plan, gathered: Gathered) -> None:
    """Every piece shaped, the highest first."""
    practice, pieces = job.composition.practice, job.composition.by_key
    keys = sorted(plan.saw.pieces, key=lambda k: (-job.lifted_mm(pieces[k]), pieces[k].number))
    if not keys:
        return
    again = practice.shape_minutes * practice.repeat_share
    shares = tuple(practice.shape_minutes if n == 0 else again for _ in keys for n in range(job.copies))
    gathered.add(
        Step(
            "shape",
            "assembly",
            "shape",
            "Shape and sand",
            sum(shares),
            in_copies(map(str, keys), job.copies),
            each=True,
            shares=shares,
            caution=SHAPE_CAUTION,
            why="what stands out most first, the rest after it",
        )
    )


@steps(at=90)
def finish(job: Job, plan, gathered: Gathered) -> None:
    """The finish over all, where it comes last; rails and base; hanger, name, photograph."""
    practice = job.composition.practice
    cured = tuple(step.key for step in gathered.steps if step.verb == "cure")
    if not cured:
        return
    before = cured
    if job.rails or job.base:
        parts = in_copies((part.key for part in (*job.rails, *job.base)), job.copies)
        words = " and ".join(word for word, own in (("frame", job.rails), ("base", job.base)) if own)
        minutes = repeated_minutes(practice, 45.0 if job.rails else 15.0, job.copies, 10.0)
        step = Step(
            "mount",
            "assembly",
            "mount",
            f"Join the {words} and mount it",
            minutes,
            parts,
            plan.glue.glue.clamp_minutes,
            caution=plan.glue.glue.caution,
            why="it is measured on the work as it came out",
        )
        before = gathered.add(step, cured)
    before = put_on(job, gathered, {str(key) for key in plan.saw.pieces}, AFTER, before)
    minutes = repeated_minutes(practice, 20.0, job.copies)
    gathered.add(
        Step(
            "hang",
            "assembly",
            "hang",
            "Hanger, name on the back, photograph",
            minutes,
            why="the last thing, on a dry back",
        ),
        before,
    )
