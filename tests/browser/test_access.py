"""axe-core on every view, at desk, tablet and phone size."""

import pytest

from workshop.compositions import actions, store
from workshop.stations.rule import NAMES

pytestmark = pytest.mark.browser


# what a tablet shows is what a desk shows, set otherwise: its size is looked at in test_sizes
def test_axe_finds_nothing_at_the_stations(desk, demo):
    row = demo["Two koi"]
    found = {}
    for name in NAMES:
        # chosen pieces have tickets of their own kind
        for query in ("", "?pieces=9") if name in ("pattern", "wood", "relief", "saw") else ("",):
            desk.open(f"/picture/{row.uid}/{name}/{query}")
            if violations := desk.axe():
                found[name + query] = violations
    board = row.owner.shop.boards.get(name="W1").pk
    work, shop = f"/picture/{row.uid}", f"/shop/board/{board}/"
    page_of = (
        "palettes/",
        "pack/",
        "place/?piece=5",
        "wood/?show=picture",
        "wood/?show=seams",
        "saw/?show=way",
        "practise/",
        "assembly/?show=coats",
        "assembly/?knot=glue-1-1",
        "bench/fit/",
        "bench/which/?number=9",
        "bench/pedal/",
        "price/?next=2",
        "keepsake/",
        "swatches/",
    )
    page_of += ("relief/?show=lamp", "relief/?show=edges&pieces=9", "bench/?step=shape&part=9")
    desk.open(f"{work}/relief/?show=turntable")
    desk.page.locator(".turntable[data-ready=yes]").wait_for()
    if violations := desk.axe():
        found["turntable"] = violations
    # orders that contradict each other, drawn as a loop
    a, b, c = (p.key for p in store.load(row).made[:3])
    for front, behind in ((a, b), (b, c), (c, a)):
        row = actions.perform(row, row.revision, "order", [front], {"behind": str(behind)})
    desk.open(f"{work}/relief/?show=orders")
    assert desk.page.locator("#glance .circle").count() == 1
    if violations := desk.axe():
        found["circle"] = violations
    for name in ("Desk lighthouse", "Pear in slices", "Teapot puzzle"):
        desk.open(f"/picture/{demo[name].uid}/relief/")
        if violations := desk.axe():
            found[name] = violations
    sunk = demo["House number"]
    depths = f"/picture/{sunk.uid}/relief/?show=depths&pieces={store.load(sunk).made[0].key}"
    for path in (
        "/",
        "/begin/",
        depths,
        "/shop/",
        "/shop/woods/?wood=walnut",
        "/shop/boards/",
        "/year/",
        shop,
        *(f"{work}/{p}" for p in page_of),
    ):
        desk.open(path)
        if violations := desk.axe():
            found[path] = violations
    assert found == {}


@pytest.mark.parametrize("desk", [(390, 844)], indirect=True, ids=["phone"])
def test_the_bench_fits_a_phone(desk, demo):
    row, page = demo["Two koi"], desk.page
    desk.open(f"/picture/{row.uid}/bench/?step=saw&part=9")
    page.wait_for_selector("#bench[data-drawn=yes]")
    for screen in ("card", "broke", "find", "size"):
        page.evaluate("(screen) => emberBench.to(screen)", screen)
        assert desk.axe() == [], screen
        assert page.evaluate("() => document.documentElement.scrollWidth") <= 390
        for button in page.locator("#bench button:visible, #bench .tools a:visible").all():
            words = button.inner_text()
            # what is tapped while sawing is large; what lies over the picture is smaller
            assert button.bounding_box()["height"] >= (44 if words in ("true size", "stroke by stroke") else 54), words
