"""What happens at the bench: a clock for the card, ticks, breakage, and the log of it."""

from collections import Counter

from django.db import transaction
from django.utils import timezone

from emberquilt.bench.cards import Card
from emberquilt.bench.mending import HOWS
from emberquilt.errors import BadChoice
from emberquilt.log.learning import ratio_from
from emberquilt.saw.minutes import spread
from emberquilt.saw.steps import SAW_VERBS
from emberquilt.units import format_minutes
from emberquilt.work.setting import number
from emberquilt.work.steps import Step
from workshop.compositions.actions import perform
from workshop.compositions.models import Composition
from workshop.compositions.told import forget

from .models import Event, Timer

RECENT = 400
DOUBTFUL = 2.0
"""A clock asks beyond so many times the estimate."""
LONGEST_MINUTES = 12 * 60.0


def next_card(
    row: Composition, cards: tuple[Card, ...], left: tuple[Step, ...], asked: tuple[str, str] | None = None
) -> Card | None:
    """The asked card, or the first that is left. A broken part is to be sawn again, and shaped again."""
    table = {mark: card for card in cards for mark in card.marks}
    if asked in table:
        return table[asked]
    waiting = marks_left(left)
    return next((card for card in cards if waiting & set(card.marks)), None)


def marks_left(left: tuple[Step, ...]) -> set[tuple[str, str]]:
    """What is still to be ticked."""
    return {mark for step in left for mark in (map(step.mark, step.parts) if step.each else (step.mark(),))}


def done_keys(row: Composition) -> set[tuple[str, str]]:
    """What is ticked; breaking a part undoes everything done to it before."""
    done: set[tuple[str, str]] = set()
    for step, part, what in row.events.values_list("step", "part", "what"):
        if what == Event.What.DONE:
            done.add((step, part))
        elif what == Event.What.BROKE:
            done = {key for key in done if key[1] != part}
    return done


def remakes(row: Composition) -> Counter:
    return Counter(row.events.filter(what=Event.What.BROKE).values_list("part", flat=True))


def why_remade(row: Composition, part: str) -> str:
    """In words why a part is made again, as it was said last."""
    last = row.events.filter(what=Event.What.BROKE, part=part).order_by("-at", "-id").first()
    return HOWS.get(last.why, "") if last is not None else ""


def start(row: Composition, card: Card) -> Timer:
    """Run the clock for this card; the time of another card that was not ticked is dropped."""
    with transaction.atomic():
        step, part = card.key
        timer, _ = Timer.objects.get_or_create(composition=row, defaults={"step": step, "part": part})
        if (timer.step, timer.part) != card.key:
            timer.step, timer.part = card.key
            timer.seconds, timer.running_since = 0, None
        if timer.running_since is None:
            timer.running_since = timezone.now()
        timer.save()
        return timer


def pause(row: Composition) -> None:
    with transaction.atomic():
        timer = Timer.objects.filter(composition=row).first()
        if timer is not None:
            timer.seconds, timer.running_since = seconds_of(timer), None
            timer.save()


def seconds_of(timer: Timer) -> float:
    running = (timezone.now() - timer.running_since).total_seconds() if timer.running_since else 0.0
    return timer.seconds + max(running, 0.0)


def timer_of(row: Composition, card: Card | None) -> Timer | None:
    timer = Timer.objects.filter(composition=row).first()
    return timer if timer is not None and card is not None and (timer.step, timer.part) == card.key else None


def doubtful(card: Card, seconds: float) -> bool:
    """A clock that ran for more than twice the estimate may have been forgotten: it asks before it is believed."""
    return seconds > DOUBTFUL * 60 * card.estimate_minutes


def minutes_told(took: str, typed: str, seconds: float) -> float | None:
    """Minutes as the person says them of a clock that asks: all of it, none of it, or as typed. Raises `BadChoice`."""
    if took == "all":
        return min(seconds / 60, LONGEST_MINUTES)
    if took == "none":
        return None
    minutes = number(typed.removesuffix("min"), "minutes")
    if not 0 < minutes <= LONGEST_MINUTES:
        raise BadChoice(
            f"From a moment to {LONGEST_MINUTES / 60:g} hours can be one card's time; {minutes:g} min cannot."
        )
    return minutes


