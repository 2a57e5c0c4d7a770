"""What will go wrong at the saw."""

from ..findings import Finding, Fix, name_pieces
from ..work.parts import Job
from ..work.register import judgement
from .blades import ALL, INSIDE, OUTLINE, tight_corners
from .corners import DEEP_MM
from .cuts import SawPlan
from .holes import least_opening_mm

MOST_GROWTH_MM = 2.0
"""A row that grows by more than this no longer fits its backer or frame: common practice, no source."""


@judgement("saw", plan="saw")
def saw_findings(job: Job, plan: SawPlan) -> list[Finding]:
    """Pieces too small to hold, openings without a bit, corners no blade turns, rows that grow."""
    return [*_too_small(job), *_undrillable(job, plan), *_tight_corners(job, plan), *_row_growth(job, plan)]


def _too_small(job: Job) -> list[Finding]:
    composition, limit = job.composition, job.composition.practice.hold_mm
    across = {
        key: 2 * spot.radius_mm
        for layer in composition.layers
        for key, spot in layer.coverage.spots.items()
        if key in job.pieces
    }
    small = sorted((p for p in composition.made if across[p.key] < limit), key=lambda p: p.number)
    if not small:
        return []
    worst = min(across[p.key] for p in small)
    several = len(small) > 1
    named = name_pieces([p.number for p in small])
    say = composition.practice.say
    return [
        Finding(
            "too-small",
            "saw",
            f"{named} {'are' if several else 'is'} "
            f"{say(worst)}{' or little more' if several else ''} at the fattest: too "
            f"small to hold beside the blade. Stick {'them' if several else 'it'} to a carrier board; {say(limit)} is "
            "safe to hold.",
            "Thickest place of the piece (largest circle that fits) against what fingers can hold.",
            tuple(p.key for p in small),
            amount=round(worst, 1),
            limit=limit,
            unit="mm",
            fix=Fix("Saw on a carrier", "accept", {"reason": "sawn on a carrier board"}),
        )
    ]


def _undrillable(job: Job, plan: SawPlan) -> list[Finding]:
    say = job.composition.practice.say
    return [
        Finding(
            "no-bit-fits",
            "saw",
            f"An opening of {job.by_key[cut.part].name} is {say(hole.room_mm)} at its fattest: no bit fits that lets "
            f"{cut.blade.name} through, the least is {say(least_opening_mm(cut.blade))}. Widen it, or "
            "leave it a drilled hole.",
            "The bit leaves 0.5 mm of waste round it and is 0.1 mm wider than the blade. A finer blade is taken where "
            "one fits that still clears its dust in this thickness.",
            (cut.piece,) if cut.piece else (),
            (round(hole.x_mm, 2), round(hole.y_mm, 2)),
            amount=round(hole.room_mm, 1),
            limit=round(least_opening_mm(cut.blade), 1),
            unit="mm",
            by_place=True,
        )
        for cut in plan.cuts
        for hole in cut.holes
        if hole.bit_mm is None
    ]


def _tight_corners(job: Job, plan: SawPlan) -> list[Finding]:
    """Inner corners that a blade cannot turn, gathered by blade."""
    practice = job.composition.practice
    number = {p.key: p.number for p in job.composition.made}
    findings = []
    for blade in dict.fromkeys(cut.blade for cut in plan.cuts):
        radius = blade.line_mm(practice)
        left: dict[int, tuple[float, tuple[float, float]]] = {}
        for what in (ALL, INSIDE, OUTLINE):
            mine = [cut.part for cut in plan.cuts if cut.blade == blade and cut.piece and cut.what == what]
            left |= {int(key): rest for key, rest in tight_corners(job, radius, mine, what).items()}
        if not left:
            continue
        keys = sorted(left, key=lambda key: number[key])
        worst = max(keys, key=lambda key: left[key][0])
        several = len(keys) > 1
        findings.append(
            Finding(
                "tight-corner",
                "saw",
                f"{'Inner corners' if several else 'An inner corner'} of {name_pieces([number[k] for k in keys])} "
                f"{'are' if several else 'is'} tighter than {blade.name} turns ({practice.say(radius)} at the line): "
                f"{practice.say(left[worst][0])} would be left standing{f' in {number[worst]}' if several else ''}. "
                "Saw in from both sides.",
                "The blade's width in its own kerf bounds the radius it can follow; the wall of "
                "an inner corner lies half "
                "a kerf farther out. A finer blade is taken where it would turn.",
                tuple(keys),
                left[worst][1],
                amount=round(left[worst][0], 2),
                limit=DEEP_MM,
                unit="mm",
                fix=Fix("Saw in from both sides", "accept", {"reason": "sawn into from both sides"}),
            )
        )
    return findings


def _row_growth(job: Job, plan: SawPlan) -> list[Finding]:
    say, stacked = job.composition.practice.say, job.composition.practice.fit == "stack"
    advice = (
        "Cut together in a pack it cannot be sanded away: a finer blade leaves less, or saw each beside the line."
        if stacked
        else "Saw beside the line and sand to it."
    )
    return [
        Finding(
            "row-growth",
            "saw",
            f"Each joint opens by {say(plan.gap_mm)}; over {row.joints} joints in the longest row that is "
            f"{say(row.growth_mm)}. {advice}",
            "On the line, and in a pack, every joint opens by one kerf, and the kerfs add up along a row.",
            amount=round(row.growth_mm, 1),
            limit=MOST_GROWTH_MM,
            unit="mm",
            layer=row.layer,
            fix=Fix("Saw beside the line", "practice", {"fit": "beside"}),
        )
        for row in plan.rows
        if row.growth_mm >= MOST_GROWTH_MM
    ]
