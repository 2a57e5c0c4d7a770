"""The first layout: the largest first, each where it reaches least far along the first face that has room for it."""

from collections.abc import Iterable, Mapping, Sequence

import cv2
import numpy as np

from .cells import Grid, Stamp, Stamps
from .task import Face, Gaps, Item, Laid, Layout, largest_first, room_on


class Filling:
    """A face while parts are laid on it."""

    def __init__(self, face: Face, gaps: Gaps, stamps: Stamps):
        self.face, self.stamps = face, stamps
        self.grid = Grid.of(room_on(face, gaps), stamps.cell_mm)
        self.taken = self.grid.blocked.astype(np.float32)
        self.free = int(self.taken.size - self.taken.sum())
        self.reach = 0
        self.clusters: dict[str, list[tuple[float, float]]] = {}
        self._tried: dict[tuple[bytes, float], int] = {}

    def nail(self, laid: Laid) -> None:
        """What lies here already, wherever it is."""
        stamp = self.stamps.stamped(laid.item, laid.turn_deg)
        x, y = laid.x_mm - stamp.left_mm - self.grid.x0_mm, laid.y_mm - stamp.top_mm - self.grid.y0_mm
        # it lies between cells: what it keeps from others is marked from both
        for column in {int(np.floor(x / self.grid.cell_mm)), int(np.ceil(x / self.grid.cell_mm))}:
            for row in {int(np.floor(y / self.grid.cell_mm)), int(np.ceil(y / self.grid.cell_mm))}:
                self._mark(stamp, row, column)

    def _mark(self, stamp: Stamp, row: int, column: int) -> None:
        here, part = stamp.over(self.taken, row, column)
        field, own = self.taken[here], stamp.grown[part]
        if field.size and own.size:
            self.free -= int((own & (field < 0.5)).sum())
            field[own] = 1.0

    def find(self, item: Item) -> tuple[tuple[float, ...], Stamp, int, int] | None:
        """The best place that is free: how good it is (least is best), the stamp, row and column."""
        best = None
        rows, columns = self.taken.shape
        near = self.clusters.get(item.cluster) if item.cluster else None
        for stamp in self.stamps.of(item, self.face):
            if stamp.rows > rows or stamp.columns > columns or stamp.count > self.free:
                continue
            name = (self.stamps.name(item), stamp.turn_deg)
            # what was blocked for this outline stays so: the search goes on from where it last ended
            begin = 0 if near else self._tried.get(name, 0)
            end = columns if near else min(columns, max(self.reach, begin) + stamp.columns + stamp.margin + 2)
            free = cv2.matchTemplate(self.taken[:, begin:end], stamp.weights, cv2.TM_CCORR) < 0.5
            found = _nearest(free, near, stamp) if near else _leftmost(free)
            if found is None:
                self._tried[name] = max(begin, end - stamp.columns)
                continue
            row, column, away = found[0], found[1] + begin, found[2]
            if not near:
                self._tried[name] = column
            # in a cluster its nearest place counts, otherwise how far it reaches
            key: tuple[float, ...] = (away, column + stamp.columns, row) if near else (column + stamp.columns, row)
            if best is None or key < best[0]:
                best = (key, stamp, row, column)
        return best

    def put(self, item: Item, stamp: Stamp, row: int, column: int) -> Laid:
        self._mark(stamp, row, column)
        self.reach = max(self.reach, column + stamp.columns)
        if item.cluster:
            middle = (row + stamp.rows / 2, column + stamp.columns / 2)
            self.clusters.setdefault(item.cluster, []).append(middle)
        x, y = self.grid.place(stamp, row, column)
        return Laid(item, self.face.key, x, y, stamp.turn_deg)


def _leftmost(free: np.ndarray) -> tuple[int, int, float] | None:
    columns = free.any(axis=0)
    if not columns.any():
        return None
    column = int(columns.argmax())
    return int(free[:, column].argmax()), column, 0.0


def _nearest(free: np.ndarray, near: list[tuple[float, float]], stamp: Stamp) -> tuple[int, int, float] | None:
    """The free place nearest to those of its cluster."""
    rows, columns = np.nonzero(free)
    if not len(rows):
        return None
    y, x = np.mean(near, axis=0)
    away = np.hypot(rows + stamp.rows / 2 - y, columns + stamp.columns / 2 - x)
    best = int(away.argmin())
    return int(rows[best]), int(columns[best]), float(away[best])


def first_layout(
    items: Iterable[Item],
    faces: Sequence[Face],
    gaps: Gaps,
    stamps: Stamps,
    nailed: Iterable[Laid] = (),
    order: Sequence[Item] | None = None,
) -> Layout:
    """Everything laid one after the other. `nailed` stay where they are."""
    fillings = {face.key: Filling(face, gaps, stamps) for face in sorted(faces, key=lambda face: (face.rank, face.key))}
    laid = list(nailed)
    for one in laid:
        if one.face in fillings:
            fillings[one.face].nail(one)
    homes: dict[str, str] = {one.item.cluster: one.face for one in laid if one.item.cluster}
    unplaced = []
    for item in order if order is not None else largest_first(items):
        made = _laid(item, fillings, homes)
        if made is None:
            unplaced.append(item)
        else:
            laid.append(made)
            if item.cluster:
                homes.setdefault(item.cluster, made.face)
    return Layout(tuple(laid), tuple(unplaced))


def _laid(item: Item, fillings: Mapping[str, Filling], homes: Mapping[str, str]) -> Laid | None:
    """On the face of its cluster, else on the first that has room; of slices of one board where it reaches least
    far."""
    home = homes.get(item.cluster, "") if item.cluster else ""
    names = ([home] if home in fillings else []) + [name for name in fillings if name != home]
    for name in names:
        found = fillings[name].find(item)
        if found is None:
            continue
        best, key = fillings[name], found
        stack = best.face.stack
        if stack and name != home:
            for other in fillings.values():
                if other.face.stack == stack and other is not best:
                    there = other.find(item)
                    if there is not None and there[0] < key[0]:
                        best, key = other, there
        _, stamp, row, column = key
        return best.put(item, stamp, row, column)
    return None
