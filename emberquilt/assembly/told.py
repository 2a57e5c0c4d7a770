"""Gluing in words, as cards and tickets say it."""

from ..work.parts import Job
from .clamping import CLAMPS, HAND, NOTHING, Hold, hold_of
from .glueup import Batch, GluePlan, GlueStep
from .insertion import draft_of
from .squeeze import squeezed_out
from .supplies import TEASPOON_ML, glue_of

DROP_ML = 0.05


def spoken(job: Job, key: str) -> str:
    """What a part is called: a sheet of several by the name of its layer."""
    composition = job.composition
    if key.isdecimal() and len(composition.layers) > 1:
        layer = composition.home[int(key)]
        if len(layer.without_openings.pieces) == 1:
            return layer.name
    return job.by_key[key].name


def glue_order(plan: GluePlan) -> dict[str, int]:
    """When each part of one copy goes down, counted from 1, by its key; what the rest is laid on comes first."""
    order: dict[str, int] = {}
    for n, step in enumerate(plan.steps, 2):
        brings = plan.by_assembly[step.whole].all_parts if step.whole else (step.part,)
        for key in (*step.under, *brings):
            order[key] = n
    return order


ALIGNING = {
    "lines": (
        "Draw two centre lines on the backer and on the placement sheet; they meet where the work's middle is",
        "Draw round the anchor where it lies: all else is laid against it",
    ),
    "template": (
        "Print the template and saw each opening a blade's width outside its line: parts drop through it",
        "Lay it on washers, clear of the backer, and lift it off before what squeezes out sets",
    ),
    "pins": ("Drill two holes of 1.5 mm through parts and what they lie on while all lies dry; pins go through both",),
    "outline": ("The dark outlines that stayed on are the frame: each part drops into its own",),
    "hinges": ("Tape the part along one side while it lies dry, fold it back, spread the glue, fold it down",),
    "light": ("Lay the placement sheet on glass over a lamp and glue up on it: the lines show through",),
}
"""How parts find their place under wet glue, by practice: common practice, no source."""


def amount_words(ml: float) -> str:
    """An amount of glue as one measures it at the bench."""
    if ml < TEASPOON_ML / 4:
        drops = max(1, round(ml / DROP_ML))
        return f"{drops} drop{'s' if drops > 1 else ''}"
    spoons = ml / TEASPOON_ML
    return f"{ml:.0f} ml, {spoons:.1f} teaspoons" if spoons < 8 else f"{ml:.0f} ml"


def hold_words(hold: Hold) -> str:
    """What presses a batch, in one sentence part."""
    if hold.how == CLAMPS:
        told = [f"{n} {kind} clamp{'s' if n > 1 else ''}" for kind in ("spring", "screw") if (n := hold.count(kind))]
        return f"{', then '.join(told)}: {hold.why}"
    if hold.weights or hold.bags:
        count = hold.weights or hold.bags
        what = "weight" if hold.weights else "sand bag"
        return f"{count} {what}{'s' if count > 1 else ''}, {hold.why}"
    return hold.why


def glue_lines(job: Job, plan: GluePlan, row: GlueStep, batch: Batch) -> list[str]:
    """How one part, or one sub-assembly, is glued: with what, how much, where, what presses it."""
    practice, glue = job.composition.practice, glue_of(row.glue, job.composition.practice)
    lines = []
    if row.bonds:
        area = f"{practice.say_area(row.area_mm2)} of glue, {amount_words(glue.ml(row.area_mm2))}"
        if row.under and row.area_mm2 > row.own_mm2:
            area += ", with what goes under it"
        lines.append(
            f"{glue.name}: {area}" if not glue.is_tape else f"{glue.name} on {practice.say_area(row.area_mm2)}"
        )
    if row.piece in job.composition.decisions.assembly.sealed:
        lines.append("Glue over the whole face, up to every edge: nothing that is poured may get under it")
    if row.closed and row.piece and (draft := draft_of(job, row.piece)):
        lines.append(
            f"Its edges slope under by {draft:g}°: it drops in from above" if draft > 0 else "Press it in from below"
        )
    if glue.held_by_hand:
        lines.append("Press it down" if glue.is_tape else "Hold it until it sets")
        return lines
    several = len([one for one in plan.batches_of[batch.assembly] if not one.whole]) > 1
    lead = f"Batch {batch.number}: all of it laid" if several or len(batch.steps) > 1 else "Laid"
    lines.append(f"{lead} within {glue.open_minutes:.2g} min of the first drop")
    if row is batch.steps[0]:
        lines.append("Waxed paper under it, and between it and what presses")
    if squeezed := squeezed_out(job, batch):
        names = ", ".join(dict.fromkeys(spoken(job, key) for key in squeezed))
        lines.append(f"Keep glue back from the edge on {names}: what squeezes out would be seen")
    hold = hold_of(job, plan, batch)
    if hold.how not in (NOTHING, HAND):
        slides = (
            f", after {glue.tack_minutes:.2g} min, or it slides" if glue.tack_minutes and hold.how == CLAMPS else ""
        )
        lines.append(f"{hold_words(hold)[:1].upper()}{hold_words(hold)[1:]}{slides}")
    return lines
