"""Painted SVG against Chromium: our pieces painted with their colours beside the browser's picture of the source.

The drawings are Debian's package openclipart-svg, which is not ours to ship: `apt-get install openclipart-svg`.
"""

import re
from pathlib import Path

import cv2
import numpy as np
import pytest
import shapely
from skimage.color import deltaE_ciede2000, rgb2lab

from bench.conftest import tell
from emberquilt.drawing.svg import coverage_svg
from emberquilt.errors import EmberError
from emberquilt.intake.knobs import Knobs, Size
from emberquilt.intake.propose import propose
from emberquilt.intake.svg_source import parse_svg

CLIP_ART = Path("/usr/share/openclipart/svg")
SIDE = 700
SMALL_DE = 5.0
"""CIEDE2000 under which two colours are nearly the same."""
WANTED, FOLDERS = 20, 10
# things, not living beings
THINGS = (
    "buildings",
    "buttons",
    "computer",
    "containers",
    "decorations",
    "education",
    "electronics",
    "food",
    "geography",
    "office",
    "science",
    "shapes",
    "signs_and_symbols",
    "tools",
    "transportation",
)
# gradients, filters and pictures are what no flat piece can be
NOT_FLAT = re.compile(rb"<(\w+:)?(radialGradient|linearGradient|filter|image|pattern|mask|text|style)\b")


def chosen() -> list[Path]:
    """Flatly painted drawings, three from a folder in the order of their names, until there are enough."""
    picked: list[Path] = []
    for folder in (CLIP_ART / name for name in THINGS):
        found = 0
        for path in sorted(folder.rglob("*.svg")):
            data = path.read_bytes()
            if found == 3 or NOT_FLAT.search(data) or not 2_000 < len(data) < 300_000:
                continue
            if len(set(re.findall(rb"fill[:=]\"?(#[0-9a-fA-F]{6})", data))) >= 3:
                picked.append(path)
                found += 1
    return picked


def picture(page, svg: bytes, width: int, height: int) -> np.ndarray:
    page.set_viewport_size({"width": width, "height": height})
    page.set_content("<body style='margin:0;background:#fff'><img></body>")
    page.evaluate(
        """async ([svg, w, h]) => { const i = document.querySelector('img'); i.width = w; i.height = h;
        i.src = URL.createObjectURL(new Blob([svg], {type: 'image/svg+xml'})); await i.decode(); }""",
        [svg.decode("utf-8", "replace"), width, height],
    )
    return cv2.imdecode(np.frombuffer(page.screenshot(), np.uint8), cv2.IMREAD_COLOR)[..., ::-1]


def share_alike(page, data: bytes) -> tuple[float, int]:
    """Share of pixels that differ little between the source and our pieces, and how many pieces there are."""
    found = propose(data, Size("width", 300.0), Knobs(kind="painted", strokes="pieces", outside="keep"))
    svg, _ = parse_svg(data)
    across, down = float(svg.width), float(svg.height)
    shrink = SIDE / max(across, down)
    width, height = round(across * shrink), round(down * shrink)
    source = picture(page, data, width, height)
    ours = picture(
        page,
        coverage_svg(found)
        .replace(b'stroke-width="0.1"', b'stroke-width="0"')
        .replace(b'fill="none"', b'fill="#ffffff"'),
        width,
        height,
    )
    assert found.is_valid
    assert shapely.is_valid(np.array(found.coverage.outlines)).all()
    far = deltaE_ciede2000(rgb2lab(source), rgb2lab(ours))
    return float((far <= SMALL_DE).mean()), len(found.coverage)


@pytest.mark.skipif(not CLIP_ART.exists(), reason="needs Debian's openclipart-svg")
def test_painted_drawings_look_the_same(chromium):
    page = chromium.new_page()
    shares, refused, folders = [], [], set()
    for path in chosen():
        name = "/".join(path.relative_to(CLIP_ART).parts[-2:])
        try:
            share, pieces = share_alike(page, path.read_bytes())
        except EmberError as problem:
            refused.append(f"{name}: {problem}")
            continue
        shares.append(share)
        if share >= 0.98:
            folders.add(path.relative_to(CLIP_ART).parts[0])
        tell(f"painted {name[-40:]}, {pieces} pieces", f"{share:.2%} alike", "target >= 98 %")
    for line in refused:
        tell(f"refused {line[:100]}", "")
    good = sum(s >= 0.98 for s in shares)
    tell(
        f"painted SVG: drawings alike, of {len(folders)} folders",
        f"{good} of {len(shares)}",
        f"target {WANTED} drawings, {FOLDERS} folders",
    )
