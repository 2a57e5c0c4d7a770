"""Parts of one face laid anew: thrown together as they lie, pressed apart on coarse cells, settled exactly."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely

from .apart import Crowd, Spot
from .cells import Grid, Stamps
from .effort import Effort
from .settle import settled
from .task import Face, Gaps, Item, Laid, room_on

FINEST_MM, COARSEST_MM = 0.8, 2.0
CELLS_ACROSS = 24.0
"""So many cells span a part of the middle size: with fewer what is pressed apart no longer settles shorter, with more
fewer tries are made. Own measurement at 40, 120 and 300 parts."""


def coarse_stamps(gaps: Gaps, items: Sequence[Item]) -> Stamps:
    """Cells as coarse as parts of that size allow."""
    middle = sum(item.area_mm2 for item in items) / len(items) if items else COARSEST_MM**2
    cell = min(COARSEST_MM, max(FINEST_MM, round(float(np.sqrt(middle)) / CELLS_ACROSS, 2)))
    return Stamps(cell, gaps.between_mm, exact=False)


@dataclass
class OneFace:
    """A room that parts are laid in, in coarse cells, cut off at a reach."""

    face: Face
    room: shapely.Geometry
    gap_mm: float
    stamps: Stamps
    nailed: tuple[Laid, ...] = ()

    @classmethod
    def of(cls, face: Face, gaps: Gaps, stamps: Stamps, nailed: Sequence[Laid] = ()) -> "OneFace":
        """`stamps` may be shared by faces."""
        return cls(face, room_on(face, gaps), gaps.between_mm, stamps, tuple(nailed))

    def upto(self, reach_mm: float) -> shapely.Geometry:
        """The room as far as that."""
        x0, y0, x1, y1 = self.room.bounds
        return self.room if reach_mm >= x1 else shapely.intersection(self.room, shapely.box(x0, y0, reach_mm, y1))

    def pressed(
        self,
        laid: Sequence[Laid],
        reach_mm: float,
        rng: np.random.Generator,
        effort: Effort,
        disturbed: bool = False,
        thrown: frozenset[str] = frozenset(),
    ) -> tuple[Laid, ...] | None:
        """The same parts within that reach, nearly in their places; those that reach beyond it, and those `thrown`, are
        thrown in anywhere first, and where it is `disturbed` two trade places. None where they cannot be pressed
        apart."""
        room = self.upto(reach_mm)
        if room.is_empty:
            return None
        cell = self.stamps.cell_mm
        grid = Grid.of(room, cell, exact=False)
        rows, columns = grid.blocked.shape
        turns = [self.stamps.of(one.item, self.face) for one in laid]
        if any(min(s.rows for s in own) > rows or min(s.columns for s in own) > columns for own in turns):
            return None
        spots = []
        for one, stamps in zip(laid, turns, strict=True):
            turn = next((t for t, stamp in enumerate(stamps) if stamp.turn_deg == one.turn_deg), 0)
            stamp = stamps[turn]
            x, y = one.x_mm - stamp.left_mm, one.y_mm - stamp.top_mm
            column, row = round((x - grid.x0_mm) / cell), round((y - grid.y0_mm) / cell)
            if one.item.key in thrown or column + stamp.columns > columns:
                row = int(rng.integers(0, max(1, rows - stamp.rows + 1)))
                column = int(rng.integers(0, max(1, columns - stamp.columns + 1)))
            spots.append(Spot(turn, row, column))
        if disturbed and len(spots) > 1:
            a, b = rng.choice(len(spots), 2, replace=False).tolist()
            one_spot, other = spots[a], spots[b]
            spots[a] = replace(one_spot, row=other.row, column=other.column)
            spots[b] = replace(other, row=one_spot.row, column=one_spot.column)
        nailed = []
        for one in self.nailed:
            stamp = self.stamps.stamped(one.item, one.turn_deg)
            x, y = one.x_mm - stamp.left_mm - grid.x0_mm, one.y_mm - stamp.top_mm - grid.y0_mm
            nailed.append((stamp, round(y / cell), round(x / cell)))
        crowd = Crowd(grid.blocked, turns, spots, nailed)
        if not crowd.press_apart(rng, effort):
            return None
        return tuple(
            replace(one, x_mm=x, y_mm=y, turn_deg=stamps[spot.turn].turn_deg)
            for one, stamps, spot in zip(laid, turns, crowd.spots, strict=True)
            for x, y in [grid.place(stamps[spot.turn], spot.row, spot.column)]
        )

    def settled(
        self, laid: Sequence[Laid], effort: Effort, reach_mm: float = np.inf, shorten: bool = True
    ) -> tuple[tuple[Laid, ...], float] | None:
        """Exactly in their places, and how far they reach."""
        nailed = [one.outline for one in self.nailed]
        outlines = [one.outline for one in laid]
        made = settled(outlines, self.upto(reach_mm), self.gap_mm, effort, nailed, reach_mm, shorten)
        if made is None:
            return None
        shifted = []
        for one, was, now in zip(laid, outlines, made.outlines, strict=True):
            dx, dy = np.subtract(now.bounds[:2], was.bounds[:2]).tolist()
            shifted.append(replace(one, x_mm=one.x_mm + dx, y_mm=one.y_mm + dy))
        return tuple(shifted), made.reach_mm


BEGIN_SHORTER = 0.01
LOOSER, TIGHTER, LOOSEST = 0.004, 0.003, -0.02
"""How much shorter the next try is to be, as shares of the length: cells keep parts farther apart than they need to be,
so even a longer try may settle shorter."""
SHARE = 0.1
"""Of the effort that is spent on one try, at most."""


class Shortening:
    """The parts of one face drawn together, try by try; `best` and `reach_mm` are what came of it so far."""

    def __init__(self, face: OneFace, laid: tuple[Laid, ...], rng: np.random.Generator):
        self.face, self.best, self.rng = face, laid, rng
        self.x0 = face.room.bounds[0]
        self.reach_mm = max((one.outline.bounds[2] for one in laid), default=self.x0)
        self._shorter, self._failed = BEGIN_SHORTER, 0

    def settle(self, effort: Effort) -> bool:
        return self._kept(self.best, effort)

    def attempt(self, effort: Effort) -> bool:
        """One try; True where it came out shorter."""
        reach = self.x0 + (self.reach_mm - self.x0) * (1 - self._shorter)
        disturbed = self._failed % 3 > 0
        apart = self.face.pressed(self.best, reach, self.rng, effort.share(SHARE), disturbed)
        won = apart is not None and self._kept(apart, effort)
        self._failed = 0 if won else self._failed + 1
        if not won:
            tighter = self._shorter + TIGHTER
            self._shorter = tighter if apart is not None else max(LOOSEST, self._shorter - LOOSER)
        return won

    def _kept(self, laid: Sequence[Laid], effort: Effort) -> bool:
        """Kept where it settles shorter than the best."""
        made = self.face.settled(laid, effort)
        if made is None or made[1] > self.reach_mm - 0.01:
            return False
        self.best, self.reach_mm = made
        return True
