"""How pieces are shaped: how far their edges are rounded, which are shaped as one, where what is carved ends."""

from collections import Counter
from itertools import chain

import numpy as np
import shapely

from ..work.parts import Job
from ..work.shaped import EASED_MM, Edge, edges_of, height_at
from ..work.standing import LEAST_LEFT_MM

GRITS = (100, 150, 220, 320)
BEYOND_MM = 2.0
"""So far beyond the low end of a slope it is felt for what it meets: own choice."""
SAMPLES = 24
SAME_EDGE_MM = 0.3
"""Radii that differ by less are told as one: own choice."""
BELOW_MM = 0.3
"""A slope may run so far below what lies behind it before its edge shows: own choice."""


def rounded_of(job: Job) -> dict[int, list[Edge]]:
    """Of every piece the stretches of its border that are rounded; kept with the job."""
    kept = job.__dict__.get("_rounded")
    if kept is None:
        made = ((p.key, [edge for edge in edges_of(job, p.key) if edge.mm > EASED_MM]) for p in job.composition.made)
        kept = job.__dict__["_rounded"] = dict(made)
    return kept


def usual_edge_mm(job: Job) -> float:
    """The radius along most of what is rounded; 0 where nothing is."""
    along: Counter[float] = Counter()
    for edge in chain.from_iterable(rounded_of(job).values()):
        along[round(edge.mm, 2)] += edge.line.length
    return max(along, key=lambda mm: along[mm], default=0.0)


def together_of(job: Job) -> dict[int, tuple[int, ...]]:
    """Pieces of one part that touch and are equally high are held together and shaped as one: by each its neighbours
    in that. Kept with the job."""
    kept = job.__dict__.get("_together")
    if kept is None:
        kept = job.__dict__["_together"] = _together(job)
    return kept


def _together(job: Job) -> dict[int, tuple[int, ...]]:
    composition = job.composition
    found: dict[int, tuple[int, ...]] = {}
    for layer in composition.layers:
        if not layer.fitted:
            continue
        coverage = layer.without_openings.coverage
        for key, beside in coverage.neighbours.items():
            part = layer.by_key[key].part
            same = [
                other
                for other in beside
                if part
                and layer.by_key[other].part == part
                and abs(job.standing.top_mm(other) - job.standing.top_mm(key)) < 0.05
            ]
            if same:
                found[key] = tuple(sorted(same))
    return found


def meets_mm(job: Job, key: int, high: tuple[float, float], low: tuple[float, float]) -> float:
    """The top of what lies beyond the low end of a slope, above what the rearmost layer lies on; nothing where it runs
    out at the border."""
    way = np.subtract(low, high) / max(float(np.hypot(*np.subtract(low, high))), 1e-9)
    layer = job.composition.home[key]
    outline = layer.coverage.by_key[key]
    # what it runs towards is met where the line leaves the piece, wherever on it the low end was drawn
    ray = shapely.LineString([high, np.asarray(high) + way * 1e4])
    leaves = (shapely.get_coordinates(shapely.intersection(ray, outline)) - high) @ way
    far = max(float(leaves.max()) if len(leaves) else 0.0, float(np.subtract(low, high) @ way))
    beyond = np.asarray(high) + way * (far + BEYOND_MM)
    met = [
        job.lifted_mm(p)
        for p in layer.without_openings.pieces
        if p.key != key and layer.coverage.by_key[p.key].contains(shapely.Point(beyond))
    ]
    return max(met, default=max(job.rests_mm[key] - job.ground_mm + LEAST_LEFT_MM, 0.5))


def slope_faults(job: Job, key: int) -> tuple[float, list[int]]:
    """What is left of a carved piece at its thinnest (mm), and neighbours whose own edge would stand above the slope
    although they lie lower than the piece."""
    composition = job.composition
    slope = composition.decisions.relief.slopes[key]
    left = slope.low_mm - (job.rests_mm[key] - job.ground_mm) - job.shim_mm[key]
    below = []
    beside = composition.home[key].without_openings.coverage.neighbours.get(key, {})
    for other, seam in beside.items():
        their = job.standing.top_mm(other) - job.ground_mm
        if their > job.standing.top_mm(key) - job.ground_mm - BELOW_MM:
            continue
        places = shapely.get_coordinates(seam.line.interpolate(np.linspace(0, 1, SAMPLES), normalized=True))
        if (height_at(slope, places) < their - BELOW_MM).any():
            below.append(other)
    return left, sorted(below)
