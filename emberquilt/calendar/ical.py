"""The schedule as an iCalendar file (RFC 5545), for any calendar program."""

import datetime as dt

from icalendar import Calendar, Event

from .schedule import Schedule


def icalendar_of(schedule: Schedule, name: str, key: str, stamp: dt.datetime) -> bytes:
    """One event a sitting, in floating local time: a shop has no time zone but its own."""
    calendar = Calendar()
    calendar.add("prodid", "-//Ember Quilt//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    for slot in schedule.slots:
        event = Event()
        event.add("uid", f"{slot.key}.{key or 'composition'}@emberquilt.invalid")
        event.add("dtstamp", stamp)
        event.add("dtstart", slot.begin)
        event.add("dtend", slot.end)
        event.add("summary", f"{name}: {slot.label}")
        note = slot.step.caution
        if slot.ready > slot.end:
            note = f"Then it waits until {slot.ready:%a %d %b %H:%M}. {note}".strip()
        if note:
            event.add("description", note)
        calendar.add_component(event)
    return calendar.to_ical()
