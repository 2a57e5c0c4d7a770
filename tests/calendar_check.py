"""An independent checker of plans: it reads them minute by minute, knows nothing of how they were made, and uses the
standard library's clock."""

import datetime as dt
from collections import defaultdict

from emberquilt.hours import parse_day

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MINUTE = dt.timedelta(minutes=1)


def real(begin, end) -> float:
    """Minutes that pass, whatever the clock on the wall does."""
    if begin.tzinfo is not None:
        begin, end = begin.astimezone(dt.UTC), end.astimezone(dt.UTC)
    return (end - begin) / MINUTE


def in_hours(person, begin, end) -> bool:
    """Every few minutes of it, and its two ends, lie in the hours that were typed for that day."""
    whole = int(real(begin, end))
    return all(_is_there(person, _later(begin, m), m, whole) for m in sorted({0, whole, *range(0, whole, 7)}))


def _is_there(person, at, minute, whole) -> bool:
    here = at.hour * 60 + at.minute
    days = [(at.date(), here)]
    if here == 0 and minute == whole and whole:
        # midnight, as an end, is the day before's
        days = [(at.date() - dt.timedelta(days=1), 24 * 60)]
    return any(
        day not in person.off and any(a <= then <= b for a, b in parse_day(person.week.get(DAYS[day.weekday()], "")))
        for day, then in days
    )


def _later(begin, minutes):
    if begin.tzinfo is None:
        return begin + minutes * MINUTE
    return (begin.astimezone(dt.UTC) + minutes * MINUTE).astimezone(begin.tzinfo)


def check(plan, steps, means, start, least=10):
    """Everything once and whole; nobody in two places, nobody outside hours; nothing before what it waits for is dry,
    or later than it may be; never more held than there is; sprayed only by daylight when it is warm."""
    slots = defaultdict(list)
    for slot in plan.slots:
        slots[slot.step.key].append(slot)
    assert sorted(slots) == sorted(step.key for step in steps)
    _check_people(plan, means, start)
    _check_steps(slots, steps, start, least)
    for step in steps:
        if step.place in means.places:
            _check_place(means.places[step.place], slots[step.key])
    _check_held(slots, steps, means, start)


def _check_people(plan, means, start):
    people = {person.name: person for person in means.people}
    busy = defaultdict(list)
    setups = set()
    for slot in sorted(plan.slots, key=lambda s: real(start, s.begin)):
        assert real(start, slot.begin) >= 0
        step = slot.step
        wanted = step.hands if step.minutes > 0 else 0
        assert len(slot.people) == wanted == len(set(slot.people))
        for name in slot.people:
            assert not step.by or name in step.by
            assert in_hours(people[name], slot.begin, slot.end), (step.key, slot.begin, slot.end)
            busy[name].append((real(start, slot.begin), real(start, slot.end), step))
        if step.setup and wanted == 1:
            # set up anew, or it stands there from the sitting that ends this minute
            assert slot.setup_minutes or not step.setup_minutes or (slot.people[0], slot.begin, step.setup) in setups
            assert slot.setup_minutes in (0, -(-step.setup_minutes // 1))
        setups |= {(name, slot.end, step.setup) for name in slot.people}
    for rows in busy.values():
        rows.sort(key=lambda row: row[:2])
        for one, other in zip(rows, rows[1:], strict=False):
            assert one[1] <= other[0]


def _check_steps(slots, steps, start, least):
    for step in steps:
        own = sorted(slots[step.key], key=lambda s: real(start, s.begin))
        minutes = sum(real(s.begin, s.end) - s.setup_minutes for s in own)
        assert -1e-6 <= minutes - step.minutes < 1 + 1e-6, (step.key, minutes, step.minutes)
        assert [(s.part, s.parts) for s in own] == [(i, len(own)) for i in range(1, len(own) + 1)]
        assert step.divisible or len(own) == 1
        assert all(real(s.begin, s.end) - s.setup_minutes >= least for s in own[:-1])
        assert all(real(s.end, s.ready) == 0 for s in own[:-1])
        assert 0 <= real(own[-1].end, own[-1].ready) - step.wait_minutes < 1
        assert [key for s in own for key in s.does] == list(step.parts)
        for before in step.after:
            assert real(slots[before][-1].ready, own[0].begin) >= 0
        for before, most in step.within:
            assert real(slots[before][-1].ready, own[0].begin) <= most + 1


def _check_place(place, own):
    for s in own:
        assert place.least_c is None or place.celsius(s.begin.date()) >= place.least_c
        rise, set_ = place.sun(s.begin.date())
        summer = (s.begin.dst() or dt.timedelta()) / dt.timedelta(hours=1)
        for at in (s.begin, s.end):
            assert rise + summer - 1 / 30 <= at.hour + at.minute / 60 <= set_ + summer + 1 / 30


def _check_held(slots, steps, means, start):
    for thing, there in means.held.items():
        spans = []
        for step in steps:
            amount = dict(step.held).get(thing, 0)
            if amount:
                spans.append((real(start, slots[step.key][0].begin), real(start, slots[step.key][-1].ready), amount))
        for at, _, _ in spans:
            assert sum(n for a, b, n in spans if a <= at < b) <= there
