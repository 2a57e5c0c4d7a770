"""The workshop on one's phone: a code that opens it once, and the first account of a workshop opened to its network."""

import datetime as dt
import re

import cv2
import numpy as np
import pytest
from django.contrib.auth import get_user_model
from django.test import Client

from tests.served import PASSWORD, Server, Visitor, needs_proc
from workshop.entry import keys
from workshop.entry.models import AtThisComputer, OneTimeKey
from workshop.serving.addresses import own_addresses


@pytest.fixture
def anna(db, settings, client):
    settings.LOCAL_PERSON = False
    person = get_user_model().objects.create_user("anna", password=PASSWORD)
    client.force_login(person)
    return person


def code_on(page: str) -> str:
    """What the code on a page says, as OpenCV reads it."""
    drawn = re.search(r'<svg viewBox="0 0 (\d+) \d+" class="segno">(.*?)</svg>', page, re.S)
    path = re.search(r'class="qrline"[^>]* d="([^"]+)"', drawn[2])[1]
    modules, x, y = np.full((int(drawn[1]),) * 2, 255, np.uint8), 0.0, 0.0
    for move, first, second in re.findall(r"([Mmh])(-?[\d.]+)(?: (-?[\d.]+))?", path):
        if move == "h":
            modules[int(y), round(x) : round(x + float(first))] = 0
            x += float(first)
        else:
            x, y = (float(first), float(second)) if move == "M" else (x + float(first), y + float(second))
    # a phone looks from several distances, too
    seen = (cv2.resize(modules, None, fx=k, fy=k, interpolation=cv2.INTER_NEAREST) for k in (4, 6, 8, 10, 12, 14))
    return next(filter(None, (cv2.QRCodeDetector().detectAndDecode(one)[0] for one in seen)), "")


def test_a_code_opens_once(client, anna):
    address = code_on(client.get("/phone/").content.decode())
    assert re.fullmatch(r"http://[^/]+/come-in/[\w-]{32}/", address), address
    path = address[address.index("/come-in/") :]
    phone = Client()
    # a browser that only looks ahead uses nothing up
    for _ in range(3):
        assert b"Come in as anna" in phone.get(path).content
    assert phone.post(path).url == "/"
    assert phone.get("/account/").context["request"].user == anna
    for again in (Client(), phone):
        assert again.post(path).status_code == 410
        assert again.get(path).status_code == 410
    assert anna.signed_in.count() == 2  # the desk, and the phone


def test_it_is_over_after_five_minutes_and_with_the_next(client, anna, monkeypatch):
    first = keys.new_key(anna)
    second = keys.new_key(anna)
    assert Client().get(f"/come-in/{first}/").status_code == 410
    now = keys.timezone.now()
    monkeypatch.setattr(keys.timezone, "now", lambda: now + dt.timedelta(seconds=299))
    assert b"Come in as" in Client().get(f"/come-in/{second}/").content
    monkeypatch.setattr(keys.timezone, "now", lambda: now + dt.timedelta(seconds=301))
    assert Client().post(f"/come-in/{second}/").status_code == 410


def test_only_a_digest_is_kept_and_a_closed_account_stays_out(anna):
    key = keys.new_key(anna)
    assert key not in str(OneTimeKey.objects.values_list())
    anna.is_active = False
    anna.save()
    assert Client().post(f"/come-in/{key}/").status_code == 410


def test_guessing_codes_is_made_slow(anna):
    guesser = Client()
    for i in range(12):
        assert guesser.get(f"/come-in/guess-{i}/").status_code == 410
    guesser.get("/come-in/one-more/")
    assert b"Wait" in guesser.get(f"/come-in/{keys.new_key(anna)}/").content


def test_two_phones_at_once_and_one_is_in(anna):
    key = keys.whose(keys.new_key(anna))
    assert [keys.used(key), keys.used(key)] == [True, False]


def test_at_the_computer_an_account_is_made_and_everything_stays(client, person, work):
    assert b"First, an account" in client.get("/phone/").content
    given = {"name": "anna", "password": PASSWORD, "again": PASSWORD}
    for change, words in (
        ({"name": "an na"}, "letters, digits"),
        ({"name": "Workshop"}, "is taken"),
        ({"again": "another"}, "not the same"),
        ({"password": "short", "again": "short"}, "too short"),
    ):
        answer = client.post("/phone/", given | change)
        assert answer.status_code == 422
        assert words in answer.content.decode()
    assert client.post("/phone/", given, follow=True).status_code == 200
    person.refresh_from_db()
    assert person.username == "anna"
    assert person.check_password(PASSWORD)
    # nobody signs in at this computer still, and it is the same person
    assert AtThisComputer.objects.get().person == person
    assert b"A test" in Client().get("/").content
    assert b"EMBERQUILT_LAN=yes" in Client().get("/phone/").content


def test_a_first_key_is_no_phones_key_and_the_other_way_round(anna, settings):
    first = keys.new_first_key()
    assert Client().post(f"/come-in/{first}/").status_code == 410
    given = {"name": "mallory", "password": PASSWORD, "again": PASSWORD}
    assert Client().post(f"/first/{keys.new_key(anna)}/", given).status_code == 410
    # there is an account already
    assert Client().post(f"/first/{first}/", given).status_code == 410
    assert get_user_model().objects.filter(username="mallory").count() == 0


def test_own_addresses_are_none_that_only_this_computer_has():
    assert not [one for one in own_addresses() if one.startswith("127.")]


@needs_proc
def test_the_network_is_served_by_one_setting_and_the_account_made_on_the_way(tmp_path):
    server = Server(tmp_path / "home", EMBERQUILT_LAN="yes", EMBERQUILT_BIND="127.0.0.1")
    server.start()
    try:
        server.wait_until_up()
        told = [server.process.stdout.readline() for _ in range(3)]
        assert "at http://127.0.0.1:" in told[0]
        assert "a network you trust" in told[1]
        path = re.search(r"(/first/\w+/)", told[2])[1]
        stranger, owner = Visitor(server.base), Visitor(server.base)
        assert "/enter/" in stranger.ask("/")[2]
        assert stranger.ask("/first/aaaaaaaaaaaaaaaa/")[0] == 410
        given = {"name": "anna", "password": PASSWORD, "again": PASSWORD}
        assert owner.ask(path)[0] == 200
        status, words, where = owner.ask(path, given)
        assert (status, where) == (200, f"{server.base}/"), words[:300]
        assert stranger.ask(path, given)[0] == 410
        told = code_on(owner.ask("/phone/")[1])
        assert told.startswith(f"{server.base}/come-in/")
        phone = Visitor(server.base)
        phone.ask(told.removeprefix(server.base))
        assert phone.ask(told.removeprefix(server.base), {})[2] == f"{server.base}/"
        status, words, _ = phone.ask("/health/")
        assert status == 200, words
        assert '"database": "well"' in words
    finally:
        server.end()
