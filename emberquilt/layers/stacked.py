"""All layers in one picture: assembled, as it hangs, or exploded, the sheets lifted off each other."""

from dataclasses import replace

import numpy as np
import shapely

from ..outline.coverage import Spot
from ..outline.paths import path_of
from ..work.composition import Composition, Layer
from ..work.scene import Dress, Mark, Scene, Shape, shapes_of

LEAN, SQUASH, LIFT, ASIDE = 0.3, 0.45, 0.22, 0.24
"""How far a lifted sheet leans to the right for its height, how flat it is seen, how much each is lifted above the one
behind it, and how far it stands aside, as shares of the picture's size."""
VIEWS = ("assembled", "exploded")


def stacked(composition: Composition, view: str) -> Scene:
    """Solid pieces of every layer from back to front. In `exploded` the rearmost lies lowest."""
    dress = _numbered(composition)
    if view == "assembled":
        shapes = tuple(s for layer in composition.layers for s in shapes_of(layer.solid.coverage))
        bare = {key: replace(d, label="") for key, d in dress.items()}
        return Scene(composition.width_mm, composition.height_mm, shapes, bare, stacked=True)
    width, height, count = composition.width_mm, composition.height_mm, len(composition.layers)
    lift, aside = LIFT * height, ASIDE * width
    foot = 0.06 * height
    shapes = tuple(
        shape
        for i, layer in enumerate(composition.layers)
        for shape in _lifted(layer, height, (i * aside, (count - 1 - i) * lift))
    )
    marks = tuple(
        Mark("name", i * aside, SQUASH * height + (count - 1 - i) * lift + foot / 2, text=f"{i + 1} {layer.name}")
        for i, layer in enumerate(composition.layers)
    )
    tall = SQUASH * height + (count - 1) * lift + foot
    return Scene(width + LEAN * height + (count - 1) * aside, tall, shapes, dress, marks, stacked=True)


FROM_AFAR = 1500.0
"""Seen as small as on a shelf, nothing finer than this share of the picture's width can be told."""


def from_afar(composition: Composition, numbered: bool = False) -> Scene:
    """The work as a small picture: every layer in its woods, or bare with its numbers; outlines no finer than the eye
    sees at that size."""
    layers = composition.layers
    shapes = tuple(shape for layer in layers for shape in _coarse(layer, composition.width_mm / FROM_AFAR))
    dress = _numbered(composition)
    worn = {key: replace(d, tone="plain") if numbered else replace(d, label="") for key, d in dress.items()}
    return Scene(composition.width_mm, composition.height_mm, shapes, worn, stacked=len(layers) > 1)


def _coarse(layer: Layer, coarse_mm: float) -> list[Shape]:
    coverage, spots = layer.solid.coverage, layer.solid.coverage.spots

    def make(keys, outlines):
        seen = shapely.simplify(outlines, coarse_mm)
        return [Shape(key, path_of(outline), spots[key]) for key, outline in zip(keys, seen, strict=True)]

    table = coverage.each(("from afar", coarse_mm), make)
    return [table[key] for key in coverage.keys]


def _numbered(composition: Composition) -> dict[int, Dress]:
    """Every piece of every layer in its wood and coat, with its number."""
    seen = composition.seen
    return {
        p.key: Dress(
            p.wood,
            p.grain_deg or 0.0,
            label=str(p.number),
            colour=p.colour,
            coat=seen.hex(p) if p.coat and p.wood else "",
        )
        for layer in composition.layers
        for p in layer.solid.pieces
    }


def _lifted(layer: Layer, height: float, to: tuple[float, float]) -> list[Shape]:
    def lean(xy: np.ndarray) -> np.ndarray:
        return np.c_[xy[:, 0] + LEAN * (height - xy[:, 1]) + to[0], SQUASH * xy[:, 1] + to[1]]

    coverage = layer.solid.coverage
    outlines = shapely.transform(np.array(coverage.outlines), lean)
    shapes = []
    for key, outline in zip(coverage.keys, outlines, strict=True):
        spot = coverage.spots[key]
        ((x, y),) = lean(np.array([[spot.x_mm, spot.y_mm]])).tolist()
        shapes.append(Shape(key, path_of(outline), Spot(x, y, SQUASH * spot.radius_mm)))
    return shapes
