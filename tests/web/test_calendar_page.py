"""The Calendar station: dates moved by hand, kept, polished and made afresh."""

import datetime as dt
import html
import json
import re
from dataclasses import replace

import icalendar
import pytest
from django.test import Client

from emberquilt.plan import Plan
from emberquilt.practice import Practice
from tests.conftest import composition, grid
from workshop.compositions import actions
from workshop.compositions.models import Composition, DatePlan
from workshop.compositions.plans import plan_of
from workshop.stations.calendar import dates, ticket

pytestmark = pytest.mark.django_db


@pytest.fixture
def dated(person):
    """A small work with everything decided."""
    return actions.create(person, composition(grid(4, 3), practice=Practice(), shim_mm=2.0))


def page(client, row, **asked):
    return " ".join(client.get(f"/picture/{row.uid}/calendar/", asked).content.decode().split())


def do(client, row, verb, **values):
    row.refresh_from_db()
    return client.post(
        f"/picture/{row.uid}/calendar/do/",
        {"verb": verb, "pieces": "", "revision": row.revision, **values},
        headers={"HX-Request": "true"},
    )


def begins(row) -> dict[str, dt.datetime]:
    found: dict[str, dt.datetime] = {}
    for slot in plan_of(Composition.objects.get(pk=row.pk)).schedule.slots:
        found.setdefault(slot.step.key, slot.begin)
    return found


def test_the_panel_is_the_calendar(client, person, dated):
    text = page(client, dated)
    plan = plan_of(dated).schedule
    assert text.count('class="block') == len(plan.slots)
    # every day on which somebody works has its leaf
    assert text.count('class="leaf"') >= len({slot.begin.date() for slot in plan.slots})
    assert f"ends {plan.finish:%a}" in text
    assert "Why here" in text
    assert "no plan ends before" in text.lower() or "No plan" in text


def test_another_sitting_is_asked_for_by_key_and_by_piece(client, person, dated):
    assert "Take the patterns off" in page(client, dated, slot="paper-off").split('id="ticket"')[1][:900]
    chosen = page(client, dated, pieces="3").split('id="ticket"')[1][:900]
    assert "paste" in chosen


def test_a_step_is_pinned_and_told_what_gives(client, person, dated):
    before = begins(dated)
    day = (before["hang"] + dt.timedelta(days=3)).replace(tzinfo=None)
    while day.weekday() > 4:
        day += dt.timedelta(days=1)
    answer = do(client, dated, "pin", step="hang", at=f"{day:%Y-%m-%d}T19:30")
    assert answer.status_code == 200
    assert "1 step moved; it ends" in answer.content.decode()
    after = begins(dated)
    assert f"{after['hang']:%Y-%m-%dT%H:%M}" == f"{day:%Y-%m-%d}T19:30"
    assert {key for key in after if after[key] != before[key]} == {"hang"}
    assert "you pinned it here" in page(client, dated, slot="hang")
    assert do(client, dated, "unpin", step="hang").status_code == 200
    assert not plan_of(Composition.objects.get(pk=dated.pk)).composition.decisions.calendar.pins


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"step": "hang", "at": "2020-01-05"}, ""),
        ({"step": "hang", "at": "tomorrow"}, "no day and time"),
        ({"step": "nothing", "at": "2030-01-05"}, "is done, or is none"),
    ],
)
def test_pins_that_cannot_be(client, person, dated, values, words):
    answer = do(client, dated, "pin", **values)
    if words:
        assert answer.status_code == 422
        assert words in answer.content.decode()
        assert not Composition.objects.get(pk=dated.pk).decisions.get("calendar")
    else:
        # a day that is past holds nothing any more
        assert answer.status_code == 200
        assert begins(dated)


def test_a_step_cannot_be_pinned_before_what_it_waits_for(client, person, dated):
    first = begins(dated)["paste"].replace(tzinfo=None)
    answer = do(client, dated, "pin", step="hang", at=f"{first:%Y-%m-%d}")
    assert answer.status_code == 422
    assert "at the earliest" in answer.content.decode()
    assert not DatePlan.objects.exists()


def test_ready_by_is_held_against_the_end(client, person, dated):
    end = plan_of(dated).schedule.finish
    assert do(client, dated, "ready_by", ready_by="2020-01-05").status_code == 422
    answer = do(client, dated, "ready_by", ready_by=f"{end.date() + dt.timedelta(days=9)}", occasion="a birthday")
    assert "9 days to spare" in answer.content.decode()
    assert "a birthday" in page(client, dated)
    late = f"{plan_of(dated).start.date() + dt.timedelta(days=1)}"
    text = do(client, dated, "ready_by", ready_by=late, occasion="").content.decode()
    assert "Too late" in text
    assert "late." in text.split('id="findings"')[1]
    assert "begin by" not in client.get(f"/picture/{dated.uid}/dates/forward/").content.decode()


