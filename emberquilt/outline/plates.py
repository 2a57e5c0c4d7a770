"""Outlines to begin with: rectangle, oval, arch."""

import math

import numpy as np
import shapely

from ..errors import BadChoice


def plate_round(kind: str, box: tuple[float, float, float, float], margin: float) -> shapely.Polygon:
    """The outline of this kind that stands round a box with a margin. The box lies inside it whole."""
    left, top, right, bottom = box
    width, height = right - left, bottom - top
    grow_x = grow_y = margin
    if kind == "oval":
        # the oval of the box's shape through its corners, then the margin
        grow_x += (math.sqrt(2) - 1) / 2 * width
        grow_y += (math.sqrt(2) - 1) / 2 * height
    if kind == "arch":
        # the bow begins above the box, and is a half circle
        top -= width / 2 + margin
    return plate(kind, (left - grow_x, top - grow_y, right + grow_x, bottom + grow_y))


def plate(kind: str, box: tuple[float, float, float, float]) -> shapely.Polygon:
    """An outline that fills a box: rectangle, oval, or an arch (a half circle, or half ellipse, on upright sides)."""
    left, top, right, bottom = box
    width, height = right - left, bottom - top
    if kind == "rectangle":
        return shapely.box(*box)
    steps = np.linspace(0, 2 * math.pi, 181)[:-1]
    if kind == "oval":
        xy = np.c_[(left + right) / 2 + width / 2 * np.cos(steps), (top + bottom) / 2 + height / 2 * np.sin(steps)]
        return shapely.Polygon(xy)
    if kind != "arch":
        raise BadChoice(f"There is no outline “{kind}”: rectangle, oval or arch.")
    rise = min(width / 2, height * 0.75)
    turn = np.linspace(math.pi, 2 * math.pi, 91)
    bow = np.c_[(left + right) / 2 + width / 2 * np.cos(turn), top + rise + rise * np.sin(turn)]
    return shapely.Polygon([(left, bottom), *bow.tolist(), (right, bottom)])
