"""What is wrong behind the work: pieces without support, a backer that bows or comes apart, panels that move, a frame
too shallow, no place for a hanger."""

import math

from ..findings import Finding, Fix, name_pieces
from ..work.parts import ROOM_MM, Job
from .frame import LIP_THICK_MM
from .hanging import HANGERS, NEEDS_MM
from .heights import Relief
from .movement import Movement, across_mm, change_mm, equilibrium_moisture

BOW_SPANS = ((300.0, 3.0), (600.0, 6.0), (900.0, 9.0), (math.inf, 12.0))
"""Longest side of a backer and the least thickness of sheet that stays flat on a wall: common practice, no source."""
MOVES_MM = 1.0
"""A panel that moves by more than this must be let to: own choice."""
BROAD_MM = 150.0
"""Narrower than this a part is no panel: own choice."""
SHALLOW_MM = 0.05
SOLID = ("hardwood", "softwood", "exotic")


def back_findings(job: Job, plan: Relief) -> list[Finding]:
    """All of them, in the order of the work."""
    return [
        *_bodies(job),
        *_support(job, plan),
        *_bow(job),
        *_movement(job),
        *_frame(job, plan),
        *_hanger(job, plan),
    ]


def _bodies(job: Job) -> list[Finding]:
    """Why there are several backers."""
    if len(job.grounds) < 2 or job.rear is None:
        return []
    practice, bodies = job.composition.practice, job.rear.without_openings.coverage.outside
    apart = getattr(bodies, "geoms", [bodies])
    if len(apart) > 1:
        gap = min(a.distance(b) for i, a in enumerate(apart) for b in list(apart)[:i])
        why = f"the picture is in {len(apart)} bodies, {practice.say(gap)} apart, and one would show between them"
    else:
        why = f"its margin of {practice.say(practice.backer_inset_mm)} parts it at a neck"
    return [
        Finding(
            "several-backers",
            "relief",
            f"{len(job.grounds)} backers: {why}. Each hangs by itself, or a frame or a bar behind joins them.",
            "A backer keeps inside what it carries.",
            tuple(p.key for p in job.rear.without_openings.pieces),
            amount=len(job.grounds),
            limit=1,
        )
    ]


def _support(job: Job, plan: Relief) -> list[Finding]:
    weak = [one for one in plan.supports if not one.holds]
    if not weak:
        return []
    practice = job.composition.practice
    keys = tuple(sorted({one.part.id.piece for one in weak}))
    worst = min(weak, key=lambda one: (one.share, one.end_share))
    numbers = sorted(job.composition.by_key[key].number for key in keys)
    return [
        Finding(
            "little-support",
            "relief",
            f"{name_pieces(numbers)} {'have' if len(keys) > 1 else 'has'} too little backer under "
            f"{'them' if len(keys) > 1 else 'it'}: {worst.part.name} lies on it with {worst.share:.0%}"
            + (f", one end with {worst.end_share:.0%}" if worst.end_share < 1 else "")
            + f". Make its margin less than {practice.say(practice.backer_inset_mm)}.",
            "A piece needs half of itself on the backer, a long one something under both ends.",
            keys,
            amount=round(worst.share, 3),
            limit=0.5,
            fix=_narrower(practice.backer_inset_mm),
        )
    ]


def _narrower(inset_mm: float) -> Fix | None:
    half = round(inset_mm / 2, 2)
    return Fix("Halve the margin", "practice", {"backer_inset_mm": half}) if half >= 0.5 else None


def _bow(job: Job) -> list[Finding]:
    practice = job.composition.practice
    found = []
    for ground in job.grounds:
        left, top, right, bottom = ground.outline.bounds
        span = max(right - left, bottom - top)
        least = next(mm for most, mm in BOW_SPANS if span <= most)
        if ground.thickness_mm >= least - SHALLOW_MM:
            continue
        say = practice.say
        found.append(
            Finding(
                "backer-bows",
                "relief",
                f"The {ground.name} is {say(span)} long and {say(ground.thickness_mm)} thick: sheet of that length "
                f"bows under {say(least)}. Take {say(least)}, or glue it down under weights.",
                "Glue on one side only bends thin sheet.",
                amount=ground.thickness_mm,
                limit=least,
                unit="mm",
                part=ground.key,
                fix=Fix(f"Backer of {say(least)}", "practice", {"backer_mm": least}),
            )
        )
    return found


