"""One scene in millimetres, drawn by every back end: the panel in the page, SVG and PDF.

A scene has shapes (outlines that change only when pieces are split or joined), what each piece wears in a reading
(wood, grain, words), and marks laid over them. Back ends know these and nothing of stations.
"""

from dataclasses import dataclass, field

import shapely

from ..composition import Composition
from ..pattern.coverage import Coverage, Spot


@dataclass(frozen=True, slots=True)
class Shape:
    """`path` is SVG path data in mm; `spot` the place for words."""

    key: int
    path: str
    spot: Spot


@dataclass(frozen=True, slots=True)
class Dress:
    """What a piece wears. `wood` empty means bare paper; `tone` is full, pale, plain, grey, ghost or dark; `label` stands at the spot; an arrow lies along the grain."""

    wood: str = ""
    grain_deg: float = 0.0
    tone: str = "full"
    label: str = ""
    arrow: bool = False
    strong: bool = False
    colour: str = ""
    """Of the drawing, to be seen while a piece has no wood."""


@dataclass(frozen=True, slots=True)
class Mark:
    """Something laid over the pieces at a point or along a path; `piece` where it belongs to one.

    `kind` is pin, hole, start, melt, guide or ring.
    """

    kind: str
    x_mm: float = 0.0
    y_mm: float = 0.0
    path: str = ""
    text: str = ""
    piece: int = 0


@dataclass(frozen=True)
class Scene:
    width_mm: float
    height_mm: float
    shapes: tuple[Shape, ...]
    dress: dict[int, Dress]
    marks: tuple[Mark, ...] = field(default=())


def path_of(geometry: shapely.Geometry, decimals: int = 2) -> str:
    """SVG path data of polygons and lines, absolute coordinates, y downwards; rings are closed."""
    parts = []
    for part in shapely.get_parts(geometry):
        if part.geom_type == "Polygon":
            parts += [_ring(ring, decimals, True) for ring in (part.exterior, *part.interiors)]
        elif not part.is_empty:
            parts.append(_ring(part, decimals, False))
    return "".join(parts)


def _ring(ring, decimals: int, closed: bool) -> str:
    points = shapely.get_coordinates(ring)[: -1 if closed else None].round(decimals).tolist()
    return "M" + "L".join(f"{x!r} {y!r}" for x, y in points) + ("Z" if closed else "")


def shapes_of(coverage: Coverage) -> tuple[Shape, ...]:
    """Shapes of a coverage, worked out once."""
    spots = coverage.spots
    return coverage.once("shapes", lambda: tuple(Shape(k, path_of(o), spots[k]) for k, o in coverage.by_key.items()))


def scene_of(composition: Composition, dress: dict[int, Dress], marks: tuple[Mark, ...] = ()) -> Scene:
    return Scene(composition.width_mm, composition.height_mm, shapes_of(composition.mosaic.coverage), dress, marks)
