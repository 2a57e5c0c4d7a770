"""Long work: whose turn it is, what it may take, and that none of it is left when something ends."""

import datetime as dt
import os
import shutil
import subprocess
import time

import pytest
from django.contrib.auth import get_user_model
from django.db import connections
from django.utils import timezone
from redis import Redis

from emberquilt.errors import BadDrawing
from emberquilt.limits import Limits
from tests.core.test_intake_hostile import ENDLESS
from tests.core.test_intake_svg import svg
from tests.served import PASSWORD, Server, Visitor, free_port, needs_proc
from workshop.compositions.models import Draft
from workshop.longwork import queue, worker
from workshop.longwork.kinds import KINDS, Kind
from workshop.longwork.models import Spent, Turn
from workshop.longwork.queue import AT_ONCE, MOST_AT_ONCE, ask, claim, ended, still_wanted, take_up

QUARTERS = svg('<path d="M0 0H90V60H0Z M45 0V60 M0 30H90" fill="none" stroke="#000"/>')


def kind_of(work, seconds: float = 30.0, again: bool = True) -> Kind:
    words = {"broke": "It broke.", "no_time": "Not within {:.2f} minutes.", "no_memory": "More than {:.1f} GB."}
    limits = Limits(seconds, 400_000_000)
    return Kind(
        "trial", Draft, work, lambda d: d.owner, **words, cut_off="Cut off.", limits=lambda d: limits, again=again
    )


@pytest.fixture
def trial(monkeypatch, settings):
    """Enters a kind of work for a test."""
    settings.LONG_WORK_AT_ONCE = False

    def enter(work, **more) -> Kind:
        monkeypatch.setitem(KINDS, "trial", kind_of(work, **more))
        monkeypatch.setattr(queue, "every_kind", lambda: {"trial": KINDS["trial"]})
        return KINDS["trial"]

    return enter


def draft_of(owner) -> Draft:
    return Draft.objects.create(owner=owner, name="x", file_name="x.svg", data=QUARTERS)


def people(*names: str):
    return [get_user_model().objects.create_user(name) for name in names]


# whose turn it is


@pytest.mark.django_db
def test_accounts_take_turns(trial):
    kind = trial(lambda d, p: {})
    ash, bea = people("ash", "bea")
    for owner in (ash, ash, ash, bea):
        ask(kind, draft_of(owner))
    assert [claim("w").owner.username for _ in range(2)] == ["ash", "bea"]


@pytest.mark.django_db
def test_one_account_never_keeps_another_waiting(trial, monkeypatch):
    monkeypatch.setattr(queue, "AT_ONCE", 2)
    kind = trial(lambda d, p: {})
    ash, bea = people("ash", "bea")
    for _ in range(4):
        ask(kind, draft_of(ash))
    assert [claim("w") is not None for _ in range(3)] == [True, True, False]
    ask(kind, draft_of(bea))
    assert claim("w").owner == bea
    assert claim("w") is None


@pytest.mark.django_db
def test_of_those_that_wait_the_one_that_was_given_least_comes_first(trial, monkeypatch):
    monkeypatch.setattr(queue, "AT_ONCE", 1)
    monkeypatch.setattr(queue, "MOST_AT_ONCE", 1)
    kind = trial(lambda d, p: {})
    ash, bea, cleo = people("ash", "bea", "cleo")
    for owner in (ash, bea, cleo, ash, cleo):
        ask(kind, draft_of(owner))
    took = {"ash": 300.0, "bea": 1.0, "cleo": 20.0}
    order = []
    for _ in range(5):
        turn = claim("w")
        order.append(turn.owner.username)
        ended(turn, took[turn.owner.username])
    assert order == ["ash", "bea", "cleo", "cleo", "ash"]
    assert dict(Spent.objects.values_list("owner__username", "seconds")) == {"ash": 600.0, "bea": 1.0, "cleo": 40.0}


@pytest.mark.django_db
def test_the_machine_has_a_most(trial):
    kind = trial(lambda d, p: {})
    for owner in people(*(f"p{i}" for i in range(MOST_AT_ONCE + 2))):
        ask(kind, draft_of(owner))
    begun = [claim("w") for _ in range(MOST_AT_ONCE + 2)]
    assert sum(turn is not None for turn in begun) == MOST_AT_ONCE >= AT_ONCE + 4


@pytest.mark.django_db
def test_asking_again_ends_the_try_before(trial, person):
    kind = trial(lambda d, p: {})
    draft = draft_of(person)
    ask(kind, draft)
    first = claim("w")
    assert still_wanted(first)
    ask(kind, draft)
    assert not still_wanted(first)
    ended(first, 1.0)
    assert claim("w").number == 2


@pytest.mark.django_db
def test_what_its_worker_let_go_is_taken_up_once(trial, person):
    kind = trial(lambda d, p: {})
    draft = draft_of(person)
    ask(kind, draft)
    for cut_off in (1, 2):
        turn = claim("gone")
        Draft.objects.update(state="working")
        take_up()
        assert Turn.objects.get().worker == "gone"  # it may well be at it
        Turn.objects.filter(pk=turn.pk).update(seen=timezone.now() - dt.timedelta(minutes=1))
        take_up()
        draft.refresh_from_db()
        if cut_off == 1:
            assert (draft.state, draft.cut_off) == ("waiting", 1)
    assert (draft.state, draft.problem) == ("failed", "Cut off.")
    assert not Turn.objects.exists()


