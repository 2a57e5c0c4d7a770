"""Bringing a photo and words, turning knobs, and cutting, joining, opening and stacking on the picture itself."""

import json

import cv2
import pytest
import skimage.data

from tests.browser.hands import accepted, bring
from tests.conftest import composition, grid
from workshop.compositions import actions
from workshop.compositions.models import Composition, Draft
from workshop.entry.person import local_person

pytestmark = pytest.mark.browser


def shapes(desk) -> int:
    return desk.page.evaluate("emberPanel.scene.shapes.length")


def numbers(desk) -> list[int]:
    return desk.page.evaluate("[...emberPanel.chosen].sort((a, b) => a - b)")


def test_cutting_joining_and_opening_on_the_picture(desk):
    row = actions.create(local_person(), composition(grid(3, 2), "walnut"))
    desk.open(f"/picture/{row.uid}/pattern/")
    page = desk.page
    desk.click(15, 15)
    page.keyboard.press("s")
    assert "from border to border" in page.locator("#hint").inner_text()
    page.mouse.click(*desk.at(4, 15))
    page.mouse.click(*desk.at(26, 18))
    desk.press("Enter")
    assert shapes(desk) == 7
    assert numbers(desk) == [1, 7]
    page.wait_for_function(
        "() => document.querySelectorAll('#rule .left').length && "
        "!document.querySelector('#rule').innerText.includes('…')"
    )
    desk.press("j")
    assert shapes(desk) == 6
    desk.press("z", "/undo/")
    desk.press("z", "/undo/")
    assert shapes(desk) == 6
    # a freehand drag, round an opening
    desk.click(75, 45)
    desk.press("Escape", "/ticket")
    assert numbers(desk) == []
    page.keyboard.press("o")
    corners = [desk.at(*p) for p in ((10, 10), (22, 10), (22, 22), (10, 22), (10.2, 10.4))]
    page.mouse.move(*corners[0])
    page.mouse.down()
    for corner in corners[1:]:
        page.mouse.move(*corner, steps=6)
    with desk.answer():
        page.mouse.up()
    assert shapes(desk) == 7
    row.refresh_from_db()
    assert row.pieces.filter(opening=True).count() == 1
    desk.station("Saw")
    assert desk.axe() == []
    # the seen and the kept are one: after a reload nothing differs
    desk.open(f"/picture/{row.uid}/pattern/")
    assert shapes(desk) == 7
    assert desk.axe() == []


def test_a_junction_is_dragged_and_a_seam_redrawn(desk):
    row = actions.create(local_person(), composition(grid(2, 2)))
    desk.open(f"/picture/{row.uid}/pattern/")
    page = desk.page
    page.keyboard.press("g")
    with desk.answer():
        desk.drag(desk.at(30, 30), desk.at(36, 34))
    points = page.evaluate(
        "emberPanel.shape(1) && "
        "fetch(document.getElementById('dress-slot').dataset.shapes).then(a => a.json()).then(s => s.shapes[0][1])"
    )
    assert "36." in points or "35.9" in points
    desk.click(15, 15)
    desk.click(50, 15, shift=True)
    page.keyboard.press("r")
    page.mouse.click(*desk.at(30, 0.5))
    page.mouse.click(*desk.at(24, 15))
    page.mouse.click(*desk.at(36, 33))
    desk.press("Enter")
    assert page.locator("#said").inner_text() == ""
    row.refresh_from_db()
    assert row.cursor == 2


def test_a_photo_its_knobs_the_wipe_and_a_stack(desk, tmp_path):
    place = tmp_path / "cup.png"
    cv2.imwrite(str(place), skimage.data.coffee()[..., ::-1])
    page = desk.page
    bring(desk, place, "12 in")
    first = int(page.locator(".found").inner_text())
    assert desk.axe() == []
    page.locator("#wipe").fill("50")
    page.locator("#k-tones").fill("3")
    page.locator("#k-tones").dispatch_event("change")
    page.wait_for_function(f"() => Number(document.querySelector('.found')?.innerText) < {first}")
    accepted(desk)
    desk.station("Pattern")
    page.locator("details.more summary", has_text="layers").click()
    with desk.answer():
        page.get_by_role("button", name="make the stack").click()
    assert Composition.objects.get().layers.count() == 3
    assert page.locator("#stack .sheet").count() == 3
    with desk.answer("/ticket"):
        page.get_by_role("button", name="apart").click()
    page.wait_for_function("() => emberPanel.scene.stacked")
    assert desk.axe() == []


def test_words_become_openings_in_a_sheet(desk):
    page = desk.page
    desk.open("/")
    page.locator(".else summary").click()
    page.fill("#words", "CANAL")
    page.get_by_role("button", name="set them").click()
    page.wait_for_selector("#panel[data-ready=yes]")
    accepted(desk)
    desk.station("Pattern")
    assert "falls out" in page.locator("#findings").inner_text()
    with desk.answer():
        page.locator("#findings").get_by_role("button", name="Bridge").first.click()
    assert page.locator("#findings").inner_text().count("falls out") == 1


def test_corners_points_and_more_tones_are_marked_on_the_drawing(desk, tmp_path):
    place = tmp_path / "cup.png"
    cv2.imwrite(str(place), skimage.data.coffee()[..., ::-1])
    page = desk.page
    bring(desk, place, "300 mm")
    draft = Draft.objects.get()

    def settled(turn: int) -> None:
        # a knob that is let go asks by itself, so there may be one try more than buttons were pressed
        page.wait_for_function(
            "(least) => { const p = document.querySelector('#panel[data-ready=yes]'); return p "
            "&& Number(p.dataset.scene.split('t=').pop()) >= least; }",
            arg=turn,
        )
        page.wait_for_selector("#finding", state="detached")
        draft.refresh_from_db()

    tones = len(set(draft.result["colours"].values()))
    box = page.locator("#panel").bounding_box()
    middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.get_by_role("button", name="more tones in a place").click()
    desk.drag((middle[0] - 150, middle[1] - 100), (middle[0] + 150, middle[1] + 100))
    settled(2)
    assert len(json.loads(draft.knobs["more"])) == 1
    assert len(set(draft.result["colours"].values())) > tones
    page.get_by_role("button", name="straighten: mark its corners").click()
    for dx, dy in ((-200, -150), (200, -130), (190, 150), (-210, 140)):
        page.mouse.click(middle[0] + dx, middle[1] + dy)
    page.keyboard.press("Enter")
    settled(3)
    assert len(json.loads(draft.knobs["corners"])) == 4
    assert draft.result["width_mm"] == pytest.approx(300, abs=0.1)
    page.get_by_role("button", name="mark two points").click()
    for dx in (-100, 100):
        page.mouse.click(middle[0] + dx, middle[1])
    page.keyboard.press("Enter")
    assert page.locator("#how").input_value() == "points"
    page.fill("#size", "200 mm")
    page.get_by_role("button", name="find again").click()
    settled(4)
    apart = json.loads(draft.knobs["points"])
    assert (apart[1][0] - apart[0][0]) * draft.result["width_mm"] == pytest.approx(200, rel=0.01)
