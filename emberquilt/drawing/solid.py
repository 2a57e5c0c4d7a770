"""The whole work as closed bodies for the turntable: each part a prism over its outline, with its edges
rounded and its top carved as was decided, packed in few bytes."""

import json
import struct
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from ..picture.parts import shown_edge_mm
from ..work.parts import Job, Part
from ..work.pools import resin_of
from ..work.shaped import EASED_MM
from .in_space import Stood, fragments, sanded, stood

MOST_POINTS = 40_000
"""With more, borders are simplified: nobody sees a tenth of a millimetre on a screen."""
FINE_MM = 0.12
MARK = b"EQ3D"
COLUMNS = 65535
POLYGON = 3
LEAST_FLAT_MM2 = 0.5


@dataclass(frozen=True)
class Solid:
    """One part: its outline's rings, outer first, none closed, as points (n, 2) in mm with the length of each ring;
    where its edges are rounded, behind them `inner` points of the flat top within the rounding; `triangles` (m, 3) of
    the whole face, as positions in the points."""

    part: Part
    points: np.ndarray
    rings: tuple[int, ...]
    inner: int
    edge_mm: float
    triangles: np.ndarray


def solids_of(job: Job) -> list[Solid]:
    """Every part of one copy that stands in the work, back to front, each body of a part in several by itself."""
    parts = [*job.shown, *resin_of(job)]
    bodies = [(part, body) for part in parts for body in shapely.get_parts(part.outline).tolist()]
    bodies = [(part, body) for part, body in bodies if body.geom_type == "Polygon" and body.area > 0]
    outlines = np.array([body for _, body in bodies], object)
    if not len(outlines):
        return []
    many = shapely.get_num_coordinates(outlines).sum() > MOST_POINTS
    if many:
        finer = shapely.simplify(outlines, FINE_MM)
        sound = shapely.is_valid(finer) & ~shapely.is_empty(finer)
        outlines[sound] = finer[sound]
    outlines = shapely.orient_polygons(outlines)
    edges = np.array([_edge(job, part) for part, _ in bodies])
    flats = shapely.buffer(outlines, -edges, join_style="mitre", mitre_limit=2.0)
    if many:
        flats = shapely.simplify(flats, FINE_MM)
    rims = shapely.difference(outlines, flats)
    # a rounding that would part the top, or take all of it, is not drawn
    sound = (edges > 0) & (shapely.get_type_id(flats) == POLYGON) & (shapely.area(flats) > LEAST_FLAT_MM2)
    sound &= shapely.get_num_interior_rings(flats) == shapely.get_num_interior_rings(outlines)
    sound &= shapely.contains_properly(outlines, flats)
    faces = shapely.constrained_delaunay_triangles(outlines)
    on_rims = shapely.constrained_delaunay_triangles(np.where(sound, rims, None))
    on_flats = shapely.constrained_delaunay_triangles(np.where(sound, flats, None))
    made = []
    for i, (part, _) in enumerate(bodies):
        solid = None
        if sound[i]:
            solid = _solid(part, outlines[i], flats[i], float(edges[i]), (on_rims[i], on_flats[i]))
        made.append(solid or _solid(part, outlines[i], None, 0.0, (faces[i],)))
    return [solid for solid in made if solid is not None]


def _edge(job: Job, part: Part) -> float:
    """The radius of a piece's rounding as it is drawn; nothing for what is not seen, and for edges only eased."""
    if not part.key.isdecimal():
        return 0.0
    mm = shown_edge_mm(job, job.composition.by_key[part.id.piece])
    return min(mm, 0.9 * part.thickness_mm) if mm > EASED_MM else 0.0


def _solid(part: Part, outline: shapely.Polygon, flat, edge_mm: float, faces: tuple) -> Solid | None:
    """Nothing where a triangle has a corner that is none of the points."""
    loops = _loops(outline)
    within = _loops(flat) if flat is not None else []
    points = np.concatenate([*loops, *within])
    corners = shapely.get_coordinates(np.concatenate([shapely.get_parts(face) for face in faces]))
    corners = corners.reshape(-1, 4, 2)[:, :3].reshape(-1, 2)
    # every corner of a triangle is a corner of the outline
    order = np.lexsort(points.T[::-1])
    place = order[np.minimum(_found(points[order], corners), len(points) - 1)]
    if not (points[place] == corners).all():
        return None
    place = place.reshape(-1, 3)
    a, b, c = (points[place[:, i]] for i in range(3))
    wound = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]) < 0
    place[wound] = place[wound][:, ::-1]
    return Solid(part, points, tuple(len(loop) for loop in loops), sum(len(loop) for loop in within), edge_mm, place)


