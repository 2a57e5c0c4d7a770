"""Where glue that squeezes out would be seen: along the edge of what lies on a face that shows."""

import shapely

from ..work.parts import Job
from .glueup import Batch

SEEN_MM = 0.2
"""A face shows beside an edge where it does so at this distance from it."""
LEAST_MM = 3.0


def squeezed_out(job: Job, batch: Batch) -> dict[str, float]:
    """By part on which glue would be seen how long the edge is along which it would (mm)."""
    return job.once(("squeeze", batch.key), lambda: _squeezed(job, batch))


def _squeezed(job: Job, batch: Batch) -> dict[str, float]:
    upper: dict[str, list[shapely.Geometry]] = {}
    for step in batch.steps:
        for bond in step.bonds:
            if bond.kind == "face" and bond.a.isdecimal():
                upper.setdefault(bond.a, []).append(job.by_key[bond.b].outline)
    found = {}
    for key, outlines in upper.items():
        seen = job.seen_of.get(job.by_key[key].id.piece)
        if seen is None or seen.is_empty:
            continue
        edge = shapely.boundary(shapely.union_all(outlines))
        shows = shapely.intersection(edge, shapely.buffer(seen, SEEN_MM))
        # where what lies on it ends with it there is no face beside the edge
        ends = shapely.buffer(shapely.boundary(job.by_key[key].outline), SEEN_MM)
        long = float(shapely.difference(shows, ends).length)
        if long > LEAST_MM:
            found[key] = round(long, 1)
    return found
