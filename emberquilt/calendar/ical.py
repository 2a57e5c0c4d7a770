"""The schedule as an iCalendar file (RFC 5545), for any calendar program. What was told before moves when it is told
again: every sitting keeps its id, and one that is there no longer is called off."""

import datetime as dt
from collections.abc import Iterable, Mapping, Sequence

from icalendar import Calendar, Event

from .schedule import Schedule, Slot

EPOCH = dt.datetime(2026, 1, 1, tzinfo=dt.UTC)


def event_id(key: str, part: int, work: str) -> str:
    """Of the sitting `part` of a step, whatever becomes of the others."""
    return f"{key}.{part}.{work or 'composition'}@emberquilt.invalid"


def ids_of(schedule: Schedule, work: str) -> dict[str, str]:
    """By id the step of each sitting."""
    return {event_id(slot.step.key, slot.part, work): slot.step.key for slot in schedule.own_slots}


def icalendar_of(schedule: Schedule, name: str, key: str, stamp: dt.datetime, called_off: Iterable[str] = ()) -> bytes:
    """One event a sitting; `called_off` are ids that were told before and are none any more."""
    return calendar_of([(schedule, name, key, called_off)], name, stamp)


def calendar_of(works: Sequence[tuple[Schedule, str, str, Iterable[str]]], name: str, stamp: dt.datetime) -> bytes:
    """Several works in one calendar. Where the plan knows its zone times are told in UTC, which every program shows on
    its own clock; else they float: a shop has no time zone but its own."""
    calendar = Calendar()
    calendar.add("prodid", "-//Ember Quilt//EN")
    calendar.add("version", "2.0")
    calendar.add("method", "PUBLISH")
    calendar.add("x-wr-calname", name)
    calendar.add("refresh-interval", dt.timedelta(hours=1), parameters={"VALUE": "DURATION"})
    sequence = max(0, int((stamp - EPOCH) / dt.timedelta(minutes=1)))
    for schedule, work, key, called_off in works:
        for slot in schedule.own_slots:
            calendar.add_component(_event(slot, work, key, stamp, sequence))
        for gone in called_off:
            calendar.add_component(_called_off(gone, work, stamp, sequence))
    return calendar.to_ical()


def _event(slot: Slot, work: str, key: str, stamp: dt.datetime, sequence: int) -> Event:
    event = Event()
    event.add("uid", event_id(slot.step.key, slot.part, key))
    event.add("dtstamp", stamp)
    event.add("sequence", sequence)
    event.add("dtstart", _told(slot.begin))
    event.add("dtend", _told(slot.end))
    event.add("summary", f"{work}: {slot.label}")
    notes = [f"By {slot.lane}." if slot.lane not in ("", "One") else ""]
    if slot.ready > slot.end:
        notes.append(f"Then it waits until {slot.ready:%a %d %b %H:%M}.")
    notes.append(slot.step.caution)
    if note := " ".join(filter(None, notes)):
        event.add("description", note)
    return event


def _called_off(uid: str, work: str, stamp: dt.datetime, sequence: int) -> Event:
    event = Event()
    event.add("uid", uid)
    event.add("dtstamp", stamp)
    event.add("sequence", sequence)
    event.add("dtstart", _told(stamp))
    event.add("summary", f"{work}: no longer")
    event.add("status", "CANCELLED")
    return event


def _told(moment: dt.datetime) -> dt.datetime:
    return moment.astimezone(dt.UTC) if moment.tzinfo is not None else moment


def called_off(told: Mapping[str, str], now: Mapping[str, str], left: Iterable[str], known: Iterable[str]) -> list[str]:
    """Of ids that were told (with their steps) those to call off: what is still to be done otherwise, or is no step of
    the work any more. What was done stands where it stood."""
    still, all_steps = set(left), set(known)
    return sorted(uid for uid, step in told.items() if uid not in now and (step in still or step not in all_steps))
