"""Weight and centre of mass, part by part."""

from collections.abc import Iterable
from dataclasses import dataclass

import shapely

from ..work.parts import Job, Part
from ..work.pools import RESIN_KG_M3, resin_of

RECKONED_KG_M3 = 560.0
"""What a part without a known material is reckoned to weigh: about that of cherry (specific gravity 0.50 at 12 %
moisture, from memory of the Wood Handbook)."""


@dataclass(frozen=True, slots=True)
class Mass:
    """`weight_kg`, the centre of mass in mm (x and y on the picture, z from the very back), and how much of the weight
    is only reckoned with."""

    weight_kg: float
    x_mm: float
    y_mm: float
    z_mm: float
    reckoned_kg: float = 0.0


def density_kg_m3(job: Job, part: Part) -> float | None:
    """Of what a part is made of, at 12 % moisture; None where nobody knows it."""
    if part.role == "resin":
        return RESIN_KG_M3
    wood = job.composition.rack.shelf.get(part.material)
    return None if wood is None else wood.density_kg_m3


def weight_kg(job: Job, part: Part) -> float | None:
    """Weight of a part at 12 % moisture; None where nobody knows what its material weighs."""
    density = density_kg_m3(job, part)
    return None if density is None else part.area_mm2 * part.thickness_mm * 1e-9 * density


def mass_of(job: Job, parts: Iterable[Part]) -> Mass:
    """Of these parts together. A part is a prism: its centre stands over its outline's, half way up."""
    total = x = y = z = reckoned = 0.0
    for part in parts:
        own = weight_kg(job, part)
        if own is None:
            own = part.area_mm2 * part.thickness_mm * 1e-9 * RECKONED_KG_M3
            reckoned += own
        centre = shapely.centroid(part.outline)
        total += own
        x += own * centre.x
        y += own * centre.y
        z += own * (part.floor_mm + part.thickness_mm / 2)
    if not total:
        return Mass(0.0, 0.0, 0.0, 0.0)
    return Mass(total, x / total, y / total, z / total, reckoned)


def hung(job: Job) -> list[Part]:
    """All of one copy that hangs on the wall: what routing leaves of a board, a block as it is before it is sawn, and
    resin. The base is what a work stands on."""
    return [*job.shown, *job.blocks, *resin_of(job)]
