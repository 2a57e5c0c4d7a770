"""What would bring the end of a plan forward: each change tried by planning anew."""

import datetime as dt
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace

from ..errors import BadChoice
from ..hours import DAYS, parse_week
from ..practice import Practice
from ..work.steps import Step
from .means import MINUTE, Means
from .schedule import Schedule, Wishes, apart, schedule
from .shop import HELD, means_of

WORTH_MINUTES = 60.0
"""A change that gains less is not worth speaking of."""
MORE_MINUTES = 30


@dataclass(frozen=True, slots=True)
class Forward:
    """A change in words, when the work would then end, by how many minutes sooner than without it, and what it changes
    in the practice."""

    words: str
    finish: dt.datetime
    minutes: float
    changes: dict = field(default_factory=dict)

    @property
    def days(self) -> int:
        return round(self.minutes / 1440)


def ways_forward(
    plan: Schedule,
    practice: Practice,
    start: dt.datetime,
    wishes: Wishes,
    steps_with: Callable[[Practice], tuple[Step, ...]],
) -> list[Forward]:
    """Changes that end the work sooner, the best first. `steps_with` gives the steps that are left under a changed
    practice. Nothing where other works are planned beside it: what it would gain alone is not what it gains then."""
    finish = plan.finish
    if finish is None or plan.others:
        return []
    found = []
    free = replace(wishes, kept=None)
    # each is held against a plan made in the same way, not against one that was polished or kept
    usual = schedule(steps_with(practice), means_of(practice), start, free).finish or finish
    usual = min(usual, finish)
    for words, changes in _changes(practice, plan):
        try:
            changed = practice.changed(**changes)
            means = means_of(changed)
            made = schedule(steps_with(changed), means, start, free)
        except BadChoice:
            continue
        if made.finish is not None and apart(made.finish, usual) >= WORTH_MINUTES:
            found.append(Forward(words, made.finish, apart(made.finish, usual), changes))
    return sorted(found, key=lambda one: -one.minutes)


def _changes(practice: Practice, plan: Schedule) -> Iterator[tuple[str, dict]]:
    steps = [slot.step for slot in plan.slots]
    held = {thing for step in steps for thing, _ in step.held}
    if held:
        doubled = {HELD[thing]: 2 * getattr(practice, HELD[thing]) for thing in held if thing in HELD}
        yield "a second set of clamps", doubled
    yield f"{MORE_MINUTES} minutes more each evening", {"hours": _longer(practice.hours)}
    if free := next((day for day in ("sun", "sat") if not parse_week(practice.hours)[day]), None):
        words = "Sunday" if free == "sun" else "Saturday"
        yield f"{words} from 10 to 12", {"hours": practice.hours | {free: "10:00-12:00"}}
    if not practice.helpers:
        yield "a second pair of hands, at your hours", {"helpers": {"Two": dict(practice.hours)}}
    if practice.glue == "wood" and any(step.verb == "glue" for step in steps):
        yield "thick quick wood glue", {"glue": "quick"}
    if practice.spray_at == "outdoors" and any(step.place == "outdoors" for step in steps):
        yield "spraying indoors", {"spray_at": "indoors"}
    if practice.shop_c < 24 and any(step.wait_minutes >= 60 for step in steps):
        yield f"the shop at {practice.say_warmth(24)}", {"shop_c": 24.0}


def _longer(week: dict[str, str]) -> dict[str, str]:
    """Every day's last span runs on, where the night leaves room."""
    longer = dict(week)
    for day in DAYS:
        spans = parse_week(week)[day]
        if spans and spans[-1][1] + MORE_MINUTES <= 24 * 60:
            spans = [*spans[:-1], (spans[-1][0], spans[-1][1] + MORE_MINUTES)]
            longer[day] = ", ".join(f"{_said(a)}-{_said(b)}" for a, b in spans)
    return longer


def _said(minute: int) -> str:
    return f"{minute // 60}:{minute % 60:02d}"


def latest_start(
    steps: tuple[Step, ...], means: Means, start: dt.datetime, ready_by: dt.datetime
) -> dt.datetime | None:
    """The last moment at which work can begin for all to be ready by then; None where even beginning at once is too
    late."""
    low, high = 0, max(0, int(apart(start, ready_by) // 1440))

    def begun(days: int) -> dt.datetime | None:
        """When work begins that waits so many days, where it is ready in time."""
        try:
            made = schedule(steps, means, start + days * 1440 * MINUTE)
        except BadChoice:
            return None
        in_time = made.finish is not None and apart(made.finish, ready_by) >= 0
        return made.slots[0].begin if in_time else None

    best = begun(0)
    while best is not None and low < high:
        middle = (low + high + 1) // 2
        if (at := begun(middle)) is not None:
            low, best = middle, at
        else:
            high = middle - 1
    return best
