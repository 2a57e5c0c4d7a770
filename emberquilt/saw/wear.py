"""How long a blade lasts, and where a fresh one hurts least."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ..rack.blades import Blade
from .minutes import USUAL_HARDNESS_LBF

LIFE_MM2 = 38_000.0
"""Wall of wood of cherry's hardness, length times thickness, that one blade saws: a first profile through 38 mm poplar
in 20 min takes most of one blade. Common practice, no source; the length of that profile is taken from the feed."""
CROWN_LIVES = 1.5
"""A crown-tooth blade is turned over when it is dull, and cuts again for half as long: own assumption."""
EARLY = 0.75
"""From this share of its life on a blade is changed where it comes out of the work anyway: own choice."""


def life_mm(blade: Blade, thickness_mm: float, hardness_lbf: float) -> float:
    """How many millimetres of line a fresh blade saws in that wood."""
    mm2 = LIFE_MM2 * (CROWN_LIVES if blade.kind == "crown" else 1.0)
    return mm2 / (max(thickness_mm, 0.1) * math.sqrt(max(hardness_lbf, 1.0) / USUAL_HARDNESS_LBF))


@dataclass(frozen=True, slots=True)
class Worn:
    """Of one cut: by what share of a life it wears the blade, and whether the blade comes out of the work before it (a
    hole to be threaded, the next blank)."""

    share: float
    free: bool


def fresh_at(cuts: Sequence[Worn]) -> list[int]:
    """Before which cuts, done one after another with blades of one kind, a fresh blade is mounted; the first is not
    counted. It is done where the blade is out anyway, once most of its life is gone; a cut longer than a life begins
    with a fresh one."""
    changes: list[int] = []
    used = 0.0
    last_free: int | None = None
    used_since = 0.0
    for n, cut in enumerate(cuts):
        if n and cut.free and used >= EARLY:
            last_free, used_since = n, 0.0
        if n and used + cut.share > 1.0 and used > 0.0:
            if last_free is not None and last_free > (changes[-1] if changes else 0) and used_since + cut.share <= 1.0:
                changes.append(last_free)
                used = used_since
            else:
                changes.append(n)
                used = 0.0
            last_free, used_since = None, 0.0
        used += cut.share
        used_since += cut.share
    return changes


def within(cut: Worn) -> int:
    """Fresh blades that are needed in the middle of a cut longer than a life."""
    return max(0, math.ceil(cut.share - 1e-9) - 1)
