"""Steps of works that are not flat: a block cut square, taped together again, taken apart in its order."""

from ..work.copies import in_copies, repeated_minutes
from ..work.joints import joints_of, slots_of
from ..work.parts import USUAL_KERF_MM, Job
from ..work.register import steps
from ..work.steps import Gathered, Step
from .block import compounds_of

SQUARE_MINUTES, FREE_MINUTES, BORE_MINUTES = 12.0, 1.5, 8.0
"""To cut a block square and check it, to free one part, to bore: common practice, no source."""
CAUTION = "Eye protection, dust mask, fingers beside the blade; unplug to change it."


@steps(at=8)
def square(job: Job, plan, gathered: Gathered) -> None:
    """Before paper goes on it a block is cut exactly square; the template is folded round its edge."""
    say = job.composition.practice.say
    for part in job.blocks:
        if part.material not in job.composition.rack.shelf:
            continue
        block = next(b for b in job.composition.decisions.space.blocks if b.front == part.id.layer)
        faces = (job.composition.layer(key).without_openings for key in (block.front, block.side))
        keys = in_copies([part.key, *(str(p.key) for face in faces for p in face.pieces)], job.copies)
        gathered.add(
            Step(
                f"square-{part.key}",
                "stock",
                "square",
                f"Cut the {part.name} square: {say(block.wide_mm)} × {say(block.deep_mm)} × {say(block.long_mm)}",
                repeated_minutes(job.composition.practice, SQUARE_MINUTES, job.copies),
                keys,
                place="saw",
                caution="Eye and ear protection; a stop and a push block for short pieces; follow your saw's manual.",
                lines=(
                    "Measure both diagonals of each end: what is not square there is not square in the figure",
                    "Fold the two-face template on its line and lay the fold exactly on one edge; press it on",
                ),
                why="both faces are sawn from what stands square to the table",
            ),
            gathered.last(keys),
        )
        if block.dowel_mm:
            gathered.add(
                Step(
                    f"bore-{part.key}",
                    "stock",
                    "bore",
                    f"Bore the {part.name} along its length, {say(block.dowel_mm)}, at {say(block.dowel_x)} from the "
                    f"left and {say(block.dowel_z)} from the back",
                    repeated_minutes(job.composition.practice, BORE_MINUTES, job.copies),
                    keys,
                    place="drill",
                    caution="Clamp the block upright in a vice; lift the bit often to clear its chips.",
                    why="a bore through sawn parts would not run true",
                ),
                gathered.last(keys),
            )


TRY_MINUTES = 2.0
"""To try one joint and take a shaving off: common practice, no source."""


@steps(at=33)
def try_joints(job: Job, plan, gathered: Gathered) -> None:
    """Every tab is tried in its slot before there is glue on it: tight first, then wider by a blade's width."""
    joints = [joint for _, joint in joints_of(job.composition)]
    sawn = plan.saw.made(job)
    keys = list(dict.fromkeys(str(k) for joint in joints for k in (joint.tab, joint.slot) if str(k) in sawn))
    if not keys:
        return
    say = job.composition.practice.say
    kerfs = [cut.blade.kerf_mm for cut in plan.saw.cuts if cut.piece]
    kerf = max(kerfs, key=kerfs.count) if kerfs else USUAL_KERF_MM
    names = [
        f"{job.pieces[slot.takes].number} into {job.pieces[slot.piece].number}: the slot is {say(slot.wide_mm)}"
        for slot in slots_of(job.composition, job.thickness_mm)
    ]
    every = in_copies(keys, job.copies)
    gathered.add(
        Step(
            "try-joints",
            "assembly",
            "try",
            f"Try {len(joints)} joint{'s' if len(joints) > 1 else ''} dry, fronts to the front",
            repeated_minutes(job.composition.practice, TRY_MINUTES * len(joints), job.copies),
            every,
            lines=(
                f"Too tight: saw along one side of the slot once more, which takes {kerf:.2f} mm",
                "F on every pattern is the front: look before there is glue on it",
                *dict.fromkeys(names[:MOST_NAMED]),
            ),
            why="a slot can be made wider, never narrower",
        ),
        gathered.last(every),
    )


MOST_NAMED = 10


@steps(at=32)
def apart(job: Job, plan, gathered: Gathered) -> None:
    """After the second face the tape comes off and parts are freed in their order, numbered as they come."""
    for compound in compounds_of(job):
        front = job.composition.layer(compound.block.front).without_openings
        side = job.composition.layer(compound.block.side).without_openings
        sawn = {str(key) for key in plan.saw.pieces}
        keys = [str(p.key) for layer in (front, side) for p in layer.pieces if str(p.key) in sawn]
        if not keys:
            continue
        lines = tuple(
            f"{one.freed.turn}: {one.name}, {one.freed.words}" if one.freed.turn else f"{one.name} stays held"
            for one in compound.in_order
        )
        every = in_copies(keys, job.copies)
        gathered.add(
            Step(
                f"free-{compound.block.front}",
                "assembly",
                "free",
                f"Take the tape off and free {len(compound.fragments)} parts in their order",
                repeated_minutes(job.composition.practice, FREE_MINUTES * len(compound.fragments), job.copies),
                every,
                lines=lines,
                why="each slides out straight once what holds it is gone; together it goes backwards",
            ),
            gathered.last(every),
        )
