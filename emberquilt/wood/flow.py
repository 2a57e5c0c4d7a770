"""Grain that follows the form: along drawn lines, fanning between them, round a point, mirrored."""

from collections.abc import Mapping, Sequence

import numpy as np
import shapely

from ..outline.coverage import Spot

NEAR_MM = 1.0
"""Closer to a flow line than this all places count as on it."""


def flow_deg(lines: Sequence[shapely.LineString], x_mm: float, y_mm: float) -> float:
    """The way the flow runs at a place, 0 to below 360 as one sees it.

    With one line it is that line's own direction where it passes closest; between several the directions blend, each
    weighted by one over the square of its distance, so that two lines that part make a fan.
    """
    place = shapely.Point(x_mm, y_mm)
    sum_x = sum_y = 0.0
    for line in lines:
        at = float(shapely.line_locate_point(line, place))
        step = min(max(line.length * 0.02, 0.2), 2.0)
        ends = shapely.line_interpolate_point(line, [max(at - step, 0.0), min(at + step, line.length)])
        (x0, y0), (x1, y1) = shapely.get_coordinates(ends)
        long = float(np.hypot(x1 - x0, y1 - y0)) or 1.0
        weight = 1.0 / max(float(shapely.distance(line, place)), NEAR_MM) ** 2
        sum_x += weight * (x1 - x0) / long
        sum_y += weight * (y1 - y0) / long
    return float(np.degrees(np.arctan2(-sum_y, sum_x))) % 360


def radial_deg(spot: Spot, x_mm: float, y_mm: float) -> float:
    """From a point outwards, as rays or petals run; 0 for a piece that lies on the point."""
    if np.hypot(spot.x_mm - x_mm, spot.y_mm - y_mm) < 1e-6:
        return 0.0
    return float(np.degrees(np.arctan2(y_mm - spot.y_mm, spot.x_mm - x_mm))) % 360


def mirrored_deg(grain_deg: float, axis_deg: float) -> float:
    """An arrow as a mirror standing on a line shows it."""
    return (2 * axis_deg - grain_deg) % 360


def counterparts(
    outlines: Mapping[int, shapely.Polygon], keys: Sequence[int], start: tuple[float, float], end: tuple[float, float]
) -> dict[int, int]:
    """For each piece the other piece that covers at least half of its mirror image (and is half covered by it)."""
    (ax, ay), (bx, by) = start, end
    long = np.hypot(bx - ax, by - ay)
    dx, dy = (bx - ax) / long, (by - ay) / long

    def flip(xy: np.ndarray) -> np.ndarray:
        rel = xy - [ax, ay]
        along = rel @ np.array([dx, dy])
        return np.array([ax, ay]) + 2 * along[:, None] * np.array([dx, dy]) - rel

    names = list(outlines)
    table = np.array([outlines[key] for key in names])
    tree = shapely.STRtree(table)
    pairs = {}
    for key in keys:
        image = shapely.transform(outlines[key], flip)
        near = tree.query(image)
        shared = shapely.area(shapely.intersection(table[near], image)) if len(near) else np.array([])
        if len(shared):
            i = int(np.argmax(shared))
            other = names[int(near[i])]
            if other != key and shared[i] >= 0.5 * max(image.area, outlines[other].area):
                pairs[key] = other
    return pairs


def keeping_up(new_deg: float, old_deg: float | None) -> float:
    """Of the two ways along one direction the one nearer to the arrow as it was: up the grain stays up."""
    if old_deg is None:
        return round(new_deg % 360, 1) % 360
    apart = abs((new_deg - old_deg + 180) % 360 - 180)
    return round((new_deg + (180 if apart > 90 else 0)) % 360, 1) % 360