class ClockAsks(BadChoice):
    """The clock ran suspiciously long and nobody said how much of it was work."""


def tick(row: Composition, card: Card, what: str, took: str = "", typed: str = "", why: str = "") -> Event:
    """The card is done, or its part broke. Minutes are the clock's, or what was `took` of it; none where it never ran.

    A second tap on a card that is done changes nothing. Raises `ClockAsks`, and then keeps clock and card as they are.
    """
    if what not in Event.What.values:
        raise BadChoice(f"“{what}” is nothing that happens to a piece.")
    if why and why not in HOWS:
        raise BadChoice(f"“{why[:20]}” is no way for a part to break.")
    if what != Event.What.DONE and not card.step.each:
        raise BadChoice("This card is about the work as a whole: choose the card of the part that broke.")
    step, part = card.key
    with transaction.atomic():
        done = done_keys(row)
        if what == Event.What.DONE and all(mark in done for mark in card.marks):
            return row.events.filter(step=step, part=part, what=what).latest("at")
        timer = timer_of(row, card)
        seconds = seconds_of(timer) if timer is not None else 0.0
        if doubtful(card, seconds) and not took:
            raise ClockAsks(
                f"The clock ran {format_minutes(seconds / 60)}, for about {format_minutes(card.estimate_minutes)} of "
                "work. Say how long it really took."
            )
        minutes = minutes_told(took or "all", typed, seconds) if seconds else None
        if timer is not None:
            timer.delete()
        forget(row)
        at = timezone.now()
        marks = card.marks if what == Event.What.DONE else card.marks[:1]
        # parts that one run sets free are ticked together; their minutes stand with the first
        events = [
            Event(
                composition=row,
                step=step,
                part=part,
                what=what,
                minutes=round(minutes, 3) if minutes and i == 0 else None,
                estimate_minutes=round(card.base_minutes, 3) if i == 0 else None,
                at=at,
                why=why if what != Event.What.DONE else "",
            )
            for i, (step, part) in enumerate(marks)
        ]
        for event in events:
            event.save()
        return events[0]


def tick_from_board(row: Composition, card: Card, what: str, board: str, took: str, typed: str) -> Event:
    """The tick of a piece that comes from another board than was noted: both are kept, or neither."""
    with transaction.atomic():
        if board and what == Event.What.DONE:
            values = {"board": board, "copy": str(card.copy or 1)}
            row = perform(row, row.revision, "from_board", [card.piece], values)
        return tick(row, card, what, took, typed)


def untick(row: Composition) -> Event | None:
    """Take the last tick back, with what was ticked together with it; the first of these is returned."""
    with transaction.atomic():
        last = row.events.order_by("-at", "-id").first()
        if last is None:
            return None
        together = list(row.events.filter(at=last.at, step=last.step, what=last.what).order_by("id"))
        row.events.filter(pk__in=[event.pk for event in together]).delete()
        forget(row)
        return together[0]


def sawing_ratio(owner) -> float:
    """Minutes taken per minute estimated, over this owner's recent sawing."""
    return ratio_from(_sawn(owner))


def sawing_spread(owner) -> tuple[float, float] | None:
    """Between what the middle half of this owner's recent cuts took, per minute estimated before any correction."""
    return spread(taken / estimated for taken, estimated in _sawn(owner) if taken > 0 and estimated > 0)


def _sawn(owner):
    """Minutes taken and estimated of this owner's recent cuts."""
    return (
        Event.objects.filter(
            composition__owner=owner,
            step__in=SAW_VERBS,
            what=Event.What.DONE,
            minutes__isnull=False,
            estimate_minutes__isnull=False,
        )
        .order_by("-at")[:RECENT]
        .values_list("minutes", "estimate_minutes")
    )
