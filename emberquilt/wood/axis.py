"""The direction in which a piece is longest: the grain a woodworker would give it without a second thought."""

import numpy as np
import shapely


def long_axis_deg(outline: shapely.Polygon) -> float:
    """0 <= degrees < 180, counter-clockwise from the right as seen, of the longer side of the tightest rectangle."""
    box = shapely.minimum_rotated_rectangle(outline)
    corners = shapely.get_coordinates(box)
    if len(corners) < 4:
        return 0.0
    sides = np.diff(corners[:3], axis=0)
    x, y = sides[int(np.argmax(np.hypot(*sides.T)))]
    return round(float(np.degrees(np.arctan2(-y, x))) % 180, 1) % 180
