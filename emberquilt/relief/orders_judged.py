"""What is wrong with what was said of depth: circles, heights that were set against orders, steps too small or large,
a depth that does not suffice."""

from collections.abc import Iterable, Sequence

from ..findings import Finding, Fix, name_pieces
from ..keys import keys_in
from ..work.composition import Composition
from ..work.parts import Job
from ..work.standing import said_pairs

TELLS_MM = 0.02
"""A step is judged as far as a caliper tells."""
MOST_TOLD = 12


def order_findings(job: Job) -> list[Finding]:
    """All of them, those that no heights can obey first."""
    return [*_circles(job), *_clashes(job), *_bevelled(job), *_depth(job), *_steps(job)]


def spoken(composition: Composition, run: str) -> str:
    """Pieces of an order in words: a whole part by its name, else numbers."""
    pieces = [composition.by_key[key] for key in keys_in(run) if key in composition.by_key]
    parts = {p.part for p in pieces}
    if len(pieces) > 1 and len(parts) == 1 and "" not in parts:
        return parts.pop()
    return name_pieces(sorted(p.number for p in pieces), 3)


def _said(composition: Composition, said: int) -> str:
    order = composition.decisions.relief.orders[said]
    between = " level with " if order.level else " in front of "
    return spoken(composition, order.front) + between + spoken(composition, order.behind)


def _keys(composition: Composition, sayings: Iterable[int]) -> tuple[int, ...]:
    keys: dict[int, None] = {}
    for said in sayings:
        order = composition.decisions.relief.orders[said]
        keys |= dict.fromkeys((*keys_in(order.front), *keys_in(order.behind)))
    return tuple(keys)


def circle_numbers(job: Job) -> list[list[int]]:
    """Of every circle the sentences that make it, in the order of the circle."""
    return [list(dict.fromkeys(r.said for r in around)) for around in job.standing.circles]


def uncounted(job: Job) -> set[int]:
    """Sentences that do not count, because they close a circle or heights rule them out."""
    return {max(said) for said in circle_numbers(job)} | {r.said for r in job.standing.clashes}


def _circles(job: Job) -> list[Finding]:
    found = []
    for said in circle_numbers(job)[:MOST_TOLD]:
        last = max(said)
        words = ", ".join(_said(job.composition, one) for one in said)
        end = f"The last said was {_said(job.composition, last)}; until it is settled that one does not count."
        others = [one for one in said if one != last]
        found.append(
            Finding(
                "circle",
                "relief",
                f"A circle: {words}. No heights can obey all of them. {end}" if others else f"{words}: it cannot be.",
                "What stands in front of something cannot stand behind it as well.",
                _keys(job.composition, said),
                amount=len(said),
                fix=Fix("Drop the last", "drop_order", {"orders": last}),
                more=tuple(
                    Fix(f"Drop {_said(job.composition, one)}", "drop_order", {"orders": one}) for one in others[:3]
                ),
            )
        )
    return found


def _clashes(job: Job) -> list[Finding]:
    composition, practice = job.composition, job.composition.practice
    found = []
    for said in dict.fromkeys(r.said for r in job.standing.clashes):
        order = composition.decisions.relief.orders[said]
        keys = (*keys_in(order.front), *keys_in(order.behind))
        set_by_hand = [k for k in keys if k in composition.decisions.relief.tops or _given(composition, k)]
        why = "Heights or stock set by hand do not allow it" if set_by_hand else "Other heights do not allow it"
        found.append(
            Finding(
                "order-not-kept",
                "relief",
                f"{_said(composition, said)} cannot be kept. {why}; steps go from "
                f"{practice.say(practice.least_step_mm)} to {practice.say(practice.greatest_step_mm)}.",
                "What was set by hand stays; an order that it rules out is left out.",
                keys,
                fix=Fix("Let their heights follow", "follow", {"pieces": list(keys)}) if set_by_hand else None,
                more=(Fix("Drop the order", "drop_order", {"orders": said}),),
            )
        )
    return found[:MOST_TOLD]


