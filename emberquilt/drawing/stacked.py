"""All layers in one picture: assembled, as it hangs, or exploded, the sheets lifted off each other."""

from dataclasses import replace

import numpy as np
import shapely

from ..composition import Composition, Layer
from ..pattern.coverage import Spot
from ..pattern.paths import path_of
from .scene import Dress, Mark, Scene, Shape, shapes_of

LEAN, SQUASH, LIFT, ASIDE = 0.3, 0.45, 0.22, 0.24
"""How far a lifted sheet leans to the right for its height, how flat it is seen, how much each is lifted above the one
behind it, and how far it stands aside, as shares of the picture's size."""
VIEWS = ("assembled", "exploded")


def stacked(composition: Composition, view: str) -> Scene:
    """Solid pieces of every layer from back to front. In `exploded` the rearmost lies lowest."""
    dress = {
        p.key: Dress(p.wood, p.grain_deg or 0.0, "full", str(p.number), colour=p.colour)
        for layer in composition.layers
        for p in layer.solid.pieces
    }
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
