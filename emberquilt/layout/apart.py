"""Parts that lie over each other are pressed apart: one after the other goes where it gives way least, and pairs that
stay in each other's way weigh more and more (guided local search over overlaps, on coarse cells)."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from .cells import Stamp
from .effort import Effort

STALLED = 20
"""Rounds without less overlap after which it is given up."""
LESS = 0.98
HEAVIER = 0.6
WALL = 4.0
"""What is no wood weighs so much more than another part."""
CLEAR = 10.0
"""Less overlap than this, as depths of cells summed, is left to be settled exactly: own measurement."""


@dataclass
class Spot:
    """Where a part lies: which of its turns, and the cell at which its box begins."""

    turn: int
    row: int
    column: int


class Crowd:
    """Parts in a field of cells, each with its turns, lying over each other as they may."""

    def __init__(
        self,
        blocked: np.ndarray,
        turns: Sequence[Sequence[Stamp]],
        spots: Sequence[Spot],
        nailed: Sequence[tuple[Stamp, int, int]] = (),
    ):
        self.turns, self.spots = turns, list(spots)
        self.weight = np.ones(len(turns))
        padded = np.pad(blocked.astype(np.uint8), 1)
        self.walls = WALL * cv2.distanceTransform(padded, cv2.DIST_L2, cv2.DIST_MASK_5)[1:-1, 1:-1].astype(np.float32)
        for stamp, row, column in nailed:
            here, part = stamp.over(self.walls, row, column)
            self.walls[here] = np.maximum(self.walls[here], WALL * stamp.depth[part])
        self.field = self.walls.copy()
        for k, spot in enumerate(self.spots):
            stamp = self.stamp(k)
            spot.row = max(0, min(spot.row, blocked.shape[0] - stamp.rows))
            spot.column = max(0, min(spot.column, blocked.shape[1] - stamp.columns))
            self._add(k, 1.0)

    def stamp(self, k: int) -> Stamp:
        return self.turns[k][self.spots[k].turn]

    def _add(self, k: int, weight: float) -> None:
        stamp, spot = self.stamp(k), self.spots[k]
        here, part = stamp.over(self.field, spot.row, spot.column)
        self.field[here] += np.float32(weight) * stamp.depth[part]

    def cost(self, k: int) -> float:
        """How much it lies in the way of others, by their weights."""
        stamp, spot = self.stamp(k), self.spots[k]
        all_in_all = float((stamp.within(self.field, spot.row, spot.column) * stamp.weights).sum())
        return max(0.0, all_in_all - self.weight[k] * stamp.own_depth)

    def lift(self, k: int) -> None:
        self._add(k, -self.weight[k])
        stamp, spot = self.stamp(k), self.spots[k]
        here, _ = stamp.over(self.field, spot.row, spot.column)
        np.maximum(self.field[here], self.walls[here], out=self.field[here])

    def move(self, k: int, effort: Effort) -> None:
        """Lift it and lay it where it gives way least, in whichever of its turns."""
        self.lift(k)
        best: tuple[float, Spot] | None = None
        for turn, stamp in enumerate(self.turns[k]):
            if stamp.rows > self.field.shape[0] or stamp.columns > self.field.shape[1]:
                continue
            cost = cv2.matchTemplate(self.field, stamp.weights, cv2.TM_CCORR)
            effort.cells(self.field.size + 20_000)
            least = int(cost.argmin())
            row, column = divmod(least, cost.shape[1])
            if best is None or cost[row, column] < best[0]:
                best = (float(cost[row, column]), Spot(turn, row, column))
        if best is not None:
            self.spots[k] = best[1]
        self._add(k, self.weight[k])

    def heavier(self, costs: np.ndarray) -> None:
        """Those in the way weigh more, the worst most."""
        most = costs.max()
        for k in np.flatnonzero(costs > CLEAR).tolist():
            more = self.weight[k] * HEAVIER * costs[k] / most
            self._add(k, more)
            self.weight[k] += more

    def press_apart(self, rng: np.random.Generator, effort: Effort) -> bool:
        """True once no part lies in another's way, as far as cells tell."""
        least, since = np.inf, 0
        count = range(len(self.turns))
        while not effort.done and since < STALLED:
            in_way = [k for k in count if self.cost(k) > CLEAR * self.weight[k]]
            if not in_way:
                return True
            rng.shuffle(in_way)
            for k in in_way:
                if self.cost(k) > CLEAR:
                    self.move(k, effort)
                if effort.done:
                    return False
            costs = np.array([self.cost(k) for k in count])
            total = float((costs / self.weight).sum())
            least, since = (total, 0) if total < LESS * least else (least, since + 1)
            if costs.max() > CLEAR:
                self.heavier(costs)
        return False
