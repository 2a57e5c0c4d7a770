"""Line art with known faces: curved coverages drawn with lines of a known width, and how near intake comes to them.

The truth is made by Shapely and drawn by OpenCV with supersampling; targets are those of the guide's prototypes.
"""

import cv2
import numpy as np
import shapely

from emberquilt.outline.coverage import Coverage
from tests.conftest import cells


def bowed(coverage: Coverage, bow: float = 0.08) -> Coverage:
    """Every straight seam bowed by a share of its length, the nodes kept: a matched coverage with curves."""
    done: dict[tuple, np.ndarray] = {}

    def edge(a, b) -> np.ndarray:
        key = (min(a, b), max(a, b))
        if key not in done:
            p, q = np.array(key[0]), np.array(key[1])
            t = np.linspace(0, 1, 25)[:, None]
            side = np.array([-(q - p)[1], (q - p)[0]])
            sign = 1 if (round(p[0] * 7 + q[1] * 3) % 2) else -1
            done[key] = p + t * (q - p) + sign * bow * np.sin(np.pi * t) * side
        return done[key] if a <= b else done[key][::-1]

    left, top, right, bottom = coverage.bounds_mm
    rings = []
    for outline in coverage.outlines:
        xy = [tuple(p) for p in shapely.get_coordinates(outline.exterior).tolist()]
        parts = []
        for a, b in zip(xy, xy[1:], strict=False):
            border = (a[0] == b[0] and a[0] in (left, right)) or (a[1] == b[1] and a[1] in (top, bottom))
            short = np.hypot(a[0] - b[0], a[1] - b[1]) < 4
            parts.append(np.array([a, b])[:-1] if border or short else edge(a, b)[:-1])
        rings.append(shapely.Polygon(np.vstack(parts)))
    made = Coverage(coverage.keys, rings)
    return made if made.is_valid else coverage


def drawn(coverage: Coverage, per_mm: float, ink_px: float, margin_px: int = 30, fine: int = 4) -> np.ndarray:
    """Grey picture: every border as a dark line, anti-aliased by drawing it `fine` times larger."""
    left, top, right, bottom = coverage.bounds_mm
    size = (int((bottom - top) * per_mm) + 2 * margin_px, int((right - left) * per_mm) + 2 * margin_px)
    big = np.full((size[0] * fine, size[1] * fine), 255, np.uint8)
    for outline in coverage.outlines:
        for ring in (outline.exterior, *outline.interiors):
            # the centre of pixel 0 of the large picture lies at 0.5
            xy = ((shapely.get_coordinates(ring) - [left, top]) * per_mm + margin_px) * fine - 0.5
            cv2.polylines(big, [np.round(xy * 16).astype(np.int32)], True, 0, round(ink_px * fine), cv2.LINE_8, 4)
    return cv2.resize(big, (size[1], size[0]), interpolation=cv2.INTER_AREA)


def truth(count: int, seed: int) -> Coverage:
    return bowed(cells(count, seed))


def compare(found: Coverage, real: Coverage, per_mm: float, ink_px: float) -> dict[str, float]:
    """Shares and distances in pixels: regions recovered with an overlap over 0.9 among those thicker than the ink and
    4 px, distance of borders from the truth away from nodes (p95), and at nodes (median and p95)."""
    scale = real.sheet_area_mm2**0.5 / found.sheet_area_mm2**0.5
    left, top, *_ = real.bounds_mm
    outlines = shapely.transform(np.array(found.outlines), lambda xy: xy * scale + [left, top])
    tree = shapely.STRtree(outlines)
    wide = [k for k, s in real.spots.items() if 2 * s.radius_mm * per_mm >= ink_px + 4]
    hits = 0
    for key in wide:
        own = real.by_key[key]
        best = 0.0
        for i in tree.query(own).tolist():
            both = shapely.intersection(own, outlines[i]).area
            best = max(best, both / (own.area + outlines[i].area - both))
        hits += best > 0.9
    nodes = _nodes(real)
    rings, _ = shapely.get_rings(outlines, return_index=True)
    xy, ring = shapely.get_coordinates(rings, return_index=True)
    edges = np.stack([xy[:-1], xy[1:]], axis=1)[ring[:-1] == ring[1:]]
    border = shapely.STRtree(shapely.linestrings(edges))
    near = shapely.union_all(shapely.buffer(shapely.points(nodes), (1.5 * ink_px + 2) / per_mm))
    lines = shapely.difference(shapely.union_all([s.line for s in real.seams]), near)
    points = shapely.points(shapely.get_coordinates(shapely.segmentize(lines, 1 / per_mm)))
    _, off = border.query_nearest(points, return_distance=True, all_matches=False)
    off = off * per_mm
    found_nodes = shapely.STRtree(shapely.points(_nodes(Coverage(range(len(outlines)), list(outlines)))))
    _, at_nodes = found_nodes.query_nearest(shapely.points(nodes), return_distance=True, all_matches=False)
    at_nodes = at_nodes * per_mm
    return {
        "recovered": hits / max(len(wide), 1),
        "p95": float(np.percentile(off, 95)),
        "mean": float(off.mean()),
        "nodes": float(np.median(at_nodes)),
        "nodes_p95": float(np.percentile(at_nodes, 95)),
    }


def _nodes(coverage: Coverage) -> np.ndarray:
    """Points where three pieces or more meet inside the sheet."""
    xy, owner = shapely.get_coordinates(np.array(coverage.outlines), return_index=True)
    grid = np.round(xy, 3)
    pairs = np.unique(np.c_[grid, owner], axis=0)
    points, count = np.unique(pairs[:, :2], axis=0, return_counts=True)
    return points[count >= 3]
