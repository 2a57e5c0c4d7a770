"""The evenings under the hand: sittings are walked through, pulled to another day, pinned and set free."""

import pytest

from emberquilt.practice import Practice
from tests.conftest import composition, grid
from workshop.compositions import actions
from workshop.compositions.models import Composition
from workshop.compositions.plans import plan_of
from workshop.entry.person import local_person

pytestmark = pytest.mark.browser


@pytest.fixture
def work(transactional_db):
    return actions.create(local_person(), composition(grid(5, 4), practice=Practice(), shim_mm=2.0))


def slots(work):
    return plan_of(Composition.objects.get(pk=work.pk)).schedule.slots


def test_the_calendar_is_moved_by_hand(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/calendar/")
    before = slots(work)
    assert page.locator("#calendar .block").count() == len(before)
    # the next sitting, by its key, and what it handles lights up in the picture
    desk.press("]", "/ticket")
    assert before[1].step.label.split()[0] in desk.ticket()
    desk.press("]", "/ticket")
    assert before[2].step.parts
    assert page.evaluate("() => window.emberPanel.chosen.size") > 0
    # every evening shows what will be there: not the same at the end as at the beginning
    ink = page.evaluate(
        """() => [...document.querySelectorAll('#calendar canvas')].map((c) => {
          const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
          return d.reduce((a, b) => a + b, 0);
        })"""
    )
    assert len(ink) > 2
    assert ink[0] != ink[-1]
    # the last coat is pulled two days on, with the hand
    block = page.locator('#calendar .block[data-task="coat-3"] .body')
    block.scroll_into_view_if_needed()
    box = block.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    with desk.answer():
        desk.drag((x, y), (x + 64, y))
    after = slots(work)
    coat = [next(s for s in plan if s.step.key == "coat-3") for plan in (before, after)]
    assert coat[1].begin > coat[0].begin
    assert coat[1].pinned
    assert "moved; it ends" in desk.ticket()
    assert page.locator("#calendar .block.pinned").count() == 1
    # unpinned by its key; then a day later by the arrow
    desk.press("p")
    assert not any(slot.pinned for slot in slots(work))
    now = next(s for s in slots(work) if s.step.key == "coat-3").begin
    desk.press("ArrowRight")
    assert next(s for s in slots(work) if s.step.key == "coat-3").begin.date() > now.date()
    # undone like any edit
    desk.press("z", "/undo/")
    assert not any(slot.pinned for slot in slots(work))
    assert desk.problems == []


@pytest.mark.parametrize("desk", [(390, 844)], indirect=True)
def test_the_calendar_on_a_phone(desk, work):
    desk.open(f"/picture/{work.uid}/calendar/")
    page = desk.page
    assert page.evaluate("() => document.documentElement.scrollWidth") <= 390
    names = page.locator("#calendar .names")
    page.evaluate("() => { document.getElementById('calendar').scrollLeft = 200 }")
    page.wait_for_function(
        "() => document.querySelector('#calendar .names').getAttribute('transform')?.includes('200')"
    )
    assert names.count() == 1
    desk.page.locator('#calendar .block[data-task="paste"]').dispatch_event("pointerdown", {"button": 0})
    with desk.answer("/ticket"):
        desk.page.locator('#calendar .block[data-task="paste"]').dispatch_event("pointerup", {"button": 0})
    assert "paste" in desk.ticket()
    assert desk.problems == []
