"""The evenings under the hand: sittings are walked through, pulled to another day, pinned and set free."""

import pytest
import shapely

from emberquilt.outline.coverage import Coverage
from emberquilt.practice import Practice
from emberquilt.work import composition as whole
from emberquilt.work.composition import Layer, Piece
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


OFF = """() => {
  const { shapes, dress, woods, w, h } = window.emberPanel.scene;
  const canvas = [...document.querySelectorAll('#calendar .leaf canvas')].at(-1);
  const ctx = canvas.getContext('2d'), fit = Math.min(canvas.width / w, canvas.height / h);
  const left = (canvas.width - fit * w) / 2, off = [];
  for (let y = 3.5; y < h * fit; y += 4) for (let x = 3.5; x < w * fit; x += 4) {
    // away from every edge
    const round = [-2, 0, 2].flatMap((a) => [-2, 0, 2].map((b) => [(x + a) / fit, (y + b) / fit]));
    const seen = round.map(([a, b]) => shapes.findLast((s) => ctx.isPointInPath(s.path, a, b, 'evenodd'))?.key);
    if (!seen[0] || seen.some((key) => key !== seen[0])) continue;
    const wood = woods[dress.pieces[seen[0]][0]].colour.slice(1);
    const [r, g, b] = ctx.getImageData(left + x, y, 1, 1).data;
    const far = [r, g, b].map((v, i) => Math.abs(v - parseInt(wood.slice(2 * i, 2 * i + 2), 16)));
    off.push(Math.max(...far));
  }
  return off;
}"""


def test_the_last_evening_shows_the_finished_work_front_over_back(desk, transactional_db):
    """Whatever order its sheets are made in: the front one has the low keys, and so is sawn first."""
    front, back = grid(2, 2, 20.0), grid(4, 4, 20.0)
    front = Coverage(front.keys, [shapely.affinity.translate(o, 20, 20) for o in front.outlines])
    back = Coverage([key + 10 for key in back.keys], back.outlines)
    made = [
        Layer(number, name, "sheet", sheet, tuple(Piece(k, k, wood, 0.0, 3.0) for k in sheet.keys), 3.0)
        for number, name, sheet, wood in ((1, "Back", back, "walnut"), (2, "Front", front, "holly"))
    ]
    row = actions.create(local_person(), whole.Composition("Two sheets", 80.0, 80.0, tuple(made)))
    desk.open(f"/picture/{row.uid}/calendar/?view=front")
    assert desk.page.evaluate("() => window.emberPanel.scene.stacked")
    off = desk.page.evaluate(OFF)
    assert len(off) > 20
    assert max(off) < 12


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
