"""A board routed to set depths by hand: which bit each field wants, in which passes and order, and where the router's
base still rides.

Of a V-bit of angle a a groove w wide is w / (2 tan(a/2)) deep. A bit of diameter D leaves its own radius in inner
corners, so a field takes the largest that reaches nearly all of it. One pass is half a diameter deep at most (common
practice, no source).
"""

from collections.abc import Iterable
from dataclasses import dataclass
from math import ceil, radians, tan

import numpy as np
import shapely

from ..practice import Practice
from ..work.composition import Layer
from ..work.lowered import kind_of_bit
from ..work.parts import Job, Part

REACHES = 0.985
"""A bit suits a field where it reaches this share of it; the corners it leaves are cut by hand."""
PASS_SHARE, V_PASS_MM, MOST_PASS_MM = 0.5, 3.0, 6.0
FEED_MM_PER_MINUTE = 900.0
OVERLAP = 0.6
"""Each further way beside the last clears this share of the bit's width: common practice, no source."""
CHANGE_MINUTES = 4.0
LEFT_BELOW_MM = 2.0
"""Wood that stays under a field: common practice, no source."""
ROUND_MM = 50.0
"""Waste that is left round the board while it is routed, for the base to ride on; it is sawn off last."""
MOST_PROBES = 160
NEAR_MM = 0.01


@dataclass(frozen=True, slots=True)
class Bit:
    """A bit of the shop: what kind, its diameter (of a V-bit its angle) and how it is called."""

    kind: str
    size: float
    name: str

    def pass_mm(self) -> float:
        """How much deeper one pass may go."""
        return V_PASS_MM if self.kind == "v" else min(PASS_SHARE * self.size, MOST_PASS_MM)


@dataclass(frozen=True)
class Routed:
    """One field: how deep, with which bit, in how many passes; `reaches` the share of it that the bit reaches,
    `corners` where it does not (mm); `wide_mm` its widest spot; `islands`: fields that stand higher inside it; `rides`:
    the base is carried everywhere, otherwise `tips` says where, and `base_mm` how wide a base would carry."""

    piece: int
    depth_mm: float
    bit: Bit
    passes: tuple[float, ...]
    reaches: float
    corners: tuple[tuple[float, float], ...]
    wide_mm: float
    islands: tuple[int, ...]
    rides: bool
    tips: tuple[float, float] | None
    base_mm: float
    minutes: float


@dataclass(frozen=True)
class Passes:
    """All that one bit does, walls before floors, the deepest last."""

    bit: Bit
    fields: tuple[Routed, ...]
    minutes: float


@dataclass(frozen=True)
class Routing:
    """One board: its fields in the order in which they are routed, bit by bit, and the gauge blocks that set depths."""

    board: Part
    layer: int
    fields: tuple[Routed, ...]
    passes: tuple[Passes, ...]
    gauges_mm: tuple[float, ...]

    @property
    def minutes(self) -> float:
        return sum(one.minutes for one in self.passes)

    @property
    def by_piece(self) -> dict[int, Routed]:
        return {one.piece: one for one in self.fields}


def routings_of(job: Job) -> tuple[Routing, ...]:
    """Every board of one copy; worked out once for a job."""
    return job.once("routings", lambda: tuple(_routing(job, board) for board in job.boards))


def depth_for_line_mm(wide_mm: float, v_deg: float) -> float:
    """How deep a V-bit goes for a groove so wide."""
    return wide_mm / (2 * tan(radians(v_deg) / 2))


def width_of_groove_mm(deep_mm: float, v_deg: float) -> float:
    return 2 * deep_mm * tan(radians(v_deg) / 2)


def bits_of(practice: Practice) -> dict[str, list[Bit]]:
    """The shop's bits by kind, the widest first."""
    say = practice.say
    flat = [Bit("flat", mm, f"end mill {say(mm)}") for mm in sorted(practice.end_mills_mm, reverse=True)]
    return {
        "flat": flat,
        "v": [Bit("v", practice.v_deg, f"V-bit {practice.v_deg:g}°")],
        "ball": [Bit("ball", practice.ball_mm, f"ball nose {say(practice.ball_mm)}")],
    }


def _routing(job: Job, board: Part) -> Routing:
    layer = job.composition.layer(board.id.layer)
    depths = {p.key: job.composition.decisions.fields.depths.get(p.key, 0.0) for p in layer.without_openings.pieces}
    deep = [key for key, mm in depths.items() if mm > 0]
    fields = [_field(job, layer, key, depths) for key in deep]
    # shallow before deep, so that the face stays for the base to ride on
    fields.sort(key=lambda one: (one.depth_mm, one.piece))
    groups: dict[Bit, list[Routed]] = {}
    for one in fields:
        groups.setdefault(one.bit, []).append(one)
    passes = [Passes(bit, tuple(own), CHANGE_MINUTES + sum(one.minutes for one in own)) for bit, own in groups.items()]
    # a bit whose fields are deeper comes later
    passes.sort(key=lambda one: (max(f.depth_mm for f in one.fields), one.bit.kind != "v", one.bit.size))
    gauges = sorted({round(mm, 2) for one in fields for mm in one.passes})
    order = [one for group in passes for one in group.fields]
    return Routing(board, layer.key, tuple(order), tuple(passes), tuple(gauges))


