"""Marks against mixing parts up: which end of a part is up, and that another part looks like it."""

import math

Stroke = tuple[float, float, float, float]
"""A straight line: x, y at its begin and at its end."""


def mix_marks(x: float, y: float, size: float, up_deg: float | None, twin: bool) -> list[Stroke]:
    """The same beside words of that size, centred on a point."""
    strokes: list[Stroke] = []
    if up_deg is not None:
        angle = math.radians(-up_deg)
        ux, uy = math.cos(angle), math.sin(angle)
        foot, tip, half = 1.0 * size, 1.6 * size, 0.32 * size
        left = (x + foot * ux - half * uy, y + foot * uy + half * ux)
        right = (x + foot * ux + half * uy, y + foot * uy - half * ux)
        top = (x + tip * ux, y + tip * uy)
        strokes += [(*left, *top), (*top, *right), (*right, *left)]
    if twin:
        strokes.append((x - 0.6 * size, y + 0.22 * size, x + 0.6 * size, y + 0.22 * size))
    return strokes
