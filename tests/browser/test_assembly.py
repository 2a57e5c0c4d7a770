"""Fit and glue under the hand: the work lifted apart and played, the dry fit with a thumb, a remake, a part found by
its photo."""

import pytest

from emberquilt.assembly.dryfit import fit_order
from emberquilt.outline.coverage import Coverage
from emberquilt.work.fitted import fits_of
from tests.conftest import cells, composition
from tests.photos import photo_of
from workshop.compositions import actions, store
from workshop.compositions.models import Composition
from workshop.compositions.plans import plan_of
from workshop.entry.person import local_person

pytestmark = pytest.mark.browser


@pytest.fixture
def work(transactional_db):
    coverage: Coverage = cells(14, 4, 180.0, 120.0)
    return actions.create(local_person(), composition(coverage, thickness_mm=12.0))


def decided(work):
    return store.load(Composition.objects.get(pk=work.pk)).decisions.assembly


def knot(page) -> str:
    return page.locator("#ticket .no .n").inner_text()


def test_the_work_is_lifted_apart_and_played(desk, demo):
    """Knot by knot the sheets come down; what moves hovers before what lies, its glue hatched, its clamps set."""
    work = demo["Lighthouse at dusk"]
    page = desk.page
    desk.open(f"/picture/{work.uid}/assembly/")
    assert page.locator(".lifted .leaf").count() == 5
    every = page.locator(".knotline li").count()
    with desk.answer("/ticket"):
        page.keyboard.press("n")
    assert knot(page) == "1"
    glued = page.locator(".knotline li", has_text="Sea").first
    with desk.answer("/ticket"):
        glued.locator("button").click()
    page.wait_for_selector(".lifted .leaf.moves")
    assert page.locator(".lifted .clamp").count() > 2
    assert page.locator(".lifted .glue").count() >= 1
    assert page.locator(".lifted .knot.on").count() == 1
    ticket = desk.ticket()
    assert "Yellow wood glue" in ticket
    assert "Wait 2 min before it is pressed" in ticket
    # played: the last knot is reached by itself
    begun = int(knot(page))
    page.keyboard.press("a")
    page.wait_for_function(f"() => Number(document.querySelector('#ticket .no .n').textContent) > {begun + 1}")
    page.locator("h1").click()
    desk.settle()
    with desk.answer("/ticket"):
        page.locator(".knotline li").nth(every - 1).locator("button").click()
    assert knot(page) == str(every)
    # its coats, on the picture of the result
    with desk.answer("/ticket"):
        page.get_by_role("button", name="coats", exact=True).click()
    with desk.answer("/ticket"):
        page.get_by_role("button", name="Bare", exact=True).click()
    assert page.locator(".coats [aria-current=true]").inner_text().startswith("Bare")
    # glue goes on bare wood: who paints under it is told, and the finding's own key masks it again
    sky = store.load(work).layers[0].pieces[0].key
    desk.open(f"/picture/{work.uid}/assembly/?pieces={sky}")
    desk.press("k")
    assert decided(work).unmasked == (sky,)
    with desk.answer():
        page.locator("#findings button", has_text="Mask").first.click()
    assert decided(work).unmasked == ()


@pytest.mark.parametrize("desk", [(390, 844)], indirect=True, ids=["phone"])
def test_a_dry_fit_with_a_thumb(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/bench/fit/")
    page.wait_for_selector(".view canvas")
    assert page.evaluate("() => document.documentElement.scrollWidth") <= 390
    plan = plan_of(work)
    order = fit_order(plan.job, plan.glue)
    with page.expect_navigation():
        page.locator("button.done-btn", has_text="It fits").click()
    assert page.locator("header b").inner_text() == "2"
    page.locator(".amounts label", has_text="0.5 mm").click()
    with page.expect_navigation():
        page.locator("button", has_text="tight").click()
    advice = page.locator(".tagcard .remake").inner_text()
    assert advice.startswith("Sand ")
    assert "0.5 mm" in advice
    assert page.locator("header b").inner_text() == "2"
    for button in page.locator(".thumbfit button, .thumbfit label").all():
        box = button.bounding_box()
        assert min(box["width"], box["height"]) >= 44, button.inner_text()
    with page.expect_navigation():
        page.locator("button.done-btn", has_text="is sanded").click()
    fits = {(fit.a, fit.b): fit for fit in fits_of(store.load(Composition.objects.get(pk=work.pk)))}
    assert fits[order[0].pair].found == "ok"
    assert fits[order[1].pair].off_mm == 0.5
    assert "2 of" in page.locator(".tally").inner_text()
    desk.open(f"/picture/{work.uid}/bench/fit/")
    assert page.locator("header b").inner_text() == "3"


@pytest.mark.parametrize("desk", [(390, 844)], indirect=True, ids=["phone"])
def test_a_part_found_by_its_photo_and_made_again(desk, work):
    page = desk.page
    part = plan_of(work).job.pieces[3]
    desk.open(f"/picture/{work.uid}/bench/which/")
    photo = {"name": "part.jpg", "mimeType": "image/jpeg", "buffer": photo_of(part.outline, (150, 95, 60), 5)}
    page.set_input_files("input[name=photo]", photo)
    with page.expect_navigation():
        page.get_by_role("button", name="Find it").click()
    assert page.locator(".matches b").first.inner_text() == "3"
    assert page.evaluate("() => document.documentElement.scrollWidth") <= 390
    # it broke, and is made again
    desk.open(f"/picture/{work.uid}/bench/?step=shape&part=3")
    page.get_by_role("button", name="it broke").click()
    page.locator("summary", has_text="in splinters").click()
    page.locator("details[open] button", has_text="Make it again").click()
    page.wait_for_selector("#bench[data-waiting='0']")
    desk.open(f"/picture/{work.uid}/bench/?step=saw&part=3")
    assert "A remake: in splinters." in page.locator(".remake").inner_text()
    page.get_by_role("link", name="print its pattern").click()
    page.wait_for_load_state()
    assert "Parts apart 1" in page.content()


def test_a_bundle_is_tied_and_shown_in_the_tree(desk, work):
    page = desk.page
    desk.open(f"/picture/{work.uid}/assembly/?pieces=1-2")
    neighbours = plan_of(work).composition.layers[0].coverage.neighbours
    pair = next((a, b) for a in sorted(neighbours) for b in sorted(neighbours[a]))
    desk.open(f"/picture/{work.uid}/assembly/?pieces={pair[0]},{pair[1]}")
    desk.press("b")
    assert decided(work).bundles
    desk.open(f"/picture/{work.uid}/assembly/")
    page.locator("summary", has_text="what goes onto what").click()
    assert "you tied them together" in page.locator(".tree").inner_text()
    assert page.locator(".lifted .leaf.bundle").count() == 1
