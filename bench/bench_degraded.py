"""Line drawings worn by code, read by themselves, against the clean drawing: curved cells with known borders, and the
line drawings of `clip_art.txt` where they are installed."""

import shutil
import subprocess
from concurrent.futures import ProcessPoolExecutor

import cv2
import numpy as np
import pytest

from bench.bench_clip_art import CLIP_ART, chosen
from bench.conftest import tell
from bench.degraded import KINDS, Agreement, agreement, gapped, screened
from bench.judge import judge_painted
from emberquilt.errors import EmberError
from emberquilt.intake.knobs import Size
from emberquilt.intake.propose import propose
from tests.core.truth import drawn, truth

CELLS = [(80, seed) for seed in range(3)]
GAPS = (1, 2, 3, 4, 5, 6)


def cells_at(megapixels: float, ink_px: float) -> list[np.ndarray]:
    per_mm = (megapixels * 1e6 / (300 * 200)) ** 0.5
    return [drawn(truth(*cell), per_mm, ink_px) for cell in CELLS]


def clip_art(megapixels: float) -> list[np.ndarray]:
    if not CLIP_ART.exists() or not shutil.which("rsvg-convert"):
        return []
    made = []
    for path, kind in chosen():
        if kind != "line":
            continue
        size = str(round((megapixels * 1e6) ** 0.5))
        done = subprocess.run(
            ["rsvg-convert", "-w", size, "-h", size, "--keep-aspect-ratio", "--background-color", "#ffffff", str(path)],
            capture_output=True,
            check=True,
        )
        clean = cv2.imdecode(np.frombuffer(done.stdout, np.uint8), cv2.IMREAD_GRAYSCALE)
        made.append(cv2.copyMakeBorder(clean, 30, 30, 30, 30, cv2.BORDER_CONSTANT, value=255))
    return made


def judged(item) -> Agreement | str:
    clean, kind, seed = item
    rng = np.random.default_rng(seed)
    worn = gapped(clean, rng, kind) if isinstance(kind, int) else KINDS[kind](clean, rng)
    picture = worn.picture if worn.picture.ndim == 2 else worn.picture[..., ::-1]
    _, png = cv2.imencode(".png", picture, [cv2.IMWRITE_PNG_COMPRESSION, 1])
    try:
        return agreement(clean, worn, propose(png.tobytes(), Size("width", 300.0)))
    except EmberError as problem:
        return str(problem)


def told(kind: str, items: list, target: str) -> None:
    with ProcessPoolExecutor(2) as pool:
        results = list(pool.map(judged, items))
    read = [r for r in results if isinstance(r, Agreement)]
    for refused in [r for r in results if isinstance(r, str)]:
        tell(f"  refused, {kind}", refused[:70])
    regions, found = sum(r.regions for r in read), sum(r.found for r in read)
    false, pieces = sum(r.false for r in read), sum(r.pieces for r in read)
    each = " ".join(f"{r.found / max(r.regions, 1):.0%}" for r in read)
    tell(
        f"{kind}: regions found in {len(read)} of {len(items)}",
        f"{found / max(regions, 1):.1%}, false {false / max(pieces, 1):.1%}",
        f"target {target}; {each}",
    )


def as_picture(item) -> bool | None:
    """Whether a painted drawing is as wanted when it is brought as a picture, clean or as JPEG with noise."""
    path, worn, seed = item
    size = str(round(1.5e6**0.5))
    command = ["rsvg-convert", "-w", size, "-h", size, "--keep-aspect-ratio", "--background-color", "#ffffff"]
    done = subprocess.run([*command, str(path)], capture_output=True, check=True)
    bgr = cv2.imdecode(np.frombuffer(done.stdout, np.uint8), cv2.IMREAD_COLOR)
    if worn:
        bgr = screened(bgr, np.random.default_rng(seed)).picture
    try:
        found = propose(cv2.imencode(".png", bgr)[1].tobytes(), Size("width", 300.0))
    except EmberError:
        return None
    return judge_painted(path.read_bytes(), found).good


@pytest.mark.skipif(not CLIP_ART.exists() or not shutil.which("rsvg-convert"), reason="needs openclipart-svg, rsvg")
@pytest.mark.parametrize("worn", [False, True])
def test_painted_drawings_as_pictures(worn):
    items = [(path, worn, n) for n, (path, kind) in enumerate(chosen()) if kind == "painted"]
    with ProcessPoolExecutor(2) as pool:
        results = list(pool.map(as_picture, items))
    good, refused = sum(bool(r) for r in results), sum(r is None for r in results)
    words = "as JPEG 60 with noise" if worn else "as clean pictures"
    tell(f"painted drawings {words} at 1.5 MP", f"{good} of {len(results)}, {refused} refused")


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("source", ["cells", "clip art"])
def test_worn_drawings(kind, source):
    clean = cells_at(1.5, 4) if source == "cells" else clip_art(1.5)
    if clean:
        told(f"{source}, {kind}", [(c, kind, n) for n, c in enumerate(clean)], ">= 97 %, <= 3 %")


@pytest.mark.parametrize(("megapixels", "gap"), [*((1.5, g) for g in GAPS), *((6.0, 2 * g) for g in GAPS)])
def test_gaps(megapixels, gap):
    clean = cells_at(megapixels, 4 if megapixels < 2 else 8)
    told(f"cells at {megapixels:g} MP, gaps of {gap} px", [(c, gap, n) for n, c in enumerate(clean)], ">= 96 %")
