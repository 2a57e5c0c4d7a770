"""Loose ends of lines that were meant to meet."""

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

ASIDE = 0.25
"""Ends look at each other when the other lies ahead: the cosine of the angle to it is more than this (75 degrees)."""
TO_MIDDLE = 0.02
"""Weight of the middle between the ends beside that of the lines they run on, which may be parallel."""


def meetings(places: np.ndarray, ways: np.ndarray, reach: np.ndarray) -> list[tuple[list[int], np.ndarray]]:
    """Groups of ends, (n, 2), that look at each other, and the point where the lines they run on meet best: no farther
    from an end than its reach. `ways` are unit vectors, (n, 2)."""
    if len(places) < 2:
        return []
    pairs = cKDTree(places).query_pairs(2 * float(reach.max()), output_type="ndarray")
    if not len(pairs):
        return []
    a, b = pairs.T
    between = places[b] - places[a]
    far = np.maximum(np.hypot(*between.T), 1e-9)
    look = ((ways[a] * between).sum(axis=1) > ASIDE * far) & ((ways[b] * -between).sum(axis=1) > ASIDE * far)
    look &= far <= reach[a] + reach[b]
    many = len(places)
    graph = coo_matrix((np.ones(look.sum()), (a[look], b[look])), shape=(many, many))
    count, group = connected_components(graph, directed=False)
    size = np.bincount(group, minlength=count)
    made = []
    for own in np.flatnonzero(size >= 2).tolist():
        members = np.flatnonzero(group == own)
        point = _meeting(places[members], ways[members])
        to = point - places[members]
        if (np.hypot(*to.T) <= reach[members]).all() and ((to * ways[members]).sum(axis=1) > -0.5).all():
            made.append((members.tolist(), point))
    return made


def _meeting(places: np.ndarray, ways: np.ndarray) -> np.ndarray:
    """The point nearest to all lines, in the sense of least squares."""
    middle = places.mean(axis=0)
    left, right = TO_MIDDLE * len(places) * np.eye(2), TO_MIDDLE * len(places) * middle
    for place, way in zip(places, ways, strict=True):
        across = np.eye(2) - np.outer(way, way)
        left = left + across
        right = right + across @ place
    return np.linalg.solve(left, right)
