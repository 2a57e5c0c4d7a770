"""A picture in other woods than it has: to be seen, and what would come of it."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import replace

from ..work.composition import Composition
from .contrast import contrast_of


def in_woods(composition: Composition, woods: Mapping[int, str]) -> Composition:
    """The composition with other woods, by piece key. A piece in another wood comes from no board; nothing is given by
    this."""
    if not woods:
        return composition
    layers = tuple(
        replace(layer, pieces=tuple(replace(p, wood=woods.get(p.key, p.wood)) for p in layer.pieces))
        for layer in composition.layers
    )
    other = {str(p.key) for p in composition.made if woods.get(p.key, p.wood) != p.wood}
    kept = {key: place for key, place in composition.placements.items() if key.partition("/")[0] not in other}
    return replace(composition, layers=layers, placements=kept)


def seams_by_reading(composition: Composition) -> dict[str, int]:
    """How many seams of all layers read how."""
    return dict(Counter(r.reading for layer in composition.layers for r in contrast_of(composition, layer)))
