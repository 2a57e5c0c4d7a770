"""The main job through the real pages, on a real drawing file, from upload to the project file and back."""

import re
from pathlib import Path

import icalendar
import pypdfium2
import pytest

import workshop
from tests.browser.hands import accepted, bring
from workshop.compositions.models import Composition, Draft

KOI = Path(workshop.__file__).parent / "compositions" / "demo" / "two-koi-lines.svg"
HEAD_OF_THE_YELLOW_KOI, BESIDE_IT, WATER = (315, 245), (275, 249), (99, 30)
MM = 25.4 / 72

pytestmark = pytest.mark.browser


def koi_accepted(desk) -> None:
    bring(desk, KOI, "18 in")
    assert desk.page.locator(".found").inner_text() == "62"
    desk.page.fill("#name", "Two koi")
    accepted(desk)


def give_all_their_woods(desk) -> None:
    """Everything walnut, then the fish's head yellowheart."""
    with desk.answer("/ticket"):
        desk.page.keyboard.press("b")
    desk.page.keyboard.press("w")
    with desk.answer():
        desk.page.locator("#woodshelf button", has_text="Walnut").click()
    desk.click(*HEAD_OF_THE_YELLOW_KOI)
    desk.page.keyboard.press("w")
    with desk.answer():
        desk.page.locator("#woodshelf button", has_text="Yellowheart").click()


def saved(desk, click, tmp_path) -> Path:
    with desk.page.expect_download() as waiting:
        click()
    place = tmp_path / waiting.value.suggested_filename
    waiting.value.save_as(place)
    return place