def _bevelled(job: Job) -> list[Finding]:
    """Orders that a bevelled piece does not keep: it stands as high as it slides."""
    composition, practice = job.composition, job.composition.practice
    bevels = composition.decisions.relief.bevels
    if not bevels:
        return []
    told = uncounted(job)
    top = job.standing.top_mm
    found = []
    for said, front, behind, level in said_pairs(composition):
        if level or said in told or not bevels.keys() & {*front, *behind}:
            continue
        step = min(top(k) for k in front) - max(top(k) for k in behind)
        if step < practice.least_step_mm - TELLS_MM:
            found.append(
                Finding(
                    "order-not-kept",
                    "relief",
                    f"{_said(composition, said)} is not kept: a bevel lifts by {practice.say(max(step, 0.0))}. Let it "
                    "rise farther, or take the bevel back.",
                    "A bevelled piece stands as high as it slides in what it is sawn out of.",
                    (*front, *behind),
                    amount=step,
                    limit=practice.least_step_mm,
                    unit="mm",
                    more=(Fix("Drop the order", "drop_order", {"orders": said}),),
                )
            )
    return found[:MOST_TOLD]


def _given(composition: Composition, key: int) -> bool:
    p = composition.by_key.get(key)
    return p is not None and (p.thickness_mm is not None or p.shim_mm > 0)


def _depth(job: Job) -> list[Finding]:
    composition, practice = job.composition, job.composition.practice
    limit = composition.decisions.relief.depth_mm
    if not limit or job.depth_mm <= limit + TELLS_MM:
        return []
    highest = sorted((p for p in job.pieces.values() if p.top_mm > limit + TELLS_MM), key=lambda p: p.number)
    return [
        Finding(
            "too-deep",
            "relief",
            f"The work is {practice.say(job.depth_mm)} deep, backer included; it may be {practice.say(limit)}. "
            f"{name_pieces([p.number for p in highest])} stand{'s' if len(highest) == 1 else ''} above it.",
            "What stands deeper than the frame does not go into it.",
            tuple(p.id.piece for p in highest),
            amount=job.depth_mm,
            limit=limit,
            unit="mm",
        )
    ]


def _steps(job: Job) -> list[Finding]:
    """Steps that had to be larger than the shop likes."""
    practice = job.composition.practice
    large = [
        (step, a, b)
        for _, front, behind, level in said_pairs(job.composition)
        if not level and len(front) == len(behind) == 1
        for a, b in ((front[0], behind[0]),)
        if (step := job.standing.top_mm(a) - job.standing.top_mm(b)) > practice.greatest_step_mm + TELLS_MM
    ]
    if not large:
        return []
    step, a, b = max(large)
    number = job.composition.by_key
    count = f"{len(large)} steps are" if len(large) > 1 else "A step is"
    return [
        Finding(
            "large-step",
            "relief",
            f"{count} above {practice.say(practice.greatest_step_mm)}: the largest is {practice.say(step)}, "
            f"{number[a].number} over {number[b].number}. What was said leaves no smaller one.",
            "A large step throws a long shadow and shows raw edges.",
            tuple(dict.fromkeys(key for _, *pair in sorted(large, reverse=True) for key in pair)),
            amount=step,
            limit=practice.greatest_step_mm,
            unit="mm",
        )
    ]


def relations_of(job: Job, key: int) -> tuple[list[int], list[int], list[int]]:
    """Pieces that one is in front of, behind of, and level with, as was said and as it counts."""
    out = uncounted(job)
    front: dict[int, None] = {}
    behind: dict[int, None] = {}
    level: dict[int, None] = {}
    for said, before, after, same in said_pairs(job.composition):
        if said in out:
            continue
        if same and key in (*before, *after):
            level |= dict.fromkeys(k for k in (*before, *after) if k != key)
        elif key in before:
            front |= dict.fromkeys(after)
        elif key in after:
            behind |= dict.fromkeys(before)
    return list(front), list(behind), list(level)


def why_of(job: Job, key: int) -> str:
    """Why a piece stands as high as it does, in a sentence."""
    composition, practice = job.composition, job.composition.practice
    if key in composition.decisions.relief.tops:
        return "set by hand"
    front, behind, level = relations_of(job, key)
    told = [
        f"{words} {_names(job, keys)}"
        for words, keys in (("in front of", front), ("behind", behind), ("level with", level))
        if keys
    ]
    if not told:
        if composition.home[key].key in job.standing.asked:
            return "nothing was said of it: as low as it can be"
        return "as it was given" if _given(composition, key) else f"the usual stock, {practice.say(practice.stock_mm)}"
    shows = [job.standing.top_mm(key) - job.standing.top_mm(k) for k in front]
    if shows:
        told[0] += f" with {practice.say(max(min(shows), 0.0))} showing"
    return "; ".join(told)


def _names(job: Job, keys: Sequence[int]) -> str:
    return name_pieces(sorted(job.composition.by_key[k].number for k in keys), 4)
