"""The door: guessing is slow, owners stay in, passwords and sessions are in their owner's hand."""

import datetime as dt
import io
import re

import pytest
from django.contrib.auth import get_user_model
from django.contrib.sessions.models import Session
from django.core.management import CommandError, call_command
from django.test import Client
from django.utils import timezone

from workshop.entry import throttle
from workshop.entry.models import Knock, SignedIn

PASSWORD = "a-canal-in-the-evening-7"


@pytest.fixture(autouse=True)
def accounts(settings):
    """Everybody signs in."""
    settings.LOCAL_PERSON = False


@pytest.fixture
def ash(db):
    return get_user_model().objects.create_user("Ash", password=PASSWORD)


@pytest.fixture
def clock(monkeypatch):
    """Time that goes on when it is told to."""
    now = [timezone.now()]
    monkeypatch.setattr(throttle.timezone, "now", lambda: now[0])

    def later(seconds: float) -> None:
        now[0] += dt.timedelta(seconds=seconds)

    return later


def knock(client, name="Ash", password="wrong", address="198.51.100.7"):
    return client.post("/enter/", {"username": name, "password": password}, REMOTE_ADDR=address)


def waits(response) -> int:
    return int(response.get("Retry-After", 0))


def test_each_further_guess_waits_twice_as_long_and_a_minute_at_most(client, ash, clock):
    seconds = []
    for _ in range(14):
        assert knock(client).status_code == 401
        told = knock(client)
        assert told.status_code == (429 if waits(told) else 401)
        seconds.append(waits(told))
        clock(waits(told))
    # the first two turns are free tries, two each
    assert seconds == [0, 0, 1, 2, 4, 8, 16, 32, 60, 60, 60, 60, 60, 60]
    assert "Wait 60 seconds" in " ".join(told.content.decode().split())


def test_no_password_is_looked_at_while_it_waits(client, ash, clock):
    for _ in range(6):
        clock(60)
        knock(client)
    assert knock(client, password=PASSWORD).status_code == 429
    assert "_auth_user_id" not in client.session
    clock(60)
    assert knock(client, password=PASSWORD).status_code == 302
    assert client.get("/").status_code == 200


def test_spraying_many_names_from_one_address_is_stopped(client, ash, clock):
    looked_at = sum(knock(client, f"person-{i % 20}").status_code == 401 for i in range(30))
    assert looked_at == throttle.FREE["address"] + 1
    # another name from there has to wait as well, from elsewhere it does not
    assert knock(client, "somebody-new").status_code == 429
    assert knock(Client(), "somebody-new", address="203.0.113.9").status_code == 401


def test_an_hour_of_spraying_looks_at_few(client, clock, db):
    looked_at = 0
    for i in range(400):
        looked_at += knock(client, f"person-{i % 20}").status_code == 401
        clock(9)
    assert looked_at < 30


def test_a_household_of_the_newer_addresses_counts_as_one(client, db, clock):
    looked_at = sum(knock(client, f"p{i}", address=f"2001:db8:1:2::{i + 1:x}").status_code == 401 for i in range(30))
    assert looked_at == throttle.FREE["address"] + 1
    assert knock(client, "q", address="2001:db8:1:3::1").status_code == 401


def test_strangers_keep_no_owner_out(client, ash, clock):
    assert knock(client, password=PASSWORD, address="192.0.2.1").status_code == 302
    client.post("/leave/")
    stranger = Client()
    for i in range(20):
        knock(stranger, address=f"203.0.113.{i}")
        clock(60)
    assert knock(stranger, address="203.0.113.99").status_code in (401, 429)
    # the browser in which the owner was before goes straight in, at the worst moment too
    assert knock(client, password=PASSWORD, address="192.0.2.1").status_code == 302
    # and from anywhere else the owner waits a minute at most
    clock(60)
    assert knock(Client(), password=PASSWORD, address="192.0.2.50").status_code == 302


def test_a_mark_of_another_name_or_a_forged_one_is_none(client, ash, clock):
    assert knock(client, password=PASSWORD).status_code == 302
    request = type("R", (), {"COOKIES": {throttle.KNOWN: client.cookies[throttle.KNOWN].value}})
    assert throttle.device_of(request, "ash")
    assert not throttle.device_of(request, "bea")
    request.COOKIES = {throttle.KNOWN: client.cookies[throttle.KNOWN].value[:-1] + "x"}
    assert not throttle.device_of(request, "ash")


def test_an_account_of_ones_own_does_not_clear_the_address(client, ash, clock):
    for i in range(40):
        knock(client, f"person-{i}")
        if knock(client, password=PASSWORD).status_code == 302:
            client.post("/leave/")
    assert Knock.objects.get(key__startswith="address:").wrong > throttle.FREE["address"]


