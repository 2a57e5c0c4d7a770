"""A whole work at a phone's size, from a project file to the last card."""

import pytest

from emberquilt.cli import main
from tests.browser.hands import painted, places, seen, ticked_through
from workshop.compositions import demo
from workshop.compositions.models import Composition
from workshop.compositions.plans import plan_of

pytestmark = pytest.mark.browser


@pytest.mark.parametrize("desk", [(390, 844)], indirect=True, ids=["phone"])
def test_a_whole_work_in_ones_pocket(desk, tmp_path):
    """At a phone's size: a work made by script, a layer out of the small stack, its paint, what there is to buy, and
    the cards one by one."""
    page = desk.page
    made = tmp_path / "made.ember"
    wishes = ("--kind", "painted", "--stack", "8mm", "--woods", "best", "--thickness", "6mm")
    assert main(["make", str(demo.FOLDER / "lighthouse.svg"), "--width", "241mm", *wishes, "-o", str(made)]) == 0
    desk.open("/")
    page.set_input_files("#drawing", made)
    page.get_by_role("button", name="Find its pieces").click()
    page.wait_for_selector("#panel[data-ready=yes]")
    row = Composition.objects.get()
    desk.station("Wood")
    painted(desk)
    row.refresh_from_db()
    plan = plan_of(row)
    for station in ("Relief", "Stock", "Saw", "Fit and glue", "Calendar", "Log"):
        desk.station(station)
        seen(desk, 2) if page.locator("#stack").is_visible() else None
        assert page.evaluate("() => document.documentElement.scrollWidth") <= 390
    page.locator("#rule a", has_text="Bench").click()
    page.wait_for_selector(".view canvas")
    titles = ticked_through(desk, row.uid)
    assert "Every card is done" in page.locator("h1:visible").inner_text()
    sawn = places(titles, "Saw")
    assert sorted(sawn) == list(range(min(sawn), max(sawn) + 1))
    assert len(places(titles, "Glue")) == len(plan.job.of_one) - 1
