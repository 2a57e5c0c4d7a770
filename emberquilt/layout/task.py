"""What is to be laid, on what, and where it came to lie.

Lengths are millimetres with y downwards, turns are degrees counter-clockwise as one sees the face.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
import shapely
from shapely import affinity

from ..lazy import lazy

NO_FLAWS = shapely.Polygon()
SEGMENTS = 16
ROUND = 1 / math.cos(math.pi / (4 * SEGMENTS))
"""A round corner of so many straight bits lies nowhere nearer than meant if it is drawn larger by this."""


@dataclass(frozen=True)
class Item:
    """A part to be laid. `about` is the point of its outline whose place is told, `turns` are those it may have,
    `cluster` names those that want to lie next to each other."""

    key: str
    outline: shapely.Geometry = field(repr=False)
    about: tuple[float, float] = (0.0, 0.0)
    turns: tuple[float, ...] = (0.0,)
    cluster: str = ""
    directed: bool = False
    """It has a grain: its turns count from the face's own."""

    @property
    def area_mm2(self) -> float:
        return float(self.outline.area)

    @lazy
    def reach_mm(self) -> tuple[float, float]:
        """How far it reaches along the grain and across it, in the turn in which it needs least width."""
        boxes = [self.turned(turn).bounds for turn in self.turns]
        return min(((x1 - x0, y1 - y0) for x0, y0, x1, y1 in boxes), key=lambda side: side[1])

    @lazy
    def centred(self) -> shapely.Geometry:
        """Its outline round `about`."""
        return affinity.translate(self.outline, -self.about[0], -self.about[1])

    def turned(self, turn_deg: float) -> shapely.Geometry:
        # y runs downwards, so what one sees as counter-clockwise is a negative turn here
        return affinity.rotate(self.centred, -turn_deg, origin=(0, 0)) if turn_deg else self.centred


@dataclass(frozen=True)
class Face:
    """What parts can be laid on: its `region`, and `flaws` that are left out of it. Those of a lower `rank` are filled
    before others. `grain_deg` is the way of its grain, from which the turns of directed items count."""

    key: str
    region: shapely.Geometry = field(repr=False)
    flaws: shapely.Geometry = field(default=NO_FLAWS, repr=False)
    rank: tuple = ()
    grain_deg: float = 0.0
    stack: str = ""
    """Faces of one stack are slices of one board: what counts is how far any of them is used."""

    def turns(self, item: Item) -> tuple[float, ...]:
        """The whole turns that an item may have here."""
        base = self.grain_deg if item.directed else 0.0
        return tuple(round((base + turn) % 360, 6) for turn in item.turns)


@dataclass(frozen=True)
class Laid:
    """An item on a face: where its `about` lies, and how it is turned. `nailed`: it stays where it is."""

    item: Item
    face: str
    x_mm: float
    y_mm: float
    turn_deg: float
    nailed: bool = False

    @lazy
    def outline(self) -> shapely.Geometry:
        """Where it lies on the face."""
        return affinity.translate(self.item.turned(self.turn_deg), self.x_mm, self.y_mm)


@dataclass(frozen=True)
class Gaps:
    """`between_mm` two parts, for the blade and the hand; `edge_mm` between a part and a board's edge or flaw."""

    between_mm: float = 6.0
    edge_mm: float = 3.0


@dataclass(frozen=True)
class Layout:
    """Where items lie, and those that found no place."""

    laid: tuple[Laid, ...]
    unplaced: tuple[Item, ...] = ()

    @lazy
    def by_face(self) -> dict[str, list[Laid]]:
        table: dict[str, list[Laid]] = {}
        for one in self.laid:
            table.setdefault(one.face, []).append(one)
        return table

    @property
    def area_mm2(self) -> float:
        return sum(one.item.area_mm2 for one in self.laid)


def room_on(face: Face, gaps: Gaps) -> shapely.Geometry:
    """Where parts may lie on a face: in from its edge and from its flaws."""
    edge_mm = gaps.edge_mm * ROUND
    inner = face.region.buffer(-edge_mm, quad_segs=SEGMENTS) if edge_mm else face.region
    if face.flaws.is_empty:
        return inner
    return shapely.difference(inner, face.flaws.buffer(edge_mm, quad_segs=SEGMENTS))


def largest_first(items: Iterable[Item]) -> list[Item]:
    """Items by size, those of one cluster one after the other, where the largest of them stands."""
    own = sorted(items, key=lambda item: (-item.area_mm2, item.key))
    first: dict[str, int] = {}
    for i, item in enumerate(own):
        first.setdefault(item.cluster or item.key, i)
    return sorted(own, key=lambda item: first[item.cluster or item.key])


def total_bounds(outlines: Iterable[shapely.Geometry]) -> tuple[float, float, float, float]:
    x0, y0, x1, y1 = shapely.total_bounds(np.array(list(outlines), object))
    return float(x0), float(y0), float(x1), float(y1)
