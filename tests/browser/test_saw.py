"""The saw under the hand: the way of the blade played on the panel and at the bench, pins, the drill map, and what is
offered where the work hits the column."""

import re

import pypdfium2
import pytest
import shapely

from emberquilt.outline.coverage import Coverage
from tests.conftest import cells, composition
from workshop.compositions import actions, store
from workshop.compositions.models import Composition
from workshop.entry.person import local_person

pytestmark = pytest.mark.browser


@pytest.fixture
def work(transactional_db):
    """Cells with a window in one of them."""
    coverage = cells(9, 4, 180.0, 120.0)
    key = max(coverage.keys, key=lambda k: coverage.area_mm2[k])
    spot = coverage.spots[key]
    hole = shapely.box(spot.x_mm - 8, spot.y_mm - 5, spot.x_mm + 8, spot.y_mm + 5)
    outlines = [o.difference(hole) if k == key else o for k, o in coverage.by_key.items()]
    return actions.create(local_person(), composition(Coverage(coverage.keys, outlines), thickness_mm=12.0))


def decided(work):
    return store.load(Composition.objects.get(pk=work.pk)).decisions.saw


def stroke(page) -> tuple[int, int]:
    at, count = (int(page.locator(f"#stroke [data-told={name}]").inner_text()) for name in ("at", "count"))
    return at, count


def fallen(page) -> list[str]:
    return page.evaluate("() => [...window.emberPlayer.fallen.keys()]")


def test_the_way_is_played_stepped_and_turned(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/saw/?pieces=2")
    with desk.answer("/way.json"):
        page.get_by_role("button", name="way", exact=True).click()
    page.wait_for_function(
        "() => window.emberPlayer && document.querySelector('#stroke [data-told=count]').textContent"
    )
    at, count = stroke(page)
    assert (at, fallen(page)) == (1, [])
    for n in range(count):
        assert stroke(page)[0] == n + 1
        page.keyboard.press(".")
    assert fallen(page) == ["2"]
    assert "All of it is sawn" in desk.ticket()
    page.keyboard.press(",")
    assert stroke(page)[0] == count
    assert fallen(page) == []
    # as the sawyer sees it the line comes at the blade from below, and the work turns; then the work lies still
    page.evaluate("() => localStorage.clear()")
    turned = page.evaluate("() => { emberPlayer.turns = true; emberPlayer.step(-99); return emberPlayer.heading }")
    page.keyboard.press("t")
    assert "the blade runs" in desk.ticket()
    page.keyboard.press("t")
    assert "the work turns" in desk.ticket()
    page.keyboard.press("a")
    page.wait_for_function("(was) => Math.abs(emberPlayer.heading - was) > 1 && emberPlayer.at > 0", arg=turned)
    page.wait_for_function("() => emberPlayer.fallen.has('2') && !emberPlayer.playing")
    assert not desk.axe()


def test_pins_change_the_order_and_the_strip(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/saw/?pieces=7")
    desk.press("f")
    assert decided(work).first == (7,)
    assert re.search(r"Cut\s+1\s+of", desk.ticket())
    assert "you put it first" in desk.ticket()
    desk.press("f")
    desk.press("e")
    assert decided(work).last == (7,)
    assert "you put it last" in desk.ticket()
    desk.press("r")
    assert decided(work).ways == {7: "counter-clockwise"}
    was = page.evaluate("() => emberPanel.scene.dress.marks.find((m) => m.kind === 'start' && m.piece === 7)")
    desk.press("s")
    now = page.evaluate("() => emberPanel.scene.dress.marks.find((m) => m.kind === 'start' && m.piece === 7)")
    assert (was["x"], was["y"]) != (now["x"], now["y"])
    with desk.answer():
        page.select_option("#blade", "9")
    assert decided(work).blades == {7: "9"}
    assert "No. 9" in page.locator("#strip").inner_text()
    page.locator("#panel").focus()
    desk.press("Escape", "/ticket")
    page.locator("#ticket summary", has_text="one after another").click()
    listed = page.locator(".sequence li").all_inner_texts()
    assert sum(text.startswith("Mount") for text in listed) == page.locator(".chapters > li").count()
    assert any("Drill 1 hole" in text for text in listed)


def test_the_drill_map_is_seen_and_saved(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/saw/")
    page.get_by_role("link", name="the drill map").click()
    page.wait_for_url("**pack=drill*")
    assert "Drill 3.2 mm (1/8 in): 1 hole" in page.locator(".pages").inner_text()
    with page.expect_download() as saved:
        page.locator(".save").click()
    assert len(pypdfium2.PdfDocument(saved.value.path())) == page.locator(".pages li").count()
    assert not desk.axe()


def test_what_is_offered_at_the_column_is_taken(desk, transactional_db):
    strip = shapely.box(0, 0, 800, 60) - shapely.Point(700, 30).buffer(12)
    long = actions.create(local_person(), composition(Coverage([1], [strip]), thickness_mm=12.0))
    page = desk.page
    desk.open(f"/picture/{long.uid}/saw/")
    finding = page.locator(".findings li", has_text="hits the saw's column")
    assert finding.count() == 1
    with desk.answer():
        finding.locator(".bold-link").first.click()
    assert page.locator(".findings li", has_text="hits the saw's column").count() == 0
    saw = decided(long)
    assert saw.ways or saw.starts or saw.spiral
    assert not desk.axe()


@pytest.mark.parametrize("desk", [(390, 844)], indirect=True)
def test_at_the_bench_stroke_by_stroke_with_a_thumb(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/bench/?step=saw&part=2")
    page.get_by_role("button", name="stroke by stroke").click()
    page.wait_for_function(
        "() => window.emberPlayer && document.querySelector('#stroke [data-told=count]').textContent"
    )
    at, count = stroke(page)
    assert at == 1
    for _ in range(count):
        page.get_by_role("button", name="next stroke").click()
    assert fallen(page) == ["2"]
    wide = page.evaluate("() => document.documentElement.scrollWidth")
    assert wide <= 390
    for button in page.locator(".thumbs button:visible").all():
        assert button.bounding_box()["height"] >= 54
    page.get_by_role("button", name="on the picture").click()
    assert page.locator("canvas.way").count() == 0
    assert not desk.axe()
