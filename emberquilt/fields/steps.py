"""Routing and pouring as steps, each with its caution."""

from ..colour import words_of
from ..work.copies import in_copies, repeated_minutes
from ..work.parts import USUAL_KERF_MM, Job
from ..work.register import steps
from ..work.steps import Gathered, Step
from .inlay import grounds_of
from .resin import MORE, USABLE, Batch, Pours, pours_of
from .routing import ROUND_MM, routings_of

ROUTER = (
    "Eye and ear protection, dust mask; both hands on the router, against the turn of the bit; clamp the board; "
    "unplug to change a bit."
)
RESIN = (
    "Read the label: its parts, pot life and safety sheet count, not these figures. Gloves, eye protection, air, no "
    "flame; a large warm cup sets at once and smokes."
)
FOUNDATION_MINUTES = 15.0
GAUGE_MINUTES, SEAL_MINUTES, LEVEL_MINUTES, AFTER_MINUTES = 2.0, 10.0, 5.0, 10.0
"""To make one gauge block, to seal a pool's rim, to level a work, to chase bubbles and cover it: common practice, no
source."""


@steps(at=15)
def rout(job: Job, plan, gathered: Gathered) -> None:
    """Before the outline is sawn: gauge blocks, then bit by bit, shallow before deep."""
    practice = job.composition.practice
    for routing in routings_of(job):
        if not routing.fields or routing.board.material not in job.composition.rack.shelf:
            continue
        board = in_copies([routing.board.key], job.copies)
        blocks = ", ".join(practice.say(mm) for mm in routing.gauges_mm)
        before = gathered.add(
            Step(
                f"gauges-{routing.board.key}",
                "relief",
                "gauge",
                f"Make {len(routing.gauges_mm)} depth blocks: {blocks}",
                GAUGE_MINUTES * len(routing.gauges_mm),
                lines=(
                    "Zero the bit on the face, set the stop on a block: the bit goes as deep as the block is thick",
                ),
                why="a depth that is set on a block is the same tomorrow",
            ),
            gathered.last(board),
        )
        for n, one in enumerate(routing.passes, 1):
            keys = in_copies([routing.board.key, *(str(f.piece) for f in one.fields)], job.copies)
            before = gathered.add(
                Step(
                    f"rout-{routing.layer}-{n}",
                    "relief",
                    "rout",
                    f"Rout {len(one.fields)} field{'s' if len(one.fields) > 1 else ''} with the {one.bit.name}",
                    repeated_minutes(practice, one.minutes, job.copies),
                    keys,
                    place="bench",
                    tools=(one.bit.name,),
                    caution=ROUTER,
                    lines=tuple(
                        f"{job.pieces[f.piece].number}: walls first, then the floor, "
                        + ", ".join(practice.say(mm) for mm in f.passes)
                        for f in one.fields
                    )[:12]
                    + (
                        f"Leave {practice.say(ROUND_MM)} of board all round: the base rides on it, it is sawn off last",
                    ),
                    why="shallow before deep, so that the face stays for the base to ride on",
                ),
                before,
            )


@steps(at=35)
def foundation(job: Job, plan, gathered: Gathered) -> None:
    """What a figure and its ground need between saw and glue: the outline kept as a locator, a foundation, a press."""
    kerfs = [cut.blade.kerf_mm for cut in plan.saw.cuts if cut.piece]
    sawn = plan.saw.made(job)
    for one in grounds_of(job, max(kerfs, key=kerfs.count) if kerfs else USUAL_KERF_MM):
        keys = [str(key) for key in (one.piece.key, *one.figure) if str(key) in sawn]
        if not keys:
            continue
        say, press = job.composition.practice.say, job.composition.practice.press
        every = in_copies(keys, job.copies)
        gathered.add(
            Step(
                f"foundation-{one.layer.key}",
                "assembly",
                "lay",
                "Lay the figure in its ground on the foundation",
                repeated_minutes(job.composition.practice, FOUNDATION_MINUTES, job.copies),
                every,
                lines=(
                    "Keep the outline that came out of the ground: laid back in, it shows where the figure goes",
                    f"The line between figure and ground is {say(one.border_mm)} long and opens by {say(one.gap_mm)}",
                    "The foundation is flat board with a veneer on its back, so that both sides pull alike",
                    f"Glue ground and figure in one go, {PRESSED[press]}; paper over the face keeps glue off the press",
                ),
                why="figure and ground are pressed together, or one stands proud of the other",
            ),
            gathered.last(every),
        )


