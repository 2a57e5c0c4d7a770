"""A body blown up from a front and a side outline: at every height each stretch of the one and each of the other are
the two axes of an ellipse. Its surface is drawn by marching cubes (Lorensen and Cline, 1987)."""

import numpy as np
import shapely
from skimage.measure import marching_cubes

from ..errors import BadChoice
from .compound import strips_of
from .mesh import Mesh

LEVELS, ACROSS = 160, 120
"""Heights and places across at which the body is asked for."""
OUTSIDE = 1.0


def blown(front: shapely.Geometry, side: shapely.Geometry) -> Mesh:
    """`front` in (x, height), `side` in (back to front, height), both of one height. z of the body is its height, y
    runs to the back. Raises `BadChoice`."""
    x0, y0, x1, y1 = front.bounds
    z0, _, z1, _ = side.bounds
    if not min(x1 - x0, y1 - y0, z1 - z0) > 0:
        raise BadChoice("One of the outlines encloses nothing: there is no body between them.")
    step = (y1 - y0) / LEVELS
    edges = y0 + step * np.arange(LEVELS + 1)
    fine_front, fine_side = _rows(front, edges), _rows(side, edges)
    xs = np.linspace(x0 - 2 * (x1 - x0) / ACROSS, x1 + 2 * (x1 - x0) / ACROSS, ACROSS + 5)
    zs = np.linspace(z0 - 2 * (z1 - z0) / ACROSS, z1 + 2 * (z1 - z0) / ACROSS, ACROSS + 5)
    scale = min(x1 - x0, z1 - z0) / 2
    field = np.full((len(xs), len(zs), LEVELS + 4), OUTSIDE * scale)
    for k in range(LEVELS):
        for a, b in fine_front[k]:
            for c, d in fine_side[k]:
                across = ((xs - (a + b) / 2) / ((b - a) / 2))[:, None]
                deep = ((zs - (c + d) / 2) / ((d - c) / 2))[None]
                own = (np.hypot(across, deep) - 1.0) * min(b - a, d - c) / 2
                field[:, :, k + 2] = np.minimum(field[:, :, k + 2], own)
    spacing = (xs[1] - xs[0], zs[1] - zs[0], step)
    try:
        points, faces, _, _ = marching_cubes(field, 0.0, spacing=spacing)
    except ValueError as problem:
        raise BadChoice("The two outlines leave no body between them.") from problem
    x, z, y = points.T
    # to the back is against what runs from the back to the front
    made = Mesh(np.c_[x + xs[0], -(z + zs[0]), y + y0 - 1.5 * step], faces.astype(np.int64))
    return made if made.volume_mm3 > 0 else Mesh(made.points, faces[:, ::-1].astype(np.int64))


def _rows(area: shapely.Geometry, edges: np.ndarray) -> list[list[tuple[float, float]]]:
    """The stretches of an area in the middle between each two heights."""
    strips = strips_of(area, edges)
    rows: list[list[tuple[float, float]]] = [[] for _ in range(len(edges) - 1)]
    for k, low, high in zip(strips.slab.tolist(), strips.low, strips.high, strict=True):
        a, b = (low + high) / 2
        if b - a > 1e-6:
            rows[k].append((float(a), float(b)))
    return rows