def _loops(outline: shapely.Polygon) -> list[np.ndarray]:
    return [shapely.get_coordinates(ring)[:-1] for ring in (outline.exterior, *outline.interiors)]


def _found(rows: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """Positions of points among sorted ones."""
    as_one = np.dtype([("x", float), ("y", float)])
    keys = np.ascontiguousarray(rows).view(as_one).ravel()
    return np.searchsorted(keys, np.ascontiguousarray(wanted).view(as_one).ravel())


def packed(job: Job, order: Mapping[str, int] | None = None) -> bytes:
    """``EQ3D``, the length of a JSON head (four bytes, little end first), the head, then for all bodies together points
    (x, y as two bytes each, in steps of the head's `step_mm` from `left_mm`, `top_mm`) and triangles (three positions
    in the body's own points, two bytes each). A body's points are those of its `rings`, then `inner` ones of the flat
    top within an edge that is rounded by `edge`; `slope` says where (x, y, x, y) and between which heights a top is
    carved. `order`: when each part goes down, by its key. Of parts that stand in space `pose` says where (see
    `poses.Pose`) and `lift` which way they come off, the head's `space` how large all of it is; `solids` are parts that
    are no prisms, `sanded` bodies without the steps of their slices: their triangles come last."""
    solids = solids_of(job)
    standing = stood(job)
    whole, triangles_of_whole = fragments(job)
    smooth, triangles_of_smooth = sanded(job)
    left, top, right, bottom = shapely.total_bounds([s.part.outline for s in solids]).tolist() if solids else [0.0] * 4
    step = max(right - left, bottom - top, 1.0) / COLUMNS
    head = {
        "left_mm": left,
        "top_mm": top,
        "step_mm": step,
        "width_mm": job.composition.width_mm,
        "height_mm": job.composition.height_mm,
        "depth_mm": job.depth_mm,
        "space": standing.told() if standing else None,
        "solids": whole,
        "sanded": smooth,
        "bodies": [
            {
                "key": s.part.key,
                "piece": s.part.id.piece if s.part.key.isdecimal() or s.part.role == "resin" else 0,
                "name": s.part.name,
                "role": s.part.role,
                "wood": s.part.material,
                "grain": round(s.part.grain_deg, 1),
                "floor": round(s.part.floor_mm, 3),
                "top": round(s.part.top_mm, 3),
                "rings": list(s.rings),
                "inner": s.inner,
                "edge": round(s.edge_mm, 3),
                "slope": _slope(job, s.part),
                "triangles": len(s.triangles),
                "order": (order or {}).get(s.part.key, 0),
            }
            | _stands(standing, s.part)
            for s in solids
        ],
    }
    text = json.dumps(head, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    corner = np.array([left, top])
    points = [((s.points - corner) / step).round().astype("<u2").tobytes() for s in solids]
    triangles = [s.triangles.astype("<u2").tobytes() for s in solids]
    body = b"".join(points) + b"".join(triangles)
    if whole or smooth:
        # triangles of four bytes a number begin where four bytes begin
        body += b" " * (-len(body) % 4)
    return MARK + struct.pack("<I", len(text)) + text + body + triangles_of_whole + triangles_of_smooth


def _stands(standing: Stood | None, part: Part) -> dict[str, Any]:
    pose = standing.poses.get(part.id.piece) if standing and part.key.isdecimal() else None
    if pose is None or standing is None:
        return {}
    return {"pose": pose.rows, "lift": [round(v, 4) for v in standing.lifts.get(part.id.piece, (0.0, 0.0, 0.0))]}


def _slope(job: Job, part: Part) -> list[float] | None:
    """The ends of what is carved off a piece, and their heights from the very back."""
    slope = job.composition.decisions.relief.slopes.get(part.id.piece) if part.key.isdecimal() else None
    if slope is None:
        return None
    return [*slope.high, *slope.low, *(round(mm + job.ground_mm, 3) for mm in (slope.high_mm, slope.low_mm))]
