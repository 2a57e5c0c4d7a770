"""Colours in CIELAB (D65) and their difference as CIEDE2000.

Source: Sharma, Wu, Dalal, "The CIEDE2000 color-difference formula", Color Research and Application 30 (2005);
computed by scikit-image.
"""

from functools import cache

import numpy as np
from skimage.color import deltaE_ciede2000, rgb2lab

from .errors import BadChoice


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
def hex_apart(first: str, second: str) -> float:
    """CIEDE2000 between two colours written as ``#rrggbb``."""
    return float(difference(lab_of(first), lab_of(second)))
