"""What would come of a picture in its woods: how it reads, and what has to be bought for it."""

from collections import defaultdict
from dataclasses import dataclass

from ..wood.palettes import seams_by_reading
from ..work.parts import Job
from .need import needs_of


@dataclass(frozen=True)
class Verdict:
    """What a palette comes to: seams by how they read, area (mm2) of each wood as the shelf has them, board feet to
    buy, and what the rack is short of (mm2 by wood), the most first."""

    seams: dict[str, int]
    area_mm2: dict[str, float]
    board_feet: float
    short_mm2: tuple[tuple[str, float], ...]


def verdict_of(job: Job) -> Verdict:
    composition = job.composition
    area: dict[str, float] = defaultdict(float)
    for part in job.pieces.values():
        area[part.material] += part.area_mm2
    needs = needs_of(job)
    short = [(n.material, n.short_mm2) for n in needs if n.short_mm2 > 0 and composition.rack.boards]
    return Verdict(
        seams_by_reading(composition),
        {code: area[code] for code in composition.rack.shelf if code in area},
        sum(n.bought_feet for n in needs if not n.sheet),
        tuple(sorted(short, key=lambda item: -item[1])),
    )
