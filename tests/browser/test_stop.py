"""Stop, on a drawing whose reading would run for many minutes, in the workshop as it is served."""

import time

import pytest

from tests.browser.conftest import PATIENCE_MS
from tests.core.test_intake_hostile import ENDLESS
from tests.core.test_intake_svg import svg
from tests.served import Server, needs_proc

pytestmark = pytest.mark.browser

QUARTERS = '<path d="M0 0H90V60H0Z M45 0V60 M0 30H90" fill="none" stroke="#000"/>'


def given(page, name: str, data: bytes) -> None:
    page.goto("/")
    page.set_input_files("#drawing", {"name": name, "mimeType": "image/svg+xml", "buffer": data})
    page.get_by_role("button", name="Find its pieces").click()


@needs_proc
def test_stop_ends_what_would_run_for_minutes_and_the_next_drawing_is_read_at_once(chromium, tmp_path):
    server = Server(tmp_path / "home")
    server.start()
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=f"http://127.0.0.1:{server.port}")
    context.set_default_timeout(PATIENCE_MS)
    try:
        server.wait_until_up()
        page = context.new_page()
        given(page, "mist.svg", ENDLESS)
        page.get_by_text("drawing it").wait_for()
        assert len(server.under_way()) == 1
        page.get_by_role("button", name="Stop").click()
        page.get_by_text("Stopped").first.wait_for()
        for _ in range(100):
            if not server.under_way():
                break
            time.sleep(0.1)
        assert not server.under_way()
        given(page, "quarters.svg", svg(QUARTERS))
        page.wait_for_selector("#panel[data-ready=yes]")
        assert page.locator(".found").inner_text() == "4"
    finally:
        context.close()
        server.end()
