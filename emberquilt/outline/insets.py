"""Outlines that keep inside others: backers, shims and spacers that never show."""

import numpy as np
import shapely

from .coverage import Coverage


def backer_outline(coverage: Coverage, inset_mm: float) -> shapely.Geometry:
    """The backer: the assembled outline, smaller all round by the inset; small bays and holes are left closed."""
    parts = shapely.get_parts(coverage.outside)
    whole = shapely.union_all(shapely.polygons(shapely.get_exterior_ring(parts)))
    return shapely.simplify(shapely.buffer(whole, -inset_mm, join_style="mitre", mitre_limit=2), 0.05)


def shim_outline(outline: shapely.Geometry, inset_mm: float) -> shapely.Geometry:
    """The shim under a piece: smaller all round so that it never shows. Empty where the piece is too narrow for one."""
    return shapely.buffer(outline, -inset_mm, join_style="mitre")


def spread(region: shapely.Geometry, side_mm: float, apart_mm: float, least: int, most: int) -> list[shapely.Polygon]:
    """Squares of that side inside a region, one about every `apart_mm`, the first at its ends; fewer than `least` only
    where no more have room beside each other."""
    room = shapely.buffer(region, -side_mm * 0.75)
    if room.is_empty:
        return []
    left, top, right, bottom = room.bounds
    step = max(side_mm / 2, (right - left) / 60, (bottom - top) / 60, 0.5)
    x, y = np.meshgrid(np.arange(left, right + step, step), np.arange(top, bottom + step, step))
    places = np.c_[x.ravel(), y.ravel()]
    places = places[shapely.contains_xy(room, places[:, 0], places[:, 1])]
    if not len(places):
        spot = shapely.point_on_surface(room)
        places = np.array([[spot.x, spot.y]])
    first = int(np.argmax(np.hypot(*(places - places.mean(axis=0)).T)))
    chosen, far = [first], np.hypot(*(places - places[first]).T)
    while len(chosen) < most:
        following = int(np.argmax(far))
        if far[following] < (apart_mm if len(chosen) >= least else 1.5 * side_mm):
            break
        chosen.append(following)
        far = np.minimum(far, np.hypot(*(places - places[following]).T))
    half = side_mm / 2
    return [shapely.box(x - half, y - half, x + half, y + half) for x, y in places[chosen].round(2).tolist()]
