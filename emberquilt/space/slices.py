"""A body as parts: its slices laid side by side on a sheet, with the holes of their pins."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely import affinity

from ..errors import BadChoice
from ..outline.coverage import Coverage, on_grid
from ..practice import Practice
from ..solid.mesh import AXES, Mesh, packed
from ..solid.slices import (
    Pin,
    Way,
    bridged,
    count_of,
    hole_of,
    pins_of,
    sliced,
    ways_of,
)
from ..work.composition import Composition, Layer, Piece
from ..work.decisions import Decisions
from ..work.in_space import Body, MeshDecisions, PinRun, Slice, SpaceDecisions

APART_MM = 8.0
"""Between slices that lie side by side on the sheet."""
WIDE_TO_HIGH = 1.5
TINY_MM2 = 60.0
"""A part of a slice that is smaller and hangs on nothing is joined by a bridge: own choice."""
BRIDGE_MM = 3.0
SPECK_MM2 = 4.0
"""A smaller one is left away, and said."""
LEAST_MM, MOST_MM = 0.5, 120.0
LEAST_HIGH_MM, MOST_HIGH_MM = 5.0, 3000.0


@dataclass(frozen=True)
class Cutting:
    """How a body is to be cut: thickness of the stock by the caliper, finished height, direction (x, y, z or best),
    side of its pins (0 for none), how many of them, and whether small islands are joined."""

    thickness_mm: float
    height_mm: float
    along: str = "best"
    pin_mm: float = 0.0
    pins: int = 1
    bridge: bool = True

    def __post_init__(self) -> None:
        if not LEAST_MM <= self.thickness_mm <= MOST_MM:
            raise BadChoice(f"Slices can be {LEAST_MM:g} to {MOST_MM:g} mm thick, not {self.thickness_mm:g}.")
        if not LEAST_HIGH_MM <= self.height_mm <= MOST_HIGH_MM:
            raise BadChoice(f"A body can be {LEAST_HIGH_MM:g} to {MOST_HIGH_MM:g} mm high, not {self.height_mm:g}.")
        if self.along not in (*AXES, "best"):
            raise BadChoice("A body can be sliced along x, y or z, or the best way of these.")
        if not 0 <= self.pin_mm <= 40:
            raise BadChoice("A pin's side can be up to 40 mm.")
        if self.pins not in (1, 2):
            raise BadChoice("A body has one pin or two.")


@dataclass(frozen=True)
class Cut:
    """A body cut up: the way it went and the others, areas of the slices in the body's own middle, y up, with their
    holes; `joined` islands and `specks` left away."""

    along: str
    ways: tuple[Way, ...]
    areas: tuple[shapely.Geometry, ...]
    pins: tuple[Pin, ...]
    joined: int
    specks: int


def to_height(mesh: Mesh, height_mm: float) -> Mesh:
    return mesh.scaled(height_mm / max(float(mesh.size[2]), 1e-9))


def cut_up(mesh: Mesh, how: Cutting) -> Cut:
    """A body of its finished height as slices. Raises `BadChoice`."""
    body = to_height(mesh, how.height_mm)
    ways = tuple(ways_of(body, how.thickness_mm))
    along = how.along
    if along == "best":
        along = ways[0].along
    elif along not in {way.along for way in ways}:
        count_of(float(body.size[AXES.index(along)]), how.thickness_mm)
    made = sliced(body, along, how.thickness_mm)
    low, high = body.turned(along).bounds
    middle = (low + high) / 2
    areas, joined, specks = list[shapely.Geometry](), 0, 0
    for area in made.areas:
        own = affinity.translate(area, -middle[0], -middle[1])
        parts = [part for part in shapely.get_parts(own).tolist() if part.area >= SPECK_MM2]
        specks += len(shapely.get_parts(own)) - len(parts) if parts else 0
        own = shapely.union_all(np.array(parts, object)) if parts else own
        if how.bridge:
            own, count = bridged(own, BRIDGE_MM, TINY_MM2)
            joined += count
        areas.append(own)
    if any(area.is_empty for area in areas):
        raise BadChoice("A slice would hold nothing: the body is in two, one over the other. Slice it another way.")
    pins = tuple(pins_of(areas, how.pin_mm, how.pins)) if how.pin_mm else ()
    for pin in pins:
        for level in range(pin.first, pin.last + 1):
            areas[level] = shapely.difference(areas[level], hole_of(pin, how.pin_mm))
    return Cut(along, ways, tuple(areas), pins, joined, specks)


def laid(areas: Sequence[shapely.Geometry]) -> list[tuple[float, float]]:
    """Where the middle of each body's slice comes to lie on a sheet, in rows."""
    boxes = [area.bounds for area in areas]
    sizes = [(x1 - x0 + APART_MM, y1 - y0 + APART_MM) for x0, y0, x1, y1 in boxes]
    wide = max(max(w for w, _ in sizes), (WIDE_TO_HIGH * sum(w * h for w, h in sizes)) ** 0.5)
    places, x, y, row = list[tuple[float, float]](), 0.0, 0.0, 0.0
    for (x0, _, _, y1), (w, h) in zip(boxes, sizes, strict=True):
        if x and x + w > wide + 1e-6:
            x, y, row = 0.0, y + row, 0.0
        # the sheet's y runs downwards
        places.append((round(x + APART_MM / 2 - x0, 3), round(y + APART_MM / 2 + y1, 3)))
        x, row = x + w, max(row, h)
    return places


