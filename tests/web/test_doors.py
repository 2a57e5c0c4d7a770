"""Who gets in, through what; what the data folder shows; how the server and its worker begin and end."""

import datetime as dt
import re
import signal
import socket
import stat
import time
from urllib.parse import urlencode

import pytest
from django.test import override_settings
from django.utils import timezone

from tests.served import Server, needs_proc
from workshop.compositions.models import Draft
from workshop.longwork.queue import take_up
from workshop.pictures.models import FinalPicture
from workshop.private import keep_private
from workshop.shop.clock import now_in, zone_of
from workshop.shop.models import Shop

# who gets in


@pytest.mark.parametrize(
    "header", ["X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "Forwarded", "X-Real-IP", "Via"]
)
def test_on_loopback_nothing_comes_through_another_server(client, work, header):
    for address in ("/", f"/picture/{work.uid}/wood/", f"/picture/{work.uid}/out/project"):
        answer = client.get(address, headers={header: "192.0.2.7"})
        assert answer.status_code == 403
        assert "EMBERQUILT_ORIGIN" in answer.content.decode()
    assert client.post("/shop/practice/", {}, headers={header: "192.0.2.7"}).status_code == 403
    assert client.get("/").status_code == 200


@override_settings(LOCAL_PERSON=False)
def test_where_accounts_are_asked_for_a_server_before_this_one_is_fine(client, db):
    answer = client.get("/", headers={"X-Forwarded-For": "192.0.2.7"})
    assert answer.status_code == 302
    assert answer.url.startswith("/enter/")


def test_the_data_folder_is_its_owners_alone(tmp_path):
    home = tmp_path / "home"
    home.mkdir(mode=0o755)
    for name in ("workshop.sqlite3", "workshop.sqlite3-wal", "secret-key"):
        (home / name).write_bytes(b"")
        (home / name).chmod(0o644)
    keep_private(home)

    def mode(path):
        return stat.S_IMODE(path.stat().st_mode)

    assert mode(home) == 0o700
    assert {mode(file) for file in home.iterdir()} == {0o600}
    fresh = tmp_path / "fresh"
    keep_private(fresh)
    assert (mode(fresh), mode(fresh / "workshop.sqlite3")) == (0o700, 0o600)


# the clock on the wall


def test_the_browser_tells_the_shops_time_zone_once(client, person, work):
    assert "data-tell-zone" in client.get("/").content.decode()
    assert client.post("/shop/zone/", {"zone": "America/Denver", "by": "browser"}).status_code == 204
    assert "data-tell-zone" not in client.get("/").content.decode()
    client.post("/shop/zone/", {"zone": "Europe/Paris", "by": "browser"})
    assert Shop.objects.get(owner=person).time_zone == "America/Denver"
    client.post("/shop/zone/", {"zone": "Europe/Paris"})
    assert Shop.objects.get(owner=person).time_zone == "Europe/Paris"
    assert client.post("/shop/zone/", {"zone": "Middle/Earth", "by": "browser"}).status_code == 422


def test_an_evening_west_of_greenwich_is_still_today(client, person, work, page, monkeypatch):
    """It is Tuesday 02:10 in Greenwich: Monday 19:10 in Denver, and work begins there on Monday."""
    client.post("/shop/zone/", {"zone": "America/Denver"})
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    monkeypatch.setattr(timezone, "now", lambda: dt.datetime(2026, 11, 24, 2, 10, tzinfo=dt.UTC))
    shop = Shop.objects.get(owner=person)
    assert zone_of(shop).key == "America/Denver"
    assert now_in(shop) == dt.datetime(2026, 11, 23, 19, 10)
    text = client.get(f"/picture/{work.uid}/calendar/").content.decode()
    assert "Mon 23 November" in text
    assert "19:15" in text


def test_a_first_day_that_is_past_begins_now(client, work, page):
    page.do(work, "wood", "wood", "1-6", wood="walnut")
    assert page.do(work, "calendar", "start", start="2020-01-06").status_code == 200
    text = client.get(f"/picture/{work.uid}/calendar/").content.decode()
    assert "2020" not in re.sub(r'value="2020[^"]*"', "", text)
    events = client.get(f"/picture/{work.uid}/dates/dates.ics").content.decode()
    first = min(re.findall(r"DTSTART:(\d{8})", events))
    assert first >= f"{timezone.localdate():%Y%m%d}"


# long work whose worker is gone


@pytest.fixture
def left(person):
    """A draft that a worker was in the middle of when it was killed."""
    svg = b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0H90V60H0Z M45 0V60" fill="none" stroke="#000"/></svg>'
    return Draft.objects.create(
        owner=person,
        name="Left",
        file_name="left.svg",
        data=svg,
        knobs={"how": "width", "size": "9 in"},
        state=Draft.State.WORKING,
        turn=3,
        share=0.4,
    )


def test_work_whose_worker_is_gone_is_taken_up_once(left):
    take_up()
    left.refresh_from_db()
    assert (left.state, left.turn, left.cut_off) == (Draft.State.READY, 4, 1)
    assert left.result["faces"] == 2


def test_work_that_is_cut_off_twice_says_so_and_can_be_tried_again(client, left):
    Draft.objects.filter(pk=left.pk).update(cut_off=1)
    take_up()
    left.refresh_from_db()
    assert left.state == Draft.State.FAILED
    assert "cut off twice" in client.get(f"/draft/{left.uid}/").content.decode()
    client.post(f"/draft/{left.uid}/again/", {"size": "9 in"})
    left.refresh_from_db()
    assert (left.state, left.cut_off) == (Draft.State.READY, 0)


def test_what_only_waited_is_asked_for_again(left):
    Draft.objects.filter(pk=left.pk).update(state=Draft.State.WAITING)
    take_up()
    left.refresh_from_db()
    assert (left.state, left.cut_off) == (Draft.State.READY, 0)


def test_pictures_are_taken_up_too(work):
    made = FinalPicture.objects.create(composition=work, revision=1, dpi=100, state=FinalPicture.State.WORKING)
    take_up()
    made.refresh_from_db()
    assert (made.state, made.cut_off) == (FinalPicture.State.READY, 1)
    FinalPicture.objects.filter(pk=made.pk).update(state=FinalPicture.State.WORKING)
    take_up()
    made.refresh_from_db()
    assert made.state == FinalPicture.State.FAILED
    assert "cut off twice" in made.problem


# the server itself


@pytest.fixture
def server(tmp_path):
    made = Server(tmp_path / "home")
    yield made
    made.end()


@needs_proc
@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGKILL], ids=["asked to stop", "killed"])
def test_a_server_that_ends_leaves_neither_port_nor_worker(server, how):
    process = server.start()
    server.wait_until_up()
    for _ in range(100):
        if server.workers():
            break
        time.sleep(0.1)
    assert len(server.workers()) == 1
    assert server.ask("GET", "/")[0].status == 200
    # what is sent to run.py reaches the server itself
    process.send_signal(how)
    process.wait(15)
    assert server.gone()


