"""Every page at three widths: nothing hangs over the edge, nothing is hidden, nothing is said in the console."""

import json

import numpy as np
import pytest
import shapely

from emberquilt.outline.redraw import curve_through
from tests.conftest import composition, grid
from workshop.bench.models import Event
from workshop.compositions import actions, tasks
from workshop.compositions.models import Draft
from workshop.compositions.store import load
from workshop.entry.person import local_person
from workshop.stations.rule import NAMES

pytestmark = pytest.mark.browser
WIDTHS = {390: 844, 768: 1024, 1280: 800}
# when the page has been drawn at its new size
WIDE = """() => new Promise((tell) => requestAnimationFrame(() => requestAnimationFrame(
  () => setTimeout(() => tell(document.documentElement.scrollWidth)),
)))"""
REFUSED = """window.refused = [];
document.addEventListener("securitypolicyviolation", (e) =>
  window.refused.push(`${e.violatedDirective} ${e.blockedURI}`),
);
"""


@pytest.fixture
def watched(desk):
    """What the content policy refuses is noted."""
    desk.page.add_init_script(REFUSED)
    return desk


def drafts_of(owner) -> list[Draft]:
    """A drawing whose pieces are found, words, and one that could not be read."""
    svg = b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0H90V60H0Z M45 0V60" fill="none" stroke="#000"/></svg>'
    given = [
        (svg, "square.svg", {}),
        (b"TINDER LANE", "words.txt", {"kind": "text"}),
        (b"<svg/>", "nothing.svg", {}),
    ]
    made = []
    for data, name, knobs in given:
        draft = Draft(owner=owner, name=name, file_name=name, data=data, knobs={"how": "width", "size": "9 in"} | knobs)
        tasks.begin(draft)
        made.append(draft)
    return made


def paths_of(demo) -> list[str]:
    """Every kind of page, and what is chosen or asked for on it."""
    koi, sunk = demo["Two koi"], demo["House number"]
    board = koi.owner.shop.boards.get(name="W1").pk
    paths = ["/", "/?find=koi", "/begin/", "/shop/", "/shop/woods/?wood=walnut", "/shop/boards/", "/year/", "/phone/"]
    paths += [f"/shop/board/{board}/", "/picture/nothing/"]
    spatial = ("Desk lighthouse", "Pear in slices", "Teapot puzzle", "House number", "Lantern panes")
    paths += [f"/picture/{demo[name].uid}/relief/" for name in spatial]
    paths.append(f"/picture/{sunk.uid}/relief/?show=depths&pieces={load(sunk).made[0].key}")
    pages = tuple(f"{name}/" for name in NAMES)
    # chosen pieces have tickets of their own kind
    pages += tuple(f"{name}/?pieces=9" for name in ("pattern", "wood", "relief", "saw", "assembly"))
    pages += ("palettes/", "pack/", "place/?piece=9", "wood/?show=picture", "wood/?show=seams", "saw/?show=way")
    pages += ("practise/", "assembly/?show=coats", "assembly/?knot=glue-1-1", "bench/fit/", "bench/which/?number=9")
    pages += ("bench/pedal/", "bench/?step=shape&part=9", "price/?next=2", "keepsake/", "swatches/", "final/")
    pages += ("relief/?show=lamp", "relief/?show=edges&pieces=9", "relief/?show=turntable", "pass-on/")
    return paths + [f"/picture/{koi.uid}/{page}" for page in pages]


def paths_of_layers(work) -> list[str]:
    """Pages that layers make others."""
    foremost = load(work).usual_layer.without_openings.pieces[0].key
    pages = tuple(f"{name}/" for name in NAMES)
    pages += ("saw/?show=way", "assembly/?show=coats", "assembly/?knot=trim", "bench/fit/", f"place/?piece={foremost}")
    return [f"/picture/{work.uid}/{page}" for page in pages]


def test_every_page_fits_phone_tablet_and_desk_and_axe_finds_nothing(watched, demo):
    koi = demo["Two koi"]
    paths = [*paths_of(demo), *(f"/draft/{draft.uid}/" for draft in drafts_of(koi.owner))]
    layered = paths_of_layers(demo["Lighthouse at dusk"])
    wide, refused, violations = {}, {}, {}
    sizes = list(WIDTHS.items())
    for path in [*paths, *layered]:
        for width, height in sizes:
            watched.page.set_viewport_size({"width": width, "height": height})
            if width == sizes[0][0]:
                watched.open(path)
                if "turntable" in path:
                    watched.page.locator(".turntable[data-ready=yes]").wait_for()
            if (reach := watched.page.evaluate(WIDE)) > width:
                wide[path, width] = reach
            # what a tablet shows is what a desk shows, set otherwise
            if width == max(WIDTHS) and path not in layered and (found := watched.axe()):
                violations[path] = found
        if found := watched.page.evaluate("window.refused"):
            refused[path] = found
        # the next page is opened at the size that this one was left at, so that none is drawn twice
        sizes.reverse()
    assert wide == {}
    assert refused == {}
    assert violations == {}


def test_orders_that_contradict_each_other_are_drawn_as_a_loop(desk, demo):
    row = demo["Two koi"]
    a, b, c = (p.key for p in load(row).made[:3])
    for front, behind in ((a, b), (b, c), (c, a)):
        row = actions.perform(row, row.revision, "order", [front], {"behind": str(behind)})
    desk.open(f"/picture/{row.uid}/relief/?show=orders")
    assert desk.page.locator("#glance .circle").count() == 1
    assert desk.axe() == []


