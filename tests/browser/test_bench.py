"""The bench on phones: without the server, two at a time, with a clock that asks and a foot switch."""

import json
import random
import sqlite3
import threading
import time
from contextlib import closing

import pytest

from emberquilt.cli import main
from emberquilt.work.steps import left_of
from tests.browser.conftest import PATIENCE_MS
from tests.conftest import cells, composition, grid
from tests.photos import photo_of
from tests.served import Server, needs_proc
from workshop.bench.models import Event, Snapshot
from workshop.compositions import actions, demo
from workshop.compositions.plans import plan_of
from workshop.entry.person import local_person
from workshop.private import DATABASE

pytestmark = pytest.mark.browser
PHONE = {"width": 390, "height": 844}
pytest_phone = pytest.mark.parametrize("desk", [(390, 844)], indirect=True, ids=["phone"])


@pytest.fixture
def sixty(transactional_db):
    """Sixty pieces of three woods: more than two hundred cards."""
    sheet = cells(70, 4)
    woods = {key: ("walnut", "maple", "cherry")[key % 3] for key in sheet.keys}
    return actions.create(local_person(), composition(sheet, woods))


@pytest.fixture
def squares(transactional_db):
    return actions.create(local_person(), composition(grid(3, 2), "walnut"))


def title(page) -> str:
    return page.locator("h1 [data-slot=title]").inner_text()


def sent(page) -> None:
    page.wait_for_function(
        "() => { const b = document.getElementById('bench'); return b.dataset.waiting === '0' && !b.dataset.alone; }"
    )


def kept(page) -> None:
    page.wait_for_selector("#bench[data-kept=yes][data-drawn=yes]")


def tick(page, count: int) -> None:
    """As many thumbs on the button."""
    page.evaluate("(n) => { for (; n; n -= 1) document.querySelector('.done-btn').click() }", count)


@pytest_phone
def test_two_hundred_ticks_without_the_server_and_none_lost_or_doubled(desk, sixty):
    """Offline, through a reload and with entries in any order; answers that never arrive make nothing double."""
    page = desk.page
    desk.open(f"/picture/{sixty.uid}/bench/")
    kept(page)
    total = len(plan_of(sixty).cards)
    assert total > 200
    with desk.without_network():
        tick(page, 120)
        page.wait_for_selector(".sending:not([hidden])")
        assert "120 entries on this phone" in page.locator(".sending").inner_text()
        page.reload()
        page.wait_for_selector("#bench[data-ready=yes]")
        assert page.evaluate("() => emberBench.left.size") == total - 120
        tick(page, 80)
        waiting = page.evaluate("() => emberBench.log.waiting.map((e) => [e.id, e.step, e.parts])")
        assert len(waiting) == 200
        # they leave in any order, and every other answer is lost on its way back
        order = list(range(200))
        random.Random(3).shuffle(order)
        page.evaluate("(o) => { const l = emberBench.log, w = l.waiting; l.waiting = o.map((i) => w[i]) }", order)
        lost = []

        def lose(route):
            answer = route.fetch()
            if len(lost) < 2 and route.request.post_data_json["entries"]:
                lost.append(answer.status)
                route.abort()
            else:
                route.fulfill(response=answer)

        page.route("**/bench/sync/", lose)
    sent(page)
    assert lost == [200] * 2
    marks = [(step, part) for _, step, parts in waiting for part in parts]
    assert sorted(sixty.events.values_list("step", "part")) == sorted(marks)
    assert set(sixty.events.values_list("client", flat=True)) >= {name for name, _, _ in waiting}
    assert page.evaluate("() => emberBench.left.size") == total - 200
    desk.problems[:] = [p for p in desk.problems if "ERR_FAILED" not in p]


@needs_proc
def test_the_server_dies_half_way_and_nothing_is_lost(chromium, tmp_path):
    """Killed while it takes what a phone sends, and started again."""
    made = tmp_path / "koi.ember"
    drawing = str(demo.FOLDER / "two-koi-lines.svg")
    assert main(["make", drawing, "--width", "18in", "--woods", "walnut", "--thickness", "19mm", "-o", str(made)]) == 0
    server = Server(tmp_path / "home")
    server.start()
    context = chromium.new_context(viewport=PHONE, base_url=f"http://127.0.0.1:{server.port}")
    context.set_default_timeout(PATIENCE_MS)
    try:
        server.wait_until_up()
        page = context.new_page()
        page.goto("/")
        page.set_input_files("#drawing", made)
        page.get_by_role("button", name="Find its pieces").click()
        page.wait_for_selector("#panel[data-ready=yes]")
        page.locator("#rule a", has_text="Bench").click()
        kept(page)
        context.set_offline(True)
        tick(page, 90)
        names = page.evaluate("() => emberBench.log.waiting.map((e) => e.id)")
        killed = threading.Event()

        def kill_half_way(route):
            if not killed.is_set():
                killed.set()
                threading.Timer(0.02, server.process.kill).start()
            route.continue_()

        page.route("**/bench/sync/", kill_half_way)
        context.set_offline(False)
        page.wait_for_selector("#bench[data-alone=yes]")
        # the phone was alone before, too: what it sends passes by only while this process listens to it
        until = time.monotonic() + 60
        while not killed.is_set() and time.monotonic() < until:
            page.wait_for_timeout(50)
        server.process.wait(10)
        tick(page, 5)
        # what was done without it is still there after the phone went out, too
        page.reload()
        page.wait_for_selector("#bench[data-ready=yes]")
        names += page.evaluate("() => emberBench.log.waiting.map((e) => e.id)")
        server.start()
        server.wait_until_up()
        sent(page)
        with closing(sqlite3.connect(tmp_path / "home" / DATABASE)) as base:
            rows = [name for (name,) in base.execute("select client from bench_event where client != ''")]
        assert len(rows) == len(set(rows))
        assert {name.split("+")[0] for name in rows} == set(names)
        assert len(set(names)) == 95
    finally:
        context.close()
        server.end()


