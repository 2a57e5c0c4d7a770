"""What is wrong with pieces as they are drawn: too thin to saw, too large to turn, words that read backwards."""

import shapely

from ..findings import Finding, Fix, name_pieces
from ..work.composition import Composition, Layer
from ..work.parts import Job
from ..work.register import judgement

HAIR_MM = 1.5
"""Regions thinner than this at their fattest cannot be sawn out whole. Common practice, no source."""


@judgement("pattern")
def pattern_findings(job: Job, _plan=None) -> list[Finding]:
    """What intake could not read, then each layer as it is drawn."""
    composition = job.composition
    found = [*composition.intake_findings]
    for layer in composition.layers:
        found += _hairlines(composition, layer.without_openings)
        found += _too_large(composition, layer.without_openings)
    return [*found, *_mirrored(composition)]


def _hairlines(composition: Composition, layer: Layer) -> list[Finding]:
    thin = [p for p in layer.pieces if 2 * layer.coverage.spots[p.key].radius_mm < HAIR_MM]
    if not thin:
        return []
    say = composition.practice.say
    return [
        Finding(
            "hairline",
            "pattern",
            f"{name_pieces(sorted(p.number for p in thin))} {'is' if len(thin) == 1 else 'are'} "
            f"under {say(HAIR_MM)} at "
            "the fattest: the blade leaves nothing of it. Join it to a neighbour.",
            "A kerf and the sanding beside it take more than that.",
            tuple(p.key for p in thin),
            amount=len(thin),
            limit=HAIR_MM,
            unit="mm",
            fix=Fix("Join them to their neighbours", "join_small", {"smallest": f"{HAIR_MM} mm", "layer": layer.key}),
        )
    ]


def _too_large(composition: Composition, layer: Layer) -> list[Finding]:
    throat = composition.practice.throat_mm
    across = layer.coverage.each("across", lambda _, outlines: (2 * shapely.minimum_bounding_radius(outlines)).tolist())
    large = [p for p in layer.pieces if across[p.key] > throat]
    if not large:
        return []
    widest = max(large, key=lambda p: across[p.key])
    say = composition.practice.say
    return [
        Finding(
            "throat",
            "pattern",
            f"{name_pieces(sorted(p.number for p in large))} {'is' if len(large) == 1 else 'are'} up to "
            f"{say(across[widest.key])} across: it cannot turn all the way in a throat of "
            f"{say(throat)}. Split it, or saw "
            "in from both ends with a spiral blade.",
            "Work that meets the saw's rear column half way round must come out and in again.",
            tuple(p.key for p in large),
            amount=round(across[widest.key], 1),
            limit=throat,
            unit="mm",
        )
    ]


def _mirrored(composition: Composition) -> list[Finding]:
    decided = composition.decisions.pattern
    if not (decided.mirrored and decided.lettered):
        return []
    return [
        Finding(
            "mirrored-text",
            "pattern",
            "The words in this picture read backwards: it was mirrored. Mirror it again, unless "
            "you saw it from the back.",
            "Lettering is seldom meant to be read in a mirror.",
            fix=Fix("Mirror it again", "mirror"),
        )
    ]
