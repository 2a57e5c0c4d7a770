"""The lighthouse planned as a whole: painted shapes to five sheets over each other, in six copies, to the last card."""

import re

import pytest

from workshop.compositions import demo
from workshop.compositions.models import Composition
from workshop.compositions.plans import plan_of

pytestmark = pytest.mark.browser
LIGHTHOUSE = demo.FOLDER / "lighthouse.svg"
WOODS = ("Birch plywood", "Cherry", "Mahogany", "Walnut", "Wenge")


def brought(desk) -> Composition:
    page = desk.page
    desk.open("/")
    page.set_input_files("#drawing", LIGHTHOUSE)
    page.fill("#width", "9 1/2 in")
    page.get_by_role("button", name="Find its pieces").click()
    page.wait_for_selector("#panel[data-ready=yes]")
    page.get_by_role("button", name="Accept these pieces").click()
    page.wait_for_selector("#panel[data-ready=yes]")
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
    desk.settle()


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
        desk.settle()
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


def ticked_through(desk) -> list[str]:
    """Every card done, one after the other, with what each said."""
    page, titles = desk.page, []
    while page.locator(".done-btn").count():
        titles.append(re.sub(r"\s+", " ", page.locator("h1").inner_text()))
        assert len(titles) < 400, titles[-5:]
        with page.expect_navigation():
            page.locator(".done-btn").click()
    return titles


def places(titles: list[str], *words: str) -> list[int]:
    """Where the cards stand that say all of this."""
    return [i for i, title in enumerate(titles) if all(word in title for word in words)]


def test_six_lighthouses_from_the_drawing_to_the_last_card(desk):
    page = desk.page
    row = brought(desk)
    desk.station("Pattern")
    stacked(desk)
    opened(desk, "the whole picture")
    page.fill("#w-copies", "6")
    sent(desk, lambda: page.locator("form:has(#w-copies) button").click())

    desk.station("Wood")
    given_woods(desk)
    painted(desk)
    row.refresh_from_db()
    plan = plan_of(row)
    once = len(plan.job.of_one)
    assert plan.job.copies == 6

    # from the front every visible part can be chosen, whichever layer it is in
    desk.station("Relief")
    with desk.answer("/ticket"):
        page.keyboard.press("Home")
    layers = {layer.name: layer for layer in plan.composition.layers}
    for name in layers:
        shape = next(o for k, o in plan.job.seen_of.items() if k in layers[name].by_key and o.area > 100)
        spot = shape.representative_point()
        desk.click(spot.x, spot.y)
        assert name in desk.ticket()
    with desk.answer("/ticket"):
        page.keyboard.press("End")
    desk.settle()
    assert page.evaluate("() => emberPanel.scene.shapes.length") >= once

    desk.station("Stock")
    text = desk.ticket()
    assert f"{6 * once} parts" in text
    assert "birch plywood" in text
    desk.station("Saw")
    assert "6 times" in desk.ticket()
    offer = page.get_by_role("button", name=re.compile(r"saw \d at once"))
    high = int(re.search(r"\d", offer.inner_text())[0])
    before = plan.saw.minutes
    sent(desk, offer.click)
    row.refresh_from_db()
    assert plan_of(row).saw.minutes < before
    assert f"{high} at once" in desk.ticket()
    desk.station("Fit and glue")
    text = desk.ticket()
    assert "it carries the rest" in text
    assert "after the edge is trimmed" in text
    desk.station("Calendar")
    assert "all 6" in desk.ticket()

    page.locator("#rule a", has_text="Bench").click()
    page.wait_for_selector(".view canvas")
    titles = ticked_through(desk)
    assert "Every card is done" in page.locator("h1").inner_text()
    # painted before anything lies on the sky, flush before the rocks go on, finished at last
    assert len(places(titles, "Paint")) == 2
    assert max(places(titles, "Paint")) < min(places(titles, "Glue"))
    for copy in range(1, 7):
        mine = f"{copy} of 6"
        (flush,) = places(titles, "Trim the edge flush", mine)
        (rocks,) = places(titles, "Glue", "wenge", mine)
        assert max(places(titles, "Glue", "walnut", mine)) < flush < rocks
        assert rocks < min(places(titles, "coat 1 of 3"))
    assert len(places(titles, "Glue")) == 6 * (once - 1)
    row.refresh_from_db()
    assert not plan_of(row).left
    desk.open(f"/picture/{row.uid}/log/")
    assert row.events.count() >= len(titles)


@pytest.mark.parametrize("desk", [(390, 844)], indirect=True, ids=["phone"])
def test_a_whole_work_in_ones_pocket(desk):
    """At a phone's size: a layer out of the small stack, its wood, what there is to buy, and the cards one by one."""
    page = desk.page
    row = brought(desk)
    desk.station("Pattern")
    stacked(desk)
    opened(desk, "the whole picture")
    page.fill("#w-copies", "2")
    sent(desk, lambda: page.locator("form:has(#w-copies) button").click())
    desk.station("Wood")
    given_woods(desk)
    painted(desk)
    row.refresh_from_db()
    plan = plan_of(row)
    for station in ("Relief", "Stock", "Saw", "Fit and glue", "Calendar", "Log"):
        desk.station(station)
        seen(desk, 2) if page.locator("#stack").is_visible() else None
        assert page.evaluate("() => document.documentElement.scrollWidth") <= 390
    page.locator("#rule a", has_text="Bench").click()
    page.wait_for_selector(".view canvas")
    titles = ticked_through(desk)
    assert "Every card is done" in page.locator("h1").inner_text()
    sawn = places(titles, "Saw")
    assert sorted(sawn) == list(range(min(sawn), max(sawn) + 1))
    assert len(places(titles, "Glue")) == 2 * (len(plan.job.of_one) - 1)
