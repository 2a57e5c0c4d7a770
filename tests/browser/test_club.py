"""Two people and one work: shown, worked on together, put on the club's shelf, taken; and a phone that comes in."""

import re

import pytest
from django.contrib.auth import get_user_model

from tests.browser.conftest import PATIENCE_MS, Desk
from tests.conftest import composition, grid
from tests.web.test_phone import code_on
from workshop.compositions import actions
from workshop.compositions.models import Composition

pytestmark = pytest.mark.browser
PASSWORD = "by the old canal lock"


@pytest.fixture
def people(chromium, live_server, transactional_db, settings):
    """Anna, who has a work, and Ben, each at a desk of their own; and a phone."""
    settings.LOCAL_PERSON = False
    contexts, desks = [], {}
    for name, size in (("anna", (1280, 800)), ("ben", (1280, 800)), ("phone", (390, 844))):
        context = chromium.new_context(viewport=dict(zip(("width", "height"), size, strict=True)))
        context.set_default_timeout(PATIENCE_MS)
        contexts.append(context)
        desks[name] = Desk(context.new_page(), live_server.url)
        if name != "phone":
            person = get_user_model().objects.create_user(name, password=PASSWORD)
            if name == "anna":
                actions.create(person, composition(grid(3, 2), "walnut"), "drawing.svg", b"<svg/>")
            page = desks[name].page
            desks[name].open("/enter/")
            page.fill("#id_username", name)
            page.fill("#id_password", PASSWORD)
            page.get_by_role("button", name="Enter").click()
            page.wait_for_selector("main.shelf")
    yield desks
    for context in contexts:
        context.close()
    assert {name: desk.problems for name, desk in desks.items()} == {name: [] for name in desks}


def test_a_work_is_shown_worked_on_together_and_taken_from_the_clubs_shelf(people):
    anna, ben, phone = people["anna"], people["ben"], people["phone"]
    # Anna shows it
    anna.page.locator(".works a.tag").click()
    anna.page.wait_for_selector("#panel[data-ready=yes]")
    anna.station("Pattern")
    anna.page.get_by_role("link", name="pass it on").click()
    anna.page.wait_for_selector("[data-thumb][data-ready=yes]")
    assert anna.axe() == []
    anna.page.fill("#to", "ben")
    anna.page.get_by_label("may work on it too").check()
    anna.page.get_by_role("button", name="Show it").click()
    anna.page.wait_for_selector(".browsers li")
    # Ben finds it on his shelf, looks at it, and gives a piece another wood
    ben.open("/")
    ben.page.get_by_text("anna shows you this").click()
    ben.page.wait_for_selector("[data-thumb][data-ready=yes]")
    assert ben.axe() == []
    for width in (390, 1280):
        ben.page.set_viewport_size({"width": width, "height": 800})
        assert ben.page.evaluate("document.documentElement.scrollWidth") <= width
    ben.page.get_by_role("link", name="arrows").click()
    ben.page.wait_for_selector("[data-thumb][data-ready=yes]")
    ben.page.get_by_role("link", name="Work on it together").click()
    ben.page.wait_for_selector("#panel[data-ready=yes]")
    assert "Calendar" not in ben.page.locator("#rule").inner_text()
    ben.station("Wood")
    ben.click(15, 15)
    ben.page.wait_for_selector("#ticket .n:text-is('1')")
    ben.page.keyboard.press("w")
    with ben.answer():
        ben.page.locator("#woodshelf button", has_text="Cherry").first.click()
    assert Composition.objects.get().pieces.get(key=1).wood == "cherry"
    # Anna sees it, and puts the work on the club's shelf
    anna.page.fill("#source", "drawn at the lock")
    anna.page.select_option("#licence", "by")
    anna.page.get_by_role("button", name="Put it on the shelf").click()
    anna.page.wait_for_selector("text=It stands there")
    ben.open("/club/")
    ben.page.wait_for_selector("[data-thumb][data-ready=yes]")
    assert ben.axe() == []
    ben.page.locator(".patterns a").click()
    ben.page.wait_for_selector("[data-thumb][data-ready=yes]")
    assert "drawn at the lock" in ben.page.locator("main").inner_text()
    ben.page.get_by_role("button", name="Take it to my shelf").click()
    ben.page.wait_for_selector("#panel[data-ready=yes]")
    ben.open("/")
    assert ben.page.locator(".works").first.locator("li").count() == 1
    # Anna's phone comes in by the code on her screen
    anna.open("/phone/")
    assert anna.axe() == []
    told = code_on(anna.page.content())
    phone.page.goto(re.sub(r"^https?://[^/]+", phone.address, told))
    phone.page.get_by_role("button", name="Come in").click()
    phone.page.wait_for_selector("main.shelf")
    assert phone.page.evaluate("document.documentElement.scrollWidth") <= 390
    assert "A test" in phone.page.locator(".works").first.inner_text()
