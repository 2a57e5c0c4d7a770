"""Boards under the hand: a part is slid, turned and nailed, the rest laid again round it, and the patterns printed."""

import pypdfium2
import pytest

from tests.conftest import cells, composition
from workshop.compositions import actions, store
from workshop.compositions.models import Composition
from workshop.entry.person import local_person
from workshop.shop.actions import add_board

pytestmark = pytest.mark.browser


@pytest.fixture
def work(transactional_db):
    person = local_person()
    add_board(person, "cherry", "C1", "500 mm", "150 mm", "20 mm")
    return actions.create(person, composition(cells(10, 3, 180.0, 120.0)))


def places(work):
    return store.load(Composition.objects.get(pk=work.pk)).placements


def middle(page, part: str) -> tuple[float, float]:
    """A place inside a part on the rack, in page pixels."""
    return page.evaluate(
        """(part) => {
          const path = document.querySelector(`#rack [data-part="${part}"]`);
          const words = [...path.closest('.board').querySelectorAll('text.number')];
          const box = path.getBoundingClientRect();
          const number = words.find((w) => w.textContent === part)?.getBoundingClientRect() ?? box;
          return [number.x + number.width / 2, number.y + number.height / 2];
        }""",
        part,
    )


def test_a_part_is_moved_nailed_and_the_rest_laid_round_it(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/stock/")
    desk.press("r")
    assert len(places(work)) == 10
    part = "5"
    was = places(work)[part]
    with desk.answer("/ticket"):
        page.mouse.click(*middle(page, part))
    assert "along the board" in desk.ticket()
    x, y = middle(page, part)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 30, y + 4, steps=4)
    with desk.answer():
        page.mouse.up()
    moved = places(work)[part]
    assert moved.nailed
    assert moved.x_mm - was.x_mm > 10
    # arrows shift it by millimetres, kept once the hand rests
    page.locator("#rack").focus()
    with desk.answer():
        for _ in range(3):
            page.keyboard.press("ArrowRight")
    assert places(work)[part].x_mm == pytest.approx(moved.x_mm + 3, abs=0.05)
    with desk.answer():
        page.keyboard.press("t")
    assert abs(places(work)[part].turned_deg) == 180
    page.locator("#rack").focus()
    page.keyboard.press("Escape")
    desk.settle()
    kept = places(work)[part]
    desk.press("r")
    assert places(work)[part] == kept
    assert sum(place.nailed for place in places(work).values()) == 1
    assert not desk.axe()


def test_the_picture_and_the_rack_light_each_other(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/stock/")
    desk.press("r")
    page.mouse.move(*middle(page, "5"))
    assert page.evaluate("emberPanel.lit") == 5
    spot = store.load(work).usual_layer.coverage.spots[7]
    page.mouse.move(*desk.at(spot.x_mm, spot.y_mm))
    assert page.locator("#rack .part.lit").count() == 1
    page.locator("#rack").focus()
    with desk.answer("/ticket"):
        page.keyboard.press("]")
    assert page.locator("#rack .part.on").count() == 1


def test_patterns_are_seen_and_saved(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/stock/")
    page.keyboard.press("p")
    page.wait_for_url("**/print/")
    page.select_option("select[name=paper]", "A4")
    page.get_by_role("button", name="show").click()
    page.wait_for_url("**paper=A4*")
    shown = page.locator(".pages li").count()
    with page.expect_download() as saved:
        page.locator(".save").click()
    document = pypdfium2.PdfDocument(saved.value.path())
    assert len(document) == shown
    assert not desk.axe()


def test_thin_stock_is_resawn_measured_and_what_is_missing_shown(desk, transactional_db):
    """From the keys alone: laid on two leaves, milled as listed, the caliper typed, and what to buy on new boards."""
    page, person = desk.page, local_person()
    add_board(person, "cherry", "C1", "900 mm", "150 mm", "20.6 mm")
    work = actions.create(person, composition(cells(10, 3, 180.0, 120.0), thickness_mm=6.35))
    desk.open(f"/picture/{work.uid}/stock/")
    desk.press("r")
    assert {place.leaf for place in places(work).values()} == {1, 2}
    assert page.locator("#rack .board").count() == 2
    assert page.locator(".mills li").count() >= 4
    assert "resaw, 2 leaves" in page.locator(".mills").inner_text()
    page.get_by_text("milling:").click()
    assert "become dust and chips" in desk.ticket()
    with desk.answer("/ticket"):
        page.mouse.click(*middle(page, "5"))
    page.get_by_label("By caliper").fill("6.5 mm")
    with desk.answer():
        page.get_by_role("button", name="so thick").click()
    kept = store.load(Composition.objects.get(pk=work.pk))
    assert {p.thickness_mm for p in kept.made} == {6.0}
    with desk.answer("/ticket"):
        page.get_by_role("button", name="to buy").click()
    assert "birch plywood" in desk.ticket()
    assert page.locator("#rack .bought .board").count() == 1
    assert not desk.axe()
