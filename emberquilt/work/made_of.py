"""What a work, or some of its pieces, is made of."""

from collections.abc import Iterable
from dataclasses import dataclass

from .composition import Composition, Piece


@dataclass(frozen=True, slots=True)
class MadeOf:
    """One wood (its code, empty where none is given yet): how many pieces are of it, their area as seen on the pattern
    in mm2, and which share of all that is."""

    code: str
    pieces: int
    area_mm2: float
    share: float


def made_of(work: Composition, pieces: Iterable[Piece] | None = None) -> list[MadeOf]:
    """What these pieces, or all that are made of something, are of; what most is of first."""
    counts: dict[str, int] = {}
    areas: dict[str, float] = {}
    for piece in work.made if pieces is None else pieces:
        code = work.wood_of(piece)
        counts[code] = counts.get(code, 0) + 1
        areas[code] = areas.get(code, 0.0) + work.home[piece.key].coverage.area_mm2[piece.key]
    whole = sum(areas.values()) or 1.0
    order = sorted(areas, key=lambda code: (-areas[code], code))
    return [MadeOf(code, counts[code], areas[code], areas[code] / whole) for code in order]
