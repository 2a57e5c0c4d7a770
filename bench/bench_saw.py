"""The saw: plans of many parts, the throat, the order beside the proven least, the player; time and growth."""

import math

import numpy as np
import pytest
import shapely

from bench.conftest import median_ms, tell
from emberquilt.outline.coverage import Coverage
from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.saw.order import changes_of, in_order
from emberquilt.saw.planning import saw_plan, saw_tasks
from emberquilt.saw.throat import swept
from emberquilt.work.parts import Job, job_of
from tests.conftest import cells, composition
from tests.core.test_saw_order import minutes_of, proven, small_case
from workshop.compositions import actions, store
from workshop.compositions.models import Composition
from workshop.entry.person import local_person

TARGETS = {60: "target <= 0.3 s", 500: "target <= 2 s", 5000: "target <= 20 s"}


@pytest.mark.parametrize("fit", ["beside", "stack"])
@pytest.mark.parametrize("count", [60, 500, 5000])
def test_a_plan(count, fit):
    """The whole plan with every way, of outlines that nothing was asked before."""
    made = cells(count, 1)
    made.seams  # noqa: B018  the pattern's own
    work = composition(made, practice=Practice(fit=fit), thickness_mm=12.0)
    fresh = []
    for _ in range(4 if count < 5000 else 2):
        own = Coverage(made.keys, made.outlines)
        own.__dict__["seams"] = made.seams
        fresh.append(composition(own, practice=work.practice, thickness_mm=12.0))
    ms = median_ms(lambda: saw_plan(Job(fresh.pop())), len(fresh) - 1, 0)
    tell(f"saw plan of {count}, {fit}", f"{ms / 1000:.2f} s", TARGETS[count], (f"saw plan {fit}", count, ms))


def test_a_plan_again_after_an_edit():
    """What an edit leaves is kept: the same plan of a new job."""
    work = composition(cells(500, 1), thickness_mm=12.0)
    saw_plan(job_of(work))
    ms = median_ms(lambda: saw_plan(Job(work)), 3)
    tell("saw plan of 500 again", f"{ms / 1000:.2f} s", "")


def test_the_throat_of_two_metres():
    turn = np.linspace(0.0, 2 * math.pi, 2000)
    radius = 2000 / (2 * math.pi)
    path = np.stack([400 + radius * np.cos(turn), 400 + radius * np.sin(turn)], axis=1)
    ms = median_ms(lambda: swept([path], shapely.box(0, 0, 800, 800), 406.4), 5)
    tell("throat of a path of 2 m", f"{ms:.0f} ms", "target <= 100 ms")


def test_the_order_beside_the_proven_least():
    ours = least = 0.0
    for seed in range(12):
        tasks = small_case(seed)
        ours += minutes_of(tasks, in_order(tasks))
        least += proven(tasks)[0]
    tell("order of 12 small cases beside the least", f"x{ours / least:.3f}", "target <= x1.05")


@pytest.mark.django_db
@pytest.mark.parametrize("name", ["Two koi", "Lighthouse"])
def test_the_order_of_demo_works_beside_the_bound(name, django_db_blocker):
    from django.core.management import call_command

    call_command("load_demo", verbosity=0)
    row = Composition.objects.filter(name__icontains=name.split()[-1]).first()
    if row is None:
        pytest.skip(f"no {name} in the demo")
    tasks = saw_tasks(job_of(store.load(row)))
    order = in_order(tasks)
    _, bound = proven(tasks, 60.0)
    told = changes_of(tasks, order)
    tell(
        f"order of {name}, {len(tasks)} cuts: minutes of changing",
        f"{minutes_of(tasks, order):.1f}, bound {bound:.1f}; {told}",
        "",
    )


@pytest.mark.django_db(transaction=True)
def test_the_player_at_500_parts(chromium, live_server):
    work = composition(cells(500, 1, 900.0, 600.0), practice=Practice(fit="stack"), thickness_mm=6.0)
    row = actions.create(local_person(), work)
    page = chromium.new_page(viewport={"width": 1280, "height": 800})
    page.set_default_timeout(120_000)
    page.goto(f"{live_server.url}/picture/{row.uid}/saw/?show=way")
    page.wait_for_function("() => window.emberPlayer")
    for turns in (True, False):
        frames = page.evaluate(
            """async (turns) => {
              const player = window.emberPlayer;
              player.turns = turns;
              player.at = Math.floor(player.way.strokes.length / 2);
              player.settle();
              const times = [];
              player.toggle();
              let last = performance.now();
              await new Promise((done) => {
                const tick = (now) => {
                  times.push(now - last);
                  last = now;
                  times.length < 90 ? requestAnimationFrame(tick) : done();
                };
                requestAnimationFrame(tick);
              });
              player.stop();
              return times.slice(5).sort((a, b) => a - b);
            }""",
            turns,
        )
        middle, slow = frames[len(frames) // 2], frames[int(0.95 * len(frames))]
        how = "the work turns" if turns else "the blade runs"
        tell(
            f"player at 500 parts, {how}",
            f"{1000 / middle:.0f} frames a second, one in twenty under {1000 / slow:.0f}",
            "target > 30",
        )
    page.close()


def test_findings_of_500():
    """Everything the station judges, throat and holding among it."""
    work = composition(cells(500, 1, 900.0, 600.0), thickness_mm=12.0)
    plan = Plan(work)
    plan.saw  # noqa: B018
    ms = median_ms(lambda: Plan(work).findings("saw"), 2, 0)
    tell("findings of the saw at 500", f"{ms:.0f} ms", "")
