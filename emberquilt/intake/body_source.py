"""A body that somebody brings, at its finished height, with what was put right."""

from dataclasses import dataclass

from ..errors import BadLength
from ..findings import Finding
from ..solid.mesh import Mesh
from ..solid.reading import read_body
from ..units import Length

LEAST_UNIT_MM = 2.0
"""A body that is less high in its file's units is measured in no millimetres."""


@dataclass(frozen=True)
class Brought:
    """A body as it was brought, the height that it gets, and findings of what was mended."""

    mesh: Mesh
    height_mm: float
    findings: tuple[Finding, ...] = ()


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