def test_serving_says_why_it_cannot_and_fails(server):
    with socket.socket() as held:
        held.bind(("127.0.0.1", server.port))
        held.listen()
        process = server.start()
        said = process.communicate(timeout=60)[0]
    assert process.returncode == 1
    assert f"Port {server.port} cannot be used" in said
    server.env |= {"EMBERQUILT_BIND": "0.0.0.0"}
    process = server.start()
    said = process.communicate(timeout=60)[0]
    assert process.returncode == 1
    assert "make an account first" in said


def test_behind_a_server_with_tls_people_sign_in_and_work(tmp_path):
    """As a server with TLS passes requests on: from loopback, with the name people use and the scheme they came by."""
    server = Server(tmp_path / "home", EMBERQUILT_ORIGIN="https://quilt.example.org")
    server.manage("migrate", "--verbosity", "0")
    make = (
        "from django.contrib.auth import get_user_model as users; "
        "users().objects.create_user('ash', password='a long enough word')"
    )
    server.manage("shell", "-v", "0", "-c", make)
    server.start()
    try:
        server.wait_until_up()
        through = {"Host": "quilt.example.org", "X_Forwarded_Proto": "https", "X_Forwarded_For": "192.0.2.7"}
        answer, _ = server.ask("GET", "/", **through)
        assert (answer.status, answer.getheader("Location")) == (302, "/enter/?next=/")
        answer, page = server.ask("GET", "/enter/", **through)
        cookie = answer.getheader("Set-Cookie")
        assert "Secure" in cookie
        token = re.search(r'name="csrfmiddlewaretoken" value="(\w+)"', page)[1]
        form = {"username": "ash", "password": "a long enough word", "csrfmiddlewaretoken": token, "next": "/"}
        sent = through | {
            "Content_Type": "application/x-www-form-urlencoded",
            "Cookie": cookie.split(";")[0],
            "Origin": "https://quilt.example.org",
            "Referer": "https://quilt.example.org/enter/",
        }
        answer, _ = server.ask("POST", "/enter/", urlencode(form), **sent)
        assert (answer.status, answer.getheader("Location")) == (302, "/")
        assert all("Secure" in value for name, value in answer.getheaders() if name == "Set-Cookie")
        # a form of another site, and one that comes without TLS, stay outside
        for other in ({"Origin": "https://elsewhere.example"}, {"Origin": "http://quilt.example.org"}):
            assert server.ask("POST", "/enter/", urlencode(form), **(sent | other))[0].status == 403
    finally:
        server.end()
