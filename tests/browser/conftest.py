"""Chromium on the real pages. Nothing here knows an address outside the test's own server."""

import fcntl
import os
import sqlite3
import uuid
from contextlib import closing, contextmanager
from pathlib import Path

import pytest
from django.core.management import call_command
from django.db import connection
from playwright.sync_api import sync_playwright

from workshop.compositions.models import Composition

CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
]
# figures of six woods at their finest take six seconds at rest, and more than thirty beside other work
PATIENCE_MS = 120_000
AXE = Path(__file__).parent / "vendor" / "axe.min.js"


@pytest.fixture(scope="session")
def chromium():
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield browser
        browser.close()


class Desk:
    """A page in the browser with the hands of a woodworker."""

    def __init__(self, page, address: str):
        self.page, self.address = page, address
        self.problems: list[str] = []
        self.hosts: set[str] = set()
        self.was_cut_off = False
        page.on("pageerror", lambda error: self.problems.append(f"script: {error}"))
        page.on("console", self._heard)
        page.on("requestfailed", self._failed)
        page.on("response", lambda r: self.problems.append(f"{r.status} {r.url}") if r.status >= 500 else None)
        page.on(
            "request", lambda r: self.hosts.add("/".join(r.url.split("/")[:3])) if r.url.startswith("http") else None
        )

    def _heard(self, message) -> None:
        # Chromium itself notes every refused request; that a 4xx was meant is for the test to say
        own = "Failed to load resource", *(("An unknown error occurred when fetching the script",) * self.was_cut_off)
        if message.type == "error" and not message.text.startswith(own):
            self.problems.append(f"console: {message.text}")

    def _failed(self, request) -> None:
        # a page that is left takes what it asked for along
        meant = "ERR_ABORTED", *(("ERR_INTERNET_DISCONNECTED",) * self.was_cut_off)
        if not any(why in (request.failure or "") for why in meant):
            self.problems.append(f"{request.failure}: {request.method} {request.url}")

    @contextmanager
    def without_network(self):
        """The phone is out of reach of its server; what Chromium says about that is no problem of the page."""
        self.was_cut_off = True
        self.page.context.set_offline(True)
        yield
        self.page.context.set_offline(False)

    def open(self, path: str) -> None:
        self.page.goto(self.address + path)
        if self.page.locator("#panel").count():
            self.page.wait_for_selector("#panel[data-ready=yes]")

    @contextmanager
    def leaving(self):
        """What is done inside leads to another page with a panel; afterwards that one is ready, not the one left."""
        self.page.evaluate("() => { window.emberLeft = true }")
        yield
        self.page.wait_for_function("() => !window.emberLeft && document.querySelector('#panel[data-ready=yes]')")

    def station(self, name: str) -> None:
        with self.leaving():
            self.page.locator("#rule a", has_text=name).first.click()

    def at(self, x_mm: float, y_mm: float) -> tuple[float, float]:
        """Where a place on the work lies in the window."""
        return tuple(self.page.evaluate("([x, y]) => window.emberPanel.toPage(x, y)", [x_mm, y_mm]))

    def click(self, x_mm: float, y_mm: float, shift: bool = False) -> None:
        if shift:
            self.page.keyboard.down("Shift")
        with self.answer("/ticket"):
            self.page.mouse.click(*self.at(x_mm, y_mm))
        if shift:
            self.page.keyboard.up("Shift")

    def drag(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        """From one window place to another, as slowly as a hand."""
        self.page.mouse.move(*start)
        self.page.mouse.down()
        self.page.mouse.move((start[0] + end[0]) / 2, (start[1] + end[1]) / 2, steps=4)
        self.page.mouse.move(*end, steps=4)
        self.page.mouse.up()

    @contextmanager
    def answer(self, part: str = "/do/"):
        """What is done inside asks the server; afterwards its answer has not only come but is on the page."""
        with self.page.expect_response(lambda r: part in r.url) as answer:
            yield answer
        self.settle()

    def press(self, key: str, part: str = "/do/") -> None:
        with self.answer(part):
            self.page.keyboard.press(key)

    def settle(self) -> None:
        """Nothing is on its way any more: neither a ticket nor the shapes of the view that it speaks of."""
        self.page.wait_for_function(
            """() => {
              if (document.querySelector(".htmx-request, .htmx-swapping, .htmx-settling")) return false;
              const loaded = window.emberPanel?.loaded;
              return !loaded || loaded === document.getElementById("dress-slot")?.dataset.shapes;
            }"""
        )

    def ticket(self) -> str:
        self.settle()
        return self.page.locator("#ticket").inner_text()

    def axe(self) -> list[str]:
        """What axe-core finds on this page, by rule and place."""
        self.page.evaluate(AXE.read_text(encoding="utf-8") + "; undefined")
        found = self.page.evaluate(
            "async () => (await axe.run(document, "
            "{resultTypes: ['violations']})).violations.map(v => [v.id, v.nodes.map(n => "
            "n.target.join(' ')).slice(0, 3)])"
        )
        return [f"{rule}: {places}" for rule, places in found]


@pytest.fixture
def desk(chromium, live_server, transactional_db, request):
    width, height = getattr(request, "param", (1280, 800))
    context = chromium.new_context(viewport={"width": width, "height": height}, accept_downloads=True)
    context.set_default_timeout(PATIENCE_MS)
    desk = Desk(context.new_page(), live_server.url)
    yield desk
    context.close()
    assert desk.problems == []
    assert desk.hosts <= {live_server.url}


@pytest.fixture(scope="session")
def kept_demo(tmp_path_factory) -> Path:
    """Where the demo is kept, for all processes that the tests are spread over."""
    own = tmp_path_factory.getbasetemp()
    return (own.parent if "PYTEST_XDIST_WORKER" in os.environ else own) / "demo.sqlite3"


@pytest.fixture
def demo(transactional_db, kept_demo) -> dict[str, Composition]:
    """The demo's works by name: loaded by the first who asks, copied for all others."""
    connection.ensure_connection()
    with kept_demo.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not kept_demo.exists():
            call_command("load_demo", verbosity=0)
            fresh = kept_demo.with_suffix(".fresh")
            with closing(sqlite3.connect(fresh)) as kept:
                connection.connection.backup(kept)
            fresh.rename(kept_demo)
    with closing(sqlite3.connect(kept_demo)) as kept:
        kept.backup(connection.connection)
    for row in Composition.objects.all():
        # what was worked out for another's work at this revision is not taken for this one's
        Composition.objects.filter(pk=row.pk).update(uid=uuid.uuid4())
    return {row.name: row for row in Composition.objects.all()}