def test_nothing_on_the_wood_page_breaks_the_content_policy(watched, demo):
    """Readings, a wood held against the picture, the shelf of woods, suggestions, the picture at print size."""
    page = watched.page
    watched.open(f"/picture/{demo['The lantern'].uid}/wood/")
    for button in page.locator(".reading button").all_inner_texts():
        page.locator(".reading button", has_text=button).first.click()
        watched.settle()
    page.locator("button", has_text="best of all woods").click()
    page.wait_for_selector(".found-woods li")
    page.keyboard.press("n")
    watched.settle()
    page.keyboard.press("w")
    page.locator("#woodshelf button[name=wood]").nth(3).hover()
    page.wait_for_timeout(500)
    page.locator("#woodshelf button[name=wood]").nth(3).click()
    watched.settle()
    for summary in page.locator("#ticket summary").all():
        summary.click()
    page.locator("#panel").focus()
    page.keyboard.press("Escape")
    watched.settle()
    page.locator(".reading button", has_text="picture").click()
    page.wait_for_selector("#final form")
    assert page.evaluate("window.refused") == []


def test_nothing_is_cut_hidden_or_unannounced(desk, demo):
    """No number lies under the zoom buttons, whatever the shape of the picture; no title is cut; findings that run off
    the page are announced there until one has scrolled to them."""
    for row in demo.values():
        for station in ("pattern", "wood"):
            desk.open(f"/picture/{row.uid}/{station}/")
            box = desk.page.locator(".panel .zoom").bounding_box()
            right, bottom = desk.at(row.width_mm, row.height_mm)
            assert right <= box["x"] + 1 or bottom <= box["y"] + 1, row.name
            for part in desk.page.locator(".titled h1, .titled .size").all():
                assert part.evaluate("(e) => e.scrollWidth <= e.clientWidth + 1"), (row.name, station)
    desk.open(f"/picture/{demo['Two koi'].uid}/wood/")
    side = desk.page.locator(".side")
    assert "below" in side.get_attribute("data-more")
    side.evaluate("(side) => side.scrollTo(0, side.scrollHeight)")
    desk.page.wait_for_function("() => !document.querySelector('.side').dataset.more")


CURVES = [
    [[10, 10], [40, 60], [90, 20], [140, 70]],
    [[0, 0], [30, 5], [31, 40]],
    [[10, 10], [80, 20], [50, 90], [10, 10]],
    [[0, 0], [100, 0], [100, 100], [0, 100], [50, 50], [20, 30]],
]
AS_DRAWN = """async (points) => {
  const here = document.querySelector('script[src*="/js/station"]').src;
  const { bent } = await import(here.replace(/station[^/]*$/, "canvas.js"));
  let from = points[0];
  return bent(points).map(([a, b, c, d, e, f]) => {
    const ends = [from, [a, b], [c, d], [e, f]];
    const weights = (t) => [(1 - t) ** 3, 3 * (1 - t) ** 2 * t, 3 * (1 - t) * t * t, t ** 3];
    const at = (t) => [0, 1].map((i) => weights(t).reduce((sum, w, k) => sum + w * ends[k][i], 0));
    const stretch = Array.from({ length: 21 }, (_, i) => at(i / 20));
    from = [e, f];
    return stretch;
  }).flat();
}"""


@pytest.fixture
def squares():
    """Six squares in walnut."""
    return actions.create(local_person(), composition(grid(3, 2), "walnut"))


def test_the_curve_that_is_shown_is_the_curve_that_is_cut(desk, squares):
    """Points along what the canvas draws lie on what the core cuts."""
    desk.open(f"/picture/{squares.uid}/pattern/")
    for points in CURVES:
        shown = np.array(desk.page.evaluate(AS_DRAWN, points))
        cut = shapely.LineString(curve_through(np.array(points, float), 0.05))
        assert shapely.distance(cut, shapely.points(shown)).max() < 0.02
        assert shapely.hausdorff_distance(shapely.LineString(shown), cut) < 0.3, json.dumps(points)


def test_a_clock_that_runs_too_long_asks(desk, squares):
    """The clock is made to believe that it has run for hours: the card asks before it is ticked off."""
    row, page = squares, desk.page
    page.set_viewport_size({"width": 390, "height": 844})
    desk.open(f"/picture/{row.uid}/bench/")
    assert page.locator(".asks").is_hidden()
    page.locator(".clockrow button").click()
    page.evaluate("() => { emberBench.clock.state.since -= 7 * 24 * 3600 * 1000 }")
    page.locator(".done-btn").click()
    assert page.locator(".asks").is_visible()
    # a week is nobody's time at one card
    assert page.locator("[value=all]").is_hidden()
    page.locator(".done-btn").click()
    assert "Say how long it really took" in page.locator(".asks").inner_text()
    page.get_by_label("Minutes it took").fill("soon")
    page.locator(".done-btn").click()
    assert "write minutes" in page.locator(".asks").inner_text()
    page.get_by_label("Minutes it took").fill("7")
    page.locator(".done-btn").click()
    page.wait_for_selector("#bench[data-waiting='0']")
    assert Event.objects.get().minutes == 7.0
