"""The turntable's bodies read back from what goes over the wire, built as the page builds them."""

import json
import struct
from collections.abc import Iterator

import numpy as np

from emberquilt.work.decisions import Slope
from emberquilt.work.shaped import height_at

LEAST_WALL_MM = 0.05
"""As in `turntable.js`: a wall under a rounding keeps at least this, so that the body stays closed."""


def unpacked(data: bytes) -> Iterator[tuple[dict, np.ndarray, np.ndarray]]:
    """Every body of a packed work as the page builds it: what the head says of it, corners (n, 3) in mm, faces
    (m, 3)."""
    (size,) = struct.unpack("<I", data[4:8])
    head = json.loads(data[8 : 8 + size])
    at = 8 + size
    counts = [sum(body["rings"]) + body["inner"] for body in head["bodies"]]
    points = np.frombuffer(data, "<u2", 2 * sum(counts), at).reshape(-1, 2)
    triangles = np.frombuffer(data, "<u2", offset=at + 4 * sum(counts)).reshape(-1, 3)
    first = corner = 0
    for body, count in zip(head["bodies"], counts, strict=True):
        flat = points[first : first + count] * head["step_mm"] + [head["left_mm"], head["top_mm"]]
        face = triangles[corner : corner + body["triangles"]].astype(int)
        yield body, *_body(flat, body, face)
        first, corner = first + count, corner + body["triangles"]


def _body(flat: np.ndarray, body: dict, face: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    count = len(flat)
    tops = np.full(count, float(body["top"]))
    if body["slope"]:
        x0, y0, x1, y1, high, low = body["slope"]
        tops = np.minimum(tops, height_at(Slope((x0, y0), (x1, y1), high, low), flat))
    if body["edge"]:
        outer = count - body["inner"]
        tops[:outer] = np.maximum(tops[:outer] - body["edge"], body["floor"] + LEAST_WALL_MM)
    corners = np.vstack([np.c_[flat, np.full(count, body["floor"])], np.c_[flat, tops]])
    walls, start = [], 0
    for ring in body["rings"]:
        i = np.arange(start, start + ring)
        j = np.r_[i[1:], start]
        walls += [np.c_[i, j, j + count], np.c_[i, j + count, i + count]]
        start += ring
    return corners, np.vstack([face[:, ::-1], face + count, *walls])