def _field(job: Job, layer: Layer, key: int, depths: dict[int, float]) -> Routed:
    practice, fields = job.composition.practice, job.composition.decisions.fields
    outline = layer.coverage.by_key[key]
    wide = 2 * layer.coverage.spots[key].radius_mm
    bits = bits_of(practice)
    kind = kind_of_bit(fields.bits.get(key, ""), wide)
    bit, reaches, rest = _bit_for(outline, bits.get(kind) or bits["flat"] or bits["v"])
    depth = depths[key]
    if bit.kind == "v":
        # the width of the line says how deep: no deeper than was said
        depth = min(depth, depth_for_line_mm(wide, bit.size))
    passes = tuple(
        round(depth * (n + 1) / count, 3)
        for count in [max(1, ceil(depth / bit.pass_mm() - 1e-9))]
        for n in range(count)
    )
    rides, tips, base = _rides(layer, key, depths, practice)
    return Routed(
        key,
        round(depth, 3),
        bit,
        passes,
        reaches,
        rest,
        wide,
        tuple(_islands(layer, key, depths)),
        rides,
        tips,
        base,
        _minutes(outline, bit, len(passes)),
    )


def _bit_for(outline: shapely.Polygon, bits: list[Bit]) -> tuple[Bit, float, tuple[tuple[float, float], ...]]:
    """The widest bit that reaches nearly all of a field, or the narrowest there is; what it leaves in corners."""
    best: tuple[Bit, float, shapely.Geometry] | None = None
    for bit in bits:
        if bit.kind == "v":
            return bit, 1.0, ()
        reached = opened(outline, bit.size / 2)
        share = float(reached.area / outline.area)
        if best is None or share > best[1]:
            best = bit, share, shapely.difference(outline, reached)
        if share >= REACHES:
            break
    if best is None:
        return Bit("flat", 3.175, "end mill"), 0.0, ()
    bit, share, rest = best
    corners = [part.centroid for part in shapely.get_parts(rest).tolist() if part.area > 0.02]
    return bit, share, tuple((round(c.x, 2), round(c.y, 2)) for c in corners[:60])


def opened(outline: shapely.Geometry, radius: float) -> shapely.Geometry:
    """What a round bit of that radius reaches inside an outline."""
    return shapely.buffer(shapely.buffer(outline, -radius, quad_segs=24), radius, quad_segs=24)


def _minutes(outline: shapely.Polygon, bit: Bit, passes: int) -> float:
    """Walls once a pass, then ways side by side over the floor."""
    wide = 2.0 if bit.kind == "v" else bit.size * OVERLAP
    floor = outline.area / wide if bit.kind != "v" else 0.0
    return passes * (outline.length / (2 if bit.kind == "v" else 1) + floor) / FEED_MM_PER_MINUTE


def _islands(layer: Layer, key: int, depths: dict[int, float]) -> Iterable[int]:
    """What stands higher, all round in this field."""
    outline = layer.coverage.by_key[key]
    for ring in outline.interiors:
        hole = shapely.Polygon(ring)
        for other in layer.coverage.neighbours[key]:
            if other in depths and depths[other] < depths[key] and hole.covers(layer.coverage.by_key[other]):
                yield other


def _rides(
    layer: Layer, key: int, depths: dict[int, float], practice: Practice
) -> tuple[bool, tuple[float, float] | None, float]:
    """Whether a round base, its middle anywhere over a field, lies on wood of the face on all sides: fields that are
    routed before, and this one, carry nothing. Where it tips, the place and the diameter that would carry there."""
    outline = layer.coverage.by_key[key]
    low = [layer.coverage.by_key[k] for k, mm in depths.items() if mm > 0 and (mm, k) <= (depths[key], key)]
    gone = shapely.union_all(np.array(low, object))
    whole = shapely.buffer(layer.coverage.outside, ROUND_MM)
    face = shapely.difference(whole, gone)
    shapely.prepare(face)
    base = practice.router_base_mm
    worst, place = base, None
    for point in _probes(outline):
        need = _base_for(point, face, base)
        if need > worst:
            worst, place = need, (round(point.x, 1), round(point.y, 1))
    return place is None, place, worst


def _probes(outline: shapely.Polygon) -> list[shapely.Point]:
    x0, y0, x1, y1 = outline.bounds
    step = max(3.0, ((x1 - x0) * (y1 - y0) / MOST_PROBES) ** 0.5)
    xs, ys = np.meshgrid(np.arange(x0 + step / 2, x1, step), np.arange(y0 + step / 2, y1, step))
    inside = shapely.contains_xy(outline, xs.ravel(), ys.ravel())
    points = [shapely.Point(x, y) for x, y in zip(xs.ravel()[inside], ys.ravel()[inside], strict=True)]
    return points or [shapely.point_on_surface(outline)]


def _base_for(point: shapely.Point, face: shapely.Geometry, base: float) -> float:
    """The diameter of a base that is carried all round a point: the least of the shop's own and wider ones."""
    for wide in (base, 1.5 * base, 2 * base, 3 * base, 4 * base):
        carried = shapely.intersection(face, point.buffer(wide / 2, 12))
        if shapely.contains_properly(shapely.convex_hull(carried), point):
            return wide
    return 5 * base
