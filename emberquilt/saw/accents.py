"""Lines that are sawn into a part and free nothing: with the outline, after it, or as the blade passes by."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely

from ..outline.details import LEAST_DETAIL_MM
from ..work.parts import Job
from .holes import PilotHole, hole_on
from .way import Sawn, Stroke, WayThrough

SAWN = ("sawn", "vein")
"""Details that are made with the saw."""
AT_EDGE_MM = 1.0
"""A line that ends this near to the outline is sawn in from there."""
Points = np.ndarray


def accents_of(job: Job, key: str) -> tuple[Points, ...]:
    """The lines that are sawn into a part, each from the end that lies nearer to its outline."""
    lines = job.once(
        "accents", lambda: [d.geometry for d in job.composition.decisions.pattern.details if d.how in SAWN]
    )
    if not lines or not key.isdecimal():
        return ()
    outline = job.by_key[key].outline
    found = []
    for line in lines:
        for part in shapely.get_parts(shapely.intersection(line, outline)):
            if part.geom_type == "LineString" and part.length > LEAST_DETAIL_MM:
                xy = shapely.get_coordinates(part)
                ends = shapely.distance(outline.boundary, shapely.points(xy[[0, -1]]))
                found.append(xy if ends[0] <= ends[1] else xy[::-1])
    return tuple(found)


def with_accents(sawn: Sawn, accents: Sequence[Points], school: str, way: WayThrough) -> Sawn:
    """What is sawn for a part, with its accents where the school puts them."""
    if not accents or not sawn.strokes:
        return sawn
    strokes, holes = list(sawn.strokes), list(sawn.holes)
    outline = [s for s in strokes if s.kind == "line"]
    if not outline:
        return sawn
    ways = shapely.multilinestrings([s.path for s in outline if len(s.path) > 1])
    for own in accents:
        # from the kerf beside the outline, where it begins at the edge
        begin = shapely.get_coordinates(shapely.shortest_line(ways, shapely.points(own[0])))[0]
        beside = np.hypot(*(begin - own[0])) <= AT_EDGE_MM + way.blade.kerf_mm
        xy = np.concatenate([begin[None], own]) if beside else own
        near = min(_distance(s.path, xy[0]) for s in outline)
        if near > AT_EDGE_MM + way.blade.kerf_mm:
            hole = _hole(xy, way)
            holes.append(hole)
            strokes.insert(0, Stroke(xy, "accent", "back", sawn.part))
        elif school == "before" and (lead := way.way_in(xy[0])) is not None:
            strokes[0:0] = [Stroke(lead, "in", "flow", sawn.part), Stroke(xy, "accent", "back", sawn.part)]
        elif school == "mixed":
            strokes = _passing(strokes, xy)
        else:
            strokes.append(Stroke(xy, "accent", "back", sawn.part))
    return replace(sawn, strokes=tuple(strokes), holes=tuple(holes))


def _hole(xy: Points, way: WayThrough) -> PilotHole:
    return hole_on((float(xy[0][0]), float(xy[0][1])), way.blade)


def _distance(path: Points, point: Points) -> float:
    return float(shapely.distance(shapely.linestrings(path), shapely.points(point)))


def _passing(strokes: list[Stroke], xy: Points) -> list[Stroke]:
    """The strokes, with an accent sawn where the blade passes its end."""
    lines = [i for i, s in enumerate(strokes) if s.kind == "line"]
    at = min(lines, key=lambda i: _distance(strokes[i].path, xy[0]))
    path = strokes[at].path
    line = shapely.linestrings(path)
    far = float(shapely.line_locate_point(line, shapely.points(xy[0])))
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(path, axis=0).T))])
    n = int(np.clip(np.searchsorted(along, far), 1, len(path) - 1))
    here = shapely.get_coordinates(shapely.line_interpolate_point(line, far))
    first, rest = np.concatenate([path[:n], here]), np.concatenate([here, path[n:]])
    one = replace(strokes[at], path=first, corner="accent", frees=(), waste=False)
    two = replace(strokes[at], path=rest)
    accent = Stroke(xy, "accent", "back", strokes[at].part)
    if far < 0.5 or far > along[-1] - 0.5:
        return [*strokes[: at + 1], accent, *strokes[at + 1 :]]
    return [*strokes[:at], one, accent, two, *strokes[at + 1 :]]