def test_a_name_that_is_none_is_told_like_one_that_is(client, ash, clock):
    pages = [knock(client, name).content.decode() for name in ("Ash", "nobody-here")]
    told = [re.sub(r'value="[^"]*"|Token":"[^"]*"', "", page) for page in pages]
    assert told[0] == told[1]


# the password and the sessions


def entered(name="Ash", password=PASSWORD, agent="Mozilla/5.0 (X11; Linux x86_64) Firefox/140.0") -> Client:
    client = Client(headers={"User-Agent": agent})
    assert client.post("/enter/", {"username": name, "password": password}).status_code == 302
    return client


def test_another_password_ends_every_other_session(ash):
    here, phone = entered(), entered(agent="Mozilla/5.0 (Linux; Android 16) Chrome/150.0 Mobile Safari/537.36")
    page = here.get("/account/").content.decode()
    assert "Firefox on Linux" in page
    assert "Chrome on an Android phone" in page
    other = "water-under-the-bridge"
    new = {"old_password": PASSWORD, "new_password1": other, "new_password2": other}
    assert here.post("/account/", new).status_code == 302
    assert here.get("/").status_code == 200
    assert phone.get("/").status_code == 302
    assert SignedIn.objects.count() == Session.objects.count() == 1
    entered(password="water-under-the-bridge")


@pytest.mark.parametrize(
    ("old", "new", "again", "words"),
    [
        ("wrong", "water-under-the-bridge", "water-under-the-bridge", "incorrectly"),
        (PASSWORD, "water-under-the-bridge", "water-over-the-bridge", "match"),
        (PASSWORD, "short", "short", "at least 10"),
        (PASSWORD, "1234567890123", "1234567890123", "entirely numeric"),
        (PASSWORD, "password123", "password123", "too common"),
    ],
)
def test_a_password_that_cannot_be_is_refused(ash, old, new, again, words):
    here = entered()
    answer = here.post("/account/", {"old_password": old, "new_password1": new, "new_password2": again})
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert get_user_model().objects.get().check_password(PASSWORD)


def test_sessions_are_ended_one_by_one_and_only_ones_own(ash):
    get_user_model().objects.create_user("Bea", password=PASSWORD)
    here, phone, bea = entered(), entered(), entered("Bea")
    others = SignedIn.objects.exclude(session=here.session.session_key)
    theirs, mine = others.get(person__username="Bea"), others.get(person__username="Ash")
    assert here.post(f"/account/sign-out/{theirs.pk}/").status_code == 404
    assert here.post(f"/account/sign-out/{mine.pk}/").status_code == 302
    assert [c.get("/").status_code for c in (here, phone, bea)] == [200, 302, 200]
    again = entered()
    assert here.post("/account/sign-out/").status_code == 302
    assert [c.get("/").status_code for c in (here, again, bea)] == [200, 302, 200]


def test_a_session_is_another_after_entering(client, ash):
    client.get("/enter/")
    before = client.cookies.get("sessionid")
    knock(client, password=PASSWORD)
    assert client.cookies["sessionid"].value != (before.value if before else "")


def test_who_runs_the_server_makes_and_resets_accounts(ash, monkeypatch):
    def run(password: str, *words: str) -> str:
        monkeypatch.setattr("sys.stdin", io.StringIO(password + "\n"))
        out = io.StringIO()
        call_command("account", *words, stdout=out)
        return out.getvalue()

    for weak in ("short", "password123", "0123456789", "new-person-bea"):
        with pytest.raises(CommandError, match=r"Nothing was changed\."):
            run(weak, "new-person-bea")
    assert not get_user_model().objects.filter(username="new-person-bea").exists()
    assert "can enter now" in run(PASSWORD, "new-person-bea")
    with pytest.raises(CommandError, match="already"):
        run(PASSWORD, "ASH")
    here = entered()
    assert "can enter now" in run("water-under-the-bridge", "Ash", "--reset")
    assert here.get("/").status_code == 302
    here = entered(password="water-under-the-bridge")
    run("", "Ash", "--close")
    assert here.get("/").status_code == 302
    assert knock(Client(), password="water-under-the-bridge").status_code == 401
    for words in (("nobody", "--reset"), ("workshop",), ("two words",)):
        with pytest.raises(CommandError):
            run(PASSWORD, *words)


def test_pages_with_works_are_not_kept(ash):
    here = entered()
    gone = "/picture/00000000-0000-0000-0000-000000000000/wood/"
    for path in ("/", "/shop/", "/account/", "/begin/", "/year/", gone):
        assert here.get(path).headers["Cache-Control"] == "private, no-store", path
    assert '"cache"' in here.post("/leave/").headers["Clear-Site-Data"]
