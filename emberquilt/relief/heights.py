"""Heights: what stands how high, the shims and spacers under it, and the totals of the whole work."""

from collections import Counter
from dataclasses import dataclass

from ..work.parts import Job, Part


@dataclass(frozen=True)
class Relief:
    """Totals of one copy, all layers. `lowest` and `highest` are tops above what the rearmost layer lies on, `depth`
    from the very back, in mm; `thicknesses` and `shims` count by height; areas in mm2."""

    lowest_mm: float
    highest_mm: float
    depth_mm: float
    thicknesses: tuple[tuple[float, int], ...]
    shims: tuple[tuple[float, int, float], ...]
    undecided: int
    weight_kg: float
    """Of all parts whose material and thickness are known, at 12 % moisture."""


def relief_of(job: Job) -> Relief:
    composition = job.composition
    made = composition.made
    tops = [job.lifted_mm(p) for p in made] or [0.0]
    decided = Counter(job.thickness_mm[p.key] for p in made if not undecided(job, p.key))
    shims = Counter(shim.thickness_mm for shim in job.shims)
    area = {mm: sum(shim.area_mm2 for shim in job.shims if shim.thickness_mm == mm) for mm in shims}
    return Relief(
        min(tops),
        max(tops),
        job.depth_mm,
        tuple(sorted(decided.items())),
        tuple((mm, count, area[mm]) for mm, count in sorted(shims.items())),
        sum(1 for p in made if undecided(job, p.key)),
        sum(weight_kg(job, part) or 0.0 for part in job.of_one),
    )


def undecided(job: Job, key: int) -> bool:
    """Neither the piece nor its layer says how thick it is, nor does what was said of depth; the usual stock is
    reckoned with."""
    if job.composition.home[key].key in job.standing.asked:
        return False
    return job.composition.by_key[key].thickness_mm is None and not job.composition.home[key].thickness_mm


def weight_kg(job: Job, part: Part) -> float | None:
    """Weight of a part at 12 % moisture; None where nobody knows what its material weighs."""
    wood = job.composition.rack.shelf.get(part.material)
    return None if wood is None else part.area_mm2 / 1e6 * part.thickness_mm / 1000 * wood.density_kg_m3
