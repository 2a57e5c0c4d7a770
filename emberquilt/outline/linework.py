"""Lines to faces: node them on the grid, close small gaps at their ends, and take what they enclose."""

from dataclasses import dataclass

import numpy as np
import shapely

from ..constants import GRID_MM
from ..errors import BadDrawing, Tangled
from .ends import meetings

CLOSE_MM = 1.2
"""Ends up to this far apart at finished size are taken as meeting (own prototype's figure)."""
OVERSHOOT_SHARE = 0.005
"""A line may run this share of the sheet past the one it meets before its end counts as loose; never less than
CLOSE_MM."""
MOST_FACES = 15_000
MOST_CROSSINGS = 2 * MOST_FACES
LOOKED_AT = 4_000
"""Stretches of line whose crossings are counted, where there are more."""
WAY_MM = 0.5
"""Where a line was going shows in its last stretch of this length."""
SLIVER_MM = 0.25
"""Faces thinner than this, everywhere, are drawing noise: thinner than any blade's kerf."""


@dataclass(frozen=True)
class Faces:
    outlines: list[shapely.Polygon]
    open_ends: list[tuple[float, float]]
    closed_gaps: list[tuple[float, float]]
    slivers: int


def faces_of(lines: shapely.Geometry, frame: shapely.Polygon | None = None, close_mm: float = CLOSE_MM) -> Faces:
    """Faces enclosed by lines in mm. `frame` adds a sheet's border and drops what lies outside it."""
    if frame is not None:
        lines = shapely.union(shapely.intersection(lines, frame), frame.exterior)
    whole, closed = _close_ends(noded(lines), close_mm)
    polygons = shapely.polygonize(shapely.get_parts(whole))
    if shapely.get_num_geometries(polygons) > MOST_FACES:
        raise BadDrawing(
            f"This drawing falls into {shapely.get_num_geometries(polygons):,} pieces; up to {MOST_FACES:,} can be "
            "read. Bring a simpler one."
        )
    outlines = [p for p in shapely.get_parts(polygons) if p.area > GRID_MM]
    outlines, slivers = without_slivers(outlines)
    return Faces(outlines, [(float(x), float(y)) for x, y in _ends(whole, close_mm)], closed, slivers)


