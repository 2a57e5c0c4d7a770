"""Colours of woods in CIELAB (D65) and their difference as CIEDE2000.

Source: Sharma, Wu, Dalal, "The CIEDE2000 color-difference formula", Color Research and Application 30 (2005);
computed by scikit-image.
"""

from functools import cache

import numpy as np
from skimage.color import deltaE_ciede2000, rgb2lab

from ..errors import BadChoice
from .woods import Wood, woods


def rgb_of(hex_colour: str) -> tuple[int, int, int]:
    """``#rrggbb`` to 0..255. Raises `BadChoice`."""
    try:
        value = bytes.fromhex(hex_colour.removeprefix("#"))
        red, green, blue = value
    except ValueError:
        raise BadChoice(f"“{hex_colour}” is not a colour; write it as #rrggbb.") from None
    return red, green, blue


@cache
def lab_of(hex_colour: str) -> tuple[float, float, float]:
    rgb = np.array(rgb_of(hex_colour), float)[None, None] / 255
    return tuple(rgb2lab(rgb)[0, 0].tolist())


def difference(first, second) -> np.ndarray:
    """CIEDE2000 between CIELAB values, broadcast over leading axes."""
    return deltaE_ciede2000(*np.broadcast_arrays(np.asarray(first, float), np.asarray(second, float)))


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


@cache
def hex_apart(first: str, second: str) -> float:
    """CIEDE2000 between two colours written as ``#rrggbb``."""
    return float(difference(lab_of(first), lab_of(second)))
