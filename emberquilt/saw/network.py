"""The lines of a blank as one net: what lies on either side of each, and where the middle of the kerf runs.

A line between two bodies is sawn once, along itself. A line between a body and waste is sawn as the practice says: on
it, beside it, or so far beside it that the joint keeps a wanted gap.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely

from ..constants import GRID_MM
from ..lazy import lazy
from ..outline.coverage import Coverage

OUTSIDE = -1
"""The waste all round; openings are counted on from there: -2, -3."""
MITRE = 4.0
"""At a point the kerf's middle runs on past it, to this many times its distance from the line at most."""
AROUND_MM = 1000.0
SMOOTH_MM = 0.01
"""Points of a way that lie nearer than this to the line through the others are left out."""
LEAST_OPENING_MM2 = 0.05


@dataclass(frozen=True, slots=True)
class Line:
    """One line to saw: `xy` the middle of its kerf, from node to node, or all round where both are -1 (its first point
    is given once). `left` and `right` are what lies there: a body by its place in the net, or waste below zero; left is
    the side towards which a positive turn goes."""

    xy: np.ndarray
    nodes: tuple[int, int]
    left: int
    right: int
    drawn_mm: float

    @property
    def closed(self) -> bool:
        return self.nodes[0] < 0

    def shifted(self, bodies: int, openings: int) -> "Line":
        """The same line of a closed path in a net that has others before its bodies and openings."""

        def moved(side: int) -> int:
            return side + bodies if side >= 0 else side - openings if side < OUTSIDE else side

        return replace(self, left=moved(self.left), right=moved(self.right))


@dataclass(frozen=True)
class Net:
    """`bodies` are the outlines, `openings` the waste they enclose; `offset_mm` how far outside the line the kerf's
    middle runs where waste lies beside it; `narrow`: somewhere between bodies the blade does not fit beside their
    lines, and runs on them."""

    bodies: tuple[shapely.Polygon, ...]
    openings: tuple[shapely.Polygon, ...]
    lines: tuple[Line, ...]
    offset_mm: float
    narrow: bool = False

    @lazy
    def of_body(self) -> dict[int, list[int]]:
        """The lines round each body."""
        table: dict[int, list[int]] = {i: [] for i in range(len(self.bodies))}
        for n, line in enumerate(self.lines):
            for side in {line.left, line.right}:
                if side >= 0:
                    table[side].append(n)
        return table

    @lazy
    def of_opening(self) -> dict[int, list[int]]:
        """The lines round each opening, by its place."""
        table: dict[int, list[int]] = {}
        for n, line in enumerate(self.lines):
            for side in {line.left, line.right}:
                if side < OUTSIDE:
                    table.setdefault(OUTSIDE - 1 - side, []).append(n)
        return table


def net_of_body(body: shapely.Polygon, offset_mm: float) -> Net:
    """Of one body out of a blank of its own: all round it and in its openings there is waste."""
    openings = tuple(shapely.polygons(ring) for ring in body.interiors)
    lines = [
        _ring_line(xy, 0, OUTSIDE, 0.0 if n else float(body.exterior.length))
        for n, xy in enumerate(_around(body, offset_mm))
    ]
    for code, opening in enumerate(openings, 2):
        for n, xy in enumerate(_within(opening, offset_mm)):
            lines.append(_ring_line(xy, 0, -code, 0.0 if n else float(opening.exterior.length)))
    return Net((body,), openings, tuple(lines), offset_mm)


def _ring_line(xy: np.ndarray, body: int, waste: int, drawn_mm: float) -> Line:
    """A closed path with its body on the left of the way."""
    wood_inside = waste == OUTSIDE
    if (_area(xy) > 0) != wood_inside:
        xy = xy[::-1]
    return Line(xy, (-1, -1), body, waste, drawn_mm)


def _area(xy: np.ndarray) -> float:
    x, y = xy[:, 0], xy[:, 1]
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum()) / 2


