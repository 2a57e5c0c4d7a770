"""What phones write down at the bench and send when they can: each once, in whatever order it comes.

A phone names each entry itself, and sends it until it hears that it was taken. What was taken before is known by its
name; what was taken back stays out, also where it comes in after that. Nothing that was done is refused because of what
others did meanwhile: it is kept as far as it can be, and what is odd about it is told.
"""

import datetime as dt
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction
from django.utils import timezone

from emberquilt.bench.cards import Card, made_of
from emberquilt.bench.mending import HOWS
from emberquilt.bench.remake import other_board
from emberquilt.errors import BadChoice, EmberError
from emberquilt.plan import Plan
from emberquilt.units import format_minutes
from emberquilt.work.copies import any_copy
from emberquilt.work.setting import number
from workshop.compositions.actions import perform
from workshop.compositions.models import Composition
from workshop.compositions.plans import plan_at_any_pace
from workshop.compositions.told import forget

from .actions import Mark, done_after
from .models import Event, Undone

LONGEST_MINUTES = 12 * 60.0
"""More than this is nobody's time at one card."""
MOST_ENTRIES = 500
NAME = re.compile(r"^[a-z0-9]{4,16}-[a-z0-9]{1,20}$")
OF = re.compile(r"^([a-z0-9]{4,16}-[a-z0-9]{1,20}|e[0-9]{1,18})$")
MARK = re.compile(r"^[a-z0-9./-]{0,40}$")
UNDO, TIME = "undo", "time"
TOGETHER = "+"
"""Between the name of an entry and the number of a part that was ticked with its first."""


@dataclass(frozen=True, slots=True)
class Entry:
    """One thing that a phone says. `of` is the name of what it takes back, or whose time it corrects."""

    name: str
    what: str
    marks: tuple[Mark, ...]
    at: dt.datetime
    minutes: float | None = None
    sawn_seconds: float | None = None
    why: str = ""
    place: tuple[float, float] | None = None
    text: str = ""
    board: str = ""
    who: str = ""
    of: str = ""

    @property
    def phone(self) -> str:
        return self.name.partition("-")[0]


@dataclass
class Answer:
    """What became of an entry: kept, known (it was taken before), told (taken, with something to say), refused."""

    name: str
    state: str = "kept"
    words: list[str] = field(default_factory=list)

    def tell(self, words: str) -> None:
        self.state = "told"
        self.words.append(words)

    @property
    def row(self) -> list:
        return [self.name, self.state, " ".join(self.words)]


def entry_from(told: Any, ahead: dt.timedelta, now: dt.datetime) -> Entry:
    """One entry as it was sent, its time by the server's clock: `ahead` is how far that is ahead of the phone's.

    Raises `BadChoice` for what no phone of ours writes.
    """
    if not isinstance(told, dict) or not NAME.match(_text(told, "id", 40)):
        raise BadChoice("An entry without a name cannot be kept.")
    what = _text(told, "what", 8)
    if what not in (*Event.What.values, UNDO, TIME):
        raise BadChoice(f"“{what}” is nothing that happens at the bench.")
    step, parts = _text(told, "step", 40), told.get("parts") or [""]
    if not isinstance(parts, list) or len(parts) > 400 or not all(isinstance(p, str) and MARK.match(p) for p in parts):
        raise BadChoice("The parts of this entry cannot be read.")
    if not MARK.match(step) or (not step and what not in (Event.What.NOTE, UNDO, TIME)):
        raise BadChoice("The step of this entry cannot be read.")
    if (why := _text(told, "why", 12)) and why not in HOWS:
        raise BadChoice(f"“{why}” is no way for a part to break.")
    if what in (UNDO, TIME) and not OF.match(_text(told, "of", 40)):
        raise BadChoice("It does not say which entry it speaks of.")
    at = dt.datetime.fromtimestamp(_figure(told, "at", 0, 4e12) / 1000, dt.UTC) + ahead
    place = (_number(told, "x"), _number(told, "y"))
    return Entry(
        told["id"],
        what,
        tuple((step, part) for part in parts),
        min(at, now),
        _number(told, "minutes"),
        _number(told, "sawn"),
        why,
        (place[0], place[1]) if place[0] is not None and place[1] is not None else None,
        _text(told, "text", 500),
        _text(told, "board", 40),
        _text(told, "who", 40),
        _text(told, "of", 40),
    )


def _text(told: dict, name: str, most: int) -> str:
    value = told.get(name, "")
    if not isinstance(value, str) or len(value) > most or "\0" in value:
        raise BadChoice(f"The {name} of this entry cannot be read.")
    return value.strip()


def _number(told: dict, name: str) -> float | None:
    return None if told.get(name) is None else _figure(told, name, -1e6, 1e9)


def _figure(told: dict, name: str, low: float, high: float) -> float:
    value = told.get(name)
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise BadChoice(f"The {name} of this entry cannot be read.")
    return float(value)


