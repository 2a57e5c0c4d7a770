"""Hours of a work: what the clock said, what was done without it, what is left."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ..bench.cards import Card
from .happened import DONE, Happened


@dataclass(frozen=True, slots=True)
class Hours:
    """Minutes of hands of one station: timed; done without a clock, by estimate; still to be done, by estimate; and
    what all of it was estimated at, without the shop's correction."""

    station: str
    timed: float
    untimed: float
    left: float
    estimate: float

    @property
    def spent(self) -> float:
        """What is done of it."""
        return self.timed + self.untimed

    @property
    def minutes(self) -> float:
        return self.timed + self.untimed + self.left


def hours_of(cards: Sequence[Card], events: Iterable[Happened], left: Iterable[tuple[str, str]]) -> tuple[Hours, ...]:
    """By station, in the order of the work; `left` is what is still to be ticked. A part that was made again counts
    each time that was timed."""
    timed: dict[tuple[str, str], float] = {}
    for event in events:
        if event.what == DONE and event.minutes:
            key = (event.step, event.part)
            timed[key] = timed.get(key, 0.0) + event.minutes
    waiting, known = set(left), set[tuple[str, str]]()
    table: dict[str, list[float]] = {}
    for card in cards:
        row = table.setdefault(card.step.station, [0.0] * 4)
        spent = sum(timed.get(mark, 0.0) for mark in card.marks)
        known.update(card.marks)
        is_done = waiting.isdisjoint(card.marks)
        row[0] += spent
        row[1 if is_done else 2] += 0.0 if is_done and spent else card.estimate_minutes
        row[3] += card.base_minutes
    # what was timed on cards that the work has no more
    for (step, _), minutes in ((key, m) for key, m in timed.items() if key not in known):
        table.setdefault("saw" if step.startswith("saw") else "bench", [0.0] * 4)[0] += minutes
    return tuple(Hours(station, *row) for station, row in table.items())


def summed(hours: Iterable[Hours]) -> Hours:
    """All stations as one."""
    rows = list(hours)
    return Hours(
        "",
        sum(one.timed for one in rows),
        sum(one.untimed for one in rows),
        sum(one.left for one in rows),
        sum(one.estimate for one in rows),
    )


def timed_in(events: Iterable[Happened]) -> tuple[float, float]:
    """Minutes taken and minutes estimated of what was timed."""
    timed = [event for event in events if event.timed]
    return sum(event.minutes or 0.0 for event in timed), sum(event.estimate or 0.0 for event in timed)


def spent_on_each(hours: Iterable[Hours], copies: int) -> float:
    """Minutes that one of the copies took so far, or as long as nothing is done will take."""
    whole = summed(hours)
    return (whole.spent or whole.minutes) / copies