def _points(ring: shapely.LinearRing) -> np.ndarray:
    """The points of a closed path, each once, without those that say nothing."""
    return shapely.get_coordinates(shapely.simplify(ring, SMOOTH_MM))[:-1]


def _around(body: shapely.Polygon, offset_mm: float) -> list[np.ndarray]:
    """The paths round a body: first the outer one, then those in bays whose mouth the blade closes."""
    solid = shapely.Polygon(body.exterior)
    grown = shapely.buffer(solid, offset_mm, join_style="mitre", mitre_limit=MITRE)
    part = max(shapely.get_parts(grown), key=lambda one: one.area)
    return [_points(part.exterior), *(_points(ring) for ring in part.interiors)]


def _within(opening: shapely.Polygon, offset_mm: float) -> list[np.ndarray]:
    """The paths in an opening beside its line; on the line itself where the blade does not fit beside it."""
    shrunk = shapely.buffer(opening, -offset_mm, join_style="mitre", mitre_limit=MITRE) if offset_mm else opening
    parts = [p for p in shapely.get_parts(shrunk) if p.area > LEAST_OPENING_MM2]
    if not parts:
        return [_points(opening.exterior)]
    paths = [_points(ring) for part in parts for ring in (part.exterior, *part.interiors)]
    return [xy for xy in paths if len(xy) > 2]


def net_of_coverage(coverage: Coverage, openings: Sequence[shapely.Polygon], offset_mm: float) -> Net:
    """Of all bodies of a coverage out of one blank: a seam between two is one line."""
    bodies = coverage.outlines
    place = {key: i for i, key in enumerate(coverage.keys)}
    nodes = _Nodes()
    seams: list[Line] = []
    for seam in coverage.seams:
        for part in shapely.get_parts(seam.line):
            xy = shapely.get_coordinates(shapely.simplify(part, SMOOTH_MM))
            left, right = _sides(coverage, part, seam.a, seam.b)
            if np.array_equal(xy[0], xy[-1]):
                seams.append(Line(xy[:-1], (-1, -1), place[left], place[right], float(part.length)))
            else:
                ends = nodes.at(xy[0]), nodes.at(xy[-1])
                seams.append(Line(xy, ends, place[left], place[right], float(part.length)))
    wastes = [(OUTSIDE, outside) for outside in _outside(coverage)]
    wastes += [(OUTSIDE - 1 - n, opening) for n, opening in enumerate(openings)]
    tree = shapely.STRtree(list(bodies)) if bodies else None
    borders: list[Line] = []
    narrow = False
    moved: dict[int, np.ndarray] = {}
    for code, waste in wastes:
        rings, fits = _border_paths(waste, code, offset_mm)
        narrow |= not fits
        lines, at, in_turn = _split(rings, waste, code, nodes, tree)
        if not in_turn and offset_mm:
            # a seam shorter than the kerf: its ends cannot be told apart beside the border, but on it
            narrow, rings = True, _border_paths(waste, code, 0.0)[0]
            lines, at, _ = _split(rings, waste, code, nodes, tree)
        borders += lines
        moved |= at
    return Net(
        bodies,
        tuple(openings),
        tuple([_reaching(line, moved) for line in seams] + borders),
        offset_mm,
        narrow,
    )


class _Nodes:
    """Places where lines meet, by their grid point."""

    def __init__(self):
        self.number: dict[tuple[int, int], int] = {}
        self.points: list[np.ndarray] = []

    def at(self, point: np.ndarray) -> int:
        code = (round(point[0] / GRID_MM), round(point[1] / GRID_MM))
        if code not in self.number:
            self.number[code] = len(self.points)
            self.points.append(np.asarray(point, float))
        return self.number[code]


