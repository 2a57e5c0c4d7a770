"""A body in slices of the stock's thickness: what each way of slicing costs, where a pin runs through, what is too
small to hold."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import floor, sqrt

import numpy as np
import shapely
from shapely import affinity

from ..errors import BadChoice
from .mesh import Mesh
from .slicing import polygons_only, sections

MOST_SLICES = 200
WITHIN = 3
"""A slice is compared with the body at so many heights inside it."""
SMOOTH_MM = 0.02
COMPARED_MM = 0.05
"""What a slice loses is compared on outlines made straight within this."""
ALONG_WORDS = {
    "z": "lying slices, from the foot upwards",
    "y": "upright slices, from the back to the front",
    "x": "upright slices, from the left to the right",
}
LEAST_HOLD_MM = 3.0
"""Wood that stays round a pin's hole: common practice, no source."""


@dataclass(frozen=True)
class Sliced:
    """`areas` of the slices from the lowest, in x and y of the turned body (y up); `lowest_mm` where the first begins;
    `thickness_mm` of each."""

    along: str
    thickness_mm: float
    lowest_mm: float
    areas: tuple[shapely.Geometry, ...]

    @property
    def volume_mm3(self) -> float:
        return sum(area.area for area in self.areas) * self.thickness_mm


@dataclass(frozen=True)
class Way:
    """What slicing along one direction gives: how many slices, which share of the body's volume the steps add or take
    (`lost`), how far a step stands out at most (`step_mm`), and the stock that goes into it: `wood_mm2` the boxes of
    all slices laid one by one, `mm3` of it."""

    along: str
    count: int
    lost: float
    step_mm: float
    wood_mm2: float
    wood_mm3: float

    @property
    def words(self) -> str:
        return ALONG_WORDS[self.along]


def count_of(length_mm: float, thickness_mm: float) -> int:
    """Slices that come nearest to a length. Raises `BadChoice` for more than anybody saws."""
    count = max(1, floor(length_mm / thickness_mm + 0.5))
    if count > MOST_SLICES:
        raise BadChoice(
            f"That makes {count} slices; up to {MOST_SLICES} can be planned. Take thicker stock, or a smaller body."
        )
    return count


def sliced(mesh: Mesh, along: str, thickness_mm: float) -> Sliced:
    """A body in slices, each of the outline that the body has at the middle of its thickness."""
    turned = mesh.turned(along)
    low, high = turned.bounds[:, 2]
    count = count_of(high - low, thickness_mm)
    first = (low + high - count * thickness_mm) / 2
    # a body a little shorter than its slices is cut inside itself
    edge = 0.02 * min(thickness_mm, high - low)
    middles = np.clip(first + thickness_mm * (np.arange(count) + 0.5), low + edge, high - edge)
    areas = sections(turned, middles.tolist())
    return Sliced(along, thickness_mm, float(first), tuple(_smooth(area) for area in areas))


def _smooth(area: shapely.Geometry) -> shapely.Geometry:
    """Without points that say nothing, on the grid of drawings."""
    made = shapely.set_precision(shapely.simplify(area, SMOOTH_MM), 0.001)
    return polygons_only(shapely.make_valid(made))


def ways_of(mesh: Mesh, thickness_mm: float) -> list[Way]:
    """Every direction, the best one first: what the steps lose weighs as much as the wood that goes in, each as a share
    of the hungriest, and the number of slices a quarter as much."""
    made = [way for along in ("z", "y", "x") if (way := _way(mesh, along, thickness_mm)) is not None]
    if not made:
        count_of(float(mesh.size.min()), thickness_mm)
    most = [max(getattr(way, name) for way in made) or 1.0 for name in ("lost", "wood_mm3", "count")]
    return sorted(made, key=lambda w: w.lost / most[0] + w.wood_mm3 / most[1] + 0.25 * w.count / most[2])


def _way(mesh: Mesh, along: str, thickness_mm: float) -> Way | None:
    """Nothing where it takes too many slices."""
    try:
        cut = sliced(mesh, along, thickness_mm)
    except BadChoice:
        return None
    turned = mesh.turned(along)
    low, high = turned.bounds[:, 2]
    between = (np.arange(WITHIN) + 0.5) / WITHIN
    inside = (cut.lowest_mm + thickness_mm * (np.arange(len(cut.areas))[:, None] + between)).ravel()
    true = shapely.simplify(np.array(sections(turned, inside.tolist()), object), COMPARED_MM)
    own = np.repeat(shapely.simplify(np.array(cut.areas, object), COMPARED_MM), WITHIN)
    beyond = (inside <= low) | (inside >= high)
    off = shapely.area(shapely.symmetric_difference(true, own))
    lost = float(off.sum()) * thickness_mm / WITHIN / max(mesh.volume_mm3, 1e-9)
    border = shapely.length(own)
    steps = np.where((border > 0) & ~beyond, off / np.maximum(border, 1e-9), 0.0)
    boxes = [part.bounds for area in cut.areas for part in shapely.get_parts(area).tolist()]
    wood = sum((x1 - x0) * (y1 - y0) for x0, y0, x1, y1 in boxes)
    return Way(along, len(cut.areas), lost, float(steps.max(initial=0.0)), wood, wood * thickness_mm)


