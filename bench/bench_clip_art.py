"""Clip art as it comes, read by itself and judged by another renderer.

`clip_art.txt` names 129 drawings of Debian's package openclipart-svg, which is not ours to ship (`apt-get install
openclipart-svg librsvg2-bin`), by the start of their SHA-256, with the kind that a person says they are. They were
drawn by chance: `random.Random(20261126).sample(files, 160)` of all drawings of things, plants and signs between 1.5
and 400 KB in the order of their paths; of one series of 34 like drawings 5 were kept, and two that show nothing were
left out.
"""

import hashlib
import shutil
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import pytest

from bench.conftest import tell
from bench.judge import judge_lines, judge_painted
from emberquilt.errors import EmberError
from emberquilt.intake.knobs import Size
from emberquilt.intake.propose import propose

CLIP_ART = Path("/usr/share/openclipart/svg")
LIST = Path(__file__).parent / "clip_art.txt"


def chosen() -> list[tuple[Path, str]]:
    wanted = dict(line.split() for line in LIST.read_text().splitlines())
    by_digest = ((path, hashlib.sha256(path.read_bytes()).hexdigest()[:16]) for path in sorted(CLIP_ART.rglob("*.svg")))
    return [(path, wanted.pop(digest)) for path, digest in by_digest if digest in wanted]


def judged(item: tuple[Path, str]) -> dict:
    path, kind = item
    data, begin = path.read_bytes(), time.perf_counter()
    try:
        found = propose(data, Size("width", 300.0))
    except EmberError as problem:
        return {"path": path, "kind": kind, "refused": str(problem)}
    seconds = time.perf_counter() - begin
    verdict = (judge_painted if kind == "painted" else judge_lines)(data, found)
    return {"path": path, "kind": kind, "read_as": found.read_as.kind, "verdict": verdict, "seconds": seconds}


@pytest.mark.skipif(not CLIP_ART.exists() or not shutil.which("rsvg-convert"), reason="needs openclipart-svg, rsvg")
def test_clip_art_as_it_comes():
    with ProcessPoolExecutor(2) as pool:
        results = list(pool.map(judged, chosen()))
    for kind, target in (("painted", "60 of 62"), ("line", "17 of 18")):
        own = [r for r in results if r["kind"] == kind]
        for result in own:
            name = "/".join(result["path"].relative_to(CLIP_ART).parts[:2])
            if "refused" in result:
                tell(f"refused, {kind}, {name[:30]}", result["refused"][:60])
            elif not result["verdict"].good:
                tell(f"not as wanted, {kind}, {name[:30]}", "", str(result["verdict"])[:110])
        good = sum("refused" not in r and r["verdict"].good for r in own)
        tell(f"{kind} drawings as wanted", f"{good} of {len(own)} ({good / len(own):.1%})", f"target {target}")
    right = sum(r.get("read_as") == r["kind"] for r in results)
    tell("kinds recognised", f"{right} of {len(results)} ({right / len(results):.1%})", "target >= 97 %")
    seconds = sorted(r["seconds"] for r in results if "seconds" in r)
    tell("time for one, two at once", f"{seconds[len(seconds) // 2]:.1f} s median", f"{seconds[-1]:.1f} s at most")
