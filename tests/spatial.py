"""Small works that are not flat, for walks and for pages."""

from dataclasses import replace

import numpy as np
import shapely

from emberquilt.formats.make import Wishes, block_from, body_from
from emberquilt.intake.body_source import Brought
from emberquilt.outline.coverage import Coverage
from emberquilt.practice import Practice
from emberquilt.rack.rack import Rack
from emberquilt.solid.mesh import Mesh
from emberquilt.space.slices import Cutting
from emberquilt.work.change import applied
from emberquilt.work.composition import Composition, Layer, Piece
from emberquilt.work.verbs import edit
from workshop.compositions.demo import solids

METRIC = Practice(unit="mm")


def done(work: Composition, verb: str, keys=(), layer: int = 0, **values) -> Composition:
    """The work after a verb."""
    return applied(work, edit(work, verb, list(keys), values, layer))


def standing(rack: Rack | None = None) -> Composition:
    """A figure with two tabs on a base with their slots, and a second figure that nothing holds yet."""
    figure = shapely.Polygon(
        [
            (10, 10),
            (50, 10),
            (50, 50),
            (45, 50),
            (45, 56),
            (35, 56),
            (35, 50),
            (25, 50),
            (25, 56),
            (15, 56),
            (15, 50),
            (10, 50),
        ]
    )
    base, slots = shapely.box(10, 70, 90, 120), [shapely.box(35, 92, 45, 98), shapely.box(55, 92, 65, 98)]
    other = shapely.box(60, 10, 90, 50)
    outlines = [figure, other, shapely.difference(base, shapely.union_all(slots)), *slots]
    pieces = (
        Piece(1, 1, "cherry", 0.0, 6.0),
        Piece(2, 2, "walnut", 0.0, 6.0),
        Piece(3, 3, "cherry", 0.0, 6.0),
        Piece(4, 4),
        Piece(5, 5),
    )
    layer = Layer(1, "Parts", "mosaic", Coverage(range(1, 6), outlines), pieces)
    work = Composition("Standing", 100, 130, (layer,), METRIC, last_key=5)
    work = replace(work, rack=rack) if rack is not None else work
    return done(work, "kit")


def stacked(rack: Rack | None = None) -> Composition:
    """A tapered body in four slices."""
    points = np.array(
        [(x * (1 - z / 80), y * (1 - z / 80), z) for z in (0, 24) for y in (-15, 15) for x in (-15, 15)], float
    )
    faces = np.array(
        [
            (0, 2, 1),
            (1, 2, 3),
            (4, 5, 6),
            (5, 7, 6),
            (0, 1, 4),
            (1, 5, 4),
            (2, 6, 3),
            (3, 6, 7),
            (0, 4, 2),
            (2, 4, 6),
            (1, 3, 5),
            (3, 7, 5),
        ]
    )
    body = Brought(Mesh(points, faces), 24.0)
    work = body_from(body, "Body", Cutting(6.0, 24.0, "z", 6.0), Wishes(), METRIC)
    return replace(work, rack=rack) if rack is not None else work


def crossed(rack: Rack | None = None) -> Composition:
    """The demo's puzzle in a block."""
    work = block_from(solids.teapot_front(), solids.teapot_side(), "Block", 57.0, Wishes(), METRIC)
    return replace(work, rack=rack) if rack is not None else work


def sunk(rack: Rack | None = None) -> Composition:
    """A board with a lowered field, an island in it and an opening that is filled."""
    rim, island, hole = shapely.box(0, 0, 80, 60), shapely.box(30, 20, 50, 40), shapely.box(62, 20, 74, 40)
    field = shapely.box(8, 8, 58, 52)
    outlines = [
        shapely.difference(rim, shapely.union_all([field, hole])),
        shapely.difference(field, island),
        island,
        hole,
    ]
    pieces = (
        Piece(1, 1, "cherry", 0.0),
        Piece(2, 2, "cherry", 0.0),
        Piece(3, 3, "cherry", 0.0),
        Piece(4, 0, opening=True),
    )
    layer = Layer(1, "Board", "sheet", Coverage(range(1, 5), outlines), pieces, 19.0)
    work = Composition("Sunk", 80, 60, (layer,), METRIC, last_key=4)
    work = replace(work, rack=rack) if rack is not None else work
    work = done(done(work, "routed"), "rout", [2], depth="6 mm")
    return done(work, "pool", [4], tint="#2a6f8a")
