"""Several works planned at once: the same hands and clamps, every work's steps under its own name."""

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from ..work.steps import Step
from .means import Means
from .schedule import Kept, Schedule, Wishes, schedule

MOST_WORKS = 12


@dataclass(frozen=True)
class WorkDates:
    """What one work brings: its name, the steps that are left, its pins, when it is to be ready, the dates kept."""

    work: str
    name: str
    steps: Sequence[Step]
    pins: Mapping[str, str]
    ready_by: dt.datetime | None = None
    kept: Kept | None = None


def named(work: str, key: str) -> str:
    """The key of a work's step among all works' steps."""
    return f"{work}:{key}"


def together(works: Sequence[WorkDates], means: Means, start: dt.datetime) -> Schedule:
    """All steps of all works in one plan. Raises `BadChoice` as a plan of one does."""
    steps = [_among(one, step) for one in works for step in one.steps]
    kept = {
        named(one.work, key): rows for one in works if one.kept is not None for key, rows in one.kept.sittings.items()
    }
    wishes = Wishes(
        {named(one.work, key): pin for one in works for key, pin in one.pins.items()},
        {one.work: one.ready_by for one in works if one.ready_by is not None},
        Kept(kept) if kept else None,
    )
    return schedule(steps, means, start, wishes)


def _among(one: WorkDates, step: Step) -> Step:
    return replace(
        step,
        key=named(one.work, step.key),
        label=f"{one.name}: {step.label}",
        after=tuple(named(one.work, key) for key in step.after),
        within=tuple((named(one.work, key), minutes) for key, minutes in step.within),
        work=one.work,
    )


def seen_by(plan: Schedule, one: WorkDates) -> Schedule:
    """The plan of all as one work sees it: its own steps as they are, those of others under their names."""
    own = {named(one.work, step.key): step for step in one.steps}
    slots = tuple(replace(slot, step=own[slot.step.key]) if slot.step.key in own else slot for slot in plan.slots)
    prefix = named(one.work, "")
    moved = tuple(key.removeprefix(prefix) for key in plan.moved if key.startswith(prefix))
    return Schedule(slots, plan.rule, moved, plan.planned, prefix)


def kept_by_work(kept: Kept) -> dict[str, Kept]:
    """Dates of all works, each work's under its own keys."""
    found: dict[str, dict] = {}
    for key, rows in kept.sittings.items():
        work, _, step = key.partition(":")
        found.setdefault(work, {})[step] = rows
    return {work: Kept(rows) for work, rows in found.items()}
