"""All layers in one picture: from the front, as it hangs, or lifted apart, the sheets off each other."""

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
import shapely

from ..outline.coverage import Coverage, Spot, largest_circle
from ..outline.paths import path_of
from ..work.composition import Composition, Layer
from ..work.parts import Job
from ..work.readings import dress_of
from ..work.scene import Dress, Mark, Scene, Shape, shapes_of
from ..work.view import View

LEAN, SQUASH, LIFT, ASIDE = 0.3, 0.45, 0.22, 0.24
"""How far a lifted sheet leans to the right for its height, how flat it is seen, how much each is lifted above the one
behind it, and how far it stands aside, as shares of the picture's size."""


def scene_in(job: Job, view: View, dress: dict[int, Dress], marks: Iterable[Mark] = ()) -> Scene:
    """What is seen in a view, worn as a reading says; marks only where they are seen."""
    composition = job.composition
    if not view.stacked:
        layer = composition.layer(view.layer)
        return Scene(composition.width_mm, composition.height_mm, shapes_of(layer.coverage), dress, tuple(marks))
    return _front(job, dress, marks) if view.kind == "front" else _apart(composition, dress, marks)


def _front(job: Job, dress: dict[int, Dress], marks: Iterable[Mark]) -> Scene:
    """Back to front; what is said of a piece stands where the piece is seen."""
    composition = job.composition
    shapes = tuple(s for layer in composition.layers for s in _seen_shapes(job, layer))
    bare = {s.key for s in shapes if s.spot.radius_mm == 0}
    worn = {key: replace(d, label="", arrow=False) if key in bare else d for key, d in dress.items()}
    kept = tuple(mark for mark in marks if _is_seen(job, mark))
    return Scene(composition.width_mm, composition.height_mm, shapes, worn, kept, stacked=True)


def _is_seen(job: Job, mark: Mark) -> bool:
    seen = job.seen_of.get(mark.piece)
    return seen is None or seen.distance(shapely.Point(mark.x_mm, mark.y_mm)) < 0.1


def _seen_shapes(job: Job, layer: Layer) -> list[Shape]:
    """Shapes of a layer with the places for words where they are seen; hidden pieces have none."""
    coverage = layer.without_openings.coverage
    behind = job.composition.layers.index(layer) + 1
    front = tuple(other.without_openings.coverage for other in job.composition.layers[behind:])
    if not front:
        return list(shapes_of(coverage))
    return coverage.against("seen shapes", front, lambda: _with_spots(job, coverage))


def _with_spots(job: Job, coverage: Coverage) -> list[Shape]:
    made = []
    for shape in shapes_of(coverage):
        seen = job.seen_of[shape.key]
        if seen is coverage.by_key[shape.key] or seen.area > coverage.area_mm2[shape.key] - 1e-6:
            made.append(shape)
            continue
        parts = [part for part in shapely.get_parts(seen) if part.area > 0.5]
        largest = max(parts, key=lambda part: part.area, default=None)
        spot = largest_circle(largest) if largest is not None else Spot(shape.spot.x_mm, shape.spot.y_mm, 0.0)
        made.append(replace(shape, spot=spot))
    return made


def _apart(composition: Composition, dress: dict[int, Dress], marks: Iterable[Mark]) -> Scene:
    """The rearmost lies lowest. Marks at a point go with their piece; lines are left out."""
    width, height, count = composition.width_mm, composition.height_mm, len(composition.layers)
    foot = 0.06 * height
    places = {
        layer.key: (i * ASIDE * width, (count - 1 - i) * LIFT * height) for i, layer in enumerate(composition.layers)
    }
    shapes = tuple(s for layer in composition.layers for s in _lifted(layer, height, places[layer.key]))
    names = [
        Mark("name", places[layer.key][0], SQUASH * height + places[layer.key][1] + foot / 2, text=f"{i} {layer.name}")
        for i, layer in enumerate(composition.layers, 1)
    ]
    moved = []
    for mark in marks:
        if not mark.path and mark.piece in composition.home:
            to = places[composition.home[mark.piece].key]
            ((x, y),) = _lean(np.array([[mark.x_mm, mark.y_mm]]), height, to).tolist()
            moved.append(replace(mark, x_mm=x, y_mm=y))
    tall = SQUASH * height + (count - 1) * LIFT * height + foot
    wide = width + LEAN * height + (count - 1) * ASIDE * width
    return Scene(wide, tall, shapes, dress, (*names, *moved), stacked=True)


FROM_AFAR = 1500.0
"""Seen as small as on a shelf, nothing finer than this share of the picture's width can be told."""


def from_afar(composition: Composition, numbered: bool = False) -> Scene:
    """The work as a small picture: every layer in its woods, or bare with its numbers; outlines no finer than the eye
    sees at that size."""
    layers = composition.layers
    shapes = tuple(shape for layer in layers for shape in _coarse(layer, composition.width_mm / FROM_AFAR))
    worn = {
        p.key: dress_of(composition, p, "plain" if numbered else "full", str(p.number) if numbered else "")
        for p in composition.made
    }
    return Scene(composition.width_mm, composition.height_mm, shapes, worn, stacked=len(layers) > 1)


def _coarse(layer: Layer, coarse_mm: float) -> list[Shape]:
    coverage = layer.without_openings.coverage
    spots = coverage.spots

    def make(keys, outlines):
        seen = shapely.simplify(outlines, coarse_mm)
        return [Shape(key, path_of(outline), spots[key]) for key, outline in zip(keys, seen, strict=True)]

    table = coverage.each(("from afar", coarse_mm), make)
    return [table[key] for key in coverage.keys]


def _lean(xy: np.ndarray, height: float, to: tuple[float, float]) -> np.ndarray:
    return np.c_[xy[:, 0] + LEAN * (height - xy[:, 1]) + to[0], SQUASH * xy[:, 1] + to[1]]


def _lifted(layer: Layer, height: float, to: tuple[float, float]) -> list[Shape]:
    coverage = layer.without_openings.coverage
    outlines = shapely.transform(np.array(coverage.outlines), lambda xy: _lean(xy, height, to))
    shapes = []
    for key, outline in zip(coverage.keys, outlines, strict=True):
        spot = coverage.spots[key]
        ((x, y),) = _lean(np.array([[spot.x_mm, spot.y_mm]]), height, to).tolist()
        shapes.append(Shape(key, path_of(outline), Spot(x, y, SQUASH * spot.radius_mm)))
    return shapes