def on_sheet(area: shapely.Geometry, at: tuple[float, float]) -> list[shapely.Polygon]:
    """The parts of a slice where they lie on the sheet, the largest first."""
    moved = shapely.transform(area, lambda xy: xy * (1, -1) + at)
    parts = shapely.get_parts(on_grid(moved)).tolist()
    return sorted(parts, key=lambda part: -part.area)


@dataclass(frozen=True)
class Laid:
    """A body's slices on a sheet: outlines with the level and the place of each, and how large the sheet is."""

    outlines: tuple[tuple[int, shapely.Polygon], ...]
    places: tuple[tuple[float, float], ...]
    width_mm: float
    height_mm: float


def laid_out(cut: Cut) -> Laid:
    places = laid(cut.areas)
    outlines = [
        (level, part)
        for level, (area, at) in enumerate(zip(cut.areas, places, strict=True))
        for part in on_sheet(area, at)
    ]
    x1, y1 = shapely.total_bounds([part for _, part in outlines])[2:].tolist()
    return Laid(tuple(outlines), tuple(places), round(x1 + APART_MM / 2, 3), round(y1 + APART_MM / 2, 3))


def body_of(layer: int, cut: Cut, how: Cutting, slices: Sequence[Slice]) -> Body:
    pins = tuple(PinRun(pin.x_mm, pin.y_mm, pin.first, pin.last) for pin in cut.pins)
    side = how.pin_mm if pins else 0.0
    return Body(layer, cut.along, how.thickness_mm, how.height_mm, tuple(slices), side, pins, len(cut.areas))


def fresh(mesh: Mesh, name: str, how: Cutting, practice: Practice) -> Composition:
    """A work that is one body in slices, and the body with it. Raises `BadChoice`."""
    cut = cut_up(mesh, how)
    sheet = laid_out(cut)
    coverage = Coverage(range(1, len(sheet.outlines) + 1), [part for _, part in sheet.outlines])
    pieces = tuple(Piece(key, key) for key in coverage.keys)
    layer = Layer(1, "Body", "kit", coverage, pieces, thickness_mm=how.thickness_mm)
    slices = [Slice(key, level, *sheet.places[level]) for key, (level, _) in enumerate(sheet.outlines, 1)]
    decided = Decisions(
        space=SpaceDecisions(bodies=(body_of(1, cut, how, slices),)),
        meshes=MeshDecisions({1: packed(to_height(mesh, how.height_mm))}),
    )
    return Composition(name, sheet.width_mm, sheet.height_mm, (layer,), practice, decided)


@dataclass(frozen=True)
class Again:
    """What cutting a body again changes: outlines of pieces that stay (the same place in the same slice), pieces that
    come (`born`, by level) and go, and what the slices that stay are now."""

    cut: Cut
    sheet: Laid
    outlines: dict[int, shapely.Polygon]
    born: tuple[tuple[int, shapely.Polygon], ...]
    gone: tuple[int, ...]
    slices: tuple[Slice, ...]


def again(composition: Composition, layer: Layer, mesh: Mesh, how: Cutting) -> Again:
    """A body of this layer cut once more. Raises `BadChoice`."""
    cut = cut_up(mesh, how)
    sheet = laid_out(cut)
    body = composition.decisions.space.body_of(layer.key)
    old: dict[int, list[int]] = {}
    for one in sorted(body.slices if body else (), key=lambda s: s.piece):
        if one.piece in layer.by_key:
            old.setdefault(one.level, []).append(one.piece)
    outlines: dict[int, shapely.Polygon] = {}
    born: list[tuple[int, shapely.Polygon]] = []
    slices: list[Slice] = []
    for level, part in sheet.outlines:
        mine = old.get(level, [])
        if mine:
            key = mine.pop(0)
            outlines[key] = part
            slices.append(Slice(key, level, *sheet.places[level]))
        else:
            born.append((level, part))
    gone = tuple(key for keys in old.values() for key in keys)
    gone += tuple(p.key for p in layer.pieces if p.opening)
    return Again(cut, sheet, outlines, tuple(born), gone, tuple(slices))


def true_thickness(thickness_mm: Mapping[int, float], body: Body) -> float:
    """What the slices are by the caliper now; where they differ, what they are on the average."""
    levels: dict[int, float] = {}
    for one in body.slices:
        if one.piece in thickness_mm:
            levels[one.level] = max(levels.get(one.level, 0.0), thickness_mm[one.piece])
    return round(sum(levels.values()) / len(levels), 3) if levels else body.thickness_mm
