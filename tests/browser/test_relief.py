"""Heights at the page: orders by keys and clicks, the section under the hand, shims in the list, the turntable."""

import re

import pytest
import trimesh

from emberquilt.drawing.solid import packed
from emberquilt.work.parts import job_of
from tests.bodies import unpacked
from tests.conftest import composition, grid
from workshop.compositions import actions, store
from workshop.compositions.models import Composition
from workshop.entry.person import local_person

pytestmark = pytest.mark.browser


@pytest.fixture
def work(transactional_db):
    """Six squares of 40 mm that nobody gave a thickness."""
    return actions.create(local_person(), composition(grid(3, 2, 40.0), "cherry", thickness_mm=None))


def now(work):
    return store.load(Composition.objects.get(pk=work.pk))


def tops(work):
    job = job_of(now(work))
    return {p.number: job.lifted_mm(p) for p in now(work).made}


def test_orders_are_said_with_a_key_and_a_click_and_heights_follow(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/relief/")
    desk.click(60, 20)
    page.keyboard.press("f")
    with desk.answer():
        page.mouse.click(*desk.at(20, 20))
    page.keyboard.press("Escape")
    assert tops(work)[2] > tops(work)[1]
    assert "In front of 1" in desk.ticket()
    assert "1 order" in page.locator("#glance").inner_text()
    desk.click(100, 20)
    page.keyboard.press("e")
    with desk.answer():
        page.mouse.click(*desk.at(60, 20))
    page.keyboard.press("Escape")
    assert tops(work)[3] == tops(work)[2]
    # by numbers, for hands that do not point; a circle is drawn and named, and its last is dropped
    desk.click(20, 20)
    page.locator("summary", has_text="by numbers").click()
    page.fill("#behind", "3")
    with desk.answer():
        page.press("#behind", "Enter")
    page.locator("#findings", has_text="A circle").wait_for()
    assert page.locator("#glance .circle").count() == 1
    with desk.answer():
        page.get_by_role("button", name="Drop the last").click()
    assert page.locator("#glance .circle").count() == 0
    assert len(now(work).decisions.relief.orders) == 2
    page.keyboard.press("z")
    desk.settle()


def test_whole_parts_and_suggestions(desk, work):
    page = desk.page
    for keys, part in (([1, 2], "fish"), ([4, 5], "dark water")):
        work = actions.perform(work, work.revision, "part", keys, {"part": part})
    desk.open(f"/picture/{work.uid}/relief/")
    assert "fish over dark water" in page.locator("#glance").inner_text()
    with desk.answer():
        page.get_by_role("button", name="take all").click()
    high = tops(work)
    assert min(high[1], high[2]) > max(high[4], high[5])


def test_the_section_follows_the_hand_and_shows_what_is_chosen(desk, work):
    page = desk.page
    work = actions.perform(work, work.revision, "shim", [2], {"length": "6 mm"})
    desk.open(f"/picture/{work.uid}/relief/?cut=5,20,115,20")
    numbers = page.locator("#strip .no").all_text_contents()
    assert sorted(text.strip() for text in numbers) == ["1", "2", "3"]
    with desk.answer("/section"):
        desk.drag(desk.at(115, 20), desk.at(115, 60))
    page.wait_for_function("() => document.querySelector('[data-section]').dataset.line.endsWith('60.0')")
    with desk.answer("/section"):
        desk.drag(desk.at(5, 20), desk.at(5, 60))
    page.wait_for_function("() => /^5.0,60.0/.test(document.querySelector('[data-section]').dataset.line)")
    assert sorted(text.strip() for text in page.locator("#strip .no").all_text_contents()) == ["4", "5", "6"]
    assert "cut=5.0" in page.url
    # a block is chosen where it is drawn, and its ticket comes; the line stays
    with desk.answer("/ticket"):
        page.locator("#strip .block[data-choose='5']").click()
    assert page.locator("#ticket .n").inner_text() == "5"
    assert page.locator("#strip .on").count() == 1
    # by keys: the handle moves, too
    page.locator(".sectionline .handle[data-end=a]").focus()
    with desk.answer("/section"):
        page.keyboard.press("ArrowRight")
    # a line that meets nothing is said, and nothing is lost
    desk.open(f"/picture/{work.uid}/relief/?cut=-90,-90,-50,-50")
    assert "outside the picture" in page.locator("#strip").inner_text()
    desk.open(f"/picture/{work.uid}/relief/?cut=rubbish")
    assert "could not be read" in page.locator("#strip").inner_text()


def test_shims_stand_in_the_list_of_parts_and_are_printed(desk, work):
    page = desk.page
    work = actions.perform(work, work.revision, "shim", [1, 2, 5], {"length": "6 mm"})
    desk.open(f"/picture/{work.uid}/stock/")
    page.get_by_text(re.compile("shim", re.IGNORECASE)).first.wait_for()
    desk.open(f"/picture/{work.uid}/relief/?show=back")
    page.locator("#r-back").fill("Tinder Lane")
    with desk.answer():
        page.get_by_role("button", name="keep the words").click()
    with page.expect_download() as print_of_it:
        page.get_by_role("link", name="print the back").click()
    assert print_of_it.value.suggested_filename.endswith("-back.pdf")
    with desk.answer():
        page.select_option("#r-hang", "keyhole")
    assert now(work).decisions.relief.hanger == "keyhole"


def test_the_turntable_turns_lifts_apart_and_picks(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/relief/?show=turntable")
    table = page.locator(".turntable[data-ready=yes]")
    table.wait_for()
    job = job_of(now(work))
    # the bodies that the page builds are those that were packed, rounded as they are
    real = sum(trimesh.Trimesh(corners, faces, process=False).volume for _, corners, faces in unpacked(packed(job)))
    assert float(table.get_attribute("data-volume")) == pytest.approx(real, rel=1e-4)
    assert real == pytest.approx(sum(part.area_mm2 * part.thickness_mm for part in job.of_one), rel=0.03)
    page.get_by_role("button", name="from the front").click()
    box = table.locator("canvas").bounding_box()
    with desk.answer("/ticket"):
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.4)
    assert page.locator("#ticket .n").inner_text() == "2"
    frames = int(table.get_attribute("data-frames"))
    page.locator(".turns input").fill("70")
    page.locator("[data-spin]").click()
    page.wait_for_function(f"() => Number(document.querySelector('.turntable').dataset.frames) > {frames + 5}")
    page.locator("[data-spin]").click()
    with desk.answer("/ticket"):
        page.get_by_role("button", name="heights", exact=True).click()
    assert page.locator(".turntable").count() == 0


def test_without_webgl_the_picture_stands_in_its_place(desk, work):
    page = desk.page
    page.add_init_script(
        "const get = HTMLCanvasElement.prototype.getContext;"
        "HTMLCanvasElement.prototype.getContext = function (kind, ...more) {"
        "return kind.startsWith('webgl') ? null : get.call(this, kind, ...more) };"
    )
    desk.open(f"/picture/{work.uid}/relief/?show=turntable")
    page.locator(".turntable img").wait_for()
    assert "no WebGL" in page.locator(".turntable").inner_text()


def test_slopes_and_bevels_are_drawn_and_typed(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/relief/")
    desk.click(60, 20)
    page.locator("summary", has_text="edge, slope, bevel").click()
    page.locator("#panel").focus()
    page.keyboard.press("s")
    page.mouse.click(*desk.at(60, 35))
    page.mouse.click(*desk.at(60, 10))
    with desk.answer():
        page.keyboard.press("Enter")
    assert now(work).decisions.relief.slopes[2].high == pytest.approx((60, 35), abs=1)
    page.fill("#r-rise", "40 mm")
    with desk.answer():
        page.press("#r-rise", "Enter")
    assert "fall out" in page.locator("body").inner_text()
    page.fill("#r-rise", "9 mm")
    with desk.answer():
        page.press("#r-rise", "Enter")
    assert now(work).decisions.relief.bevels == {2: 9.0}
    assert "counter-clockwise" in desk.ticket()


def test_the_lamp_goes_round_the_picture(desk, work):
    page = desk.page
    asked = []
    page.on("request", lambda request: asked.append(request.url) if "/look" in request.url else None)
    desk.open(f"/picture/{work.uid}/relief/?show=lamp")
    page.locator("#panel[data-pictured]").wait_for()
    bead = page.locator("#lamp .bead")
    assert bead.get_attribute("aria-valuetext") == "from the upper left, 40 degrees high"
    box = page.locator("#lamp svg").bounding_box()
    with page.expect_response(lambda answer: "lamp=0," in answer.url) as lit:
        page.mouse.click(box["x"] + box["width"] / 2 + 38, box["y"] + box["height"] / 2)
    assert lit.value.status == 200
    assert "low, from the right" in page.locator("#lamp").inner_text()
    bead.focus()
    with page.expect_response(lambda answer: "lamp=15," in answer.url):
        page.keyboard.press("ArrowLeft")
    # the lamp stays where it was put while one looks elsewhere and comes back
    for show in ("heights", "lamp"):
        with desk.answer("/ticket"):
            page.get_by_role("button", name=show, exact=True).click()
    page.locator("#panel[data-pictured]").wait_for()
    assert page.locator("#lamp .bead").get_attribute("aria-valuenow") == "15"


def test_edges_are_shown_and_a_frame_is_built_of_strips(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/relief/?show=edges")
    assert "rounded off" in page.locator("main").inner_text()
    page.locator("summary", has_text="frame and base").click()
    page.select_option("#r-rails", "walnut")
    page.fill("#r-thick", "10 mm")
    page.fill("#r-lip", "5 mm")
    with desk.answer():
        page.get_by_role("button", name="keep the frame").click()
    with desk.answer():
        page.get_by_role("button", name="Build it of strips").click()
    assert now(work).decisions.relief.rails.built == "strips"
    assert "fillers" in page.locator("#ticket").inner_text()
    # the section reaches over the frame, its ends within reach of the hand
    desk.open(f"/picture/{work.uid}/relief/")
    panel = page.locator("#panel").bounding_box()
    for end in ("a", "b"):
        circle = page.locator(f".sectionline g[data-end={end}] circle").bounding_box()
        assert panel["x"] - 12 <= circle["x"] <= panel["x"] + panel["width"]
    assert page.locator(".cut .block title", has_text="lip").count() == 2


def test_a_card_shows_what_comes_off_where(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/bench/?step=shape&part=2")
    page.wait_for_selector("#bench[data-drawn=yes]")
    assert page.locator(".tagcard svg.shaped .outline").count() == 1
    assert "100 grit" in page.locator(".tagcard").inner_text()
