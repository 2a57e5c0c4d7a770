"""In which order parts of a solid can be slid apart, each straight along one of the block's axes.

A part is free along a way where nothing that is left stands before it: no other part has wood farther that way in the
same line. It is looked at in thin layers: along x and z height by height, along y in columns.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .compound import Boxes

WAYS = {
    "front": (0.0, 0.0, 1.0),
    "back": (0.0, 0.0, -1.0),
    "right": (1.0, 0.0, 0.0),
    "left": (-1.0, 0.0, 0.0),
    "up": (0.0, 1.0, 0.0),
    "down": (0.0, -1.0, 0.0),
}
"""Ways along the block's faces, as one looks at its front."""
WAY_WORDS = {
    "front": "towards you",
    "back": "away from you",
    "right": "to the right",
    "left": "to the left",
    "up": "upwards",
    "down": "downwards",
}
LAYER_MM = 0.5
TOUCH_MM = 0.3
"""What overlaps by less slides past: the blade took more than that away. Own choice, under the kerf of a No. 5."""
MOST_LAYERS = 600


@dataclass(frozen=True, slots=True)
class Freed:
    """A part (its place in the list), the turn in which it comes out, from 1, and the way it goes; turn 0 where nothing
    frees it."""

    part: int
    turn: int
    way: str = ""

    @property
    def words(self) -> str:
        return WAY_WORDS.get(self.way, "")


def freeing(parts: Sequence[Boxes]) -> list[Freed]:
    """When each part can be slid out, and which way: all that is free comes out in one turn, and what that frees in the
    next. So each is free at its turn, and was not in any earlier one."""
    if not parts:
        return []
    blocks = _blocked(parts)
    left, turn = set(range(len(parts))), 0
    found: dict[int, Freed] = {}
    while left:
        turn += 1
        out = {}
        # the last of all has nothing to be freed from: it comes the way that the block's front looks
        for part in left:
            way = next((w for w in WAYS if not any(blocks[w][part, other] for other in left)), None)
            if way is not None:
                out[part] = way
        if not out:
            break
        if len(out) == len(left) and len(left) > 1:
            # all would come at once: the largest stays, the others are drawn off it
            stays = max(left, key=lambda part: parts[part].volume_mm3)
            out.pop(stays)
        for part, way in out.items():
            found[part] = Freed(part, turn, way)
        left -= set(out)
    return [found.get(n, Freed(n, 0)) for n in range(len(parts))]


def _blocked(parts: Sequence[Boxes]) -> dict[str, np.ndarray]:
    """For each way whether one part (row) is stopped by another (column)."""
    n = len(parts)
    table = {way: np.zeros((n, n), bool) for way in WAYS}
    low = min(float(part.bounds[0, 1]) for part in parts)
    high = max(float(part.bounds[1, 1]) for part in parts)
    count = int(np.clip((high - low) / LAYER_MM, 1, MOST_LAYERS))
    heights = low + (high - low) * (np.arange(count) + 0.5) / count
    sliced = [_at(part, heights) for part in parts]
    for a in range(n):
        for b in range(n):
            if a == b:
                continue
            x, z = _before(sliced[a], sliced[b])
            table["right"][a, b], table["left"][a, b] = x
            table["front"][a, b], table["back"][a, b] = z
    _up_and_down(parts, table)
    return table


def _at(part: Boxes, heights: np.ndarray) -> dict[int, np.ndarray]:
    """At each height that cuts it the part's rectangles: x from, x to, z from, z to."""
    slab = np.searchsorted(part.heights, heights, side="right") - 1
    rows: dict[int, list[int]] = {}
    for n, k in enumerate(part.slab.tolist()):
        rows.setdefault(k, []).append(n)
    made = {}
    for i, (k, y) in enumerate(zip(slab.tolist(), heights.tolist(), strict=True)):
        own = rows.get(k)
        if not own:
            continue
        share = (y - part.heights[k]) / (part.heights[k + 1] - part.heights[k])
        x = part.x_low[own] + share * (part.x_high[own] - part.x_low[own])
        z = part.z_low[own] + share * (part.z_high[own] - part.z_low[own])
        made[i] = np.c_[x, z]
    return made


def _before(one: dict[int, np.ndarray], other: dict[int, np.ndarray]) -> tuple[tuple[bool, bool], tuple[bool, bool]]:
    """Whether the other stands in the one's way to the right and to the left, to the front and to the back."""
    right = left = front = back = False
    for i in one.keys() & other.keys():
        a, b = one[i][:, None], other[i][None]
        over_z = np.minimum(a[..., 3], b[..., 3]) - np.maximum(a[..., 2], b[..., 2]) > TOUCH_MM
        over_x = np.minimum(a[..., 1], b[..., 1]) - np.maximum(a[..., 0], b[..., 0]) > TOUCH_MM
        right |= bool((over_z & (b[..., 1] > a[..., 0] + TOUCH_MM)).any())
        left |= bool((over_z & (b[..., 0] < a[..., 1] - TOUCH_MM)).any())
        front |= bool((over_x & (b[..., 3] > a[..., 2] + TOUCH_MM)).any())
        back |= bool((over_x & (b[..., 2] < a[..., 3] - TOUCH_MM)).any())
    return (right, left), (front, back)


CELL_MM = 0.5
MOST_CELLS = 400


def _up_and_down(parts: Sequence[Boxes], table: dict[str, np.ndarray]) -> None:
    """Columns seen from above: how low and how high each part reaches in each."""
    x0, z0 = (min(float(p.bounds[0, axis]) for p in parts) for axis in (0, 2))
    x1, z1 = (max(float(p.bounds[1, axis]) for p in parts) for axis in (0, 2))
    cell = max(CELL_MM, (x1 - x0) / MOST_CELLS, (z1 - z0) / MOST_CELLS)
    wide, deep = int((x1 - x0) / cell) + 1, int((z1 - z0) / cell) + 1
    lows, highs = [], []
    for part in parts:
        low, high = np.full((wide, deep), np.inf), np.full((wide, deep), -np.inf)
        for n, k in enumerate(part.slab.tolist()):
            y0, y1 = part.heights[k], part.heights[k + 1]
            x = (part.x_low[n] + part.x_high[n]) / 2
            z = (part.z_low[n] + part.z_high[n]) / 2
            i = slice(
                int(np.ceil((x[0] + TOUCH_MM / 2 - x0) / cell - 0.5)), int((x[1] - TOUCH_MM / 2 - x0) / cell + 0.5)
            )
            j = slice(
                int(np.ceil((z[0] + TOUCH_MM / 2 - z0) / cell - 0.5)), int((z[1] - TOUCH_MM / 2 - z0) / cell + 0.5)
            )
            low[i, j] = np.minimum(low[i, j], y0)
            high[i, j] = np.maximum(high[i, j], y1)
        lows.append(low)
        highs.append(high)
    for a in range(len(parts)):
        for b in range(len(parts)):
            if a != b:
                table["up"][a, b] = bool((highs[b] > lows[a] + TOUCH_MM).any())
                table["down"][a, b] = bool((lows[b] < highs[a] - TOUCH_MM).any())
