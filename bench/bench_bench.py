"""The page that a phone carries to the bench: how heavy, how soon made, and how soon a phone can use it."""

import json
import time

import pytest

from bench.conftest import median_ms, tell
from tests.conftest import cells, composition
from workshop.compositions import actions
from workshop.entry.person import local_person

WOODS = ("walnut", "holly", "padauk", "maple", "cherry")
TARGET_KB = {60: "", 500: "target <= 400 kB", 1500: ""}
SLOWER = 4
"""Chromium's processor is throttled by so much, as on a phone."""


def work_of(count: int):
    sheet = cells(count, 1)
    return actions.create(local_person(), composition(sheet, {key: WOODS[key % 5] for key in sheet.keys}))


@pytest.mark.parametrize("count", [60, 500, 1500])
def test_the_page(client, db, count):
    row = work_of(count)
    address = f"/picture/{row.uid}/bench/"
    size = len(client.get(address).content) / 1000
    tell(f"bench page, {count}", f"{size:.0f} kB", TARGET_KB[count], ("bench page kB", count, size))
    time_ms = median_ms(lambda: client.get(address), 5)
    tell(f"bench page, {count}, made", f"{time_ms:.0f} ms", "", ("bench page ms", count, time_ms))


@pytest.mark.parametrize("count", [20, 200])
def test_what_a_phone_sends(client, db, count):
    """So many entries taken at once."""
    row = work_of(60)
    client.get(f"/picture/{row.uid}/bench/")

    def send() -> float:
        row.events.all().delete()
        now = time.time() * 1000
        entries = [
            {"id": f"bench{count}x{round(now)}"[:16] + f"-{i}", "what": "done", "step": "shape", "parts": [str(i + 1)]}
            | {"at": now}
            for i in range(count)
        ]
        body = json.dumps({"entries": entries, "cursor": None, "now": now})
        return client.post(f"/picture/{row.uid}/bench/sync/", body, content_type="application/json").status_code

    time_ms = median_ms(send, 3)
    tell(f"{count} entries taken", f"{time_ms:.0f} ms", "", ("entries taken", count, time_ms))


def test_a_phone_can_use_it(chromium, live_server, transactional_db):
    row = work_of(500)
    ready = (
        "new MutationObserver(() => { const b = document.getElementById('bench');"
        "if (b?.dataset.ready === 'yes') window.emberReady ??= performance.now() })"
        ".observe(document, { subtree: true, childList: true, attributes: true })"
    )
    times = []
    for _ in range(4):
        context = chromium.new_context(viewport={"width": 390, "height": 844}, device_scale_factor=2)
        page = context.new_page()
        context.new_cdp_session(page).send("Emulation.setCPUThrottlingRate", {"rate": SLOWER})
        page.add_init_script(ready)
        page.goto(f"{live_server.url}/picture/{row.uid}/bench/")
        page.wait_for_selector("#bench[data-ready=yes]")
        times.append(page.evaluate("() => window.emberReady"))
        context.close()
    # the first also fills what the server keeps
    tell(f"bench of 500 usable, {SLOWER} times slower", f"{sorted(times[1:])[1]:.0f} ms", "target <= 1500 ms")


def test_how_soon_another_phone_sees_a_tick(chromium, live_server, transactional_db):
    address = f"{live_server.url}/picture/{work_of(60).uid}/bench/"
    contexts = [chromium.new_context(viewport={"width": 390, "height": 844}) for _ in range(2)]
    one, other = (context.new_page() for context in contexts)
    for page in (one, other):
        page.goto(address)
        page.wait_for_selector("#bench[data-waiting='0']")
    times = []
    for _ in range(12):
        left = other.evaluate("() => emberBench.left.size")
        begin = time.perf_counter()
        one.locator(".done-btn").click()
        other.wait_for_function("(left) => emberBench.left.size < left", arg=left)
        times.append(1000 * (time.perf_counter() - begin))
    for context in contexts:
        context.close()
    tell("a tick seen on another phone, at worst of 12", f"{max(times):.0f} ms", "target <= 2000 ms")
