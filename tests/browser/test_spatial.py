"""Works that are not flat at the page: begun with a file, turned, lifted apart, put together, cut again, joined."""

import pytest
import trimesh

from workshop.compositions import actions, store
from workshop.compositions.models import Composition
from workshop.entry.person import local_person

from ..walks import small_work

pytestmark = pytest.mark.browser


def table_of(page):
    table = page.locator(".turntable[data-ready=yes]")
    table.wait_for()
    return table


def test_a_body_is_brought_sliced_sanded_and_cut_again(desk, transactional_db, tmp_path):
    page = desk.page
    path = tmp_path / "post.stl"
    path.write_bytes(trimesh.creation.cone(22, 60, sections=32).export(file_type="stl"))
    desk.open("/begin/")
    page.set_input_files("#s-body", str(path))
    page.fill("#s-high", "60 mm")
    page.fill("#s-thick", "6 mm")
    page.select_option("#s-way", "z")
    page.get_by_role("button", name="Slice it").click()
    table = table_of(page)
    row = Composition.objects.get()
    work = store.load(row)
    assert work.decisions.space.bodies[0].count == 10
    # the bodies that the page stands on each other have the volume of the slices
    wood = sum(work.layers[0].coverage.area_mm2.values()) * 6
    assert float(table.get_attribute("data-volume")) == pytest.approx(wood, rel=0.02)
    frames = int(table.get_attribute("data-frames"))
    page.locator("[data-sanded]").click()
    page.locator("[data-play]").click()
    page.wait_for_function(f"() => Number(document.querySelector('.turntable').dataset.frames) > {frames + 4}")
    # what is chosen in the list is the part on the ticket
    with desk.answer("/ticket"):
        page.locator("#glance button").first.click()
    assert "Slice" in desk.ticket()
    desk.open(f"/picture/{row.uid}/relief/")
    page.fill("#b-thick", "4 mm")
    with desk.answer():
        page.get_by_role("button", name="slice it again").click()
    assert store.load(Composition.objects.get()).decisions.space.bodies[0].count == 15


def test_a_part_is_picked_where_it_stands_and_joined(desk, transactional_db):
    page = desk.page
    row = actions.create(local_person(), small_work("standing"))
    desk.open(f"/picture/{row.uid}/relief/")
    table = table_of(page)
    page.get_by_role("button", name="from the front").click()
    box = table.locator("canvas").bounding_box()
    with desk.answer("/ticket"):
        # the figure on its base stands in the middle of what is seen
        page.mouse.click(box["x"] + 0.36 * box["width"], box["y"] + 0.4 * box["height"])
    assert page.locator("#ticket .n").count() <= 1
    with desk.answer("/ticket"):
        page.locator("#glance button", has_text="2 tabs").click()
    assert page.locator("#ticket .n").inner_text() == "1"
    page.fill("#thickness", "7 mm")
    with desk.answer():
        page.press("#thickness", "Enter")
    assert "7.10 mm" in desk.ticket()
    with desk.answer():
        page.get_by_role("button", name="turn it round").click()
    work = store.load(Composition.objects.get())
    assert work.by_key[1].thickness_mm == 7.0
    assert work.decisions.space.joints != small_work("standing").decisions.space.joints


def test_a_field_gets_its_depth_and_resin(desk, transactional_db):
    page = desk.page
    row = actions.create(local_person(), small_work("sunk"))
    desk.open(f"/picture/{row.uid}/relief/?show=depths")
    desk.click(20, 48)
    page.locator("#f-depth").wait_for()
    page.fill("#f-depth", "9 mm")
    with desk.answer():
        page.press("#f-depth", "Enter")
    assert store.load(Composition.objects.get()).decisions.fields.depths[2] == 9.0
    page.locator("summary", has_text="resin in it").click()
    with desk.answer():
        page.get_by_role("button", name="fill it").click()
    assert 2 in store.load(Composition.objects.get()).decisions.fields.pools
