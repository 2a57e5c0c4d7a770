"""A body's surface parted by planes, so that each slice has its own share of it."""

from collections.abc import Sequence

import numpy as np

from .mesh import Mesh

MOST_SHOWN = 40_000
"""Triangles of a body that is only looked at: of more, near corners become one."""


def coarser(mesh: Mesh, most: int = MOST_SHOWN) -> Mesh:
    """A body of no more triangles than that, its corners drawn to a grid that is made wider until it is enough."""
    made, step = mesh, float(mesh.size.max()) / 400
    while len(made.faces) > most:
        grid = (mesh.points / step).round().astype(np.int64)
        _, first, home = np.unique(grid, axis=0, return_index=True, return_inverse=True)
        faces = home.ravel()[mesh.faces]
        whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
        made = Mesh(mesh.points[first], faces[whole])
        step *= 1.4
    return made


def parted(mesh: Mesh, heights_mm: Sequence[float]) -> list[np.ndarray]:
    """Triangles (n, 3, 3) of the surface between each two heights, those below the first and above the last among the
    outer ones."""
    rest = mesh.points[mesh.faces]
    made = []
    for height in heights_mm[1:-1]:
        below, rest = _split(rest, height)
        made.append(below)
    made.append(rest)
    return made


def _split(triangles: np.ndarray, height: float) -> tuple[np.ndarray, np.ndarray]:
    """What lies below a height and what lies above; triangles across it become three."""
    up = triangles[:, :, 2] >= height
    count = up.sum(axis=1)
    below, above = [triangles[count == 0]], [triangles[count == 3]]
    for lone_up in (True, False):
        own = triangles[count == (1 if lone_up else 2)]
        if not len(own):
            continue
        which = (up if lone_up else ~up)[count == (1 if lone_up else 2)].argmax(axis=1)
        rows = np.arange(len(own))
        tip, b, c = (own[rows, (which + i) % 3] for i in range(3))
        with_b, with_c = _at(tip, b, height), _at(tip, c, height)
        point = np.stack([tip, with_b, with_c], axis=1)
        broad = np.concatenate([np.stack([with_b, b, c], axis=1), np.stack([with_b, c, with_c], axis=1)])
        (above if lone_up else below).append(point)
        (below if lone_up else above).append(broad)
    return np.concatenate(below), np.concatenate(above)


def _at(a: np.ndarray, b: np.ndarray, height: float) -> np.ndarray:
    share = (height - a[:, 2]) / np.where(np.abs(b[:, 2] - a[:, 2]) > 1e-12, b[:, 2] - a[:, 2], 1.0)
    made = a + share[:, None] * (b - a)
    made[:, 2] = height
    return made
