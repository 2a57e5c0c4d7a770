"""What is done while something dries or sets, and how much of one's own hours stays empty."""

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass

from ..hours import windows
from .schedule import Schedule, Slot

LEAST_WAIT = dt.timedelta(minutes=20)
LONGEST_DAYS = 60
MINUTE = dt.timedelta(minutes=1)


@dataclass(frozen=True, slots=True)
class Wait:
    """Something dries: after which step, from when to when; `meanwhile` what is done in that time, with minutes, and
    `dead_minutes` of one's own hours in which nothing is; `with_it` what dries in the same time."""

    step: str
    label: str
    begin: dt.datetime
    end: dt.datetime
    meanwhile: tuple[tuple[str, float], ...]
    dead_minutes: float
    with_it: tuple[str, ...] = ()

    @property
    def minutes(self) -> float:
        return (self.end - self.begin) / MINUTE


def waits_of(plan: Schedule, week: Mapping[str, str]) -> tuple[Wait, ...]:
    """Every wait of a plan, in order."""
    slots = sorted(plan.slots, key=lambda slot: slot.begin)
    waiting = [slot for slot in slots if slot.ready - slot.end >= LEAST_WAIT]
    return tuple(_wait(slot, slots, waiting, dict(week)) for slot in waiting)


def _wait(slot: Slot, slots: list[Slot], waiting: list[Slot], week: dict[str, str]) -> Wait:
    begin, end = slot.end, min(slot.ready, slot.end + dt.timedelta(days=LONGEST_DAYS))
    busy = [(max(one.begin, begin), min(one.end, end), one.label) for one in slots if one is not slot]
    busy = [(a, b, label) for a, b, label in busy if b > a]
    done: dict[str, float] = {}
    for a, b, label in busy:
        done[label] = done.get(label, 0.0) + (b - a) / MINUTE
    own = 0.0
    for opens, closes in windows(week, begin, LONGEST_DAYS + 1):
        if opens >= end:
            break
        own += max((min(closes, end) - opens) / MINUTE, 0.0)
    beside = [one.label for one in waiting if one is not slot and one.end < end and one.ready > begin]
    dead = max(own - sum(done.values()), 0.0)
    return Wait(slot.step.key, slot.step.label, begin, end, tuple(done.items()), round(dead, 1), tuple(beside[:4]))


def dead_minutes(plan: Schedule, week: Mapping[str, str]) -> float:
    """Of one's own hours before the work is done in which everything waits."""
    slots = sorted(plan.slots, key=lambda slot: slot.begin)
    if not slots:
        return 0.0
    first, last = slots[0].begin, max(slot.end for slot in slots)
    own = 0.0
    for opens, closes in windows(dict(week), first):
        if opens >= last:
            break
        own += (min(closes, last) - opens) / MINUTE
    return round(max(own - sum((slot.end - slot.begin) / MINUTE for slot in slots), 0.0), 1)