def test_from_a_drawing_to_the_bench_and_back(desk, tmp_path):
    page = desk.page
    koi_accepted(desk)
    row = Composition.objects.get()
    assert not Draft.objects.exists()
    desk.settle()
    assert "62 pieces have no wood yet" in page.locator("#findings").inner_text()

    # woods: all, one, several by shift, several by a rectangle, all of one wood
    give_all_their_woods(desk)
    assert "Yellowheart" in desk.ticket()
    assert row.pieces.filter(wood="walnut").count() == 61
    desk.click(*BESIDE_IT, shift=True)
    desk.settle()
    assert page.locator("#ticket .n").inner_text() == "2"
    with desk.answer("/ticket"):
        desk.drag(desk.at(60, 195), desk.at(145, 250))
    assert int(page.locator("#ticket .n").inner_text()) >= 5
    with desk.answer():
        page.locator("#strip button", has_text="Yellowheart").click()
    assert row.pieces.filter(wood="yellowheart").count() >= 6
    desk.press("c", "/ticket")
    assert int(page.locator("#ticket .n").inner_text()) == row.pieces.filter(wood="yellowheart").count()

    # arrows: keys, typed, dragged on the dial and on the picture
    desk.click(*HEAD_OF_THE_YELLOW_KOI)
    head = int(page.locator("#ticket .n").inner_text())
    page.fill("#deg", "90")
    with desk.answer():
        page.press("#deg", "Enter")
    page.locator("#panel").focus()
    desk.press("]")
    assert row.pieces.get(number=head).grain_deg == 75
    desk.press("[")
    dial = page.locator(".dial").bounding_box()
    middle = dial["x"] + dial["width"] / 2, dial["y"] + dial["height"] / 2
    with desk.answer():
        desk.drag((middle[0], middle[1] - 30), (middle[0] + 30, middle[1] - 30))
    assert row.pieces.get(number=head).grain_deg == pytest.approx(45, abs=4)
    spot = page.evaluate(
        "() => { const s = emberPanel.shape([...emberPanel.chosen][0]); return [s.x, s.y, "
        "Math.max(0.8 * s.r, 22 / emberPanel.view.scale)]; }"
    )
    reach = spot[2] * 2**-0.5
    with desk.answer():
        desk.drag(desk.at(spot[0] + reach, spot[1] - reach), desk.at(spot[0] + 20, spot[1]))
    grain = row.pieces.get(number=head).grain_deg
    assert min(grain, 360 - grain) <= 3

    # heights
    desk.station("Relief")
    desk.press("b", "/ticket")
    page.fill("#thickness", "3/4 in")
    with desk.answer():
        page.press("#thickness", "Enter")
    assert set(row.pieces.values_list("thickness_mm", flat=True)) == {19.05}
    desk.click(*HEAD_OF_THE_YELLOW_KOI)
    desk.press("u")
    assert row.pieces.get(number=head).shim_mm == 1.5
    assert "Shims" in page.locator("#ticket").inner_text()

    # the plan: stock, saw, glue-up
    desk.station("Stock")
    assert "board feet" in page.locator("#ticket").inner_text().lower()
    desk.station("Saw")
    desk.click(*HEAD_OF_THE_YELLOW_KOI)
    text = desk.ticket()
    assert "2 × 3.2 mm" in text
    assert re.search(r"No\. \d", text)
    desk.press("f")
    assert "you put it first" in desk.ticket()
    page.get_by_text("how it is done here").click()
    with desk.answer():
        page.select_option("#p-blade_school", "one")
    assert "No. 5" in desk.ticket()
    desk.station("Fit and glue")
    desk.click(*WATER)
    desk.press("m")
    assert "1 of 62" in desk.ticket()

    # calendar
    desk.station("Calendar")
    page.get_by_text("begin, ready by, hours, people").click()
    page.fill("#hours-mon", "late")
    with desk.answer() as refused:
        page.get_by_role("button", name="keep the hours").click()
    assert refused.value.status == 422
    assert "no span of time" in page.locator("#said").inner_text()
    page.fill("#hours-mon", "9-12, 13-17")
    with desk.answer():
        page.get_by_role("button", name="keep the hours").click()
    assert "Ends" in desk.ticket()
    calendar = icalendar.Calendar.from_ical(
        saved(desk, lambda: page.get_by_text("calendar file").click(), tmp_path).read_bytes()
    )
    assert len(calendar.walk("VEVENT")) > 10

    # paper: the check ruler and a known piece, measured in the PDF itself
    desk.station("Pattern")
    pdf = pypdfium2.PdfDocument(saved(desk, lambda: page.get_by_text("PDF, A4").click(), tmp_path))
    bounds = [[v * MM for v in o.get_bounds()] for p in pdf for o in p.get_objects() if o.type == 2]
    # pdfium adds the stroke width on either side: 0.25 mm for the ruler, 0.3 mm for pieces
    rulers = [b for b in bounds if abs(b[2] - b[0] - 100.5) < 0.1 and b[3] - b[1] < 0.6]
    assert len(rulers) == len(pdf)
    known = page.evaluate("() => emberPanel.scene.shapes.find(s => s.key === 9).box")
    assert any(
        abs(b[2] - b[0] - 0.6 - (known[2] - known[0])) < 0.1 and abs(b[3] - b[1] - 0.6 - (known[3] - known[1])) < 0.1
        for b in bounds
    )

    # bench: the clock survives a reload, the card is ticked
    page.locator("#rule a", has_text="Bench").click()
    page.wait_for_selector(".view canvas")
    assert "paste 62 patterns" in page.locator("h1:visible").inner_text()
    page.locator(".done-btn").click()
    assert "Set the saw up" in page.locator("h1:visible").inner_text()
    page.locator(".done-btn").click()
    assert f"Saw {head}" in page.locator("h1:visible").inner_text()
    page.get_by_role("button", name="start").click()
    page.wait_for_selector("[data-running=yes]")
    page.wait_for_timeout(1200)
    page.reload()
    assert page.locator(".clockrow .time").inner_text() != "0:00"
    page.locator(".done-btn").click()
    assert f"Saw {head}" not in page.locator("h1:visible").inner_text()
    page.wait_for_selector("#bench[data-waiting='0']")
    assert row.events.get(step="saw").what == "done"

    # out and in
    desk.open(f"/picture/{row.uid}/log/")
    assert "saw, done" in desk.ticket()
    project = saved(desk, lambda: page.get_by_text("project file").click(), tmp_path)
    desk.open("/")
    page.set_input_files("#drawing", project)
    page.get_by_role("button", name="Find its pieces").click()
    page.wait_for_selector("#panel[data-ready=yes]")
    copy = Composition.objects.exclude(pk=row.pk).get()
    assert list(copy.pieces.values_list("wood", "grain_deg")) == list(row.pieces.values_list("wood", "grain_deg"))
    assert copy.events.count() == 3

    # undo, back to the bare pieces, and again
    desk.open(f"/picture/{row.uid}/wood/")
    for _ in range(40):
        if not page.locator("#heading button", has_text="undo").count():
            break
        desk.press("z", "/undo/")
    assert row.pieces.exclude(wood="").count() == 0
    desk.press("y", "/redo/")
    assert row.pieces.filter(wood="walnut").count() == 62


