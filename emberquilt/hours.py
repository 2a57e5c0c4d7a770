"""The hours a person really has, as typed: ``19:00-21:30`` or ``9-12, 14-17``."""

import datetime as dt
import re
from collections.abc import Iterable, Iterator

from .errors import BadChoice

FIRST_YEAR, LAST_YEAR = 1990, 2200
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MOST_OFF = 2000
SPAN = re.compile(r"^(\d{1,2})(?:[:.](\d{2}))?\s*(?:-|–|to)\s*(\d{1,2})(?:[:.](\d{2}))?$")


def parse_day(text: str) -> list[tuple[int, int]]:
    """Minutes from midnight, (from, to), in order. Empty text is a day off. Raises `BadChoice`."""
    spans = []
    for item in (part.strip() for part in text.split(",")):
        if not item:
            continue
        match = SPAN.match(item)
        if match is None:
            raise BadChoice(f"“{item}” is no span of time. Type for example 19:00-21:30 or 9-12, 14-17.")
        begin = int(match[1]) * 60 + int(match[2] or 0)
        end = int(match[3]) * 60 + int(match[4] or 0)
        if not 0 <= begin < end <= 24 * 60 or int(match[2] or 0) > 59 or int(match[4] or 0) > 59:
            raise BadChoice(f"“{item}” does not run forward within one day.")
        spans.append((begin, end))
    spans.sort()
    if any(a[1] > b[0] for a, b in zip(spans, spans[1:], strict=False)):
        raise BadChoice(f"The spans in “{text.strip()}” overlap.")
    return spans


def day_of(text: str) -> dt.date:
    """The day in ``2026-12-01``. Raises `BadChoice`; days that no workshop plans for are taken for a slip of the
    hand."""
    try:
        day = dt.date.fromisoformat(text)
    except ValueError:
        raise BadChoice(f"“{text[:20]}” is no day. Type year-month-day, for example 2026-12-01.") from None
    if not FIRST_YEAR <= day.year <= LAST_YEAR:
        raise BadChoice(f"A day in {day.year} cannot be planned for: from {FIRST_YEAR} to {LAST_YEAR}.")
    return day


def usual_hours() -> dict[str, str]:
    """Evenings, and a Saturday with a break."""
    return {day: "19:00-21:30" for day in DAYS[:5]} | {"sat": "9:00-12:00, 14:00-17:00", "sun": ""}


def days_off(told: str | Iterable[str]) -> frozenset[dt.date]:
    """Days as typed: ``2026-12-24, 2026-12-27 to 2027-01-02``, or a list of such. Raises `BadChoice`."""
    items = told.split(",") if isinstance(told, str) else [str(item) for item in told]
    found: set[dt.date] = set()
    for item in (item.strip() for item in items):
        if not item:
            continue
        first, _, last = (part.strip() for part in re.sub(r"\.\.|–", " to ", item).partition(" to "))
        begin = day_of(first)
        end = day_of(last) if last else begin
        if end < begin or (end - begin).days > MOST_OFF:
            raise BadChoice(f"“{item}” does not run forward over at most {MOST_OFF} days.")
        found |= {begin + dt.timedelta(days=n) for n in range((end - begin).days + 1)}
    return frozenset(found)


QUARTER = dt.timedelta(minutes=15)


def first_moment(pinned: str | None, now: dt.datetime) -> dt.datetime:
    """When work can begin: on the first day that was decided, never before now. `now` is the shop's own clock; work
    begins at its next quarter of an hour. Raises `BadChoice` for a day that is none."""
    soon = now.replace(second=0, microsecond=0)
    soon += (QUARTER - dt.timedelta(minutes=soon.minute % 15)) if soon.minute % 15 or soon < now else dt.timedelta()
    return max(dt.datetime.combine(day_of(pinned), dt.time()), soon) if pinned else soon


def parse_week(week: dict[str, str]) -> dict[str, list[tuple[int, int]]]:
    if not isinstance(week, dict) or set(week) - set(DAYS):
        raise BadChoice("Working hours are given for mon to sun.")
    return {day: parse_day(str(week.get(day, ""))) for day in DAYS}


def longest_minutes(week: dict[str, str]) -> int:
    """The longest span of a week."""
    return max((b - a for spans in parse_week(week).values() for a, b in spans), default=0)


def windows(week: dict[str, str], start: dt.datetime, days: int = 3650) -> Iterator[tuple[dt.datetime, dt.datetime]]:
    """Working windows from `start` on, the first one cut to begin there. Raises `BadChoice` when there are none."""
    spans = parse_week(week)
    if not any(spans.values()):
        raise BadChoice("Type the hours you have: with none, no date can be given.")
    for offset in range(days):
        day = (start + dt.timedelta(days=offset)).replace(hour=0, minute=0, second=0, microsecond=0)
        for begin, end in spans[DAYS[day.weekday()]]:
            opens, closes = day + dt.timedelta(minutes=begin), day + dt.timedelta(minutes=end)
            if closes > start:
                yield max(opens, start), closes