def take(row: Composition, told: Sequence[Any], sent: Any) -> list[list]:
    """Take what a phone sent: what became of each, as [name, state, words]. `sent` is its clock as it sent, in ms."""
    if not isinstance(told, list) or len(told) > MOST_ENTRIES:
        raise BadChoice(f"Up to {MOST_ENTRIES} entries are taken at once.")
    now = timezone.now()
    ahead = now - dt.datetime.fromtimestamp(_figure({"clock": sent}, "clock", 0, 4e12) / 1000, dt.UTC)
    answers = []
    # worked out before anything is locked: it takes a while
    plan = plan_at_any_pace(row)
    cards = {mark: card for card in plan.cards for mark in card.marks}
    with transaction.atomic():
        book = _Book(row, plan, cards)
        for one in told:
            try:
                entry = entry_from(one, ahead, now)
            except BadChoice as bad:
                name = one.get("id", "") if isinstance(one, dict) else ""
                answers.append([str(name)[:40], "refused", str(bad)])
                continue
            answers.append(book.take(entry).row)
        if book.changed:
            forget(row)
    return answers


class _Book:
    """The log of one work while entries are taken into it, inside one transaction."""

    def __init__(self, row: Composition, plan: Plan, cards: dict[Mark, Card]):
        self.row, self.plan, self.cards = row, plan, cards
        self.events: list[Event] = list(row.events.all())
        self.undone = set(row.undone.values_list("client", flat=True))
        self.changed = False

    def take(self, entry: Entry) -> Answer:
        answer = Answer(entry.name)
        if entry.name in self.undone or any(event.client == entry.name for event in self.events):
            return Answer(entry.name, "known")
        self.changed = True
        if entry.what == UNDO:
            self._undo(entry, answer)
        elif entry.what == TIME:
            self._time(entry, answer)
        else:
            self._keep(entry, answer)
        return answer

    def _undo(self, entry: Entry, answer: Answer) -> None:
        """It is taken back with what was ticked together with it; should it still be on its way, it will stay out."""
        self.undone.add(entry.of)
        Undone.objects.get_or_create(composition=self.row, client=entry.of)
        gone = [event for event in self.events if name_of(event).split(TOGETHER)[0] == entry.of]
        Event.objects.filter(pk__in=[event.pk for event in gone]).delete()
        self.events = [event for event in self.events if event not in gone]

    def _time(self, entry: Entry, answer: Answer) -> None:
        event = next((event for event in self.events if name_of(event) == entry.of), None)
        if event is None:
            answer.tell("What was to be corrected is no longer in the log.")
            return
        event.minutes = self._minutes(entry, answer)
        event.save(update_fields=["minutes"])

    def _minutes(self, entry: Entry, answer: Answer) -> float | None:
        if entry.minutes is None:
            return None
        if not 0 < entry.minutes <= LONGEST_MINUTES:
            answer.tell(
                f"The clock had run {format_minutes(max(entry.minutes, 0))}: that is nobody's time at one card, and it "
                "is kept without a time. Say in the log what it took."
            )
            return None
        return round(entry.minutes, 3)

    def _keep(self, entry: Entry, answer: Answer) -> None:
        card = self.cards.get(entry.marks[0])
        marks = card.marks if card is not None and entry.what == Event.What.DONE else entry.marks
        if card is None and entry.marks[0][0]:
            answer.tell("The work has changed: it has no such card any more. The entry stays in the log.")
        if entry.what == Event.What.DONE and self._done_already(entry, marks, answer):
            return
        if entry.what == Event.What.DONE and card is not None:
            self._look_round(entry, card, answer)
            self._from_board(entry, card, answer)
        minutes = self._minutes(entry, answer)
        for i, (step, part) in enumerate(marks if entry.what == Event.What.DONE else marks[:1]):
            x, y = entry.place or (None, None)
            event = Event(
                composition=self.row,
                step=step,
                part=part,
                what=entry.what,
                # parts that one run sets free are ticked together; their minutes stand with the first
                minutes=minutes if i == 0 else None,
                estimate_minutes=round(card.base_minutes, 3) if card is not None and i == 0 else None,
                at=entry.at,
                why=entry.why,
                x_mm=x,
                y_mm=y,
                client=entry.name if i == 0 else f"{entry.name}{TOGETHER}{i}",
                who=entry.who,
                sawn_seconds=entry.sawn_seconds if i == 0 else None,
                text=entry.text,
                made_of=made_of(self.plan.job, card, self.plan.saw) if card is not None and i == 0 else {},
            )
            event.save()
            self.events.append(event)
        self.events.sort(key=lambda event: (event.at, event.pk))

    def _done(self, until: dt.datetime | None = None) -> set[Mark]:
        return done_after((e.step, e.part, e.what) for e in self.events if until is None or e.at <= until)

    def _done_already(self, entry: Entry, marks: Sequence[Mark], answer: Answer) -> bool:
        """Somebody ticked it, and it was not made again since: it counts once. A time that only this has is kept."""
        if not (self._done().issuperset(marks) or self._done(entry.at).issuperset(marks)):
            return False
        first = next(e for e in reversed(self.events) if (e.step, e.part, e.what) == (*marks[0], Event.What.DONE))
        # its name is taken: sent again, it is known
        Undone.objects.get_or_create(composition=self.row, client=entry.name)
        self.undone.add(entry.name)
        other = first.client.partition("-")[0] != entry.phone
        by = f" by {first.who}" if first.who else " on another phone" if other else ""
        minutes = self._minutes(entry, answer)
        if minutes and first.minutes is None:
            first.minutes = minutes
            first.save(update_fields=["minutes"])
        words = f"{self._called(marks[0])} was ticked already{by}, and counts once."
        if minutes and first.minutes != minutes:
            words += f" Your {format_minutes(minutes)} are not added to its {format_minutes(first.minutes)}."
        answer.tell(words)
        return True

    def _called(self, mark: Mark) -> str:
        card = self.cards.get(mark)
        return card.title if card is not None else mark[1] or mark[0]

    def _look_round(self, entry: Entry, card: Card, answer: Answer) -> None:
        """A part that broke elsewhere before this was done to it."""
        parts = set(card.parts) if card.step.each else set()
        broke = [e for e in self.events if e.what == Event.What.BROKE and e.part in parts and e.at <= entry.at]
        if not broke or broke[-1].client.partition("-")[0] == entry.phone:
            return
        done = self._done(entry.at)
        earlier = [
            one
            for one in self.plan.cards[: self.plan.cards.index(card)]
            if one.step.each and parts & set(one.parts) and not done.issuperset(one.marks)
        ]
        if earlier:
            last = broke[-1]
            answer.tell(
                f"{card.title} was ticked after somebody{' (' + last.who + ')' if last.who else ''} had written that "
                f"the part was {HOWS.get(last.why, 'broken')}: look at it, and take one of the two back."
            )

    def _from_board(self, entry: Entry, card: Card, answer: Answer) -> None:
        """A piece that comes from another board than was noted."""
        if not entry.board or not card.piece:
            return
        part = card.parts[0]
        placed = self.plan.composition.placements.get(part)
        if placed is not None and placed.board == entry.board:
            return
        warning = other_board(self.plan.job, any_copy(part) if part not in self.plan.job.by_key else part, entry.board)
        try:
            with transaction.atomic():
                self.row.refresh_from_db()
                values = {"board": entry.board, "copy": str(card.copy or 1)}
                perform(self.row, self.row.revision, "from_board", [card.piece], values)
        except EmberError as bad:
            answer.tell(f"The board was not noted: {bad}")
            return
        self.row.refresh_from_db()
        if warning:
            answer.tell(warning)


