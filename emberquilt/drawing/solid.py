"""The whole work as closed bodies for the turntable: each part a prism over its outline, packed in few bytes."""

import json
import struct
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import shapely

from ..work.parts import Job, Part

MOST_POINTS = 40_000
"""With more, borders are simplified: nobody sees a tenth of a millimetre on a screen."""
FINE_MM = 0.12
MARK = b"EQ3D"
COLUMNS = 65535


@dataclass(frozen=True)
class Solid:
    """One part: its outline's rings, outer first, none closed, as points (n, 2) in mm with the length of each ring;
    `triangles` (m, 3) of its face, as positions in the points."""

    part: Part
    points: np.ndarray
    rings: tuple[int, ...]
    triangles: np.ndarray


def solids_of(job: Job) -> list[Solid]:
    """Every part of one copy that stands in the work, back to front, each body of a part in several by itself."""
    parts = [part for part in job.of_one if part.id.role != "base"]
    bodies = [(part, body) for part in parts for body in shapely.get_parts(part.outline).tolist()]
    bodies = [(part, body) for part, body in bodies if body.geom_type == "Polygon" and body.area > 0]
    outlines = np.array([body for _, body in bodies], object)
    if not len(outlines):
        return []
    if shapely.get_num_coordinates(outlines).sum() > MOST_POINTS:
        finer = shapely.simplify(outlines, FINE_MM)
        sound = shapely.is_valid(finer) & ~shapely.is_empty(finer)
        outlines[sound] = finer[sound]
    faces = shapely.constrained_delaunay_triangles(outlines)
    return [_solid(part, outline, face) for (part, _), outline, face in zip(bodies, outlines, faces, strict=True)]


def _solid(part: Part, outline: shapely.Polygon, face: shapely.GeometryCollection) -> Solid:
    own = shapely.orient_polygons(outline)
    loops = [shapely.get_coordinates(ring)[:-1] for ring in (own.exterior, *own.interiors)]
    points = np.concatenate(loops)
    corners = shapely.get_coordinates(shapely.get_parts(face)).reshape(-1, 4, 2)[:, :3]
    # every corner of a triangle is a corner of the outline
    order = np.lexsort(points.T[::-1])
    place = order[_found(points[order], corners.reshape(-1, 2))].reshape(-1, 3)
    a, b, c = (points[place[:, i]] for i in range(3))
    wound = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]) < 0
    place[wound] = place[wound][:, ::-1]
    return Solid(part, points, tuple(len(loop) for loop in loops), place)


def _found(rows: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """Positions of points among sorted ones."""
    as_one = np.dtype([("x", float), ("y", float)])
    keys = np.ascontiguousarray(rows).view(as_one).ravel()
    return np.searchsorted(keys, np.ascontiguousarray(wanted).view(as_one).ravel())


def packed(job: Job) -> bytes:
    """``EQ3D``, the length of a JSON head (four bytes, little end first), the head, then for all bodies together points
    (x, y as two bytes each, in steps of the head's `step_mm` from `left_mm`, `top_mm`) and triangles (three positions
    in the body's own points, two bytes each)."""
    solids = solids_of(job)
    left, top, right, bottom = shapely.total_bounds([s.part.outline for s in solids]).tolist() if solids else [0.0] * 4
    step = max(right - left, bottom - top, 1.0) / COLUMNS
    head = {
        "left_mm": left,
        "top_mm": top,
        "step_mm": step,
        "width_mm": job.composition.width_mm,
        "height_mm": job.composition.height_mm,
        "depth_mm": job.depth_mm,
        "bodies": [
            {
                "key": s.part.key,
                "piece": s.part.id.piece if s.part.key.isdecimal() else 0,
                "name": s.part.name,
                "role": s.part.role,
                "wood": s.part.material,
                "grain": round(s.part.grain_deg, 1),
                "floor": round(s.part.floor_mm, 3),
                "top": round(s.part.top_mm, 3),
                "rings": list(s.rings),
                "triangles": len(s.triangles),
            }
            for s in solids
        ],
    }
    text = json.dumps(head, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    corner = np.array([left, top])
    points = [((s.points - corner) / step).round().astype("<u2").tobytes() for s in solids]
    triangles = [s.triangles.astype("<u2").tobytes() for s in solids]
    return MARK + struct.pack("<I", len(text)) + text + b"".join(points) + b"".join(triangles)


def unpacked(data: bytes) -> Iterator[tuple[dict, np.ndarray, np.ndarray]]:
    """Every body of a packed work as the page builds it: what the head says of it, corners (n, 3) in mm, faces
    (m, 3)."""
    (size,) = struct.unpack("<I", data[4:8])
    head = json.loads(data[8 : 8 + size])
    at = 8 + size
    counts = [sum(body["rings"]) for body in head["bodies"]]
    points = np.frombuffer(data, "<u2", 2 * sum(counts), at).reshape(-1, 2)
    triangles = np.frombuffer(data, "<u2", offset=at + 4 * sum(counts)).reshape(-1, 3)
    first = corner = 0
    for body, count in zip(head["bodies"], counts, strict=True):
        flat = points[first : first + count] * head["step_mm"] + [head["left_mm"], head["top_mm"]]
        face = triangles[corner : corner + body["triangles"]].astype(int)
        yield body, *_prism(flat, body, face)
        first, corner = first + count, corner + body["triangles"]


def _prism(flat: np.ndarray, body: dict, face: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    count = len(flat)
    corners = np.vstack([np.c_[flat, np.full(count, body["floor"])], np.c_[flat, np.full(count, body["top"])]])
    walls, start = [], 0
    for ring in body["rings"]:
        i = np.arange(start, start + ring)
        j = np.r_[i[1:], start]
        walls += [np.c_[i, j, j + count], np.c_[i, j + count, i + count]]
        start += ring
    return corners, np.vstack([face[:, ::-1], face + count, *walls])
