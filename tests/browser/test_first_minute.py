"""The first minute with a drawing: read by itself, the other ways, made simpler, a sheet on a desk."""

import gzip

import cv2
import numpy as np
import pytest
from PIL import Image

from tests.browser.hands import accepted, bring
from tests.core.test_by_hand import WINDOW
from tests.core.test_finer import BANDS, steps
from tests.core.test_intake_begin import islands, pear
from tests.core.test_intake_coloured import painted, screened
from tests.core.test_intake_kinds import lines, pdf
from tests.core.test_intake_seen import OUTLINED, coloured
from tests.core.test_intake_sheet import VIEWS, on_a_desk, seen_by_a_camera
from tests.core.test_intake_svg import svg
from tests.core.truth import drawn, truth
from workshop.compositions.models import Composition

pytestmark = pytest.mark.browser


def teapot() -> bytes:
    """A teapot with dark outlines: pot, lid, knob and a spout, each of a colour."""
    shapes = (
        '<path d="M70 45L92 28L96 33L74 62Z" fill="#7f9c8a"/><ellipse cx="48" cy="60" rx="30" ry="24" fill="#7f9c8a"/>'
        '<path d="M26 42Q48 26 70 42Z" fill="#c04a24"/><circle cx="48" cy="30" r="5" fill="#e0b050"/>'
    )
    return svg(f'<g stroke="#101010" stroke-width="2">{shapes}</g>')


def test_it_says_how_it_read_and_another_way_is_a_click_away(desk, tmp_path):
    place = tmp_path / "teapot.svg"
    place.write_bytes(teapot())
    bring(desk, place, "240 mm")
    page = desk.page
    told = page.locator(".read-as").inner_text()
    assert "painted shapes" in told
    assert "seams" in told
    assert int(page.locator(".found").inner_text()) == 4
    assert desk.axe() == []
    page.locator(".other", has_text="dark outlines as pieces").click()
    page.wait_for_function("() => Number(document.querySelector('.found')?.innerText) > 4")
    assert page.locator("#k-lines_up_to_mm").input_value() == "0"
    page.locator("#k-lines_up_to_mm").fill("9 mm")
    page.locator("#k-lines_up_to_mm").dispatch_event("change")
    page.wait_for_function("() => document.querySelector('.found')?.innerText === '4'")


def test_a_scan_of_a_painted_drawing_can_be_read_by_its_lines_alone(desk, tmp_path):
    rgb, _, chosen = painted(truth(20, 11), True)
    place = tmp_path / "quilt.jpg"
    cv2.imwrite(str(place), screened(rgb, np.random.default_rng(1))[..., ::-1])
    bring(desk, place, "240 mm")
    page = desk.page
    assert "painted shapes" in page.locator(".read-as").inner_text()
    assert int(page.locator(".found").inner_text()) == len(chosen)
    page.locator(".other", has_text="lines alone").click()
    page.wait_for_function("() => document.querySelector('.read-as')?.innerText.includes('lines to saw')")
    assert page.locator("#k-kind").input_value() == "line"


def test_a_line_is_drawn_on_from_its_open_end_and_what_is_done_by_hand_is_kept(desk, tmp_path):
    place = tmp_path / "window.svg"
    place.write_bytes(WINDOW)
    bring(desk, place, "240 mm")
    page = desk.page
    panel = page.locator("#panel")
    end = page.evaluate(
        """() => {
          const { panel: p } = { panel: window.emberPanel };
          const m = p.scene.dress.marks.filter((m) => m.kind === "lost").sort((a, b) => b.y - a.y)[0];
          return [(m.x * p.view.scale + p.view.x) / p.ratio, (m.y * p.view.scale + p.view.y) / p.ratio];
        }"""
    )
    panel.click(position={"x": end[0], "y": end[1]})
    assert panel.get_attribute("data-tool") == "line"
    panel.click(position={"x": end[0], "y": end[1] + 30})
    page.keyboard.press("Enter")
    page.wait_for_selector("#panel[data-pieces='5']")
    assert page.locator(".found").inner_text() == "5"
    page.get_by_role("button", name="take the last back").click()
    page.wait_for_selector("#panel[data-pieces='4']")
    page.select_option("#by-hand-how", "sawn")
    page.get_by_role("button", name="mark it").click()
    panel.click(position={"x": end[0], "y": end[1] - 12})
    page.keyboard.press("Enter")
    page.wait_for_function("() => window.emberPanel.scene.dress.marks.some((m) => m.text === 'sawn')")
    page.get_by_role("button", name="join across").click()
    panel.click(position={"x": end[0], "y": end[1] + 60})
    page.keyboard.press("Enter")
    assert panel.get_attribute("data-tool") == "join"
    page.keyboard.press("Escape")
    assert desk.axe() == []
    accepted(desk)
    (detail,) = Composition.objects.get().decisions["pattern"]["details"]
    assert detail["how"] == "sawn"


