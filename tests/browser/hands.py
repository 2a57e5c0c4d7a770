"""What is done by hand in several journeys, beside what `Desk` does: stacking, woods, paint, ticking cards."""

import re

from workshop.compositions import demo
from workshop.compositions.models import Composition

LIGHTHOUSE = demo.FOLDER / "lighthouse.svg"
WOODS = ("Birch plywood", "Cherry", "Mahogany", "Walnut", "Wenge")


def bring(desk, place, width: str) -> None:
    """A file brought on the shelf, until its pieces are found."""
    page = desk.page
    desk.open("/")
    page.set_input_files("#drawing", place)
    page.fill("#width", width)
    page.get_by_role("button", name="Find its pieces").click()
    page.wait_for_selector("#panel[data-ready=yes]")


def accepted(desk) -> None:
    with desk.leaving():
        desk.page.get_by_role("button", name="Accept these pieces").click()


def brought(desk) -> Composition:
    bring(desk, LIGHTHOUSE, "9 1/2 in")
    accepted(desk)
    return Composition.objects.get()


def stacked(desk) -> None:
    """From the painted shapes five sheets, each a quarter of an inch; all but the foremost are trimmed to one edge."""
    page = desk.page
    opened(desk, "layers")
    page.fill("#t-reach", "8 mm")
    sent(desk, lambda: page.get_by_role("button", name="make the stack").click())
    assert page.locator("#stack .sheet").count() == 5
    for number in range(1, 6):
        seen(desk, number)
        opened(desk, "layers")
        page.fill("#l-thick", "1/4 in")
        if number < 5:
            page.select_option("#l-flush", "yes")
        sent(desk, lambda: page.locator("form:has(#l-name) button", has_text="keep").click())


def opened(desk, summary: str) -> None:
    desk.settle()
    details = desk.page.locator("#ticket details", has=desk.page.locator("summary", has_text=summary)).first
    if details.get_attribute("open") is None:
        details.locator("summary").first.click()


def seen(desk, number: int) -> None:
    """Choose a layer, counted from the back, in the small stack: the foremost is on top."""
    sheets = desk.page.locator("#stack .sheet")
    with desk.answer("/ticket"):
        sheets.nth(sheets.count() - number).click()


def sent(desk, act) -> None:
    with desk.answer() as answer:
        act()
    assert answer.value.status == 200
    desk.settle()


def given_woods(desk) -> None:
    page = desk.page
    for number, wood in enumerate(WOODS, 1):
        seen(desk, number)
        with desk.answer("/ticket"):
            page.keyboard.press("b")
        page.keyboard.press("w")
        sent(desk, lambda wood=wood: page.locator("#woodshelf button", has_text=wood).first.click())


def painted(desk) -> None:
    """The sky, which will lie under everything else."""
    page = desk.page
    seen(desk, 1)
    with desk.answer("/ticket"):
        page.keyboard.press("b")
    opened(desk, "coat and colour")
    page.select_option("#c-kind", "paint")
    page.fill("#c-tint", "#f0b46c")
    sent(desk, lambda: page.get_by_role("button", name="put it on").click())


def ticked_through(desk, uid) -> list[str]:
    """Every card done, one after the other, with what each said."""
    page, titles = desk.page, []
    while page.locator(".done-btn").is_visible():
        assert len(titles) < 400, titles[-5:]
        titles.append(flat(page.locator(".tagcard h1").inner_text()))
        page.locator(".done-btn").click()
    page.wait_for_selector("#bench[data-waiting='0']")
    return titles


def flat(words: str) -> str:
    return re.sub(r"\s+", " ", words).strip()


def places(titles: list[str], *words: str) -> list[int]:
    """Where the cards stand that say all of this."""
    return [i for i, title in enumerate(titles) if all(word in title for word in words)]