def _sides(coverage: Coverage, line: shapely.LineString, a: int, b: int) -> tuple[int, int]:
    """Of two bodies the one on the left of a line between them, then the other: by the way its first edge runs round
    the outline of the first."""
    xy = shapely.get_coordinates(line)[:2]
    ring_way = coverage.of(a, "edges", _edges_of)
    forward = ring_way.get(tuple(np.round(xy / GRID_MM).astype(np.int64).ravel().tolist()))
    return (a, b) if forward else (b, a)


def _edges_of(outline: shapely.Polygon) -> dict[tuple[int, ...], bool]:
    """Every edge of an outline both ways round, with whether its body then lies on the left."""
    table: dict[tuple[int, ...], bool] = {}
    for n, ring in enumerate((outline.exterior, *outline.interiors)):
        xy = np.round(shapely.get_coordinates(ring) / GRID_MM).astype(np.int64)
        inside = (_area(xy[:-1].astype(float)) > 0) == (n == 0)
        for one, two in zip(xy[:-1].tolist(), xy[1:].tolist(), strict=True):
            table[*one, *two] = inside
            table[*two, *one] = not inside
    return table


def _outside(coverage: Coverage) -> list[shapely.Polygon]:
    """The waste all round the bodies, as far as it can matter."""
    if not len(coverage):
        return []
    x0, y0, x1, y1 = coverage.bounds_mm
    frame = shapely.box(x0 - AROUND_MM, y0 - AROUND_MM, x1 + AROUND_MM, y1 + AROUND_MM)
    # what stands free in an opening lies within what runs round it
    solid = shapely.union_all(shapely.get_parts(coverage.without_gaps))
    return [shapely.Polygon(frame.exterior, [part.exterior for part in shapely.get_parts(solid)])]


def _border_paths(waste: shapely.Polygon, code: int, offset_mm: float) -> tuple[list[np.ndarray], bool]:
    """The paths in a waste beside its border. Where the blade does not fit everywhere, on the border itself."""
    drawn = [ring for ring in ((waste.exterior, *waste.interiors) if code != OUTSIDE else waste.interiors)]
    if not offset_mm:
        return [_points(ring) for ring in drawn], True
    shrunk = shapely.buffer(waste, -offset_mm, join_style="mitre", mitre_limit=MITRE)
    parts = [p for p in shapely.get_parts(shrunk) if p.area > LEAST_OPENING_MM2]
    frame = waste.bounds
    rings = [ring for p in parts for ring in (p.exterior, *p.interiors)]
    if code == OUTSIDE:
        # the frame's own border is no line
        rings = [ring for ring in rings if ring.bounds[0] > frame[0] + 2 * offset_mm]
    if len(rings) < len(drawn):
        return [_points(ring) for ring in drawn], False
    return [xy for ring in rings if len(xy := _points(ring)) > 2], True


