"""Colours of woods: how far two finished woods are apart, and which is nearest to a colour."""

from functools import cache

import numpy as np

from ..colour import difference, lab_of
from .woods import Wood, woods


@cache
def between(first: str, second: str) -> float:
    """CIEDE2000 between two finished woods, by code."""
    table = woods()
    return float(difference(lab_of(table[first].finished), lab_of(table[second].finished)))


def closest(hex_colour: str, among: list[Wood] | None = None, most: int = 5) -> list[tuple[Wood, float]]:
    """Woods nearest to a colour by their finished colour, with their CIEDE2000, nearest first."""
    candidates = list(woods().values()) if among is None else among
    labs = np.array([lab_of(w.finished) for w in candidates])
    distances = difference(labs, np.array(lab_of(hex_colour)))
    order = np.argsort(distances, kind="stable")[:most]
    return [(candidates[i], float(distances[i])) for i in order]
