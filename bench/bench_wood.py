"""Choosing woods, rating seams, and the picture of the result: time, growth over sizes, memory, and the proven
optimum."""

import json
import subprocess
import sys
from dataclasses import replace

import numpy as np
import pytest

from bench.conftest import median_ms, tell
from emberquilt.formats.project import Project, write_project
from emberquilt.picture.render import Light, draft, picture
from emberquilt.rack.woods import woods
from emberquilt.wood.contrast import contrast_of
from emberquilt.wood.match import problem_of, solve
from emberquilt.work.composition import Composition
from tests.conftest import cells, composition
from tests.core.proof import proven
from tests.core.test_match import coloured

SIXTY = [code for code, wood in woods().items() if wood.kind != "sheet"][:60]


@pytest.mark.parametrize(("groups", "own"), [(12, False), (60, False), (60, True)])
def test_suggestions_and_the_proven_optimum(groups, own):
    work = coloured(300, groups, groups, boards=own)
    _ = work.usual_layer.without_openings.coverage.neighbours
    among = None if own else SIXTY
    task = problem_of(work, work.usual_layer.without_openings.pieces, own, among=among)
    answer = solve(task)
    cost, bound, status = proven(task, 60, answer.choice)
    ms = median_ms(lambda: solve(problem_of(work, work.usual_layer.without_openings.pieces, own, among=among)), runs=5)
    what = f"woods for {len(task.groups)} groups, {len(task.codes)} {'owned' if own else 'woods'}"
    tell(what, f"{ms:.0f} ms", "target <= 1 s at 60 groups", grows=("suggestions", len(task.groups), ms))
    tell("  beside the solver's optimum", f"{answer.cost} : {cost}, bound {bound} ({status.lower()})", "target: equal")


def test_suggestions_for_every_piece():
    work = coloured(2000, 300, 1)
    _ = work.usual_layer.without_openings.coverage.neighbours
    task = problem_of(work, work.usual_layer.without_openings.pieces, by="piece", among=SIXTY)
    answer = solve(task)
    ms = median_ms(
        lambda: solve(problem_of(work, work.usual_layer.without_openings.pieces, by="piece", among=SIXTY)), runs=3
    )
    tell(f"woods for {len(task.groups)} pieces, {len(task.codes)} woods", f"{ms:.0f} ms", "target <= 2 s")
    nearest = task.total(task.cost.argmin(axis=1))
    tell("  cost beside the nearest wood for each", f"{answer.cost / nearest:.2f}")


@pytest.mark.parametrize("count", [200, 700, 2000])
def test_contrast_map(count):
    work = composition(cells(count, 5), {k: SIXTY[k % 60] for k in range(1, count + 1)})
    seams = len(work.usual_layer.without_openings.coverage.seams)
    ms = median_ms(lambda: contrast_of(replace(work, name="again"), work.usual_layer))
    tell(f"contrast of {seams} seams", f"{ms:.0f} ms", "target <= 300 ms at 2,000", grows=("contrast", seams, ms))


def many(count: int) -> Composition:
    rng = np.random.default_rng(count)
    work = composition(cells(count, 7, 457.2, 304.8), {k: SIXTY[k % 12 * 5] for k in range(1, count + 1)})
    pieces = tuple(
        replace(p, grain_deg=float(rng.uniform(0, 360)), shim_mm=float(rng.integers(0, 4)) * 1.5)
        for p in work.usual_layer.without_openings.pieces
    )
    return replace(work, layers=(replace(work.layers[0], pieces=pieces),))


@pytest.mark.parametrize("count", [60, 500, 5000])
def test_picture(count):
    work = many(count)
    _ = work.usual_layer.without_openings.coverage.spots
    ms = median_ms(lambda: draft(work, 870), runs=5)
    tell(
        f"draft of {count} pieces, 870 px wide",
        f"{ms:.0f} ms",
        "target <= 500 ms",
        grows=("draft picture", count, ms),
    )
    ms = median_ms(lambda: picture(work, 1600, Light()), runs=3)
    tell(f"picture of {count} pieces, 1,600 px wide", f"{ms:.0f} ms", "target <= 2 s")
    ms = median_ms(lambda: picture(work, 1600, Light(ss=2)), runs=3)
    tell("  with 2 x 2 samples a pixel", f"{ms:.0f} ms", "target <= 5 s")


MEMORY = """
import json, re, sys, time
from pathlib import Path
from emberquilt.formats.project import read_project
from emberquilt.formats.project import Project, write_project
from emberquilt.picture.render import Light, picture
work = read_project(Path(sys.argv[1]).read_bytes()).composition
peak = lambda: int(re.search(r"VmHWM:\\s+(\\d+)", open("/proc/self/status").read())[1]) // 1024
base = peak()
begin = time.perf_counter()
shape = picture(work, 5400, Light(ss=2)).shape
print(json.dumps([base, peak(), time.perf_counter() - begin, shape]))
"""


@pytest.mark.parametrize("count", [500, 5000])
def test_memory_at_print_size(count, tmp_path):
    kept = tmp_path / "work"
    kept.write_bytes(write_project(Project(many(count), "2026-01-01T00:00:00Z")))
    done = subprocess.run([sys.executable, "-c", MEMORY, str(kept)], capture_output=True, text=True, check=True)
    base, peak, seconds, shape = json.loads(done.stdout)
    tell(
        f"print size, {count} pieces, {shape[1]} x {shape[0]} px",
        f"{peak} MB, {seconds:.1f} s",
        f"target <= 800 MB (base {base} MB)",
    )
