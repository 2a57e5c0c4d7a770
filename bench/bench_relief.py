"""Heights from orders beside a solver's proven least, sections, backers, the turntable: time and growth over sizes."""

import gzip
import json
import random

import pytest

from bench.conftest import median_ms, tell
from emberquilt.depth.solve import Pair, Problem, _Search, solved
from emberquilt.drawing.solid import packed
from emberquilt.outline.coverage import Coverage
from emberquilt.outline.insets import backer_outline
from emberquilt.relief.orders_read import orders_read
from emberquilt.relief.section import section_of, telling_line
from emberquilt.relief.suggested import _suggested
from emberquilt.work.change import applied
from emberquilt.work.parts import Job, job_of
from tests.conftest import cells, composition
from tests.core.test_depth import least_pairs
from workshop.compositions import actions
from workshop.entry.person import local_person

LEAST, GREATEST = 1.5875, 6.35
STOCKS, SHIMS = (6.35, 12.7, 19.05, 25.4), (0.0, 3.175, 6.35, 9.525, 12.7)
PAIRS = tuple(Pair(stock, shim) for stock in STOCKS for shim in SHIMS)


def drawn_problem(things: int, orders: int, seed: int) -> Problem:
    """Things in seven tiers, each order between tiers one or two apart, four woods with boards of other thickness, some
    tops set by hand."""
    rng = random.Random(seed)  # noqa: S311  figures, not secrets
    tier = [rng.randrange(7) for _ in range(things)]
    kinds = [tuple(p for p, pair in enumerate(PAIRS) if pair.stock_mm <= most) for most in (25.4, 25.4, 19.05, 12.7)]
    kinds += [(p,) for p in range(len(PAIRS)) if PAIRS[p].high_mm in (15.875, 22.225)]
    kind = [rng.randrange(4) if tier[n] < 5 else rng.randrange(2) for n in range(things)]
    above: list[tuple[int, int, float]] = []
    while len(above) < 2 * orders:
        a, b = rng.randrange(things), rng.randrange(things)
        if 0 < tier[a] - tier[b] <= 2:
            above += [(a, b, LEAST), (b, a, -GREATEST)]
    return Problem(PAIRS, tuple(kinds), tuple(kind), (0.0,) * things, tuple(above), usual_mm=19.05)


@pytest.mark.parametrize(("things", "orders"), [(60, 180), (500, 1500), (5000, 15000)])
def test_heights_from_orders(things, orders):
    task = drawn_problem(things, orders, 1)
    ms = median_ms(lambda: _Search(task).best(), 5)
    answer = solved(task)
    pairs = 0 if answer is None else len(set(answer.pair))
    target = "target <= 1 s at 500 pieces with 1,500 orders" if things == 500 else ""
    tell(f"heights of {things} pieces, {orders} orders", f"{ms:.0f} ms, {pairs} pairs", target, ("heights", things, ms))


def test_pairs_beside_the_proven_least():
    same = more = 0
    for seed in range(12):
        task = drawn_problem(60, 150, seed)
        answer, least = solved(task), least_pairs(task)
        if answer is None or least is None:
            assert (answer is None) == (least is None)
            continue
        same += len(set(answer.pair)) == least
        more += len(set(answer.pair)) > least
    tell("pairs at 60 pieces beside the solver's least", f"{same} equal, {more} more", "target: never more")


@pytest.mark.parametrize("size", [60, 500, 5000])
def test_a_whole_work(size):
    work = composition(cells(size, 5, 900.0, 600.0), thickness_mm=None)
    coverage = work.usual_layer.coverage
    rng = random.Random(2)  # noqa: S311
    tier = {key: rng.randrange(6) for key in coverage.keys}
    orders = [
        {"front": seam.a, "behind": seam.b} if tier[seam.a] > tier[seam.b] else {"front": seam.b, "behind": seam.a}
        for seam in coverage.seams
        if tier[seam.a] != tier[seam.b]
    ]
    rng.shuffle(orders)
    said = applied(work, orders_read(work, json.dumps(orders[: 3 * size])))

    def heights():
        solved.cache_clear()
        return Job(said).standing

    ms = median_ms(heights, 3)
    count = len(said.decisions.relief.orders)
    tell(f"a work of {size}, {count} orders: its heights", f"{ms:.0f} ms", "", ("heights of a work", size, ms))
    job = job_of(said)
    line = telling_line(job)
    ms = median_ms(lambda: section_of(job, *line))
    target = "target <= 50 ms at 500" if size == 500 else ""
    tell(f"section through {size} pieces", f"{ms:.1f} ms", target, ("section", size, ms))
    # of a coverage that nothing was asked before: its outer border is worked out too
    fresh = [Coverage(coverage.keys, coverage.outlines) for _ in range(6)]
    ms = median_ms(lambda: backer_outline(fresh.pop(), 3.0), 5)
    target = "target <= 2 s at 5,000" if size == 5000 else ""
    tell(f"backer for {size} pieces", f"{ms:.0f} ms", target, ("backer", size, ms))
    ms = median_ms(lambda: _suggested(job), 3)
    tell(f"suggested orders of {size} pieces", f"{ms:.0f} ms", "", ("suggested", size, ms))
    ms = median_ms(lambda: packed(job), 3)
    wire = len(gzip.compress(packed(job)))
    target = "target <= 1 MB at 500" if size == 500 else ""
    tell(f"turntable's mesh of {size} pieces, over the wire", f"{wire / 1024:.0f} KB, {ms:.0f} ms", target)


def test_the_turntable_turns(chromium, live_server, transactional_db):
    """Frames a second in headless Chromium with its software renderer, the canvas 800 x 600."""
    row = actions.create(local_person(), composition(cells(500, 5, 900.0, 600.0), "cherry"))
    page = chromium.new_context(viewport={"width": 1500, "height": 1000}).new_page()
    page.goto(f"{live_server.url}/picture/{row.uid}/relief/?show=turntable")
    page.locator(".turntable[data-ready=yes]").wait_for()
    page.evaluate("() => { const s = document.querySelector('.panel').style; s.width = '800px'; s.height = '638px'; }")
    page.wait_for_timeout(800)
    frames = "() => Number(document.querySelector('.turntable').dataset.frames)"
    page.locator("[data-spin]").click()
    before = page.evaluate(frames)
    page.wait_for_timeout(4000)
    rate = (page.evaluate(frames) - before) / 4
    size = page.evaluate("() => { const c = document.querySelector('.turntable canvas'); return [c.width, c.height] }")
    tell(f"turntable of 500 pieces, {size[0]} x {size[1]}", f"{rate:.0f} frames/s", "target > 30")
