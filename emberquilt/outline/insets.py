"""Outlines that keep inside others: backers, shims and spacers that never show."""

import numpy as np
import shapely

from .coverage import Coverage

SMOOTH_MM = 4.0
"""Corners of a backer are rounded by this, so that it can be sawn in one go: own choice."""
LEAST_INSET_MM = 1.0
"""A neck that the inset would part keeps this much of a margin instead."""
LEAST_HOLE_MM = 12.0
"""Holes in the picture that are narrower stay closed in the backer: a blade has to be threaded for each. Own choice."""


def backer_outline(
    coverage: Coverage, inset_mm: float, lost_mm: float = 0.0, seen_through: bool = False
) -> shapely.Geometry:
    """The backer: the assembled outline as it will be once sawing took `lost_mm` from its border, smaller all round by
    the inset, without corners that cannot be sawn. Wide holes are cut with the same margin, narrow ones stay closed;
    all do where the backer is to be `seen_through` them. A body that the margin would part at a neck is held together
    by a narrower one there."""
    bodies = shapely.get_parts(coverage.outside).tolist()
    whole = [shapely.Polygon(body.exterior) if seen_through else _without_narrow(body) for body in bodies]
    made = [_backed(body, inset_mm, lost_mm) for body in whole]
    return shapely.simplify(shapely.union_all([one for one in made if not one.is_empty]), 0.05)


def _without_narrow(body: shapely.Polygon) -> shapely.Polygon:
    wide = [
        hole
        for hole in body.interiors
        if not shapely.buffer(shapely.Polygon(hole), -LEAST_HOLE_MM / 2, quad_segs=4).is_empty
    ]
    return shapely.Polygon(body.exterior, wide)


def _backed(body: shapely.Polygon, inset_mm: float, lost_mm: float) -> shapely.Geometry:
    real = shapely.buffer(body, -lost_mm, join_style="mitre", mitre_limit=2) if lost_mm else body
    whole = _within(real, inset_mm)
    least = min(LEAST_INSET_MM, inset_mm)
    if shapely.get_num_geometries(whole) > 1 and least < inset_mm:
        narrow = _within(real, least)
        for part in shapely.get_parts(narrow).tolist():
            inner = shapely.intersection(whole, part)
            if shapely.get_num_geometries(inner) > 1:
                whole = shapely.union(whole, _necks(part, inner, inset_mm))
    parts = [part for part in shapely.get_parts(whole).tolist() if part.area > 0]
    return _smoothed(shapely.union_all(parts), real) if parts else whole


def _within(real: shapely.Geometry, inset_mm: float) -> shapely.Geometry:
    return shapely.buffer(real, -inset_mm, join_style="mitre", mitre_limit=2)


def _necks(part: shapely.Geometry, inner: shapely.Geometry, inset_mm: float) -> shapely.Geometry:
    """Those strips beside the well inside that join two of its bodies."""
    strips = shapely.difference(part, inner)
    bodies = shapely.get_parts(inner)
    near = shapely.buffer(bodies, 0.01)
    return shapely.union_all(
        [
            strip
            for strip in shapely.get_parts(strips).tolist()
            if strip.geom_type == "Polygon" and int(shapely.intersects(near, strip).sum()) > 1
        ]
        or [shapely.Polygon()]
    )


def _smoothed(backer: shapely.Geometry, real: shapely.Geometry) -> shapely.Geometry:
    """Outer corners rounded, bays too narrow for the saw closed as far as half the margin allows; what rounding would
    lose of a narrow place stays."""
    opened = shapely.buffer(shapely.buffer(backer, -SMOOTH_MM), SMOOTH_MM)
    lost = shapely.difference(backer, opened)
    kept = [part for part in shapely.get_parts(lost).tolist() if part.area > SMOOTH_MM**2]
    whole = shapely.union_all([opened, *kept])
    closed = shapely.buffer(shapely.buffer(whole, SMOOTH_MM), -SMOOTH_MM)
    margin = max(float(shapely.distance(shapely.boundary(real), backer)), 0.0)
    return shapely.union(whole, shapely.intersection(closed, _within(real, margin / 2)))


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