@dataclass(frozen=True)
class Pin:
    """A square pin through slices `first` to `last` (from 0, inclusive), its middle at a place of the turned body."""

    x_mm: float
    y_mm: float
    first: int
    last: int


def pins_of(
    areas: Sequence[shapely.Geometry], side_mm: float, wanted: int, keep_mm: float = LEAST_HOLD_MM
) -> list[Pin]:
    """Where square pins go so that their holes lie inside every slice that they run through, with so much wood round
    them; one pin for the longest run of slices, another for what is left, and so on. With two wanted, each run gets a
    second one as far from the first as it can be. Nothing where no two slices have room for one."""
    room = [_room(area, side_mm, keep_mm) for area in areas]
    made: list[Pin] = []
    first = 0
    while first < len(areas):
        shared, last = room[first], first
        while last + 1 < len(areas):
            narrower = shapely.intersection(shared, room[last + 1])
            if narrower.is_empty or narrower.area <= 0:
                break
            shared, last = narrower, last + 1
        if last > first and not shared.is_empty:
            made += _places(shared, side_mm, wanted, first, last)
        first = last + 1
    return made


def _room(area: shapely.Geometry, side_mm: float, keep_mm: float) -> shapely.Geometry:
    """Where the middle of a pin may lie."""
    return shapely.buffer(area, -(side_mm / sqrt(2) + keep_mm), quad_segs=4)


def _places(shared: shapely.Geometry, side_mm: float, wanted: int, first: int, last: int) -> list[Pin]:
    largest = max(shapely.get_parts(shared).tolist(), key=lambda part: part.area)
    middle = shapely.centroid(largest)
    if not shapely.intersects(largest, middle):
        middle = shapely.point_on_surface(largest)
    pins = [Pin(round(middle.x, 2), round(middle.y, 2), first, last)]
    if wanted > 1:
        corners = shapely.get_coordinates(shared)
        ends = corners[np.argmax(np.hypot(*(corners - (middle.x, middle.y)).T))]
        other = corners[np.argmax(np.hypot(*(corners - ends).T))]
        if float(np.hypot(*(ends - other))) > 3 * side_mm:
            pins = [Pin(round(float(x), 2), round(float(y), 2), first, last) for x, y in (ends, other)]
    return pins


def hole_of(pin: Pin, side_mm: float) -> shapely.Polygon:
    half = side_mm / 2
    return shapely.box(pin.x_mm - half, pin.y_mm - half, pin.x_mm + half, pin.y_mm + half)


def bridged(area: shapely.Geometry, wide_mm: float, tiny_mm2: float) -> tuple[shapely.Geometry, int]:
    """Islands of less than `tiny_mm2` joined to the nearest larger part by a strip so wide, and how many were."""
    parts = sorted(shapely.get_parts(area).tolist(), key=lambda part: -part.area)
    made, joined = parts[:1], 0
    for part in parts[1:]:
        if part.area >= tiny_mm2:
            made.append(part)
            continue
        host = min(range(len(made)), key=lambda i: shapely.distance(made[i], part))
        line = shapely.shortest_line(shapely.point_on_surface(part), made[host])
        inner = shapely.get_coordinates(line)
        # on into the larger part, so that the strip is held by it
        way = inner[1] - inner[0]
        end = inner[1] + way / max(float(np.hypot(*way)), 1e-9) * wide_mm
        strip = shapely.buffer(shapely.LineString([inner[0], end]), wide_mm / 2, cap_style="flat")
        whole = shapely.union_all(np.array([made[host], part, strip], object))
        if whole.geom_type == "Polygon":
            made[host] = whole
            joined += 1
        else:
            made.append(part)
    return polygons_only(shapely.union_all(np.array(made, object))), joined


def mirrored_pairs(areas: Sequence[shapely.Geometry], off_mm: float = 0.15) -> list[tuple[int, int, bool]]:
    """Slices of one outline (or its mirror image from left to right, told by True) that can be sawn as a stack: lower
    one, upper one; each slice in one pair at most, those farthest apart first."""
    waiting = set(range(len(areas)))
    found = []
    spans = sorted(((i, j) for i in waiting for j in waiting if i < j), key=lambda pair: pair[0] - pair[1])
    centred = [_centred(area) for area in areas]
    mirrored = [affinity.scale(area, -1.0, 1.0, origin=(0, 0)) for area in centred]
    for i, j in spans:
        if i in waiting and j in waiting and abs(areas[i].area - areas[j].area) < 0.02 * areas[i].area + 1.0:
            for turned, own in ((False, centred[i]), (True, mirrored[i])):
                if not own.is_empty and shapely.hausdorff_distance(own, centred[j]) < off_mm:
                    found.append((i, j, turned))
                    waiting -= {i, j}
                    break
    return found


def _centred(area: shapely.Geometry) -> shapely.Geometry:
    if area.is_empty:
        return area
    x0, y0, x1, y1 = area.bounds
    return affinity.translate(area, -(x0 + x1) / 2, -(y0 + y1) / 2)
