"""A closed body of triangles, in millimetres: z up, its front towards -y."""

import base64
import zlib
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..errors import BadChoice
from ..lazy import lazy

STEPS = 65535
"""A packed body's corners lie on a grid of so many steps along its longest side."""
AXES = ("x", "y", "z")
FRAMES = {
    "z": np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, 1]]),
    "y": np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]),
    "x": np.array([[0.0, 1, 0], [0, 0, 1], [1, 0, 0]]),
}
"""For each way of slicing the body's directions that run right, up and towards whoever looks at a slice."""


@dataclass(frozen=True)
class Mesh:
    """`points` (n, 3) and `faces` (m, 3), positions of corners, counter-clockwise as seen from outside."""

    points: np.ndarray
    faces: np.ndarray

    @lazy
    def bounds(self) -> np.ndarray:
        """Least and greatest x, y, z (2, 3) of what its faces touch."""
        if not len(self.faces):
            return np.zeros((2, 3))
        touched = np.zeros(len(self.points), bool)
        touched[self.faces] = True
        used = self.points[touched]
        return np.array([used.min(axis=0), used.max(axis=0)])

    @property
    def size(self) -> np.ndarray:
        return self.bounds[1] - self.bounds[0]

    @lazy
    def volume_mm3(self) -> float:
        """By the divergence theorem; below zero where it is inside out."""
        a, b, c = (self.points[self.faces[:, i]] - self.bounds[0] for i in range(3))
        return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6.0)

    @lazy
    def area_mm2(self) -> float:
        a, b, c = (self.points[self.faces[:, i]] for i in range(3))
        return float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2.0)

    def scaled(self, factor: float) -> "Mesh":
        """Of another size, standing on z = 0 in the middle of x and y."""
        low, high = self.bounds
        foot = np.array([(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]])
        return Mesh((self.points - foot) * factor, self.faces)

    def turned(self, along: str) -> "Mesh":
        """As seen when it is sliced that way: x right, y up, z from the slice that lies lowest."""
        return Mesh(self.points @ FRAMES[along].T, self.faces)


def packed(mesh: Mesh) -> str:
    """A body as short text: corners on a fine grid, corners of faces as steps from one to the next."""
    low = mesh.bounds[0]
    step = max(float(mesh.size.max()), 1e-9) / STEPS
    grid = ((mesh.points - low) / step).round().clip(0, STEPS).astype("<u2")
    steps = np.diff(mesh.faces.astype("<i4").ravel(), prepend=np.int32(0)).astype("<i4")
    head = np.array([len(grid), len(mesh.faces)], "<u4").tobytes() + np.array([*low, step], "<f8").tobytes()
    # bytes of one rank lie together, which packs better
    body = grid.T.copy().view(np.uint8).reshape(-1, 2).T.tobytes() + steps.view(np.uint8).reshape(-1, 4).T.tobytes()
    return base64.b85encode(zlib.compress(head + body, 6)).decode()


@lru_cache(maxsize=8)
def unpacked(text: str) -> Mesh:
    """The body that `packed` wrote. Raises `BadChoice` where it is damaged."""
    try:
        data = zlib.decompress(base64.b85decode(text))
        corners, count = np.frombuffer(data, "<u4", 2).tolist()
        low = np.frombuffer(data, "<f8", 4, 8)
        body = np.frombuffer(data, np.uint8, offset=40)
        grid = body[: 6 * corners].reshape(2, -1).T.copy().view("<u2").reshape(3, corners).T
        steps = body[6 * corners : 6 * corners + 12 * count].reshape(4, -1).T.copy().view("<i4").ravel()
        faces = np.cumsum(steps, dtype=np.int64).reshape(-1, 3)
        if len(faces) != count or (count and not 0 <= faces.min() <= faces.max() < corners):
            raise ValueError(text[:20])
    except (ValueError, zlib.error) as problem:
        raise BadChoice("The body in this file is damaged.") from problem
    return Mesh(grid * low[3] + low[:3], faces)