@pytest_phone
def test_each_of_two_phones_sees_what_the_other_ticks(desk, chromium, squares):
    page = desk.page
    desk.open(f"/picture/{squares.uid}/bench/")
    context = chromium.new_context(viewport=PHONE)
    try:
        other = context.new_page()
        other.goto(f"{desk.address}/picture/{squares.uid}/bench/")
        for mine, yours in ((page, other), (other, page)):
            mine.wait_for_selector("#bench[data-waiting='0']")
            before = title(yours)
            assert title(mine) == before
            mine.locator(".done-btn").click()
            yours.wait_for_function(
                "(before) => document.querySelector('h1 [data-slot=title]').textContent !== before", arg=before
            )
            assert title(yours) == title(mine)
        # both do the same card at the same time: it counts once, and the second is told
        context.set_offline(True)
        same = title(page)
        page.locator(".done-btn").click()
        sent(page)
        other.locator(".done-btn").click()
        context.set_offline(False)
        other.wait_for_selector(".told p")
        assert f"{same} was ticked already on another phone, and counts once." in other.locator(".told").inner_text()
        assert Event.objects.count() == 3
    finally:
        context.close()


@pytest_phone
def test_what_is_left_is_reckoned_on_the_phone_as_in_the_workshop(desk, sixty):
    """Marks at random: the same cards are left for both."""
    desk.open(f"/picture/{sixty.uid}/bench/")
    plan, drawn = plan_of(sixty), random.Random(7)
    marks = [mark for card in plan.cards for mark in card.marks]
    for share in (0, 0.02, 0.2, 0.6, 0.95):
        done = frozenset(mark for mark in marks if drawn.random() < share)
        left = {m for s in left_of(plan.steps, done) for m in (map(s.mark, s.parts) if s.each else [s.mark()])}
        wanted = [i for i, card in enumerate(plan.cards) if left & set(card.marks)]
        told = desk.page.evaluate(
            "(done) => [...emberBench.cards.left(new Set(done))].sort((a, b) => a - b)", ["|".join(m) for m in done]
        )
        assert told == wanted, share


@pytest_phone
def test_a_clock_that_ran_over_several_cards_is_shared_and_the_last_time_corrected(desk, squares):
    page = desk.page
    desk.open(f"/picture/{squares.uid}/bench/")
    plan = plan_of(squares)
    page.locator(".clockrow button").click()
    page.evaluate("() => { emberBench.clock.state.since -= 60 * 60 * 1000 }")
    first = title(page)
    page.get_by_role("button", name="not now").click()
    assert title(page) != first
    tick(page, 1)
    page.evaluate("() => emberBench.go(0)")
    page.wait_for_timeout(600)
    assert page.locator(".time").inner_text().startswith("1:00:0")
    page.locator(".done-btn").click()
    page.locator("[name=took][value=shared]").check()
    page.locator(".done-btn").click()
    sent(page)
    events = list(squares.events.filter(minutes__isnull=False))
    assert len(events) == 2
    assert sum(e.minutes for e in events) == pytest.approx(60, abs=0.2)
    cards = {card.key: card.estimate_minutes for card in plan.cards}
    shares = [e.minutes / cards[e.step, e.part] for e in events]
    assert shares[0] == pytest.approx(shares[1], rel=0.02)
    page.get_by_label("Minutes it really took").fill("12.5")
    page.get_by_role("button", name="correct").click()
    sent(page)
    assert squares.events.filter(minutes=12.5).count() == 1
    page.get_by_role("button", name="undo tick").click()
    sent(page)
    assert squares.events.count() == 1


