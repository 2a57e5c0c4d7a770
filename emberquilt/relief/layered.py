"""What a piece of a layered work lies on, counted in layers and spacers."""

from ..work.overlaps import overlap_of
from ..work.parts import Job

NEAR_MM = 0.02


def lies_on(job: Job, key: int) -> list[tuple[str, float]]:
    """What bears a piece, from right under it to the very back: name and thickness in mm of each layer, of spacers
    between them, and of the backer."""
    composition = job.composition
    found: list[tuple[str, float]] = []
    here = key
    while True:
        layer = composition.home[here]
        place = composition.layers.index(layer)
        level = job.rests_mm[here]
        stand = composition.decisions.relief.stand_off_mm(layer.key)
        if stand and place:
            found.append(("spacers", stand))
            level -= stand
        below = _under(job, here, place, level)
        if below is None:
            break
        found.append((composition.home[below].name, job.thickness_mm[below]))
        if job.shim_mm[below]:
            found.append(("shim", job.shim_mm[below]))
        here = below
    if job.grounds:
        found.append(("backer", job.ground_mm))
    return found


def _under(job: Job, key: int, place: int, level: float) -> int | None:
    """The piece behind this one whose top bears it, of several the one that it shares most with."""
    upper = job.composition.layers[place].without_openings.coverage
    mine = upper.keys.index(key)
    best, most = None, 0.0
    for j, layer in enumerate(job.composition.layers[:place]):
        lower = layer.without_openings.coverage
        over = overlap_of(upper, lower, j)
        for i, area in zip(over.lower[over.upper == mine].tolist(), over.area_mm2[over.upper == mine], strict=True):
            if abs(job.standing.top_mm(lower.keys[i]) - level) < NEAR_MM and area > most:
                best, most = lower.keys[i], float(area)
    return best
