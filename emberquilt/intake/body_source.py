"""A body that somebody brings, at its finished height, with what was put right."""

from dataclasses import dataclass

import numpy as np
import shapely

from ..errors import BadChoice, BadLength
from ..findings import Finding
from ..solid.blown import blown
from ..solid.mesh import Mesh
from ..solid.reading import read_body
from ..units import Length
from .proposal import Proposal

OF_ONE_HEIGHT = 0.02
"""Two views that differ by no more are of one height."""


@dataclass(frozen=True)
class Brought:
    """A body as it was brought, the height that it gets, and findings of what was mended."""

    mesh: Mesh
    height_mm: float
    findings: tuple[Finding, ...] = ()


def blown_body(front: Proposal, side: Proposal, height: str, unit: str, stretch: bool = False) -> Brought:
    """A body between a front and a side outline, as high as is typed or as the front is drawn. Raises `BadLength` or
    `BadChoice`."""
    one, other = (
        found.coverage.only(k for k in found.coverage.keys if k not in found.openings).outside
        for found in (front, side)
    )
    if one.is_empty or other.is_empty:
        raise BadChoice("One of the two drawings holds nothing to make a body of.")
    high, wide = (area.bounds[3] - area.bounds[1] for area in (one, other))
    if abs(high - wide) > OF_ONE_HEIGHT * max(high, wide) and not stretch:
        raise BadChoice(
            f"The front outline is {high:.1f} mm high, the side one {wide:.1f}: two views of one body are of one "
            "height. Draw them alike, or let the side be stretched."
        )

    def upwards(area: shapely.Geometry, scale: float = 1.0, flip: float = 1.0) -> shapely.Geometry:
        x0, _, x1, y1 = area.bounds
        return shapely.transform(area, lambda xy: np.c_[flip * (xy[:, 0] - (x0 + x1) / 2), scale * (y1 - xy[:, 1])])

    # of the right side the left edge is the front of the body
    mesh = blown(upwards(one), upwards(other, high / wide, -1.0))
    return Brought(mesh, Length.parse(height, unit).mm if height.strip() else high)


def body_of(data: bytes, height: str, unit: str) -> Brought:
    """`height` as typed; empty takes the file's own, where it says its unit. Raises `BadDrawing` or `BadLength`."""
    found = read_body(data)
    findings = tuple(
        Finding(
            "body-mended",
            "pattern",
            words,
            "A surface that is torn or inside out is sliced as if it were whole: look at the slices.",
        )
        for words in found.mended
    )
    if height.strip():
        return Brought(found.mesh, Length.parse(height, unit).mm, findings)
    own = float(found.mesh.size[2])
    if found.unit_mm:
        return Brought(found.mesh, own * found.unit_mm, findings)
    raise BadLength(
        f"This file does not say its unit: the body is {own:.4g} high, of something. Say how high it becomes."
    )