def test_what_brings_the_date_forward_is_tried(client, person):
    """With one evening a week a Sunday gains weeks; what is told is what planning with it gives."""
    mondays = Practice(hours={"mon": "19:00-20:30"})
    row = actions.create(person, composition(grid(4, 3), practice=mondays, shim_mm=2.0))
    text = client.get(f"/picture/{row.uid}/dates/forward/").content.decode()
    assert "What brings the date forward" in text
    plan = plan_of(row)
    with_sunday = replace(
        plan.composition, practice=mondays.changed(hours={"mon": "19:00-20:30", "sun": "10:00-12:00"})
    )
    finish = Plan(with_sunday, plan.start).schedule.finish
    assert "Sunday from 10 to 12" in text
    assert f"{finish:%a} {finish.day} {finish:%b}" in text


def test_kept_dates_stay_until_they_are_made_afresh(client, person, dated):
    assert client.post(f"/picture/{dated.uid}/dates/", {"what": "agree"}).status_code == 302
    before = begins(dated)
    assert begins(dated) == before
    assert DatePlan.objects.get().sittings
    do(client, dated, "practice", **{"hours-sun": "9-12", "hours-mon": "19:00-21:30", "hours-tue": "19:00-21:30"})
    text = page(client, dated)
    assert "elsewhere than in the dates you keep" in text
    client.post(f"/picture/{dated.uid}/dates/", {"what": "afresh"})
    assert not DatePlan.objects.get().sittings
    assert client.post(f"/picture/{dated.uid}/dates/", {"what": "burn"}).status_code == 422


@pytest.mark.django_db(transaction=True)
def test_a_better_plan_is_looked_for_outside_the_request_and_taken(client, person, dated):
    answer = client.post(f"/picture/{dated.uid}/dates/polish/", {"seconds": "10"}, headers={"HX-Request": "true"})
    assert answer.status_code == 200
    search = DatePlan.objects.get()
    if search.state == DatePlan.State.WAITING:
        dates.polish.func(search.pk, search.turn)
    search.refresh_from_db()
    assert search.state == DatePlan.State.READY
    assert search.told["bound"] <= search.told["finish"]
    assert client.post(f"/picture/{dated.uid}/dates/", {"what": "take"}).status_code == 302
    assert DatePlan.objects.get().sittings
    assert client.post(f"/picture/{dated.uid}/dates/polish/", {"seconds": "9999"}).status_code == 422


@pytest.mark.django_db(transaction=True)
def test_a_plan_that_may_be_bettered_is_looked_through_by_itself_once(client, dated, settings, monkeypatch):
    settings.POLISH_ALONE = True
    # a first day from which the plan found at once is a little longer than its bound
    thursday = dt.date.today() + dt.timedelta(days=7 + (3 - dt.date.today().weekday()) % 7)
    do(client, dated, "start", start=thursday.isoformat())
    dated.refresh_from_db()
    # within one part in a hundred of its bound nothing is looked for
    assert "load delay" not in page(client, dated)
    monkeypatch.setattr(ticket, "WORTH_A_LOOK", 0.0)
    assert (plan_of(dated).schedule.gap or 0) > 0
    assert 'hx-trigger="load delay:2s"' in page(client, dated)
    client.post(f"/picture/{dated.uid}/dates/polish/", {"seconds": "10"})
    assert "load delay" not in page(client, dated)


def test_what_brings_the_date_forward_can_be_planned_so(client, dated):
    """Each way is taken as its button sends it, and then the work ends on the day that was promised."""
    do(
        client,
        dated,
        "practice",
        **{f"hours-{day}": "19:00-20:30" for day in ("mon", "tue", "wed", "thu", "fri", "sat")},
    )
    text = client.get(f"/picture/{dated.uid}/dates/forward/", headers={"HX-Request": "true"}).content.decode()
    ways = re.findall(r'to (\w+ \d+ \w+)\s*<button [^>]*?hx-vals="(.*?)"', text)
    assert ways
    for day, told in ways:
        values = json.loads(html.unescape(told))
        assert do(client, dated, values.pop("verb"), **values).status_code == 200
        finish = plan_of(Composition.objects.get(pk=dated.pk)).schedule.finish
        assert f"{finish:%a} {finish.day} {finish:%b}" == day
        dated.refresh_from_db()
        # each way alone
        undone = client.post(
            f"/picture/{dated.uid}/undo/calendar/", {"revision": dated.revision}, headers={"HX-Request": "true"}
        )
        assert undone.status_code == 200


