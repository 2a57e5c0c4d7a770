"""Colours in CIELAB (D65) and their difference as CIEDE2000.

Source: Sharma, Wu, Dalal, "The CIEDE2000 color-difference formula", Color Research and Application 30 (2005);
computed by scikit-image.
"""

import warnings
from functools import cache

import numpy as np
from skimage.color import deltaE_ciede2000, lab2rgb, rgb2lab

from .errors import BadChoice

Lab = tuple[float, float, float]


def rgb_of(hex_colour: str) -> tuple[int, int, int]:
    """``#rrggbb`` to 0..255. Raises `BadChoice`."""
    try:
        value = bytes.fromhex(hex_colour.removeprefix("#"))
        red, green, blue = value
    except ValueError:
        raise BadChoice(f"“{hex_colour}” is not a colour; write it as #rrggbb.") from None
    return red, green, blue


@cache
def lab_of(hex_colour: str) -> Lab:
    rgb = np.array(rgb_of(hex_colour), float)[None, None] / 255
    return tuple(rgb2lab(rgb)[0, 0].tolist())


def rgb_from(lab) -> np.ndarray:
    """CIELAB (..., 3) to sRGB 0..1; what no screen can show is brought to the nearest it can."""
    with warnings.catch_warnings():
        warnings.filterwarnings("ignore", message="Conversion from CIE-LAB")
        return np.clip(lab2rgb(np.asarray(lab, float)), 0, 1)


def hex_of(lab) -> str:
    """The nearest sRGB colour as ``#rrggbb``."""
    rgb = rgb_from(lab)
    return "#{:02x}{:02x}{:02x}".format(*np.round(rgb * 255).astype(int))


def linear_of(rgb) -> np.ndarray:
    """sRGB 0..255 to linear light 0..1 (IEC 61966-2-1)."""
    share = np.asarray(rgb, float) / 255
    return np.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)


def srgb_of(linear) -> np.ndarray:
    """Linear light 0..1 to sRGB 0..1 (IEC 61966-2-1)."""
    light = np.clip(np.asarray(linear, float), 0, 1)
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)


def lab_of_linear(linear) -> Lab:
    return tuple(rgb2lab(srgb_of(linear)[None, None])[0, 0].tolist())


def difference(first, second) -> np.ndarray:
    """CIEDE2000 between CIELAB values, broadcast over leading axes."""
    return deltaE_ciede2000(*np.broadcast_arrays(np.asarray(first, float), np.asarray(second, float)))


@cache
def hex_apart(first: str, second: str) -> float:
    """CIEDE2000 between two colours written as ``#rrggbb``."""
    return float(difference(lab_of(first), lab_of(second)))


HUES = (
    (48, "red"),
    (84, "orange"),
    (116, "yellow"),
    (172, "green"),
    (215, "blue-green"),
    (309, "blue"),
    (340, "violet"),
)
GREYS = ((20, "black"), (45, "dark grey"), (72, "grey"), (92, "light grey"), (101, "white"))
"""Upper bounds of the hue angle in CIELAB, in degrees, and of lightness: own division of the plane."""


def words_of(hex_colour: str) -> str:
    """A colour as one would call it across the bench: “light orange”, “dark blue”. Raises `BadChoice`."""
    light, a, b = lab_of(hex_colour)
    chroma, hue = float(np.hypot(a, b)), float(np.degrees(np.arctan2(b, a))) % 360
    if chroma < 9:
        return next(name for most, name in GREYS if light < most)
    name = next((name for most, name in HUES if hue < most), "red")
    if name in ("red", "orange") and hue > 30 and (chroma < 32 or (light < 50 and chroma < 60)):
        name = "brown"
    if light > 76 and name != "yellow":
        return "pink" if name == "red" else f"light {name}"
    return f"dark {name}" if light < 31 else name