@pytest_phone
def test_a_foot_switch_counts_seconds_of_sawing(desk, squares):
    page = desk.page
    desk.open(f"/picture/{squares.uid}/bench/?step=saw&part=1")
    pedal = page.context.new_page()
    pedal.goto(f"{desk.address}/picture/{squares.uid}/bench/pedal/")
    treadle = pedal.locator("#treadle").bounding_box()
    pedal.mouse.move(treadle["x"] + 40, treadle["y"] + 40)
    pedal.mouse.down()
    pedal.wait_for_timeout(1100)
    assert pedal.locator("#treadle[aria-pressed=true]").count() == 1
    pedal.mouse.up()
    page.wait_for_function(
        "() => document.querySelector('[data-slot=under]').textContent.includes('foot on the switch')"
    )
    # the clock goes on while the work is turned; the key does as the pedal does
    assert page.locator(".time[data-running=yes]").count() == 1
    page.bring_to_front()
    page.keyboard.down("F9")
    page.wait_for_timeout(500)
    page.keyboard.up("F9")
    page.locator(".done-btn").click()
    sent(page)
    event = squares.events.get(step="saw")
    assert event.sawn_seconds == pytest.approx(1.6, abs=0.5)
    assert event.minutes * 60 >= event.sawn_seconds


@pytest_phone
def test_photo_note_and_a_part_that_broke_where_it_was_tapped(desk, squares):
    page = desk.page
    desk.open(f"/picture/{squares.uid}/bench/?step=shape&part=2")
    outline = plan_of(squares).job.pieces[2].outline
    photo = {"name": "it.jpg", "mimeType": "image/jpeg", "buffer": photo_of(outline, (150, 95, 60), 5)}
    with desk.without_network():
        page.set_input_files("[data-slot=photo]", photo)
        page.get_by_role("button", name="note").click()
        page.get_by_label("note").fill("grain ran out at the tip")
        page.get_by_role("button", name="keep it").click()
        page.get_by_role("button", name="it broke").click()
        # what is told lies over the picture and moves nothing under the thumb
        page.wait_for_selector(".sending:not([hidden])")
        at = page.evaluate("() => { const p = emberBench.view.panel, s = p.shape(2); return p.toPage(s.x, s.y) }")
        page.mouse.click(*at)
        page.locator("summary", has_text="in splinters").click()
        page.locator("details[open] button", has_text="Make it again").click()
    sent(page)
    (shot,) = Snapshot.objects.all()
    assert (shot.step, shot.part, bytes(shot.jpeg)[:2]) == ("shape", "2", b"\xff\xd8")
    note, broke = squares.events.order_by("id")
    assert (note.what, note.text) == ("note", "grain ran out at the tip")
    x0, y0, x1, y1 = outline.bounds
    assert broke.why == "crumbled"
    assert x0 < broke.x_mm < x1
    assert y0 < broke.y_mm < y1


@pytest_phone
def test_a_part_found_by_its_number_and_by_a_tap_and_drawn_at_true_size(desk, squares):
    page = desk.page
    desk.open(f"/picture/{squares.uid}/bench/")
    page.get_by_role("button", name="find a part").click()
    page.locator("[data-slot=number]").fill("4711")
    assert "has the number 4711" in page.locator(".itscards").inner_text()
    page.locator("[data-slot=number]").fill("5")
    assert page.locator(".itscards button").all_inner_texts() == ["Saw 5", "Shape 5", "Glue 5"]
    view = page.locator(".view").bounding_box()
    at = page.evaluate(
        "() => { const s = emberBench.view.panel.shape(2); return emberBench.view.panel.toPage(s.x, s.y) }"
    )
    assert view["y"] < at[1] < view["y"] + view["height"]
    page.mouse.click(*at)
    page.locator(".itscards button", has_text="Saw 2").click()
    assert title(page) == "Saw 2"
    assert page.locator("[data-slot=size]").inner_text() == "true size"
    # a rule was held against it: the part is drawn as large as it is
    page.locator("[data-slot=size]").click()
    page.locator("[data-slot=pull]").fill("5")
    page.get_by_role("button", name="so it is").click()
    wide = page.evaluate(
        "() => { const p = emberBench.view.panel, b = p.shape(2).box;"
        "return (p.toPage(b[2], 0)[0] - p.toPage(b[0], 0)[0]) / (b[2] - b[0]) }"
    )
    assert wide == pytest.approx(5, rel=0.01)


def test_it_can_be_put_among_a_phones_applications(desk, squares):
    """By Chromium's own list of what it misses."""
    desk.open(f"/picture/{squares.uid}/bench/")
    kept(desk.page)
    browser = desk.page.context.new_cdp_session(desk.page)
    missing = browser.send("Page.getInstallabilityErrors")["installabilityErrors"]
    # a page without a past on the disk, as tests have it, is never offered
    assert [one["errorId"] for one in missing if one["errorId"] != "in-incognito"] == []
    told = browser.send("Page.getAppManifest")
    assert told["errors"] == []
    for icon in json.loads(told["data"])["icons"]:
        answer = desk.page.request.get(desk.address + icon["src"])
        assert answer.headers["content-type"] == icon["type"]