def test_a_second_pair_of_hands_and_days_off(client, person, dated):
    end = plan_of(dated).schedule.finish
    day = begins(dated)["paste"].date()
    text = do(client, dated, "practice", off=f"{day}").content.decode()
    assert begins(dated)["paste"].date() > day
    answer = do(client, dated, "practice", helper="Two", **{"helper-sat": "9:00-17:00", "helper-mon": "18-22"})
    text = answer.content.decode()
    assert "Two" in text.split('id="calendar"')[1]
    assert {name for slot in plan_of(Composition.objects.get(pk=dated.pk)).schedule.slots for name in slot.people} <= {
        "One",
        "Two",
    }
    assert do(client, dated, "practice", off="soon").status_code == 422
    assert end is not None


def test_no_hours_is_a_page_that_says_so(client, person):
    row = actions.create(person, composition(grid(3, 2), practice=Practice(hours={})))
    text = page(client, row)
    assert "No dates" in text
    assert "hours you have" in text
    assert client.get(f"/picture/{row.uid}/dates/forward/").status_code == 200


def test_a_calendar_program_reads_by_an_address_with_a_secret(client, person, dated):
    assert client.get("/calendar/.ics").status_code == 404
    assert client.get("/calendar/guessed.ics").status_code == 404
    assert client.post(f"/picture/{dated.uid}/dates/subscribe/").status_code == 302
    text = page(client, dated)
    address = re.search(r'value="(http[^"]+\.ics)"', text)[1]
    stranger = Client()
    events = icalendar.Calendar.from_ical(stranger.get(address).content).walk("VEVENT")
    slots = plan_of(Composition.objects.get(pk=dated.pk)).schedule.slots
    assert {event["dtstart"].dt for event in events} == {slot.begin.astimezone(dt.UTC) for slot in slots}
    client.post(f"/picture/{dated.uid}/dates/subscribe/")
    assert stranger.get(address).status_code == 404


def test_a_second_file_calls_off_what_is_no_longer_there(client, person, dated):
    first = client.get(f"/picture/{dated.uid}/dates/dates.ics").content.decode()
    do(client, dated, "practice", coats="1")
    second = client.get(f"/picture/{dated.uid}/dates/dates.ics").content.decode()
    assert "CANCELLED" not in first
    gone = [part for part in second.split("BEGIN:VEVENT") if "CANCELLED" in part]
    assert len(gone) == 2
    assert all("coat-" in part for part in gone)


def test_the_day_sheet_of_any_day(client, person, dated):
    days = sorted({slot.begin.date() for slot in plan_of(dated).schedule.slots})
    for asked in (f"?day={days[-1]}", "?day=all", ""):
        answer = client.get(f"/picture/{dated.uid}/dates/day.pdf{asked}")
        assert answer.status_code == 200
        assert answer.content.startswith(b"%PDF")
    assert client.get(f"/picture/{dated.uid}/dates/day.pdf?day=2020-01-01").status_code == 422
    assert client.get(f"/picture/{dated.uid}/dates/day.pdf?day=never").status_code == 422


def test_works_are_planned_at_once(client, person, dated):
    other = actions.create(person, replace(composition(grid(3, 2), practice=Practice(), shim_mm=2.0), name="A pear"))
    alone = plan_of(other).schedule.finish
    assert "A pear" in page(client, dated)
    client.post(f"/picture/{dated.uid}/dates/together/", {"other": str(other.uid), "what": "with"})
    text = page(client, dated)
    assert 'class="block other' in text or "other" in text.split('id="calendar"')[1]
    plans = [plan_of(Composition.objects.get(pk=row.pk)).schedule for row in (dated, other)]
    times = [{(s.begin, s.end) for s in plan.slots} for plan in plans]
    assert times[0] == times[1]
    assert plans[1].finish >= alone
    rows = sorted((s.begin, s.end) for s in plans[0].slots if s.people)
    assert all(a[1] <= b[0] for a, b in zip(rows, rows[1:], strict=False))
    # kept at once, each with its own work
    client.post(f"/picture/{dated.uid}/dates/", {"what": "agree"})
    assert DatePlan.objects.exclude(sittings={}).count() == 2
    assert plan_of(Composition.objects.get(pk=other.pk)).schedule.moved == ()
    client.post(f"/picture/{dated.uid}/dates/together/", {"other": str(other.uid), "what": "without"})
    assert not plan_of(Composition.objects.get(pk=dated.pk)).schedule.others
    for wrong in ("nothing", str(dated.uid)):
        answer = client.post(f"/picture/{dated.uid}/dates/together/", {"other": wrong, "what": "with"})
        assert answer.status_code == 422


def test_the_shelf_says_what_is_next(client, person, dated):
    tag = client.get(f"/picture/{dated.uid}/tag/").content.decode()
    first = plan_of(dated).schedule.slots[0]
    assert first.step.label[:20] in tag
    assert f"{first.begin:%a %H:%M}" in tag