PRESSED = {"weights": "under a board and weights", "veneer": "in the veneer press", "vacuum": "in the vacuum bag"}


@steps(at=85)
def pour(job: Job, plan, gathered: Gathered) -> None:
    """After the glue-up: sealed, level, colour by colour in cups that are empty in time, then covered."""
    pours = pours_of(job)
    if pours is None:
        return
    practice = job.composition.practice
    keys = in_copies(_rims(job, pours), job.copies)
    cured = tuple(step.key for step in gathered.steps if step.verb == "cure")
    floaters = sorted({job.pieces[k].number for one in pours.pools for k in one.floaters if k in job.pieces})
    lines = (
        "Brush glue or thin resin round the inside of every pool and a bead along its lower edge; let it set",
        "Pour a little water-clear resin first and wait ten minutes: what leaks shows from below",
        *([f"Set what stands in the pools first: {', '.join(map(str, floaters[:8]))}"] if floaters else []),
        "Lay the work level both ways, on blocks above paper",
    )
    before = gathered.add(
        Step(
            "seal-pools",
            "assembly",
            "seal",
            f"Seal {len(pours.pools)} pool{'s' if len(pours.pools) > 1 else ''}, lay the work level",
            repeated_minutes(practice, SEAL_MINUTES + LEVEL_MINUTES, job.copies),
            keys,
            60.0,
            lines=lines,
            caution=RESIN,
            why="resin finds every gap that glue left",
        ),
        (*cured, *gathered.last(keys)),
    )
    for batch in pours.batches:
        wait = pours.cure_minutes if _last_of_layer(pours, batch) else 20.0
        unit, many = batch.unit, len(batch.pieces)
        parts = f"{batch.resin:g} {unit} resin, {batch.hardener:g} {unit} hardener, {batch.colour_ml:g} ml colour"
        before = gathered.add(
            Step(
                f"pour-{batch.number}",
                "assembly",
                "pour",
                f"Pour {words_of(batch.colour)} resin into {many} pool{'s' if many > 1 else ''}: {batch.ml:.0f} ml",
                batch.minutes * job.copies + AFTER_MINUTES,
                keys,
                wait,
                divisible=False,
                place="bench",
                tools=("cups by volume", "scale", "gloves"),
                caution=RESIN,
                lines=(
                    f"For each copy: {parts}; {MORE:.0%} sticks to the cup",
                    f"Empty the cup within {USABLE * pours.pot_minutes:.0f} minutes: in a heap it sets sooner",
                    "Chase bubbles with a pass of warm air, pick out dust, cover it",
                ),
                why="lower rims first, light before dark: what runs over meets no other colour yet"
                if batch.layer == 1
                else "a deep pool is filled in layers, each solid before the next",
            ),
            before,
        )


def _rims(job: Job, pours: Pours) -> list[str]:
    """The parts round all pools, each once."""
    found: dict[str, None] = {}
    for one in pours.pools:
        layer = job.composition.home[one.piece]
        if layer.kind == "routed":
            found |= dict.fromkeys(board.key for board in job.boards if board.id.layer == layer.key)
        else:
            found |= dict.fromkeys(str(k) for k in layer.coverage.neighbours[one.piece] if k in job.pieces)
    return list(found)


def _last_of_layer(pours: Pours, batch: Batch) -> bool:
    later = [one for one in pours.batches if one.number > batch.number]
    return not later or later[0].layer != batch.layer
