"""How long dates take: a first plan by how many steps there are, its bound and reasons, again after a slip, ten works.

Growth over sizes tells more than any one time.
"""

import datetime as dt

import numpy as np
import pytest

from bench.conftest import tell
from emberquilt.calendar.dispatch import Due
from emberquilt.calendar.means import Means, Person
from emberquilt.calendar.polish import polished
from emberquilt.calendar.schedule import Wishes, kept_of, schedule, schedule_of
from emberquilt.calendar.together import WorkDates, together
from emberquilt.hours import usual_hours
from emberquilt.work.steps import Step

MONDAY = dt.datetime(2026, 11, 30, 19, 0)
MEANS = Means((Person("One", usual_hours()),), {"clamps": 8})


def shop_steps(count: int, seed: int = 1, glued: float = 0.25) -> list[Step]:
    """Steps as in a shop: most of them short, a third wait, a third can be put down, glue holds clamps."""
    drawn = np.random.default_rng(seed)
    steps = []
    for i in range(count):
        near = range(max(0, i - 20), i)
        after = tuple(f"t{j}" for j in near if drawn.random() < 1.5 / max(1, len(near)))
        glue = drawn.random() < glued
        wait = float(drawn.choice([45, 60, 120] if glue else [0, 0, 0, 30, 360, 1440]))
        steps.append(
            Step(
                f"t{i}",
                "assembly",
                "glue" if glue else "shape",
                f"Step {i}",
                float(drawn.choice([5, 10, 15, 20, 30, 40, 60, 90])),
                wait_minutes=wait,
                after=after,
                divisible=not glue and drawn.random() < 0.4,
                held=(("clamps", int(drawn.choice([2, 4, 6]))),) if glue else (),
            )
        )
    return steps


@pytest.mark.benchmark(group="a first plan")
@pytest.mark.parametrize("count", [40, 120, 400, 1000])
def test_a_first_plan(benchmark, count):
    steps = shop_steps(count)
    assert benchmark.pedantic(schedule, (steps, MEANS, MONDAY), rounds=3).slots


@pytest.mark.benchmark(group="bound and reasons")
@pytest.mark.parametrize("count", [120, 400, 1000])
def test_bound_and_reasons(benchmark, count):
    def told():
        plan = schedule(shop_steps(count), MEANS, MONDAY)
        return plan.bound, plan.stands

    assert benchmark.pedantic(told, rounds=2)


# hands decide; hands and clamps; clamps alone, where what the bound does not know is seen
@pytest.mark.parametrize(("glued", "clamps", "target"), [(0.25, 8, "<= 3 %"), (0.5, 6, "<= 3 %"), (0.75, 6, "")])
def test_how_far_from_the_bound_after_ten_seconds(glued, clamps, target):
    for seed in (1, 2, 3):
        means = Means(MEANS.people, {"clamps": clamps})
        first = schedule(shop_steps(120, seed, glued), means, MONDAY)
        quick = first.planned
        assert quick is not None
        better = polished(quick.problem, quick.passes, quick.made, Due(), 10.0, lambda *_: None)
        gap = schedule_of(quick.problem, quick.passes, better.made, "", bound=better.bound).gap
        assert first.gap is not None
        assert gap is not None
        name = f"120 steps, {glued:.0%} glued, {clamps} clamps, {seed}"
        tell(name, f"{100 * first.gap:.1f} % at once, {100 * gap:.1f} % after 10 s", target and f"target {target}")


@pytest.mark.benchmark(group="again after a slip")
@pytest.mark.parametrize("count", [120, 400])
def test_again_after_a_slip(benchmark, count):
    steps = shop_steps(count)
    kept = kept_of(schedule(steps, MEANS, MONDAY))
    later = MONDAY + dt.timedelta(hours=26)
    plan = benchmark.pedantic(schedule, (steps, MEANS, later, Wishes(kept=kept)), rounds=3)
    assert plan.moved


@pytest.mark.benchmark(group="ten works at once")
def test_ten_works_at_once(benchmark):
    works = [WorkDates(f"w{n}", f"Work {n}", shop_steps(50, n), {}) for n in range(10)]
    assert len(benchmark.pedantic(together, (works, MEANS, MONDAY), rounds=2).finishes) == 10