def test_two_tabs_and_a_sentence(desk, chromium):
    koi_accepted(desk)
    row = Composition.objects.get()
    desk.click(*WATER)
    from tests.browser.conftest import Desk

    late = Desk(desk.page.context.new_page(), desk.address)
    late.open(f"/picture/{row.uid}/wood/?pieces=1")
    desk.page.keyboard.press("w")
    with desk.answer():
        desk.page.locator("#woodshelf button", has_text="Walnut").click()
    late.page.keyboard.press("w")
    with late.answer() as refused:
        late.page.locator("#woodshelf button", has_text="Holly").click()
    assert refused.value.status == 409
    late.settle()
    assert "another window" in late.page.locator("#said").inner_text()
    late.page.keyboard.press("Escape")
    late.page.keyboard.press("w")
    with late.answer() as done:
        late.page.locator("#woodshelf button", has_text="Holly").click()
    assert done.value.status == 200
    assert row.pieces.get(key=1).wood == "holly"


def test_everything_is_reached_by_keyboard(desk):
    koi_accepted(desk)
    desk.page.locator("#panel").focus()
    desk.press("ArrowRight", "/ticket")
    assert "1" in desk.ticket().splitlines()[0]
    desk.press("n", "/ticket")
    desk.page.keyboard.press("w")
    desk.page.keyboard.press("Tab")
    desk.page.keyboard.press("Tab")
    with desk.answer():
        desk.page.keyboard.press("Enter")
    assert Composition.objects.get().pieces.exclude(wood="").count() == 1
    for key in ("]", "a", "g", "z", "y"):
        desk.page.keyboard.press(key)
        desk.settle()
    desk.page.keyboard.press("?")
    assert desk.page.locator("#keys").is_visible()
    desk.page.keyboard.press("Escape")
    assert not desk.page.locator("#keys").is_visible()


def test_zoom_and_pan_leave_the_selection_where_it_is(desk):
    koi_accepted(desk)
    before = desk.at(*WATER)
    desk.page.mouse.move(*before)
    desk.page.mouse.wheel(0, -600)
    desk.page.wait_for_timeout(250)
    assert desk.at(*WATER) == pytest.approx(before, abs=1.5)
    scale = desk.page.evaluate("() => emberPanel.view.scale / emberPanel.ratio")
    desk.click(*WATER)
    assert desk.page.evaluate("() => emberPanel.view.scale / emberPanel.ratio") == scale
    desk.page.locator("#panel").focus()
    desk.page.keyboard.press("0")
    assert desk.page.evaluate("() => emberPanel.view.scale / emberPanel.ratio") < scale


def test_a_bad_drawing_is_refused_in_a_sentence(desk, tmp_path):
    letter = tmp_path / "letter.svg"
    letter.write_text("Dear friend, this is no drawing.")
    desk.open("/")
    desk.page.set_input_files("#drawing", letter)
    desk.page.get_by_role("button", name="Find its pieces").click()
    desk.page.wait_for_selector("#said p")
    assert "no drawing that can be read" in desk.page.locator("#said").inner_text()
