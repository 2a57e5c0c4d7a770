"""axe-core on the bench as a phone shows it; on all other pages in test_sizes."""

import pytest

pytestmark = pytest.mark.browser


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
