"""A picture in other woods than it has: to be seen, and what would come of it."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from ..stock.need import needs_of
from ..work.composition import Composition
from .contrast import contrast_of


def in_woods(composition: Composition, woods: Mapping[int, str]) -> Composition:
    """The composition with other woods, by piece key. A piece in another wood comes from no board; nothing is given by
    this."""
    if not woods:
        return composition
    bare: dict[str, Any] = {"board": "", "board_x_mm": None, "board_y_mm": None}
    layers = tuple(
        replace(
            layer,
            pieces=tuple(
                replace(p, wood=woods[p.key], **bare) if woods.get(p.key, p.wood) != p.wood else p for p in layer.pieces
            ),
        )
        for layer in composition.layers
    )
    return replace(composition, layers=layers)


@dataclass(frozen=True)
class Verdict:
    """What a palette comes to: seams by how they read, area (mm2) of each wood as the shelf has them, board feet to
    buy, and what the rack is short of (mm2 by wood), the most first."""

    seams: dict[str, int]
    area_mm2: dict[str, float]
    board_feet: float
    short_mm2: tuple[tuple[str, float], ...]


def verdict_of(composition: Composition) -> Verdict:
    layer, rack = composition.in_hand, composition.rack
    area: dict[str, float] = {}
    for p in layer.pieces:
        if p.wood:
            area[p.wood] = area.get(p.wood, 0.0) + layer.coverage.area_mm2[p.key]
    needs = needs_of(layer, composition.practice, rack.boards)
    short = sorted(((n.wood, n.short_mm2) for n in needs if n.short_mm2 > 0 and rack.boards), key=lambda item: -item[1])
    return Verdict(
        dict(Counter(r.reading for r in contrast_of(composition))),
        {code: area[code] for code in rack.shelf if code in area},
        sum(n.bought_feet for n in needs),
        tuple(short),
    )
