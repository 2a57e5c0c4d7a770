"""Parts on several faces: everything that fits, those of low rank first, and what is begun no longer than need be.

The first layout is made at once. What follows tries, for as long as one likes: what found no place is thrown onto a
face with room and pressed in; the face that is used least is cleared onto others; what lies on a face is drawn
together; and now and then everything is laid again in another order. The best is kept.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from .cells import Stamps
from .checked import faults_of
from .effort import Effort
from .first import first_layout
from .one_face import OneFace, Shortening, coarse_stamps
from .task import Face, Gaps, Item, Laid, Layout, largest_first, room_on

FINE_MM = 1.0
MOST_CELLS = 450_000
"""Faces larger than this many cells are searched on coarser ones."""
ORDERS_BELOW = 160
"""So many items are tried in further orders at once; more take too long for a first plan."""
FULL = 0.93
"""A face is not filled by area beyond this share."""
TRY_SHARE = 0.08
SHAKEN = 0.25
"""How far sizes are off in another order, as the spread of their logarithm."""
SECONDS_PER_ITEM = 0.01


@dataclass(frozen=True)
class Task:
    """Items for faces; those `nailed` lie there already. `begun`: where loose ones lie now, if that holds."""

    items: tuple[Item, ...]
    faces: tuple[Face, ...]
    gaps: Gaps
    nailed: tuple[Laid, ...] = ()
    begun: tuple[Laid, ...] = ()


def cell_for(faces: Sequence[Face]) -> float:
    """Cells fine enough for the largest face."""
    most = max((face.region.envelope.area for face in faces), default=0.0)
    return max(FINE_MM, round(float(np.sqrt(most / MOST_CELLS)), 2))


def boards_layout(task: Task, effort: Effort, seed: int = 0) -> Layout:
    """The best layout found with that effort; with none the first."""
    search = Search(task, seed)
    while not effort.done and search.movable:
        search.attempt(effort)
    return search.best


Score = tuple[float, float, float]


class Search:
    """A first layout, and tries to make it better; `best` is what came of them so far."""

    def __init__(self, task: Task, seed: int):
        self.task, self.rng = task, np.random.default_rng(seed)
        self.stamps = Stamps(cell_for(task.faces), task.gaps.between_mm)
        self.faces = {face.key: face for face in sorted(task.faces, key=lambda f: (f.rank, f.key))}
        self.order = {key: i for i, key in enumerate(self.faces)}
        self.rooms = {key: room_on(face, task.gaps) for key, face in self.faces.items()}
        self.nailed = {key: tuple(one for one in task.nailed if one.face == key) for key in self.faces}
        self.best = Layout(task.nailed, task.items)
        self.score = self._score(self.best)
        self.turn = 0
        self._coarse = coarse_stamps(task.gaps, task.items)
        self._drawn: dict[str, Shortening] = {}
        self._begin()

    def narrow(self, faces: Sequence[Face]) -> None:
        """From now on only these faces, which are as they were or end earlier than they did."""
        self.faces |= {face.key: face for face in faces}
        self.rooms |= {face.key: room_on(face, self.task.gaps) for face in faces}
        self._drawn.clear()

    @property
    def movable(self) -> bool:
        return bool(self.task.items) and bool(self.faces)

    def _score(self, layout: Layout) -> Score:
        """Least is best: area without a place, area of boards begun as far as they are used, the same of low ranks."""
        lost = sum(item.area_mm2 for item in layout.unplaced)
        reached: dict[str, tuple[float, bool]] = {}
        for key, some in layout.by_face.items():
            if key in self.faces:
                face = self.faces[key]
                x0, y0, _, y1 = face.region.bounds
                reach = max(one.outline.bounds[2] for one in some)
                low = bool(face.rank) and face.rank[0] == 0
                area = (reach - x0) * (y1 - y0)
                name = face.stack or key
                reached[name] = max(reached.get(name, (0.0, low)), (area, low))
        used = [sum(area for area, low in reached.values() if low == kind) for kind in (False, True)]
        return round(lost, 3), round(used[0], 3), round(used[1], 3)

    def _begin(self) -> None:
        """The first layout, or what lies already where that is better; in other orders too where the first leaves
        something without a place."""
        items = largest_first(self.task.items)
        self._keep(self._first(items))
        if len(items) <= ORDERS_BELOW:
            for by in (lambda item: -float(np.prod(_sides(item))), lambda item: -max(_sides(item))):
                if self.best.unplaced:
                    self._keep(self._first(_ordered(items, by)))
        now = (*self.task.nailed, *self.task.begun)
        if self.task.begun and not faults_of(now, self.task.faces, self.task.gaps):
            there = {one.item.key for one in self.task.begun}
            self._keep(Layout(now, tuple(item for item in self.task.items if item.key not in there)))

    def _first(self, order: Sequence[Item]) -> Layout:
        faces = tuple(self.faces.values())
        return first_layout(order, faces, self.task.gaps, self.stamps, self.task.nailed, order)

    def _keep(self, layout: Layout) -> bool:
        score = self._score(layout)
        if score >= self.score:
            return False
        self.best, self.score = layout, score
        self._drawn.clear()
        return True

    def attempt(self, effort: Effort) -> bool:
        """One try to make it better; True where it did."""
        self.turn += 1
        effort.spend(0.001)
        if self.best.unplaced and self.turn % 3:
            return self._press_in(effort)
        kinds = (self._again, self._draw, self._clear)
        return kinds[self.turn % 3](effort)

    def _again(self, effort: Effort) -> bool:
        """Everything in another order."""
        effort.spend(SECONDS_PER_ITEM * len(self.task.items))
        shaken = {item.key: float(self.rng.normal(0, SHAKEN)) for item in self.task.items}
        order = _ordered(self.task.items, lambda item: -item.area_mm2 * float(np.exp(shaken[item.key])))
        return self._keep(self._first(order))

    def _loose(self, key: str) -> tuple[Laid, ...]:
        return tuple(one for one in self.best.by_face.get(key, ()) if not one.nailed)

    def _draw(self, effort: Effort) -> bool:
        """The parts of one face drawn together."""
        used = [key for key in self.faces if self._loose(key)]
        if not used:
            return False
        key = used[int(self.rng.integers(len(used)))]
        if key not in self._drawn:
            face = OneFace.of(self.faces[key], self.task.gaps, self._coarse, self.nailed[key])
            self._drawn[key] = Shortening(face, self._loose(key), self.rng)
            won = self._drawn[key].settle(effort)
        else:
            won = self._drawn[key].attempt(effort.share(2 * TRY_SHARE))
        if not won:
            return False
        drawn = self._drawn[key]
        made = self._keep(self._with(key, drawn.best))
        if made:
            self._drawn[key] = drawn
        return made

    def _with(self, key: str, loose: Sequence[Laid], unplaced: Sequence[Item] | None = None) -> Layout:
        kept = tuple(one for one in self.best.laid if one.face != key or one.nailed)
        return Layout((*kept, *loose), self.best.unplaced if unplaced is None else tuple(unplaced))

    def _press_in(self, effort: Effort) -> bool:
        """One that found no place thrown onto a face with room for its area."""
        item = self.best.unplaced[int(self.rng.integers(len(self.best.unplaced)))]
        keys = self._open(item, self.best)
        if not keys:
            return False
        key = keys[int(self.rng.integers(len(keys)))]
        made = self._pressed(key, item, self._loose(key), effort)
        if made is None:
            return False
        return self._keep(self._with(key, made, [one for one in self.best.unplaced if one is not item]))

    def _open(self, item: Item, layout: Layout) -> list[str]:
        """Faces with so much free area that it may be pressed in."""
        grown = self.task.gaps.between_mm / 2
        found = []
        for key, room in self.rooms.items():
            taken = sum(one.item.outline.buffer(grown).area for one in layout.by_face.get(key, ()))
            if taken + item.outline.buffer(grown).area < FULL * room.area:
                found.append(key)
        return found

    def _pressed(self, key: str, item: Item, loose: Sequence[Laid], effort: Effort) -> tuple[Laid, ...] | None:
        face = OneFace.of(self.faces[key], self.task.gaps, self._coarse, self.nailed[key])
        x0, y0, _, _ = self.rooms[key].bounds
        some = (*loose, Laid(item, key, x0, y0, self.faces[key].turns(item)[0]))
        apart = face.pressed(some, np.inf, self.rng, effort.share(TRY_SHARE), thrown=frozenset([item.key]))
        if apart is None:
            return None
        made = face.settled(apart, effort, shorten=False)
        return made[0] if made else None

    def _clear(self, effort: Effort) -> bool:
        """The face that holds least, and comes late, cleared onto those before it."""
        used = [key for key in self.faces if self._loose(key) and not self.nailed[key]]
        if len(used) < 2:
            return False
        last = min(used, key=lambda key: sum(one.item.area_mm2 for one in self._loose(key)) / (1 + self.order[key]))
        layout = self.best
        for one in sorted(self._loose(last), key=lambda one: -one.item.area_mm2):
            item = one.item
            keys = [k for k in self._open(item, layout) if k != last and k in used]
            made = None
            for key in keys[:3]:
                here = tuple(o for o in layout.by_face[key] if not o.nailed)
                made = self._pressed(key, item, here, effort)
                if made is not None:
                    kept = tuple(o for o in layout.laid if o.item is not item and (o.face != key or o.nailed))
                    layout = Layout((*kept, *made), layout.unplaced)
                    break
            if made is None:
                return False
        return self._keep(layout)


def _sides(item: Item) -> tuple[float, float]:
    x0, y0, x1, y1 = item.turned(item.turns[0]).bounds
    return x1 - x0, y1 - y0


def _ordered(items: Sequence[Item], by: Callable[[Item], float]) -> list[Item]:
    """Items by that, those of a cluster where its first stands."""
    own = sorted(items, key=lambda item: (by(item), item.key))
    place: dict[str, int] = {}
    for i, item in enumerate(own):
        place.setdefault(item.cluster or item.key, i)
    return sorted(own, key=lambda item: place[item.cluster or item.key])