def _split(paths: list[np.ndarray], waste: shapely.Polygon, code: int, nodes: _Nodes, tree):
    """Closed paths parted where seams meet them: the lines, where each node now lies, and whether along the paths the
    nodes follow each other as they do along the drawn border."""
    rings = [shapely.linearrings(xy) for xy in paths]
    if not rings:
        return [], {}, True
    drawn = [shapely.LinearRing(ring) for ring in (waste.exterior, *waste.interiors)]
    beside = shapely.STRtree(drawn).nearest(shapely.points(np.array([xy[0] for xy in paths])))
    meeting: dict[int, list[int]] = {}
    if nodes.points:
        points = shapely.points(np.array(nodes.points))
        border = shapely.STRtree([waste.boundary])
        on = border.query(points, predicate="dwithin", distance=2 * GRID_MM)[0]
        if len(on):
            near = shapely.STRtree(rings).nearest(points[on])
            for n, ring in zip(on.tolist(), near.tolist(), strict=True):
                meeting.setdefault(ring, []).append(n)
    lines: list[Line] = []
    moved: dict[int, np.ndarray] = {}
    in_turn = True
    for n, ring in enumerate(rings):
        own = meeting.get(n)
        if not own:
            lines.append(_bordering(paths[n], (-1, -1), code, tree, True, float(drawn[beside[n]].length)))
            continue
        points = shapely.points(np.array([nodes.points[i] for i in own]))
        at = shapely.line_locate_point(ring, points)
        order = np.argsort(at)
        places = at[order]
        on_drawn = shapely.line_locate_point(drawn[beside[n]], points[order])
        whole_drawn = float(drawn[beside[n]].length)
        same_way = drawn[beside[n]].is_ccw == ring.is_ccw
        steps = np.diff(on_drawn if same_way else on_drawn[::-1], append=on_drawn[0 if same_way else -1])
        in_turn &= int((steps < 0).sum()) <= 1
        ends = [own[i] for i in order]
        on_ring = shapely.get_coordinates(shapely.line_interpolate_point(ring, places))
        moved |= dict(zip(ends, on_ring, strict=True))
        xy = np.concatenate([paths[n], paths[n][:1]])
        along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T))])
        for i, first in enumerate(ends):
            last, low = ends[(i + 1) % len(ends)], places[i]
            high = places[i + 1] if i + 1 < len(ends) else places[0] + along[-1]
            part = _between(xy, along, low, high, on_ring[i], on_ring[(i + 1) % len(ends)])
            step = on_drawn[(i + 1) % len(ends)] - on_drawn[i]
            long = float((step if same_way else -step) % whole_drawn) or whole_drawn
            lines.append(_bordering(part, (first, last), code, tree, False, long))
    return lines, moved, in_turn


def _between(xy, along, low: float, high: float, first, last) -> np.ndarray:
    """The stretch of a closed path between two places along it."""
    whole = along[-1]
    inner = [xy[:-1][(along[:-1] > low + GRID_MM) & (along[:-1] < high - GRID_MM)]]
    if high > whole:
        inner.append(xy[:-1][along[:-1] < high - whole - GRID_MM])
    return np.concatenate([first[None], *inner, last[None]])


def _bordering(xy: np.ndarray, ends: tuple[int, int], code: int, tree, closed: bool, drawn_mm: float) -> Line:
    """A line between waste and the body next to its middle, which lies on its left."""
    path = shapely.linearrings(xy) if closed else shapely.linestrings(xy)
    long = float(path.length)
    middle = shapely.line_interpolate_point(path, 0.5, normalized=True)
    body = int(tree.nearest(middle))
    bodies = tree.geometries
    onto = shapely.get_coordinates(shapely.shortest_line(middle, bodies[body]))[-1]
    here = shapely.get_coordinates(middle)[0]
    further = shapely.get_coordinates(shapely.line_interpolate_point(path, min(long / 2 + 0.02, long)))[0]
    way = further - here
    aside = onto - here
    if np.hypot(*aside) < 1e-6:
        # on the line itself: look a little to either side
        aside = np.array([-way[1], way[0]]) / max(np.hypot(*way), 1e-9) * 0.02
        inside = shapely.intersects_xy(bodies[body], *(here + aside))
        aside = aside if inside else -aside
    left = way[0] * aside[1] - way[1] * aside[0] > 0
    return Line(xy, ends, *((body, code) if left else (code, body)), drawn_mm)


def _reaching(line: Line, moved: dict[int, np.ndarray]) -> Line:
    """A seam led on to where the border's path runs."""
    if line.closed:
        return line
    first, last = (moved.get(n) for n in line.nodes)
    if first is None and last is None:
        return line
    xy = line.xy
    if first is not None and np.hypot(*(first - xy[0])) > GRID_MM:
        xy = np.concatenate([first[None], xy])
    if last is not None and np.hypot(*(last - xy[-1])) > GRID_MM:
        xy = np.concatenate([xy, last[None]])
    return Line(xy, line.nodes, line.left, line.right, line.drawn_mm)