def refuse_tangle(lines) -> None:
    """Raises `Tangled` where lines (an array, or one geometry of many) cross more often than can become pieces: each
    crossing makes about one more. They are counted on some of the lines, before any is cut."""
    parts = shapely.get_parts(lines)
    points, owner = shapely.get_coordinates(parts, return_index=True)
    ahead = np.flatnonzero(owner[1:] == owner[:-1])
    if len(ahead) <= MOST_CROSSINGS**0.5:
        return
    stretches = shapely.linestrings(np.stack([points[ahead], points[ahead + 1]], axis=1))
    tree = shapely.STRtree(stretches)
    some = np.random.default_rng(1).permutation(len(stretches))
    looked, met = 0, 0
    for few in np.array_split(some[:LOOKED_AT], max(1, min(len(some), LOOKED_AT) // 100)):
        met += len(tree.query(stretches[few], predicate="crosses")[0])
        looked += len(few)
        about = met * len(stretches) / looked / 2
        if met > 2_000 and about > MOST_CROSSINGS:
            raise Tangled(
                f"The lines of this drawing cross about {about:,.0f} times, and part as many pieces; "
                f"up to {MOST_FACES:,} pieces can be told apart. Bring a simpler one."
            )


def noded(lines) -> shapely.Geometry:
    """Lines (an array, or one geometry of many) cut where they meet, on the grid."""
    # GEOS meets a division by zero on lines that vanish on the grid, and handles it
    with np.errstate(all="ignore"):
        return shapely.unary_union(shapely.get_parts(lines), grid_size=GRID_MM)


def _ends(whole: shapely.Geometry, close_mm: float) -> np.ndarray:
    """Points where exactly one line ends. A line drawn a little too far, past the one it meets, has no loose end."""
    merged = shapely.get_parts(shapely.line_merge(whole))
    # a ring counts twice at the point where it closes: a line that meets it there is no loose end
    ends = np.concatenate([shapely.get_coordinates(shapely.get_point(merged, i)) for i in (0, -1)])
    left, _, right, _ = shapely.bounds(whole)
    overshoot = np.tile(shapely.length(merged) <= max(min(close_mm, CLOSE_MM), OVERSHOOT_SHARE * (right - left)), 2)
    _, inverse, count = np.unique(ends, axis=0, return_inverse=True, return_counts=True)
    return ends[(count[inverse.ravel()] == 1) & ~overshoot]


def _close_ends(whole: shapely.Geometry, close_mm: float) -> tuple[shapely.Geometry, list[tuple[float, float]]]:
    """Draw loose ends on: to the point where several meet, else to the next line straight ahead, else to the nearest
    other end or line that is not their own last stretch."""
    tips = _ends(whole, close_mm)
    if not len(tips) or close_mm <= 0:
        return whole, []
    segments = shapely.get_parts(whole)
    tree = shapely.STRtree(segments)
    points = shapely.points(tips)
    bridges, places = [], []
    ways = _ways(tips, segments, tree)
    met = {i: point for members, point in meetings(tips, ways, np.full(len(tips), close_mm)) for i in members}
    for i, point in enumerate(points):
        ahead = met.get(i)
        if ahead is None:
            ahead = _ahead(tips[i], ways[i], close_mm, segments, tree)
        if ahead is not None:
            bridges.append(shapely.linestrings([tips[i], ahead]))
            places.append((float(tips[i][0]), float(tips[i][1])))
            continue
        others = np.hypot(*(tips - tips[i]).T)
        others[i] = np.inf
        if others.min() <= close_mm:
            target = tips[others.argmin()]
        else:
            near = tree.query(point, predicate="dwithin", distance=close_mm)
            near = [s for s in near if shapely.distance(segments[s], point) > GRID_MM / 2]
            if not near:
                continue
            nearest = min(near, key=lambda s: shapely.distance(segments[s], point))
            target = shapely.get_coordinates(shapely.shortest_line(segments[nearest], point))[0]
        bridges.append(shapely.linestrings([tips[i], target]))
        places.append((float(tips[i][0]), float(tips[i][1])))
    if not bridges:
        return whole, []
    return noded(shapely.geometrycollections([*segments, *bridges])), places


def _ways(tips: np.ndarray, segments: np.ndarray, tree: shapely.STRtree) -> np.ndarray:
    """The way each end was going, over its last stretch, as unit vectors."""
    ways = np.zeros_like(tips)
    own, found = tree.query(shapely.points(tips), predicate="dwithin", distance=GRID_MM / 2)
    for i, s in zip(own.tolist(), found.tolist(), strict=True):
        xy = shapely.get_coordinates(segments[s])
        xy = xy if np.hypot(*(xy[-1] - tips[i])) <= np.hypot(*(xy[0] - tips[i])) else xy[::-1]
        back = xy[np.hypot(*(xy - tips[i]).T) > WAY_MM]
        way = tips[i] - (back[-1] if len(back) else xy[0])
        ways[i] = way / max(float(np.hypot(*way)), 1e-9)
    return ways


def _ahead(tip: np.ndarray, way: np.ndarray, reach: float, segments, tree: shapely.STRtree) -> np.ndarray | None:
    """Where the next line is met straight ahead within a reach."""
    ray = shapely.linestrings([tip + way * GRID_MM * 2, tip + way * reach])
    near = tree.query(ray, predicate="intersects")
    if not len(near):
        return None
    hits = shapely.get_coordinates(shapely.intersection(segments[near], ray))
    hits = hits[np.hypot(*(hits - tip).T) > GRID_MM]
    return hits[np.hypot(*(hits - tip).T).argmin()] if len(hits) else None


def without_slivers(outlines: list[shapely.Polygon]) -> tuple[list[shapely.Polygon], int]:
    """Join faces that no blade could separate into the neighbour with the longest shared border."""
    array = np.array(outlines)
    if not len(array):
        return outlines, 0
    thin = shapely.is_empty(shapely.buffer(array, -SLIVER_MM / 2, quad_segs=2))
    if not thin.any() or thin.all():
        return outlines, 0
    keep = dict(enumerate(outlines))
    tree = shapely.STRtree(array)
    home: dict[int, int] = {}
    for i in sorted(np.flatnonzero(thin).tolist(), key=lambda i: outlines[i].area):
        near = {home_of(home, k) for k in tree.query(outlines[i], predicate="intersects").tolist()} - {i}
        shared = {k: shapely.length(shapely.intersection(keep[k], keep[i])) for k in near if k in keep}
        best = max(shared, key=lambda k: shared[k], default=None)
        if best is None or shared[best] <= 0:
            del keep[i]
            continue
        merged = shapely.coverage_union(keep[best], keep[i])
        if merged.geom_type == "Polygon":
            keep[best] = merged
            home[i] = best
            del keep[i]
    return list(keep.values()), int(thin.sum())


def home_of(home: dict[int, int], key: int) -> int:
    """Where a thing that was joined into another, and that into a third, ended."""
    while key in home:
        key = home[key]
    return key
