"""A year of a shop: what was made, when, out of what, and how far estimates were right."""

import datetime as dt
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ..bench.cards import Card
from ..lazy import lazy
from ..work.parts import Job
from .happened import DONE, Happened


@dataclass(frozen=True, slots=True)
class Worked:
    """One work in a year. `minutes` by (day, station), untimed cards by their estimate on the day they were ticked;
    `woods` the area of what was sawn, by wood, in mm²; `estimate` and `took` in minutes of what was timed; `finished`:
    nothing of it is left."""

    name: str
    uid: str
    pieces: int
    minutes: dict[tuple[dt.date, str], float]
    woods: dict[str, float]
    estimate: float
    took: float
    finished: dt.date | None


@dataclass(frozen=True)
class Year:
    year: int
    works: tuple[Worked, ...]
    drift_mm: tuple[tuple[dt.date, float], ...] = ()

    @lazy
    def minutes(self) -> float:
        return sum(sum(work.minutes.values()) for work in self.works)

    @lazy
    def by_week(self) -> dict[int, dict[str, float]]:
        """Minutes by week, from 0 to 52, seven days each from the first of January, and station."""
        table: dict[int, dict[str, float]] = {}
        for work in self.works:
            for (day, station), minutes in work.minutes.items():
                week = table.setdefault((day.timetuple().tm_yday - 1) // 7, {})
                week[station] = week.get(station, 0.0) + minutes
        return table

    @lazy
    def by_station(self) -> dict[str, float]:
        table: dict[str, float] = {}
        for week in self.by_week.values():
            for station, minutes in week.items():
                table[station] = table.get(station, 0.0) + minutes
        return table

    @lazy
    def woods(self) -> dict[str, float]:
        """Area by wood, most of it first."""
        table: dict[str, float] = {}
        for work in self.works:
            for wood, area in work.woods.items():
                table[wood] = table.get(wood, 0.0) + area
        return dict(sorted(table.items(), key=lambda entry: -entry[1]))

    @property
    def finished(self) -> int:
        return sum(work.finished is not None for work in self.works)


def work_in(
    name: str, job: Job, table: Sequence[Card], events: Iterable[Happened], is_done: bool, uid: str = ""
) -> Worked:
    """What these events, on the shop's own clock, come to; `table` are the cards of the work, `is_done` whether none of
    them is left."""
    cards = {mark: card for card in table for mark in card.marks}
    minutes: dict[tuple[dt.date, str], float] = {}
    woods: dict[str, float] = {}
    estimate = took = 0.0
    last: dt.date | None = None
    for event in events:
        if event.what != DONE:
            continue
        card = cards.get((event.step, event.part))
        last = max(last, event.at.date()) if last else event.at.date()
        station = card.step.station if card else "saw" if event.verb == "saw" else "bench"
        # parts that were ticked together have their time with the first
        spent = event.minutes or (card.estimate_minutes if card and card.key == (event.step, event.part) else 0.0)
        key = (event.at.date(), station)
        minutes[key] = minutes.get(key, 0.0) + spent
        if event.timed:
            estimate += event.estimate or 0.0
            took += event.minutes or 0.0
        if event.verb == "saw" and card and (wood := event.made_of.get("wood") or _material(job, event.part)):
            area = job.by_key[card.parts[0].partition("/")[0]].area_mm2
            woods[wood] = woods.get(wood, 0.0) + area
    return Worked(name, uid, len(job.composition.made), minutes, woods, estimate, took, last if is_done else None)


def _material(job: Job, part: str) -> str:
    found = job.by_key.get(part.partition("/")[0])
    return found.material if found else ""