def test_a_figure_is_cut_out_by_a_rectangle_and_a_stroke(desk, tmp_path):
    picture, _ = pear()
    place = tmp_path / "pear.png"
    cv2.imwrite(str(place), picture)
    bring(desk, place, "240 mm")
    page = desk.page
    _read_as(page, "figure", "a figure cut")
    room = page.locator("#panel").bounding_box()
    _, top, tall = (on_page(page, 0, v)[1] for v in (0, 0.12, 0.97))
    left, right = on_page(page, 0.2, 0)[0], on_page(page, 0.8, 0)[0]
    page.get_by_role("button", name="a rectangle round it").click()
    page.mouse.move(room["x"] + left, room["y"] + top)
    page.mouse.down()
    page.mouse.move(room["x"] + right, room["y"] + tall, steps=4)
    with desk.leaving():
        page.mouse.up()
    page.wait_for_function("() => document.querySelector('.read-as')?.innerText.includes('in the rectangle')")
    page.wait_for_selector("#panel[data-ready=yes]")
    page.get_by_role("button", name="this is out").click()
    x, y = on_page(page, 0.9, 0.9)
    page.mouse.move(room["x"] + x, room["y"] + y)
    page.mouse.down()
    page.mouse.move(room["x"] + x - 20, room["y"] + y - 20, steps=3)
    with desk.leaving():
        page.mouse.up()
    page.wait_for_function("() => document.querySelector('.read-as')?.innerText.includes('by 1 stroke')")
    assert page.locator(".found").inner_text() == "1"
    accepted(desk)
    assert Composition.objects.get().pieces.count() == 1


def _read_as(page, kind: str, words: str) -> None:
    page.select_option("#k-kind", kind)
    page.wait_for_function("w => document.querySelector('.read-as')?.innerText.includes(w)", arg=words)
    page.wait_for_selector("#panel[data-ready=yes]")


def on_page(page, u: float, v: float) -> list[float]:
    """A share of the source picture as a place in the panel."""
    return page.evaluate(
        """([u, v]) => {
          const p = window.emberPanel, [x, y, w, h] = p.scene.underlay.box;
          return [((x + u * w) * p.view.scale + p.view.x) / p.ratio, ((y + v * h) * p.view.scale + p.view.y) / p.ratio];
        }""",
        [u, v],
    )


def test_fretwork_gets_its_bridges_and_one_set_by_hand(desk, tmp_path):
    place = tmp_path / "rings.png"
    cv2.imwrite(str(place), islands())
    bring(desk, place, "240 mm")
    page = desk.page
    _read_as(page, "fretwork", "fretwork")
    assert "8 bridges hold it together" in page.locator(".read-as").inner_text()
    assert desk.axe() == []
    page.get_by_role("button", name="set a bridge").click()
    panel = page.locator("#panel")
    for v in (0.5, 0.35):
        x, y = on_page(page, 0.5, v)
        panel.click(position={"x": x, "y": y})
    with desk.leaving():
        page.keyboard.press("Enter")
    page.wait_for_function("() => document.querySelector('.read-as')?.innerText.includes('6 bridges hold')")
    accepted(desk)
    pieces = Composition.objects.get().pieces
    assert pieces.filter(opening=False).count() == 1
    assert pieces.filter(opening=True).count() >= 6


def test_a_sheet_is_traced_by_eye(desk, tmp_path):
    place = tmp_path / "pear.png"
    cv2.imwrite(str(place), pear()[0])
    bring(desk, place, "240 mm")
    page = desk.page
    _read_as(page, "traced", "trace by eye")
    page.get_by_role("button", name="draw a line on").click()
    panel = page.locator("#panel")
    for u, v in ((0.02, 0.5), (0.4, 0.6), (0.98, 0.5)):
        x, y = on_page(page, u, v)
        panel.click(position={"x": x, "y": y})
    page.keyboard.press("Enter")
    page.wait_for_selector("#panel[data-pieces='2']")
    assert page.locator(".found-what").inner_text() == "pieces found"
    accepted(desk)
    assert Composition.objects.get().pieces.count() == 2


