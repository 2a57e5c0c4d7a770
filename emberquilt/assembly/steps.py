"""From sawn parts to a finished work: fit, shape, colour, glue, trim, finish, hang."""

from collections.abc import Iterable
from dataclasses import dataclass
from math import hypot

import shapely

from ..work.copies import in_copies, repeated_minutes
from ..work.parts import Job
from ..work.register import steps
from ..work.steps import Gathered, Step
from . import glue_steps  # noqa: F401  enters its own steps
from .alike import alike_of
from .coat_steps import put_on
from .finishing import AFTER
from .supplies import Supply, pace


@dataclass(frozen=True, slots=True)
class WayOff:
    """How a pattern comes off the wood: what it leaves, how long it keeps the wood from being sanded, and what to heed.
    Common practice, no source."""

    lines: tuple[str, ...]
    wait_minutes: float = 0.0
    caution: str = ""


WAYS_OFF = {
    "tape": WayOff(("Peel tape or film off with the paper on it, low and slowly; it leaves nothing",)),
    "heat": WayOff(
        (
            "Warm the paper until it slides; rub what is left off with a fingertip, and wipe it with spirits",
            "Spirits must be gone again before anything is sanded",
        ),
        30.0,
        "A heat gun burns skin and sets solvents alight: none in the room, nothing that drips near it.",
    ),
    "solvent": WayOff(
        (
            "Wet the paper with mineral spirits, wait until it slides, wipe the rest off",
            "Overnight before sanding: dust and spirits make a paste that fills the grain and clogs the paper",
        ),
        720.0,
        "Mineral spirits: fresh air, gloves, no flame; dry the rags flat outdoors.",
    ),
}
SOLVENT = Supply("spirits", "mineral spirits", least_c=5.0)
MINUTES_TO_PEEL = 0.25
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


@steps(at=45)
def paper(job: Job, plan, gathered: Gathered) -> None:
    """The patterns come off once all pieces are fitted and numbered on their backs."""
    practice, keys = job.composition.practice, [str(key) for key in plan.saw.pieces]
    if not keys:
        return
    way = WAYS_OFF[practice.paper_off]
    minutes = repeated_minutes(practice, MINUTES_TO_PEEL * len(keys), job.copies)
    wait = way.wait_minutes * pace(SOLVENT, practice.shop_c, practice.shop_humid)
    alike = alike_of(job)
    marked = len({*alike.twins_of, *alike.turned_of})
    lines = (f"Check the number on the back of {marked} parts first: they are easily mixed up",) if marked else ()
    gathered.add(
        Step(
            "paper-off",
            "assembly",
            "paper",
            "Take the patterns off",
            minutes,
            in_copies(keys, job.copies),
            wait,
            caution=way.caution,
            lines=(*lines, *way.lines),
            why="nothing is sanded through paper; what loosens it must be out of the wood first",
        )
    )


@steps(at=50)
def shape(job: Job, plan, gathered: Gathered) -> None:
    """Every piece shaped, the highest first."""
    practice, pieces = job.composition.practice, job.composition.by_key
    mine = (k for k in plan.saw.pieces if job.pieces[k].id.role != "profile" or k in job.fronts)
    keys = sorted(mine, key=lambda k: (-job.lifted_mm(pieces[k]), pieces[k].number))
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
        # nothing of it is glued: what comes out of a block stays apart
        cured = gathered.last(in_copies((key for cut in plan.saw.cuts for key in cut.frees), job.copies))
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
            lines=tuple(_squared(job)),
            why="it is measured on the work as it came out",
        )
        before = gathered.add(step, cured)
    before = put_on(job, gathered, plan.saw.made(job), AFTER, before)
    minutes = repeated_minutes(practice, 20.0, job.copies)
    gathered.add(
        Step(
            "hang",
            "assembly",
            "hang",
            "Name below, photograph" if job.composition.stands else "Hanger, name on the back, photograph",
            minutes,
            why="the last thing, on a dry back",
        ),
        before,
    )


def _squared(job: Job) -> Iterable[str]:
    """How a frame and a base are put together: square by the two diagonals, the base first."""
    say = job.composition.practice.say
    frame = job.composition.decisions.relief.rails
    if job.base:
        yield "The base first: all that stands on it is squared to it"
    if frame is None:
        return
    if frame.sides == 4:
        x0, y0, x1, y1 = shapely.total_bounds([part.outline for part in job.rails])
        across = hypot(x1 - x0, y1 - y0)
        yield f"Square when both diagonals are {say(across)} from outer corner to outer corner; push the longer one"
    else:
        yield "True when all diagonals through the middle are alike; push the longest"
    yield "A strap or tape all round presses every mitre at once; glue both ends, they drink"
