"""The strip of stations as a folding rule: one tick a decision, an ember bead where one is left."""

from dataclasses import dataclass
from typing import Any

from emberquilt.plan import Plan
from emberquilt.work.steps import Step
from workshop.compositions.models import Composition

NAMES = {
    "pattern": "Pattern",
    "wood": "Wood",
    "relief": "Relief",
    "stock": "Stock",
    "saw": "Saw",
    "assembly": "Fit and glue",
    "calendar": "Calendar",
    "bench": "Bench",
    "log": "Log",
}
WITH_OWNER = ("calendar", "log")
"""Hours, money and the shop's other works are there: these stay with the owner of a work that several work on."""
WAITING = "waits for wood"
MOST_TICKS, LEAST_TICKS, MOST_BEADS = 40, 12, 9
WIDTHS = {False: 96, True: 186}


@dataclass(frozen=True)
class Leaf:
    """One leaf of the rule, with where its ticks and beads stand in pixels."""

    station: str
    name: str
    words: str
    left: int
    current: bool
    width: int
    ticks: str
    """All ticks as one path."""
    beads: tuple[float, ...]


MOST_AT_ONCE = 200
"""Pictures of more pieces show their page before all that is left elsewhere is worked out."""


def counts_later(plan: Plan) -> bool:
    return len(plan.composition.made) > MOST_AT_ONCE and "counts" not in plan.__dict__


def bare_rule(current: str) -> list[Leaf]:
    """The stations alone, to stand there until the counts come."""
    return [_leaf(s, "…", 0, 0, s == current) for s in NAMES]


def seen_by_helper(leaves: list[Leaf]) -> list[Leaf]:
    return [leaf for leaf in leaves if leaf.station not in WITH_OWNER]


def rule_of(plan: Plan, current: str, told: dict[str, Any]) -> list[Leaf]:
    """As it was told of the work; what is left at the current station is worked out in any case."""
    words, left, here = told["words"], told["left"], len(plan.findings(current))
    if here != left.get(current, 0):
        words, left = words | {current: _left(here)}, left | {current: here}
    return [_leaf(s, words[s], left.get(s, 0), told["pieces"], s == current) for s in NAMES]


def _leaf(station: str, words: str, left: int, pieces: int, current: bool) -> Leaf:
    width = WIDTHS[current]
    count = max(LEAST_TICKS, min(MOST_TICKS * (2 if current else 1), pieces))
    step = (width - 6) / count
    ticks = "".join(
        f"M{0.5 + i * step:.1f} 0V{12 if i % 10 == 0 else 9 if i % 5 == 0 else 5.5}" for i in range(count + 1)
    )
    beads = min(left, MOST_BEADS)
    places = tuple(round(0.5 + step * round((i + 1) * count / (beads + 1)), 1) for i in range(beads))
    return Leaf(station, NAMES[station], words, left, current, width, ticks, places)


def _left(count: int) -> str:
    return f"{count} left" if count else "settled"


def rule_words(row: Composition, plan: Plan) -> dict[str, str]:
    """What stands on each leaf."""
    words = {s: _left(n) for s, n in plan.counts.items()}
    if not plan.saw.cuts:
        words |= {s: WAITING for s in ("stock", "saw", "calendar") if not plan.counts[s]}
    events = row.events.count()
    return words | {"bench": bench_words(plan), "log": f"{events} entries" if events else "empty"}


def bench_words(plan: Plan) -> str:
    """How far the work at the bench is: what is done last of all says most."""
    if not plan.steps:
        return WAITING
    if not plan.left:
        return "all done"
    glued, all_glued = _counted(plan, "glue")
    sawn, to_saw = _counted(plan, "saw")
    if glued:
        return f"{glued} of {all_glued} glued"
    if sawn:
        return f"{sawn} of {to_saw} sawn"
    return "begun" if plan.done & {mark for step in plan.steps for mark in _marks(step)} else "not begun"


def _counted(plan: Plan, verb: str) -> tuple[int, int]:
    """Parts that a verb was ticked for, and how many there are."""
    marks = [mark for step in plan.steps if step.verb == verb for mark in _marks(step)]
    return sum(mark in plan.done for mark in marks), len(marks)


def _marks(step: Step) -> list[tuple[str, str]]:
    return [step.mark(part) for part in step.parts] if step.each else [step.mark()]


def next_station(plan: Plan) -> str:
    """Where the work goes on: the first station in order with something left, else the calendar."""
    return next((s for s in NAMES if plan.counts.get(s)), "calendar")
