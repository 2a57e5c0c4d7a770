"""The log in the browser: what it took, what it costs, the page that goes with the piece, the year."""

import pytest

from tests.conftest import composition, grid
from tests.web.conftest import entry
from workshop.bench import entries
from workshop.compositions import actions
from workshop.compositions.plans import plan_of
from workshop.entry.person import local_person
from workshop.shop.actions import practice_of

pytestmark = pytest.mark.browser


@pytest.fixture
def sawn(transactional_db):
    """Six squares of walnut, each sawn in twice the minutes that were estimated."""
    row = actions.create(local_person(), composition(grid(3, 2), "walnut"))
    cards = [card for card in plan_of(row).cards if card.step.verb == "saw"]
    told = [entry(card, minutes=2 * card.base_minutes) for card in cards]
    entries.take(row, told, max(one["at"] for one in told))
    return row


@pytest.mark.parametrize("desk", [(1280, 800), (390, 844)], indirect=True, ids=["desk", "phone"])
def test_from_the_log_to_a_price_a_page_and_the_year(desk, sawn, tmp_path):
    page = desk.page
    desk.open(f"/picture/{sawn.uid}/log/")
    page.locator(".pace summary").click()
    assert "Walnut" in page.locator(".pace").inner_text()
    # one of the times was wrong
    page.locator(".correct summary").first.click()
    page.get_by_label("Minutes it took").first.fill("30")
    with desk.leaving():
        page.get_by_role("button", name="it took").first.click()
    assert sawn.events.filter(minutes=30).count() == 1

    page.get_by_role("link", name="its price").click()
    page.fill("#p-wage", "30")
    page.fill("#p-margin_share", "0.25")
    page.get_by_role("button", name="keep", exact=True).click()
    page.get_by_label("Walnut").fill("14")
    page.get_by_role("button", name="keep what is written here").click()
    assert practice_of(sawn.owner).wage == 30
    (price,) = page.locator(".bill .price td").all_inner_texts()
    costs = float(page.locator(".bill tfoot tr", has_text="costs").locator("td").inner_text())
    assert float(price.split()[-1]) == pytest.approx(costs / 0.75, abs=0.02)
    page.get_by_role("button", name="would cost").click()
    six = float(page.locator(".nextprice").inner_text().split()[1])
    assert float(price.split()[-1]) < six < 6 * float(price.split()[-1])
    assert page.evaluate("() => document.documentElement.scrollWidth") <= page.viewport_size["width"]

    page.goto(f"{desk.address}/picture/{sawn.uid}/keepsake/")
    page.get_by_label("How it came to be").fill("For the canal.")
    page.get_by_role("button", name="keep").click()
    assert "For the canal." in page.locator(".keepsake").inner_text()
    with page.expect_download() as file:
        page.get_by_role("link", name="as one page to send").click()
    file.value.save_as(tmp_path / "it.html")
    assert "For the canal." in (tmp_path / "it.html").read_text(encoding="utf-8")

    desk.open("/year/")
    assert page.locator(".disc path title").first.text_content().startswith("week")
    assert page.locator(".truth").count() == 1
    assert page.evaluate("() => document.documentElement.scrollWidth") <= page.viewport_size["width"]