def correct(row: Composition, pk: int, text: str) -> Event:
    """What was done took other minutes than the log has. Raises `BadChoice`."""
    event = row.events.filter(pk=pk, what=Event.What.DONE).first()
    if event is None:
        raise BadChoice("That entry is no longer in the log.")
    minutes = number(text.strip().removesuffix("min"), "minutes")
    if not 0 < minutes <= LONGEST_MINUTES:
        raise BadChoice(
            f"From a moment to {LONGEST_MINUTES / 60:g} hours can be one card's time; {minutes:g} min cannot."
        )
    with transaction.atomic():
        event.minutes = round(minutes, 3)
        event.save(update_fields=["minutes"])
        forget(row)
    return event


def name_of(event: Event) -> str:
    """What phones call it."""
    return event.client or f"e{event.pk}"


def row_of(event: Event) -> list:
    """[name, what, step, part, at in ms, minutes, who, how it broke, words]."""
    at = round(event.at.timestamp() * 1000)
    row = [name_of(event), event.what, event.step, event.part, at, event.minutes, event.who, event.why, event.text]
    while row[-1] in ("", None):
        row.pop()
    return row


def since(row: Composition, cursor: Any = None) -> dict[str, Any]:
    """What came into the log, and what was taken out of it, after `cursor`; all of it without one."""
    first, second = (0, 0)
    if cursor is not None:
        if not isinstance(cursor, list) or len(cursor) != 2 or not all(isinstance(v, int) for v in cursor):
            raise BadChoice("The place in the log cannot be read. Open the bench again.")
        first, second = cursor
    events = list(row.events.filter(pk__gt=first).order_by("pk"))
    undone = list(row.undone.filter(pk__gt=second).order_by("pk").values_list("pk", "client"))
    return {
        "events": [row_of(event) for event in events],
        "gone": [client for _, client in undone],
        "cursor": [events[-1].pk if events else first, undone[-1][0] if undone else second],
        "revision": row.revision,
    }
