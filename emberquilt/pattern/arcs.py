"""Borders between labels as smooth arcs that both neighbours share.

Crack edges run between pixels of different label; they join into arcs whose ends are the places where three or
more labels meet. Each arc is smoothed once, so the coverage cannot open.
"""

import numpy as np
import shapely

ROUNDS = (8, 4, 2, 0)
"""Smoothing rounds, tried in turn until no arcs cross; none at all is always valid."""
THIN_PX = 0.6
"""Tolerance of the final thinning of points."""


def outlines_of(label: np.ndarray, count: int) -> tuple[list[shapely.Polygon], int]:
    """Outlines in pixels for labels 1..count, in label order, and the rounds of smoothing they bore."""
    chains, offsets = _chains(label)
    pinned = _pinned(chains, offsets, label.shape)
    for rounds in ROUNDS:
        points = _smoothed(chains, offsets, pinned, rounds)
        owner = np.repeat(np.arange(len(offsets) - 1), np.diff(offsets))
        found = _faces(shapely.linestrings(points, indices=owner), label, count)
        if found is not None:
            thin = shapely.coverage_simplify(np.array(found), THIN_PX)
            return list(thin if shapely.coverage_is_valid(thin) else found), rounds
    raise AssertionError("unsmoothed crack edges always close")


def _chains(label: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Points of all arcs one after another, and where each begins."""
    height, width = label.shape
    padded = np.zeros((height + 2, width + 2), label.dtype)
    padded[1:-1, 1:-1] = label
    y, x = np.nonzero(padded[:-1, 1:-1] != padded[1:, 1:-1])
    across = np.stack([np.c_[x, y], np.c_[x + 1, y]], axis=1)
    y, x = np.nonzero(padded[1:-1, :-1] != padded[1:-1, 1:])
    down = np.stack([np.c_[x, y], np.c_[x, y + 1]], axis=1)
    cracks = np.concatenate([across, down]).astype(float)
    arcs = shapely.get_parts(shapely.line_merge(shapely.multilinestrings(shapely.linestrings(cracks))))
    points, owner = shapely.get_coordinates(arcs, return_index=True)
    return points, np.r_[0, np.cumsum(np.bincount(owner, minlength=len(arcs)))]


def _pinned(points: np.ndarray, offsets: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Arc ends at nodes, and the four corners of the picture, stay where they are."""
    pinned = np.zeros(len(points), bool)
    first, last = offsets[:-1], offsets[1:] - 1
    open_arc = (points[first] != points[last]).any(axis=1)
    # a loop that hangs on a node keeps that node: its end point is the end of some other arc too
    ends = np.concatenate([points[first], points[last[open_arc]]])
    _, inverse, seen = np.unique(ends, axis=0, return_inverse=True, return_counts=True)
    node = seen[inverse.ravel()[: len(first)]] > 1
    pinned[first[open_arc]] = pinned[last[open_arc]] = True
    pinned[first[node]] = pinned[last[node]] = True
    height, width = shape
    at_x = (points[:, 0] == 0) | (points[:, 0] == width)
    at_y = (points[:, 1] == 0) | (points[:, 1] == height)
    return pinned | (at_x & at_y)


def _smoothed(points: np.ndarray, offsets: np.ndarray, pinned: np.ndarray, rounds: int) -> np.ndarray:
    """Rounds of 1-2-1 averaging along each arc; closed arcs run on over their start."""
    first, last = offsets[:-1], offsets[1:] - 1
    before, after = np.arange(len(points)) - 1, np.arange(len(points)) + 1
    ring = (points[first] == points[last]).all(axis=1) & ~pinned[first]
    before[first[ring]], after[last[ring]] = last[ring] - 1, first[ring] + 1
    before[first[~ring]], after[last[~ring]] = first[~ring], last[~ring]
    smooth = points.copy()
    free = ~pinned[:, None]
    for _ in range(rounds):
        smooth = np.where(free, 0.25 * smooth[before] + 0.5 * smooth + 0.25 * smooth[after], smooth)
    return smooth


def _faces(arcs: np.ndarray, label: np.ndarray, count: int) -> list[shapely.Polygon] | None:
    """One face for each label, or None where smoothing made arcs cross."""
    faces = shapely.get_parts(shapely.polygonize(arcs))
    if not shapely.is_valid(faces).all():
        return None
    inside = shapely.get_coordinates(shapely.point_on_surface(faces))
    rows = np.clip(inside[:, 1].astype(int), 0, label.shape[0] - 1)
    columns = np.clip(inside[:, 0].astype(int), 0, label.shape[1] - 1)
    owner = label[rows, columns]
    if len(np.unique(owner[owner > 0])) != count or (owner > 0).sum() != count:
        return None
    table: list = [None] * count
    for face, label_here in zip(faces, owner.tolist(), strict=True):
        if label_here > 0:
            table[label_here - 1] = face
    return table if shapely.coverage_is_valid(np.array(table)) else None
