"""Remakes docs/screenshots from the demo, in a data folder of its own, and the mark as pixels."""

import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

from playwright.sync_api import sync_playwright

HERE = Path(__file__).resolve().parent.parent
OUT = HERE / "docs" / "screenshots"
STATIC = HERE / "workshop" / "static"
MARKS = {"mark-180.png": 180, "mark-512.png": 512}
"""The mark for phones that take no drawing for one, with room for what they cut off round it."""
PORT = 8765
ADDRESS = f"http://127.0.0.1:{PORT}"
FLAGS = [
    "--no-sandbox",
    "--enable-unsafe-swiftshader",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
]
VIEWS = {
    "wood": "wood/?pieces={ring}",
    "arrows": "wood/?show=arrows",
    "pattern": "pattern/",
    "relief": "relief/?pieces={ring}&show=orders&cut=160,6,320,299",
    "saw": "saw/?pieces={head}",
    "log": "log/",
}


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as home:
        env = os.environ | {"EMBERQUILT_HOME": home, "DJANGO_SETTINGS_MODULE": "workshop.settings"}
        server = subprocess.Popen(
            [sys.executable, "manage.py", "serve", "--demo", "--port", str(PORT)], cwd=HERE, env=env
        )
        try:
            _wait()
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                _mark(browser)
                _shoot(browser)
                browser.close()
        finally:
            server.terminate()
            server.wait(15)


def _wait() -> None:
    for _ in range(300):
        try:
            urllib.request.urlopen(ADDRESS, timeout=2)
            return
        except OSError:
            time.sleep(0.2)
    sys.exit("The workshop did not start.")


def _mark(browser) -> None:
    drawn = (STATIC / "mark.svg").read_text(encoding="utf-8")
    for name, side in MARKS.items():
        page = browser.new_page(viewport={"width": side, "height": side})
        room = "body { margin: 0; background: #2a2521 } svg { display: block; width: 84vw; margin: 8vw }"
        page.set_content(f"<style>{room}</style>{drawn}")
        page.screenshot(path=STATIC / name)
        page.close()


def _shoot(browser) -> None:
    page = browser.new_page(viewport={"width": 1280, "height": 800})

    def shot(name: str) -> None:
        page.wait_for_timeout(900)
        page.screenshot(path=OUT / f"{name}.png")
        print(name)

    page.goto(ADDRESS)
    page.wait_for_selector(".works .thumb[data-ready=yes] >> nth=1")
    shot("shelf")
    koi = page.locator(".works a.tag", has_text="Two koi").get_attribute("href").rsplit("/", 2)[0]
    page.goto(f"{ADDRESS}{koi}/wood/")
    page.wait_for_selector("#panel[data-ready=yes]")
    keys = {
        name: page.evaluate("([x, y]) => emberPanel.at(x, y).key", place)
        for name, place in {"head": [315, 245], "ring": [275, 249]}.items()
    }
    for name, path in VIEWS.items():
        page.goto(f"{ADDRESS}{koi}/{path.format(**keys)}")
        page.wait_for_selector("#panel[data-ready=yes]")
        shot(name)
    for name, title, path in (
        ("layers", "Lighthouse at dusk", "pattern/?view=apart"),
        ("stock", "Two koi", "stock/?pieces=17&part=17"),
        ("glue", "Lighthouse at dusk", "assembly/?knot=glue-3-1"),
        ("calendar", "Lighthouse at dusk", "calendar/"),
        ("number", "House number", "relief/?show=lamp"),
    ):
        page.goto(ADDRESS)
        work = page.locator(".works a.tag", has_text=title).get_attribute("href").rsplit("/", 2)[0]
        page.goto(f"{ADDRESS}{work}/{path}")
        page.wait_for_selector("#panel[data-ready=yes]")
        shot(name)
    page.goto(f"{ADDRESS}{koi}/wood/?show=picture")
    page.wait_for_selector("#panel[data-pictured]", timeout=30_000)
    shot("picture")
    for name, title in (("slots", "Desk lighthouse"), ("slices", "Pear in slices")):
        page.goto(ADDRESS)
        work = page.locator(".works a.tag", has_text=title).get_attribute("href").rsplit("/", 2)[0]
        page.goto(f"{ADDRESS}{work}/relief/")
        page.wait_for_selector(".turntable[data-ready=yes]")
        shot(name)
    water = page.request.get(f"{ADDRESS}{koi}/wood/woods/dress.json").json()["pieces"]
    laid = next(key for key, wears in water.items() if len(wears) > 8 and wears[8])
    page.goto(f"{ADDRESS}{koi}/place/?piece={laid}")
    page.wait_for_selector("#boardface[data-ready=yes]")
    shot("place")
    page.goto(f"{ADDRESS}/shop/")
    shot("shop")
    page.goto(ADDRESS)
    page.set_input_files("#drawing", HERE / "workshop/compositions/demo/lantern.jpg")
    page.get_by_role("button", name="Find its pieces").click()
    page.wait_for_selector("#panel[data-ready=yes]", timeout=30_000)
    page.locator("#wipe").fill("45")
    shot("draft")
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{ADDRESS}{koi}/bench/?step=saw&part=20")
    page.wait_for_selector("#bench[data-drawn=yes]")
    shot("bench")


if __name__ == "__main__":
    main()
