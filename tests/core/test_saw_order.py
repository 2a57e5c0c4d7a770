"""The sequence of all cuts, against a solver that proves the least."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from ortools.sat.python import cp_model

from emberquilt.plan import Plan
from emberquilt.practice import Practice
from emberquilt.saw.order import BLADE_MINUTES, SWAP_MINUTES, TILT_MINUTES, Task, change_minutes, changes_of, in_order
from emberquilt.saw.planning import saw_tasks
from emberquilt.work.parts import job_of
from tests.conftest import cells, composition, edited


def minutes_of(tasks, order) -> float:
    """Of all changes in an order: blades, tilts, woods."""
    told = changes_of(tasks, order)
    return BLADE_MINUTES * told["blades"] + TILT_MINUTES * told["tilts"] + SWAP_MINUTES * told["woods"]


def proven(tasks, seconds: float = 20.0) -> tuple[float, float]:
    """The least minutes of changing, and a bound that nothing lies under, by a solver: a round trip through all cuts
    from a saw without a blade."""
    model, n = cp_model.CpModel(), len(tasks)
    place = [model.new_int_var(1, n, f"p{i}") for i in range(n)]
    arcs, cost = [], []
    for i in range(n):
        first, last = model.new_bool_var(f"f{i}"), model.new_bool_var(f"l{i}")
        arcs += [(0, i + 1, first), (i + 1, 0, last)]
        cost.append(round(100 * change_minutes(None, tasks[i].setup)) * first)
        model.add(place[i] == 1).only_enforce_if(first)
        for j in range(n):
            if (i != j and i not in tasks[j].before | {k for k in (j,)}) or (i in tasks[j].before):
                step = model.new_bool_var(f"a{i}.{j}")
                arcs.append((i + 1, j + 1, step))
                model.add(place[j] == place[i] + 1).only_enforce_if(step)
                swap = SWAP_MINUTES * (tasks[i].wood != tasks[j].wood)
                cost.append(round(100 * (change_minutes(tasks[i].setup, tasks[j].setup) + swap)) * step)
    model.add_circuit(arcs)
    for j, task in enumerate(tasks):
        for i in task.before:
            model.add(place[i] < place[j])
        for i, other in enumerate(tasks):
            if other.stage < task.stage:
                model.add(place[i] < place[j])
    model.minimize(sum(cost))
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = seconds
    solver.parameters.num_workers = 2
    assert solver.solve(model) in (cp_model.OPTIMAL, cp_model.FEASIBLE)
    return solver.objective_value / 100, solver.best_objective_bound / 100


def small_case(seed: int) -> list[Task]:
    """Nine to eleven cuts of three or four setups and three woods; some wait for others, some for a stage."""
    rng = np.random.default_rng(seed)
    n = int(rng.integers(9, 12))
    setups = [("2", 0.0), ("5", 0.0), ("5", 2.5), ("7", 0.0)][: int(rng.integers(3, 5))]
    tasks = []
    for i in range(n):
        before = frozenset(int(k) for k in range(i) if rng.random() < 0.18)
        tasks.append(
            Task(
                setups[int(rng.integers(len(setups)))],
                ("cherry", "maple", "walnut")[int(rng.integers(3))],
                before,
                (i,),
                int(rng.random() < 0.15) if not before else 1 if any(tasks[k].stage for k in before) else 0,
            )
        )
    return tasks


@pytest.mark.parametrize("seed", range(12))
def test_as_few_changes_as_are_proven_least(seed):
    tasks = small_case(seed)
    order = in_order(tasks)
    assert sorted(order) == list(range(len(tasks)))
    least, _ = proven(tasks)
    assert minutes_of(tasks, order) <= 1.05 * least + 1e-6


@settings(max_examples=100)
@given(st.integers(0, 10_000))
def test_no_cut_comes_before_what_it_waits_for(seed):
    tasks = small_case(seed)
    order = in_order(tasks)
    place = {i: n for n, i in enumerate(order)}
    for i, task in enumerate(tasks):
        assert all(place[k] < place[i] for k in task.before)
        assert all(place[k] < place[i] for k, other in enumerate(tasks) if other.stage < task.stage)


def test_cuts_that_wait_for_each_other_end_in_no_endless_search():
    circle = [Task(("5", 0.0), "a", frozenset({1}), (0,)), Task(("5", 0.0), "a", frozenset({0}), (1,))]
    with pytest.raises(ValueError, match="wait for each other"):
        in_order(circle)


def test_a_work_of_many_woods_and_blades_beside_the_bound():
    """Sixty parts of four woods and two thicknesses: the blades are mounted once each, the woods change as seldom as
    their setups ask."""
    coverage = cells(60, 5)
    woods = {k: ("holly", "walnut", "wenge", "aspen")[k % 4] for k in coverage.keys}
    tasks = saw_tasks(job_of(composition(coverage, woods)))
    order = in_order(tasks)
    told = changes_of(tasks, order)
    setups = {task.setup for task in tasks}
    late = [task for task in tasks if task.stage]
    assert told["blades"] <= len(setups) + len({task.setup for task in late})
    assert told["tilts"] == 0
    pairs = {(task.setup, task.wood) for task in tasks}
    assert told["woods"] <= len(pairs) - 1


def test_blade_changes_and_tilts_take_their_minutes():
    work = composition(cells(6, 1))
    plan = Plan(work).saw
    first = plan.cuts[0]
    other = next(cut for cut in plan.cuts if cut.chapter == first.chapter and cut.order > 1)
    assert first.change_minutes == BLADE_MINUTES
    assert other.change_minutes == (BLADE_MINUTES if other.fresh else 0.0)
    pinned = edited(work, "saw_first", [3])
    assert Plan(pinned).saw.minutes >= plan.minutes - 1e-9
    twice = Plan(composition(cells(6, 1), practice=Practice(estimate_ratio=2.0))).saw
    assert twice.minutes == pytest.approx(2 * plan.minutes)
