"""Choosing woods, turning arrows and laying pieces on boards, with the hands of a woodworker."""

import json
from dataclasses import replace

import pytest

from emberquilt.rack.woods import woods
from tests.conftest import composition, grid
from tests.core.test_rack import photo_of
from workshop.compositions import actions
from workshop.compositions.models import Composition
from workshop.entry.person import local_person
from workshop.shop.actions import add_board, rack_of
from workshop.shop.models import Board

pytestmark = pytest.mark.browser
COLOURS = ("walnut", "holly", "padauk", "cherry", "ebony", "poplar")


@pytest.fixture
def work(transactional_db):
    """Six squares of 30 mm in the colours of six woods, none given yet."""
    bare = composition(grid(3, 2), {}, grain_deg=None, thickness_mm=19.0)
    pieces = tuple(
        replace(p, colour=woods()[c].finished, part="quilt")
        for p, c in zip(bare.usual_layer.without_openings.pieces, COLOURS, strict=True)
    )
    return actions.create(local_person(), replace(bare, layers=(replace(bare.layers[0], pieces=pieces),)))


def piece(work, key: int):
    return Composition.objects.get(pk=work.pk).pieces.get(key=key)


def test_woods_are_found_taken_and_seen_as_the_picture_of_the_result(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/wood/")
    page.get_by_role("button", name="best of all woods").click()
    page.get_by_role("button", name="Take these woods").wait_for()
    assert "Padauk" in page.locator("#suggest").inner_text()
    with desk.answer():
        page.get_by_role("button", name="Take these woods").click()
    assert [piece(work, k).wood for k in range(1, 7)] == list(COLOURS)
    with page.expect_response(lambda r: "look.jpg" in r.url) as drawn:
        page.get_by_role("button", name="picture", exact=True).click()
    assert drawn.value.status == 200
    page.wait_for_selector("#panel[data-pictured]")
    # the panel now shows the rendered picture: the padauk square is red where it was
    x, y = desk.at(75, 15)
    box = page.locator("#panel").bounding_box()
    red = page.evaluate(
        "([x, y]) => [...document.querySelectorAll('#panel canvas')].map((c) => "
        "[...c.getContext('2d').getImageData(x, y, 1, 1).data]).find((p) => p[3] === 255)",
        [round(x - box["x"]), round(y - box["y"])],
    )
    assert red[0] > 2 * red[2]
    # a wood held against the chosen piece is seen in the picture, and not given
    desk.click(15, 15)
    with page.expect_response(lambda r: "try=ebony" in r.url):
        page.locator(".offcuts button[data-wood=ebony]").hover()
    assert piece(work, 1).wood == "walnut"
    page.mouse.move(5, 5)
    with desk.answer("/ticket"):
        page.locator("#panel").press("Escape")
    # a lamp from below asks for another picture
    with page.expect_response(lambda r: "look.jpg" in r.url):
        page.locator("#k-lamp").select_option("270")
    desk.settle()
    assert page.locator("#k-lamp").input_value() == "270"
    page.locator("#wipe").fill("50")


def test_grain_follows_a_drawn_line_and_points(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/wood/?pieces=1-6")
    page.keyboard.press("w")
    with desk.answer():
        page.locator("#woodshelf button", has_text="Mahogany").click()
    page.get_by_text("grain that follows the form").click()
    page.get_by_role("button", name="along a line").click()
    for place in ((2, 58), (88, 2)):
        page.mouse.click(*desk.at(*place))
    with desk.answer():
        page.keyboard.press("Enter")
    assert {round(piece(work, k).grain_deg) for k in range(1, 7)} == {33}
    assert page.get_by_role("button", name="out from a point").is_visible(), "the section stays open"
    page.get_by_role("button", name="out from a point").click()
    with desk.answer():
        page.mouse.click(*desk.at(45, 30))
    assert [round(piece(work, k).grain_deg) for k in (2, 5)] == [90, 270]
    page.get_by_role("button", name="keep together").click()
    desk.settle()
    page.get_by_role("button", name="arrows", exact=True).click()
    desk.settle()
    assert "strays" in page.locator("#findings").inner_text()
    page.keyboard.press("z")
    desk.settle()


def test_a_piece_slides_over_a_board_and_the_picture_follows(desk, work):
    add_board(local_person(), "walnut", "W1", "600 mm", "150 mm", "20 mm")
    page = desk.page
    desk.open(f"/picture/{work.uid}/place/?piece=1")
    page.wait_for_selector("#boardface[data-ready=yes]")
    page.wait_for_selector("#panel[data-ready=yes]")
    ends = page.evaluate("() => [[300, 75], [400, 60]].map(([x, y]) => window.emberFace.toPage(x, y))")
    # beside the arrow's tip, which would turn it
    desk.drag(*((x, y + 3) for x, y in ends))
    assert float(page.locator("#keep [name=x]").input_value()) == pytest.approx(400, abs=2)
    before = float(page.locator("#keep [name=deg]").input_value())
    page.keyboard.press("]")
    turned = float(page.locator("#keep [name=deg]").input_value())
    assert turned == pytest.approx(before + 5)
    with desk.answer("spots.json"):
        page.get_by_role("button", name="the lightest").click()
    page.locator("#places button").first.wait_for()
    page.locator("#places button").nth(1).click()
    x = float(page.locator("#keep [name=x]").input_value())
    page.keyboard.press("Enter")
    page.wait_for_url("**/wood/?pieces=1*")
    kept, placed = piece(work, 1), work.placements.get(part="1")
    assert (placed.board, kept.wood, kept.grain_deg) == ("W1", "walnut", turned)
    assert placed.x_mm == pytest.approx(x)
    assert "board W1" in desk.ticket()


def test_a_photo_is_marked_and_becomes_a_face(desk, work, tmp_path):
    data, corners, _ = photo_of("walnut", 600, 150, ring=[[100, 300], [1100, 290], [1105, 545], [95, 550]])
    place = tmp_path / "board.png"
    place.write_bytes(data)
    add_board(local_person(), "walnut", "W1", "500 mm", "150 mm", "20 mm")
    page = desk.page
    page.goto(f"{desk.address}/shop/board/{Board.objects.get().pk}/")
    page.set_input_files("#p-file", place)
    page.get_by_role("button", name="make the face").click()
    page.get_by_role("button", name="four corners of the board").click()
    page.wait_for_timeout(300)
    for x, y in corners:
        page.mouse.click(*page.evaluate("([x, y]) => window.emberPanel.toPage(x * 1200, y * 800)", [x, y]))
    page.keyboard.press("Enter")
    page.fill("#p-width", "150 mm")
    page.get_by_role("button", name="make the face again").click()
    page.wait_for_load_state("load")
    board = rack_of(local_person()).boards[0]
    assert board.length_mm == pytest.approx(600, rel=0.06)
    page.get_by_role("button", name="mark a knot").click()
    for x, y in ((60, 40), (90, 40), (75, 70)):
        page.mouse.click(*page.evaluate("([x, y]) => window.emberPanel.toPage(x, y)", [x, y]))
    page.keyboard.press("Enter")
    page.get_by_text("a knot", exact=False).first.wait_for()
    page.wait_for_load_state("load")
    (defect,) = Board.objects.get().defects
    assert defect[0] == "knot"
    assert len(defect[1]) == 3


def test_a_pack_is_cut_and_handed_round(desk, work):
    page = desk.page
    page.goto(f"{desk.address}/picture/{work.uid}/pack/")
    for i, wood in enumerate(("maple", "ebony"), 1):
        page.locator(f"#pk{i}").select_option(wood)
    page.get_by_role("button", name="cut the pack").click()
    page.wait_for_selector(".packed[data-ready=yes]")
    assert page.locator(".packed").count() == 2
    box = page.locator(".packed").first.bounding_box()
    page.mouse.click(box["x"] + box["width"] / 6, box["y"] + box["height"] / 4)
    page.wait_for_load_state("load")
    page.get_by_text("seams between pieces of one wood").wait_for()
    (kept,) = Composition.objects.get().decisions["wood"]["packs"]
    assert list(kept["turn"]) == ["1"]
    assert json.dumps(kept)