def test_a_piece_is_made_finer_by_its_tones_or_by_a_photo_over_it(desk, tmp_path):
    place, photo = tmp_path / "bands.svg", tmp_path / "photo.png"
    place.write_bytes(BANDS)
    photo.write_bytes(steps([0.5, 0.5], (400, 400)))
    bring(desk, place, "240 mm")
    page = desk.page
    page.get_by_role("button", name="make a piece finer").click()
    x, y = on_page(page, 0.8, 0.5)
    with desk.leaving():
        page.locator("#panel").click(position={"x": x, "y": y})
    page.wait_for_function("() => document.body.innerText.includes('no tones that could part it')")
    page.locator("#k-finer_tones").fill("2")
    page.set_input_files("#over_file", photo)
    page.wait_for_function("() => document.querySelector('.found')?.innerText === '3'")
    page.get_by_role("button", name="as coarse as they were").click()
    page.wait_for_function("() => document.querySelector('.found')?.innerText === '2'")
    assert desk.axe() == []


def test_it_is_made_simpler_on_a_slider_and_kept_so(desk, tmp_path):
    coverage, colours = coloured(60, 3)
    shapes = "".join(
        "<path d='M" + "L".join(f"{x:.3f} {y:.3f}" for x, y in outline.exterior.coords) + f"Z' fill='{colours[key]}'/>"
        for key, outline in coverage.by_key.items()
    )
    place = tmp_path / "canal.svg"
    place.write_bytes(svg(shapes, 'width="300mm" height="200mm" viewBox="0 0 300 200"'))
    bring(desk, place, "240 mm")
    page = desk.page
    slider = page.locator("#simplify")
    most = int(slider.get_attribute("max"))
    assert most == int(page.locator(".found").inner_text()) >= 58
    slider.fill("20")
    page.wait_for_selector("#panel[data-pieces='20']")
    assert page.locator("#told").inner_text().startswith("20 pieces: about ")
    accepted(desk)
    assert Composition.objects.get().pieces.count() == 20


def test_a_sheet_on_a_desk_a_packed_drawing_and_a_page(desk, tmp_path):
    flat = drawn(truth(12, 1), 4.0, 5, margin_px=50)
    desk_photo = tmp_path / "sheet.jpg"
    corners = seen_by_a_camera(flat.shape[1] / flat.shape[0], VIEWS[1])
    cv2.imwrite(str(desk_photo), on_a_desk(flat, corners, 1)[..., ::-1])
    bring(desk, desk_photo, "240 mm")
    page = desk.page
    assert "straightened" in page.locator(".read-as").inner_text()
    assert page.locator(".found").inner_text() == "12"
    page.get_by_role("button", name="move its corners").click()
    corner = page.get_by_role("button", name="The upper left corner")
    room, before = corner.bounding_box(), page.locator("#knobs input[name=corners]").input_value()
    assert before == ""
    page.mouse.move(room["x"] + 14, room["y"] + 14)
    page.mouse.down()
    page.mouse.move(room["x"] + 44, room["y"] + 34, steps=3)
    page.mouse.up()
    page.keyboard.press("ArrowLeft")
    assert desk.axe() == []
    with desk.leaving():
        page.get_by_role("button", name="Straighten it so").click()
    page.wait_for_selector("#panel[data-ready=yes]")
    assert page.locator("#knobs input[name=corners]").input_value().startswith("[[")
    page.get_by_role("button", name="as it was photographed").click()
    page.wait_for_function("() => !document.querySelector('.read-as')?.innerText.includes('straightened')")
    packed = tmp_path / "window.svgz"
    packed.write_bytes(gzip.compress(svg(OUTLINED["filled outlines"])))
    bring(desk, packed, "240 mm")
    assert page.locator(".found").inner_text() == "4"
    paged = tmp_path / "plan.pdf"
    paged.write_bytes(pdf(lines))
    bring(desk, paged, "240 mm")
    assert page.locator(".found").inner_text() == "4"
    picture = tmp_path / "sheet.avif"
    Image.fromarray(flat).save(picture)
    bring(desk, picture, "240 mm")
    assert page.locator(".found").inner_text() == "12"
    assert page.evaluate("emberPanel.scene.underlay.image.naturalWidth") == flat.shape[1]