def movements_of(job: Job) -> list[Movement]:
    """Of sheets, backers and the base of solid wood, between the driest and the dampest air of the practice."""
    practice, shelf = job.composition.practice, job.composition.rack.shelf
    dry, damp = (equilibrium_moisture(h) for h in sorted((practice.humid_low, practice.humid_high)))
    found = []
    for part in job.of_one:
        wood = shelf.get(part.material)
        broad = part.role in ("sheet", "backer", "base") and not part.outline.is_empty
        if wood is None or wood.kind not in SOLID or not broad or not (wood.c_tangential or wood.c_radial):
            continue
        across = across_mm(part.outline, part.grain_deg)
        moves = change_mm(across, wood.c_tangential or wood.c_radial or 0.0, dry, damp)
        found.append(Movement(part.key, across, moves))
    return found


def _movement(job: Job) -> list[Finding]:
    """Broad parts of solid wood, the one that moves most named."""
    broad = [one for one in movements_of(job) if one.across_mm >= BROAD_MM and one.moves_mm >= MOVES_MM]
    if not broad:
        return []
    practice, shelf = job.composition.practice, job.composition.rack.shelf
    worst = max(broad, key=lambda one: one.moves_mm)
    part = job.by_key[worst.part]
    count = f"{len(broad)} parts of solid wood move, most of all" if len(broad) > 1 else "A part of solid wood moves:"
    return [
        Finding(
            "panel-moves",
            "relief",
            f"{count} {part.role}{f' {part.number}' if part.number else ''} of {shelf[part.material].name.lower()}, "
            f"{practice.say(worst.across_mm)} across the grain, by {worst.moves_mm:.1f} mm between "
            f"{practice.humid_low:g} and {practice.humid_high:g} % humidity. Glue it along its middle third only, "
            "screw it through slots, leave that much in a rabbet, or take sheet goods.",
            "Wood swells and shrinks across its grain; glued fast all over it cracks or bends.",
            tuple(job.by_key[one.part].id.piece for one in broad if job.by_key[one.part].id.piece),
            amount=round(worst.moves_mm, 3),
            limit=MOVES_MM,
            unit="mm",
            part="" if part.id.piece else part.key,
        )
    ]


def _frame(job: Job, plan: Relief) -> list[Finding]:
    frame, rails = plan.frame, job.composition.decisions.relief.rails
    if frame is None or rails is None or rails.rabbet_mm <= 0 or frame.has_mm >= frame.rabbet_deep_mm - SHALLOW_MM:
        return []
    say = job.composition.practice.say
    thinner = rails.thickness_mm <= job.ground_mm
    why = "it is thinner than the backer alone" if thinner else f"a rabbet in it can be {say(frame.has_mm)} deep"
    need = frame.rabbet_deep_mm + LIP_THICK_MM
    return [
        Finding(
            "frame-shallow",
            "relief",
            f"The frame is {say(rails.thickness_mm)} thick: {why}, and the work needs {say(frame.rabbet_deep_mm)} with "
            f"{say(ROOM_MM)} behind it. Take stock of {say(need)}, or build its sides up of strips.",
            "What is deeper than its rabbet stands out behind the frame.",
            amount=frame.has_mm,
            limit=frame.rabbet_deep_mm,
            unit="mm",
            part="rail-1",
            fix=Fix("Build it of strips", "rails", {"built": "strips"}),
        )
    ]


def _hanger(job: Job, plan: Relief) -> list[Finding]:
    found = [
        Finding(
            "no-hanger",
            "relief",
            words,
            "It hangs straight only from the vertical through its centre of mass.",
            part=f"hanger-{n}",
            fix=Fix("Let it stand", "hanger", {"hanger": "stand"}),
        )
        for n, words in enumerate(plan.hanging.said, 1)
        if "no place" in words
    ]
    say = job.composition.practice.say
    for hanger in plan.hanging.hangers:
        needs = NEEDS_MM.get(hanger.kind, 0.0)
        if hanger.behind_mm < needs - SHALLOW_MM:
            found.append(
                Finding(
                    "hanger-thin",
                    "relief",
                    f"Where the {HANGERS[hanger.kind]} sits there are {say(hanger.behind_mm)} of wood; it needs "
                    f"{say(needs)}. Take another kind, or glue a block behind.",
                    "Screws or a slot must not come out at the front.",
                    point_mm=(hanger.x_mm, hanger.y_mm),
                    amount=hanger.behind_mm,
                    limit=needs,
                    unit="mm",
                    by_place=True,
                )
            )
    return found
