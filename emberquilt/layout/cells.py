"""Outlines as cells, so that every place at once can be tried.

`whole` cells are those that an outline can touch, `grown` those too near to it for another; both err towards more, so
what is found free in cells is free in truth.
"""

from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from shapely import affinity

from ..lazy import lazy
from .task import Face, Item

HALF_CELL = 0.7072
"""Farthest a point of a cell lies from its middle, in cells."""
MOST_KEPT = 4000


def inside(shape: shapely.Geometry, x0: float, y0: float, rows: int, columns: int, cell: float) -> np.ndarray:
    """Cells (rows, columns; bool) from (x0, y0) whose middle lies inside, by counting borders from the left."""
    crossings = np.zeros((rows, columns + 1), np.int32)
    for body in shapely.get_parts(shape):
        for ring in (body.exterior, *body.interiors):
            xy = (shapely.get_coordinates(ring) - (x0, y0)) / cell - 0.5
            _cross(crossings, xy[:-1], xy[1:])
    return (np.cumsum(crossings[:, :columns], axis=1) & 1).astype(bool)


def _cross(crossings: np.ndarray, begin: np.ndarray, end: np.ndarray) -> None:
    rows, columns = crossings.shape
    down = begin[:, 1] <= end[:, 1]
    low, high = np.where(down[:, None], begin, end), np.where(down[:, None], end, begin)
    first = np.clip(np.ceil(low[:, 1]), 0, rows).astype(int)
    count = np.clip(np.ceil(high[:, 1]), 0, rows).astype(int) - first
    edge = np.repeat(np.arange(len(count)), count)
    row = np.arange(len(edge)) - np.repeat(np.cumsum(count) - count, count) + first[edge]
    slope = (high[edge, 0] - low[edge, 0]) / (high[edge, 1] - low[edge, 1])
    x = low[edge, 0] + (row - low[edge, 1]) * slope
    np.add.at(crossings, (row, np.clip(np.ceil(x), 0, columns - 1).astype(int)), 1)


@dataclass(frozen=True)
class Stamp:
    """An item in one turn: `whole` cells of its box, `grown` cells of the box with `margin` more all round; its `about`
    lies (`left_mm`, `top_mm`) from the box's corner."""

    turn_deg: float
    whole: np.ndarray
    grown: np.ndarray
    margin: int
    left_mm: float
    top_mm: float

    @property
    def rows(self) -> int:
        return self.whole.shape[0]

    @property
    def columns(self) -> int:
        return self.whole.shape[1]

    @lazy
    def weights(self) -> np.ndarray:
        return np.ascontiguousarray(self.whole, np.float32)

    @lazy
    def count(self) -> int:
        return int(self.whole.sum())

    @lazy
    def depth(self) -> np.ndarray:
        """How far inside the grown outline each cell lies, in cells: what another one there would have to give way."""
        padded = np.pad(self.grown.astype(np.uint8), 1)
        return cv2.distanceTransform(padded, cv2.DIST_L2, cv2.DIST_MASK_5)[1:-1, 1:-1].astype(np.float32)

    @lazy
    def own_depth(self) -> float:
        """What it would have to give way to itself."""
        m = self.margin
        return float((self.depth[m : m + self.rows, m : m + self.columns] * self.weights).sum())

    def over(self, field: np.ndarray, row: int, column: int) -> tuple[tuple[slice, slice], tuple[slice, slice]]:
        """Where the grown outline lies on a field of cells, and which part of it does."""
        y, x = row - self.margin, column - self.margin
        y0, x0 = max(0, y), max(0, x)
        y1, x1 = min(field.shape[0], y + self.grown.shape[0]), min(field.shape[1], x + self.grown.shape[1])
        return (slice(y0, y1), slice(x0, x1)), (slice(y0 - y, y1 - y), slice(x0 - x, x1 - x))

    def within(self, field: np.ndarray, row: int, column: int) -> np.ndarray:
        return field[row : row + self.rows, column : column + self.columns]


