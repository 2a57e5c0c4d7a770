"""Outlines to begin with: rectangle, oval, arch."""

import math

import numpy as np
import shapely

from ..errors import BadChoice
from .coverage import on_grid


def plate(kind: str, box: tuple[float, float, float, float]) -> shapely.Polygon:
    """An outline that fills a box: rectangle, oval, or an arch (a half circle, or half ellipse, on upright sides)."""
    left, top, right, bottom = box
    width, height = right - left, bottom - top
    if kind == "rectangle":
        return on_grid(shapely.box(*box))
    steps = np.linspace(0, 2 * math.pi, 181)[:-1]
    if kind == "oval":
        xy = np.c_[(left + right) / 2 + width / 2 * np.cos(steps), (top + bottom) / 2 + height / 2 * np.sin(steps)]
        return on_grid(shapely.Polygon(xy))
    if kind != "arch":
        raise BadChoice(f"There is no outline “{kind}”: rectangle, oval or arch.")
    rise = min(width / 2, height * 0.75)
    turn = np.linspace(math.pi, 2 * math.pi, 91)
    bow = np.c_[(left + right) / 2 + width / 2 * np.cos(turn), top + rise + rise * np.sin(turn)]
    return on_grid(shapely.Polygon([(left, bottom), *bow.tolist(), (right, bottom)]))
