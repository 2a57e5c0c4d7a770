"""Which woods are nearest to a colour, as they will look once finished."""

import numpy as np

from ..colour import difference, lab_of
from ..rack.seen import Seen
from ..rack.woods import Wood


def natural(seen: Seen) -> list[str]:
    """Codes of what grows: a picture's colours are matched to wood unless sheet goods are asked for."""
    return [code for code, wood in seen.rack.shelf.items() if wood.kind != "sheet"]


def closest(
    hex_colour: str, seen: Seen, among: list[str] | None = None, most: int = 5, coat: str = ""
) -> list[tuple[Wood, float]]:
    """Woods nearest to a colour by their finished colour, with their CIEDE2000, nearest first."""
    codes = natural(seen) if among is None else among
    if not codes:
        return []
    labs = np.array([seen.lab_of((code, coat, "")) for code in codes])
    distances = difference(labs, np.array(lab_of(hex_colour)))
    order = np.argsort(distances, kind="stable")[:most]
    return [(seen.rack.shelf[codes[i]], float(distances[i])) for i in order]
