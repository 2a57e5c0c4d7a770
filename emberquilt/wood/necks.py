"""Weak places of a piece: the narrowest spots of its medial axis between wider bodies."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import Voronoi

BODY_SHARE = 0.04
"""A part counts as a body when it has this share of the piece's area; a lesser tip is only a corner."""
STEPS_ACROSS = 8
"""Points of the outline for the length of the limit: fine enough for a width within 2 %."""


@dataclass(frozen=True, slots=True)
class Neck:
    """A weak place: width, the middle of it, and the direction the piece runs through it (0 to below 180 degrees)."""

    key: int
    width_mm: float
    x_mm: float
    y_mm: float
    along_deg: float


def necks(keys: Sequence[int], outlines: np.ndarray, limit_mm: float) -> list[tuple[Neck, ...]]:
    """The necks under `limit_mm` of each piece, narrowest first; empty where it has none."""
    opened = shapely.buffer(outlines, -limit_mm / 2, quad_segs=3)
    found = []
    for key, outline, rest in zip(keys, outlines, opened, strict=True):
        bodies = [part for part in shapely.get_parts(rest) if part.area > BODY_SHARE * outline.area]
        found.append(_between(key, outline, bodies, limit_mm) if len(bodies) > 1 else ())
    return found


def medial_axis(outline: shapely.Polygon, step_mm: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The medial axis of a polygon from the Voronoi edges of its outline, densified to `step_mm`.

    Returns points (n, 2), the distance of each to the outline (n,), and edges (m, 2) as indices of points.
    """
    points = shapely.get_coordinates(shapely.segmentize(outline, step_mm))
    diagram = Voronoi(np.unique(points, axis=0))
    xy, edges = diagram.vertices, np.array(diagram.ridge_vertices)
    shapely.prepare(outline)
    inside = shapely.contains_xy(outline, xy[:, 0], xy[:, 1])
    edges = edges[(edges >= 0).all(axis=1)]
    edges = (np.cumsum(inside) - 1)[edges[inside[edges].all(axis=1)]]
    xy = xy[inside]
    border = shapely.boundary(outline)
    shapely.prepare(border)
    return xy, shapely.distance(border, shapely.points(xy)), edges


def _between(key: int, outline: shapely.Polygon, bodies: list, limit_mm: float) -> tuple[Neck, ...]:
    """Grow together from the widest spots of the medial axis: where two bodies first meet is the neck between them."""
    xy, radius, edges = medial_axis(outline, limit_mm / STEPS_ACROSS)
    if not len(edges):
        return ()
    parent = np.arange(len(xy))
    body_of: dict[int, set[int]] = {}
    shapely.prepare(np.array(bodies))
    for i, body in enumerate(bodies):
        inside = np.flatnonzero(shapely.contains_xy(body, xy[:, 0], xy[:, 1]))
        if len(inside):
            body_of.setdefault(int(inside[np.argmax(radius[inside])]), set()).add(i)

    def root(node: int) -> int:
        while parent[node] != node:
            parent[node] = parent[parent[node]]
            node = int(parent[node])
        return node

    found = []
    width = radius[edges].min(axis=1)
    for i in np.argsort(-width, kind="stable"):
        a, b = root(int(edges[i, 0])), root(int(edges[i, 1]))
        if a == b:
            continue
        parent[b] = a
        mine, other = body_of.pop(a, set()), body_of.pop(b, set())
        if mine | other:
            body_of[a] = mine | other
        if mine and other:
            narrow = int(edges[i][np.argmin(radius[edges[i]])])
            found.append(_neck(key, xy, radius, edges, narrow, limit_mm))
    return tuple(sorted(found, key=lambda neck: neck.width_mm))


def _neck(key: int, xy: np.ndarray, radius: np.ndarray, edges: np.ndarray, at: int, limit_mm: float) -> Neck:
    """Where the axis is about as narrow for a while, the neck is the middle of that; its direction is the axis' own
    there."""
    like = (radius >= 0.9 * radius[at]) & (radius <= 1.03 * radius[at] + 1e-6)
    joined = edges[like[edges].all(axis=1)]
    graph = coo_matrix((np.ones(len(joined)), joined.T), (len(xy), len(xy)))
    part = connected_components(graph, directed=False)[1]
    run = np.flatnonzero((part == part[at]) & like)
    middle = (xy[run].min(axis=0) + xy[run].max(axis=0)) / 2
    x, y = xy[run[np.argmin(np.hypot(*(xy[run] - middle).T))]]
    near = (np.hypot(*(xy - [x, y]).T) <= max(2 * radius[at], limit_mm / 2)) & (radius >= 0.8 * radius[at])
    spread = xy[near] - xy[near].mean(axis=0)
    dx, dy = np.linalg.svd(spread, full_matrices=False)[2][0] if near.sum() > 1 else (1.0, 0.0)
    # y runs downwards in the picture, angles run counter-clockwise as one sees them
    along = float(np.degrees(np.arctan2(-dy, dx))) % 180
    return Neck(key, 2 * float(radius[at]), float(x), float(y), along)
