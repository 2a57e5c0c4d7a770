"""What the log of the bench says: what is done, and how long cuts take here."""

from collections.abc import Iterable
from dataclasses import dataclass

from django.db.models import Count, Max, Sum

from emberquilt.log.blades import lasting, lives_of
from emberquilt.log.happened import Happened
from emberquilt.log.lessons import lessons_from
from emberquilt.log.rates import pace_from
from emberquilt.work.lesson import Lesson
from emberquilt.work.pace import Pace
from workshop.compositions.models import Composition
from workshop.kept import Kept

from .models import Event

RECENT = 1500
"""Entries that are learned from: older ones tell of another hand."""
_learned = Kept(64)
Mark = tuple[str, str]


def done_keys(row: Composition) -> set[Mark]:
    """What is ticked."""
    return done_after(row.events.values_list("step", "part", "what"))


def done_after(events: Iterable[tuple[str, str, str]]) -> set[Mark]:
    """What is done after these (step, part, what), in the order in which they happened; breaking a part undoes
    everything done to it before."""
    done: set[Mark] = set()
    for step, part, what in events:
        if what == Event.What.DONE:
            done.add((step, part))
        elif what == Event.What.BROKE:
            done = {key for key in done if key[1] != part}
    return done


@dataclass(frozen=True)
class Learned:
    """What an owner's log teaches: about minutes, about what breaks, and about how long blades last."""

    pace: Pace
    lessons: tuple[Lesson, ...]
    blades: dict[str, tuple[float, float, float, int]]

    @property
    def blade_lasts(self) -> dict[str, float]:
        return {name: round(factor, 4) for name, (factor, *_) in self.blades.items()}


def learned_by(owner) -> Learned:
    """What this owner's log teaches."""
    log = Event.objects.filter(composition__owner=owner)
    told = log.aggregate(Count("pk"), Max("pk"), Sum("minutes"))
    key = (owner.pk, *told.values())

    def learn() -> Learned:
        recent = [happened(event) for event in log.order_by("-at", "-id")[:RECENT]]
        return Learned(
            pace_from(event.logged for event in recent if event.timed), lessons_from(recent), lasting(lives_of(recent))
        )

    return _learned.get(key, learn)


def happened(event: Event) -> Happened:
    """An event as the core's log reckons with it."""
    return Happened(
        event.what,
        event.step,
        event.part,
        event.at,
        event.minutes,
        event.estimate_minutes,
        event.why,
        event.who,
        event.text,
        event.sawn_seconds,
        event.made_of,
    )
