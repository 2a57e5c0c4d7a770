"""A proven optimum for small matching problems, by OR-tools' CP-SAT: what `wood.match` is measured against."""

import numpy as np
from ortools.sat.python import cp_model

from emberquilt.wood.match import SCALE, SHORT, Problem


def proven(task: Problem, seconds: float = 60.0, hint=None) -> tuple[int, int, str]:
    """Least cost found, lower bound, and the solver's status. Shortage is rounded to whole numbers as in the
    problem."""
    n, m = task.cost.shape
    model = cp_model.CpModel()
    x = [[model.new_bool_var("") for _ in range(m)] for _ in range(n)]
    terms = []
    for g in range(n):
        model.add_exactly_one(x[g])
        terms += [int(task.cost[g, w]) * x[g][w] for w in range(m)]
        if hint is not None:
            for w in range(m):
                model.add_hint(x[g][w], int(w == hint[g]))
    for (a, b), weight in zip(task.seams.tolist(), task.weight.tolist(), strict=True):
        pull = model.new_int_var(0, int(weight * task.near.max()), "")
        for w in range(m):
            beside = [(int(weight * task.near[w, v]), x[b][v]) for v in range(m) if task.near[w, v]]
            if beside:
                model.add(pull >= sum(k * v for k, v in beside)).only_enforce_if(x[a][w])
        terms.append(pull)
    for w in np.flatnonzero(np.isfinite(task.stock_mm2)):
        price = SHORT * SCALE / task.unit_mm2
        over = model.new_int_var(0, 10**9, "")
        areas = [round(g.area_mm2 * price) for g in task.groups]
        model.add(over >= sum(a * x[g][w] for g, a in enumerate(areas)) - round(task.stock_mm2[w] * price))
        terms.append(over)
    model.minimize(sum(terms))
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = seconds
    solver.parameters.num_workers = 2
    status = solver.solve(model)
    return round(solver.objective_value), round(solver.best_objective_bound), solver.status_name(status)