class Stamps:
    """Stamps of items on one grid. `exact` ones err towards more; others are as near as the grid allows. Alike
    outlines share theirs."""

    def __init__(self, cell_mm: float, gap_mm: float, exact: bool = True):
        self.cell_mm, self.gap_mm, self.exact = cell_mm, gap_mm, exact
        self._made: dict[tuple[bytes, float], Stamp] = {}
        self._name: dict[str, bytes] = {}

    def name(self, item: Item) -> bytes:
        """The same for alike outlines."""
        if item.key not in self._name:
            x0, y0, _, _ = item.outline.bounds
            about = np.round(np.subtract(item.about, (x0, y0)), 3)
            points = np.round(shapely.get_coordinates(item.outline) - (x0, y0), 3)
            self._name[item.key] = points.tobytes() + about.tobytes()
        return self._name[item.key]

    def of(self, item: Item, face: Face) -> list[Stamp]:
        return [self._one(item, turn) for turn in face.turns(item)]

    def _one(self, item: Item, turn_deg: float) -> Stamp:
        known = self._made.get((self.name(item), turn_deg))
        if known is None:
            if len(self._made) >= MOST_KEPT:
                self._made.clear()
            known = self._made[self.name(item), turn_deg] = self.stamped(item, turn_deg)
        return known

    def stamped(self, item: Item, turn_deg: float) -> Stamp:
        shape, cell = item.turned(turn_deg), self.cell_mm
        x0, y0, x1, y1 = shape.bounds
        shape = affinity.translate(shape, -x0, -y0)
        columns, rows = (max(1, int(np.ceil(side / cell - 1e-9))) for side in (x1 - x0, y1 - y0))
        more = HALF_CELL * cell if self.exact else 0.0
        whole = inside(shape.buffer(more, quad_segs=4) if more else shape, 0.0, 0.0, rows, columns, cell)
        reach = self.gap_mm + more
        margin = int(np.ceil(reach / cell))
        far = -margin * cell
        grown = inside(shape.buffer(reach, quad_segs=8), far, far, rows + 2 * margin, columns + 2 * margin, cell)
        return Stamp(turn_deg, whole, grown, margin, -x0, -y0)


@dataclass(frozen=True)
class Grid:
    """A face in cells from (`x0_mm`, `y0_mm`); `blocked` cells may not be touched by a part."""

    x0_mm: float
    y0_mm: float
    cell_mm: float
    blocked: np.ndarray

    @classmethod
    def of(cls, room: shapely.Geometry, cell_mm: float, exact: bool = True) -> "Grid":
        """The grid over a face's room."""
        if room.is_empty:
            return cls(0.0, 0.0, cell_mm, np.ones((1, 1), bool))
        x0, y0, x1, y1 = room.bounds
        # a rectangle is kept to whole cells, so that nothing of its edge is lost to roundness
        straight = abs(room.area - (x1 - x0) * (y1 - y0)) < 1e-6
        if straight:
            columns, rows = (max(1, int((side + 1e-9) / cell_mm)) for side in (x1 - x0, y1 - y0))
            return cls(x0, y0, cell_mm, np.zeros((rows, columns), bool))
        columns, rows = (max(1, int(np.ceil(side / cell_mm))) for side in (x1 - x0, y1 - y0))
        inner = room.buffer(-HALF_CELL * cell_mm) if exact else room
        return cls(x0, y0, cell_mm, ~inside(inner, x0, y0, rows, columns, cell_mm))

    def place(self, stamp: Stamp, row: int, column: int) -> tuple[float, float]:
        """Where the `about` of an item lies whose box begins at this cell, in mm on the face."""
        x, y = self.x0_mm + column * self.cell_mm, self.y0_mm + row * self.cell_mm
        return x + stamp.left_mm, y + stamp.top_mm

    def cell_at(self, stamp: Stamp, x_mm: float, y_mm: float) -> tuple[int, int]:
        """The nearest cell at which the box of an item begins that lies there."""
        column = round((x_mm - stamp.left_mm - self.x0_mm) / self.cell_mm)
        row = round((y_mm - stamp.top_mm - self.y0_mm) / self.cell_mm)
        most_row, most_column = (n - m for n, m in zip(self.blocked.shape, stamp.whole.shape, strict=True))
        return min(max(row, 0), max(most_row, 0)), min(max(column, 0), max(most_column, 0))
