"""The lighthouse as a whole: painted shapes to five sheets over each other, in three copies, to the last card."""

import re

import pytest

from tests.browser.hands import brought, given_woods, opened, painted, places, sent, stacked, ticked_through
from workshop.compositions.plans import plan_of

pytestmark = pytest.mark.browser
COPIES = 3


def test_three_lighthouses_from_the_drawing_to_the_last_card(desk):
    page = desk.page
    row = brought(desk)
    desk.station("Pattern")
    stacked(desk)
    opened(desk, "the whole picture")
    page.fill("#w-copies", str(COPIES))
    sent(desk, lambda: page.locator("form:has(#w-copies) button").click())

    desk.station("Wood")
    given_woods(desk)
    painted(desk)
    row.refresh_from_db()
    plan = plan_of(row)
    once = len(plan.job.of_one)
    assert plan.job.copies == COPIES

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
    assert page.evaluate("() => emberPanel.scene.shapes.length") >= once

    desk.station("Stock")
    text = desk.ticket()
    assert f"{COPIES * once} parts" in text
    assert "birch plywood" in text
    desk.station("Saw")
    assert f"{COPIES} times" in desk.ticket()
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
    assert f"all {COPIES}" in desk.ticket()

    page.locator("#rule a", has_text="Bench").click()
    page.wait_for_selector(".view canvas")
    titles = ticked_through(desk, row.uid)
    assert "Every card is done" in page.locator("h1:visible").inner_text()
    # painted before anything lies on the sky, flush before the rocks go on, finished at last
    assert len(places(titles, "Paint")) == 2
    assert max(places(titles, "Paint")) < min(places(titles, "Glue"))
    for copy in range(1, COPIES + 1):
        mine = f"{copy} of {COPIES}"
        (flush,) = places(titles, "Trim the edge flush", mine)
        (rocks,) = places(titles, "Glue", "wenge", mine)
        assert max(places(titles, "Glue", "walnut", mine)) < flush < rocks
        assert rocks < min(places(titles, "coat 1 of 3"))
    assert len(places(titles, "Glue")) == COPIES * (once - 1)
    row.refresh_from_db()
    assert not plan_of(row).left
    desk.open(f"/picture/{row.uid}/log/")
    assert row.events.count() >= len(titles)