# what it may take: real processes


def turned_over(crew: worker.Crew, draft: Draft, seconds: float = 20.0) -> float:
    """Until the draft is no longer live; how long that took."""
    begun = time.monotonic()
    while time.monotonic() - begun < seconds:
        crew.turn_over()
        draft.refresh_from_db()
        if not draft.live and not crew.under:
            return time.monotonic() - begun
        time.sleep(0.02)
    raise AssertionError(f"still {draft.state} after {seconds} s")


def hang(draft, progress):
    while True:
        pass


def breaks(draft, progress):
    raise ZeroDivisionError


def refuses(draft, progress):
    raise BadDrawing("There is nothing in it.")


def eats(draft, progress):
    return {"result": [0] * 300_000_000}


def dies(draft, progress):
    os._exit(7)


ENDS = {
    hang: ("failed", "Not within 0.02 minutes."),
    breaks: ("failed", "It broke."),
    refuses: ("failed", "There is nothing in it."),
    eats: ("failed", "More than 0.4 GB."),
    dies: ("failed", "Cut off."),
}


@needs_proc
@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize("work", ENDS, ids=lambda work: work.__name__)
def test_whatever_happens_ends_in_a_sentence(trial, person, work, monkeypatch):
    kind = trial(work, seconds=1.0)
    draft = draft_of(person)
    ask(kind, draft)
    crew = worker.Crew()
    try:
        turned_over(crew, draft)
    finally:
        crew.end()
        connections.close_all()
    assert (draft.state, draft.problem) == ENDS[work]
    assert not Turn.objects.exists()


@needs_proc
@pytest.mark.django_db(transaction=True)
def test_a_stop_ends_what_never_asks(trial, person, monkeypatch):
    monkeypatch.setattr(worker, "HEARD_SECONDS", 0.1)
    kind = trial(hang)
    draft = draft_of(person)
    ask(kind, draft)
    crew = worker.Crew()
    try:
        while not crew.under:
            crew.turn_over()
        queue.stop(Draft.objects.filter(pk=draft.pk))
        assert turned_over(crew, draft) < 5
    finally:
        crew.end()
    assert draft.state == "stopped"
    assert Spent.objects.get().seconds > 0


@needs_proc
@pytest.mark.django_db(transaction=True)
def test_a_worker_that_is_asked_to_end_leaves_its_work_waiting(trial, person):
    kind = trial(hang)
    draft = draft_of(person)
    ask(kind, draft)
    crew = worker.Crew()
    while not crew.under:
        crew.turn_over()
    pid = crew.under[0].process.pid
    crew.end()
    draft.refresh_from_db()
    assert (draft.state, draft.cut_off) == ("waiting", 0)
    assert Turn.objects.get().begun is None
    with pytest.raises(ProcessLookupError):
        os.kill(pid, 0)


@needs_proc
def test_a_hang_of_one_account_delays_no_other(tmp_path):
    """Four drawings without an end, and one that is read in a moment."""
    server = Server(tmp_path / "home").with_accounts("ash", "bea")
    server.start()
    try:
        server.wait_until_up()
        ash, bea = Visitor(server.base, "ash"), Visitor(server.base, "bea")
        assert ash.enter(PASSWORD) == bea.enter(PASSWORD) == 200
        alone = bea.read(bea.bring("quarters.svg", QUARTERS))
        for i in range(4):
            ash.bring(f"mist-{i}.svg", ENDLESS)
        for _ in range(200):
            if len(server.under_way()) >= 2:
                break
            time.sleep(0.05)
        assert len(server.under_way()) >= 2
        beside = bea.read(bea.bring("quarters.svg", QUARTERS))
        assert beside < alone + 2
    finally:
        server.end()
    assert server.gone()
    assert not server.under_way()


# told through Redis


@pytest.fixture
def redis(tmp_path):
    """A server of one's own; where Debian's package is missing the test is left out."""
    if shutil.which("redis-server") is None:
        pytest.skip("redis-server is not installed")
    port = free_port()
    words = ["redis-server", "--port", str(port), "--bind", "127.0.0.1", "--save", "", "--dir", str(tmp_path)]
    process = subprocess.Popen(words, stdout=subprocess.DEVNULL)
    yield process, f"redis://127.0.0.1:{port}/0"
    process.kill()
    process.wait()


def test_work_is_told_through_redis_and_nothing_is_lost_with_it(redis, tmp_path):
    process, address = redis
    server = Server(tmp_path / "home", EMBERQUILT_REDIS=address)
    server.start()
    try:
        server.wait_until_up()
        visitor = Visitor(server.base)
        visitor.read(visitor.bring("quarters.svg", QUARTERS))
        # what is waited for was told: the list is there, and taken from
        asked = Redis.from_url(address).info("commandstats")
        assert asked["cmdstat_rpush"]["calls"] == 1
        assert asked["cmdstat_blpop"]["calls"] >= 1
        process.kill()
        process.wait()
        visitor.read(visitor.bring("again.svg", QUARTERS), 20)
    finally:
        server.end()
