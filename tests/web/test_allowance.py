"""What one account may have of what all share: said before it bites, and refused in a sentence."""

import datetime as dt

import pytest
from django.core.management import CommandError, call_command
from django.db.models import F
from django.utils import timezone

from emberquilt.formats.project import write_project
from tests.conftest import composition, grid
from tests.web.conftest import said, upload
from workshop.compositions import actions
from workshop.compositions.models import Composition, Draft, LayoutSearch, Source
from workshop.entry import allowance
from workshop.entry.models import Allowance
from workshop.longwork.models import Spent


@pytest.fixture
def scarce(settings):
    settings.ALLOWANCE = {"works": 5, "megabytes": 2, "minutes": 10}


def rest(client) -> str:
    """What the shelf says of what is nearly used up."""
    text = client.get("/").content.decode()
    return text.split('class="near"')[1].split("</ul>")[0] if 'class="near"' in text else ""


def test_works_are_counted_and_told_before_they_are_full(client, person, scarce, koi_svg):
    for count in range(1, 6):
        assert bool(rest(client)) == (count > 4)
        row = actions.create(person, composition(grid(2, 1)))
    assert "5 of 5 works" in rest(client)
    refused = client.post("/bring/", {"drawing": upload(koi_svg), "width": "18 in"}, follow=True)
    assert "room for 5 works" in said(refused)
    assert not Draft.objects.exists()
    data = write_project(actions.project_of(row, timezone.now()))
    refused = client.post("/bring/", {"drawing": upload(data, "x.ember"), "width": ""}, follow=True)
    assert "room for 5 works" in said(refused)
    assert Composition.objects.count() == 5
    # what is there goes on, and room comes back
    assert client.get(f"/picture/{row.uid}/wood/").status_code == 200
    client.post(f"/picture/{row.uid}/discard/")
    client.post("/bring/", {"drawing": upload(koi_svg), "width": "18 in"})
    assert Draft.objects.exists()


def test_a_draft_that_finds_no_room_stays_a_draft(client, person, scarce, koi_svg):
    client.post("/bring/", {"drawing": upload(koi_svg), "width": "18 in"})
    draft = Draft.objects.get()
    for _ in range(5):
        actions.create(person, composition(grid(2, 1)))
    answer = client.post(f"/draft/{draft.uid}/accept/", {"name": "Koi"})
    assert answer.status_code == 422
    assert b"room for 5 works" in answer.content
    assert Draft.objects.exists()


def test_bytes_of_everything_that_is_kept_are_counted(client, person, work, page, scarce):
    before = allowance.count_bytes(person)
    assert before >= len(b"<svg/>") + sum(len(bytes(wkb)) for wkb in work.outlines.values_list("wkb", flat=True))
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    after = allowance.count_bytes(person)
    assert after > before
    Source.objects.update(data=b"x" * 1_700_000)
    assert allowance.count_bytes(person) == after + 1_700_000 - len(b"<svg/>")
    assert "MB are free" in rest(client) or "0 MB" in rest(client)
    refused = client.post("/bring/", {"drawing": upload(b"<svg>" + b" " * 400_000), "width": "18 in"}, follow=True)
    assert "room for 2 MB" in said(refused) or "is no" in said(refused)


def test_a_drawing_for_which_there_is_no_room_is_refused(client, person, work, scarce, koi_svg):
    Source.objects.update(data=b"x" * 1_999_000)
    refused = client.post("/bring/", {"drawing": upload(koi_svg), "width": "18 in"}, follow=True)
    assert "room for 2 MB" in said(refused)
    assert not Draft.objects.exists()


def test_long_work_is_refused_when_the_days_minutes_are_used_up(client, person, work, page, scarce, settings):
    settings.LONG_WORK_AT_ONCE = False
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    begin = {"seconds": "15"}
    assert page.post(f"/picture/{work.uid}/layout/", **begin).status_code == 200
    turn = LayoutSearch.objects.get().turn
    spent = Spent.objects.create(owner=person, day=timezone.now().date(), seconds=8.5 * 60)
    assert "of 10 minutes of long work today" in rest(client)
    Spent.objects.filter(pk=spent.pk).update(seconds=F("seconds") + 100)
    answer = page.post(f"/picture/{work.uid}/layout/", **begin)
    assert answer.status_code == 422
    assert "today’s are used up" in answer.content.decode()
    assert LayoutSearch.objects.get().turn == turn
    # another day
    Spent.objects.filter(pk=spent.pk).update(day=timezone.now().date() - dt.timedelta(days=1))
    assert page.post(f"/picture/{work.uid}/layout/", **begin).status_code == 200


def test_one_account_may_have_more(other, scarce, capsys):
    call_command("account", other.username, "--works", "50", "--minutes", "0")
    assert "50 works, 2 megabytes, any number of minutes" in capsys.readouterr().out
    assert allowance.most_of(other) == {"works": 50, "megabytes": 2, "minutes": 0}
    call_command("account", other.username, "--works", "usual")
    assert allowance.most_of(other)["works"] == 5
    for bad in ("-1", "many", "99999999"):
        with pytest.raises(CommandError, match="is a number"):
            call_command("account", other.username, f"--works={bad}")
    assert Allowance.objects.get(person=other).works is None


def test_where_nobody_signs_in_there_is_no_measure(client, person, work):
    assert allowance.rooms(person) == []
    assert rest(client) == ""
