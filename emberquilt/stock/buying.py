"""What to buy: parts that find no wood on the rack laid on boards and sheets as they are sold, the cheapest that hold
them all."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import product

import shapely

from ..constants import MM_PER_INCH
from ..layout.cells import Stamps
from ..layout.effort import Effort
from ..layout.first import first_layout
from ..layout.task import Face, Gaps, Item, Laid, Layout, largest_first
from ..rack.boards import Board, turn_deg
from ..rack.rack import Rack
from ..work.composition import Placement
from ..work.copies import any_copy
from ..work.parts import Job, Part, job_of
from .laying import Group, Laying, face_key, gaps_of, groups_of, home_of, item_of
from .leaves import JOINTED_MM, is_sheet, milled_mm, slices_of
from .need import SURFACED_IN, board_feet, nominal_quarters

MOST_BOARDS = 24
CELL_MM = 2.0
MM2_PER_FOOT2 = 144 * MM_PER_INCH**2


@dataclass(frozen=True)
class Purchase:
    """Alike boards or sheets of one material to buy. `quarters` is the nominal thickness of a board, 0 for a sheet;
    `thickness_mm` what it has when surfaced; `leaves` it is resawn into. `parts` are keys of what comes from them;
    `price` of all in the shop's money, None where it is not known."""

    material: str
    part_mm: float
    thickness_mm: float
    quarters: int
    length_mm: float
    width_mm: float
    count: int
    leaves: int
    parts: tuple[str, ...]
    boards: tuple[str, ...]
    price: float | None = None

    @property
    def sheet(self) -> bool:
        return not self.quarters

    @property
    def area_mm2(self) -> float:
        return self.count * self.length_mm * self.width_mm

    @property
    def nominal_feet(self) -> float:
        """Board feet as the yard charges them."""
        return board_feet(self.area_mm2, self.quarters * MM_PER_INCH / 4)

    @property
    def actual_feet(self) -> float:
        """Board feet that one takes home, surfaced."""
        return board_feet(self.area_mm2, self.thickness_mm)


@dataclass(frozen=True)
class TooLarge:
    """A part that no size sold here holds: how far it reaches along its grain and across it."""

    part: str
    material: str
    thickness_mm: float
    along_mm: float
    across_mm: float


@dataclass(frozen=True)
class Buying:
    """`boards` are what is bought as boards of the rack, with `placements` on them."""

    purchases: tuple[Purchase, ...] = ()
    too_large: tuple[TooLarge, ...] = ()
    boards: tuple[Board, ...] = ()
    placements: tuple[tuple[str, Placement], ...] = ()

    @property
    def price(self) -> float | None:
        """Of everything, None where something has no price."""
        prices = [one.price for one in self.purchases]
        return sum(p for p in prices if p is not None) if prices and None not in prices else None

    @property
    def parts(self) -> frozenset[str]:
        return frozenset(key for one in self.purchases for key in one.parts)


def buying_of(job: Job) -> Buying:
    """For every part that lies on no board; where nothing was laid yet, for those that would find no place. Nothing is
    bought until some piece is of something."""
    if not any(job.material.values()):
        return Buying()
    placed = {
        key
        for key, place in job.composition.placements.items()
        if place.point is not None and place.board in job.composition.rack.by_name
    }
    if not any(key in placed for key in job.composition.placements):
        placed = {one.item.key for one in Laying(job).laid(Effort(0.0)).laid}
    purchases: list[Purchase] = []
    too_large: list[TooLarge] = []
    boards: list[Board] = []
    placements: list[tuple[str, Placement]] = []
    for group in groups_of(job):
        missing = tuple(part for part in group.parts if part.key not in placed)
        if missing and group.material in job.composition.rack.shelf:
            made = _Shopping(job, replace(group, parts=missing), len(boards))
            purchases += made.purchases
            too_large += made.too_large
            boards += made.boards
            placements += made.placements
    return Buying(tuple(purchases), tuple(too_large), tuple(boards), tuple(placements))


def bought(job: Job, buying: Buying) -> Job:
    """The work with nothing on the rack but what is to be bought, and what comes from it laid on it."""
    composition = job.composition
    rack = Rack(composition.rack.shelf, buying.boards)
    return job_of(replace(composition, rack=rack, placements=dict(buying.placements)))


@dataclass(frozen=True)
class _Size:
    """A board or sheet as it is sold, and what one of it costs in `cost`: its price, or its area where that is not
    known."""

    length_mm: float
    width_mm: float
    leaves: int
    cost: float


class _Shopping:
    """What to buy for parts of one material and thickness."""

    def __init__(self, job: Job, group: Group, begun: int):
        self.job, self.group, self.begun = job, group, begun
        self.practice, self.rack = job.composition.practice, job.composition.rack
        self.sheet = is_sheet(self.rack, group.material)
        self.gaps: Gaps = gaps_of(job.composition)
        self.purchases: list[Purchase] = []
        self.too_large: list[TooLarge] = []
        self.boards: list[Board] = []
        self.placements: list[tuple[str, Placement]] = []
        self.quarters = 0 if self.sheet else nominal_quarters(group.thickness_mm)
        self.thickness_mm = group.thickness_mm if self.sheet else max(surfaced_mm(self.quarters), group.thickness_mm)
        self.stamps = Stamps(CELL_MM, self.gaps.between_mm)
        items = []
        for part in group.parts:
            item = item_of(job, part)
            along, across = self._reach(item)
            if any(self._holds(size, along, across) for size in self._sizes()):
                items.append(item)
            else:
                self.too_large.append(TooLarge(part.key, group.material, group.thickness_mm, along, across))
        if items:
            self._shop(largest_first(items))

    def _reach(self, item: Item) -> tuple[float, float]:
        boxes = [item.turned(turn).bounds for turn in item.turns]
        return min(((x1 - x0, y1 - y0) for x0, y0, x1, y1 in boxes), key=lambda side: side[1])

    def _holds(self, size: _Size, along: float, across: float) -> bool:
        edge = 2 * self.gaps.edge_mm
        return size.length_mm >= along + edge and size.width_mm >= across + edge

    def _sizes(self) -> Iterator[_Size]:
        practice = self.practice
        price = self.rack.shelf[self.group.material].price
        if self.sheet:
            for length in practice.sheets_sold_mm:
                area = length * length / 2
                yield _Size(length, length / 2, 1, area * (price / MM2_PER_FOOT2 if price else 1.0))
            return
        for length, width in product(practice.lengths_sold_mm, practice.widths_sold_mm):
            leaves = 1
            if width <= practice.resaw_high_mm:
                target = milled_mm(practice, self.group.thickness_mm)
                usable = self.thickness_mm - JOINTED_MM
                leaves = max(1, slices_of(usable, target, practice.resaw_kerf_mm, practice.planing_mm))
            yield _Size(length, width, leaves, board_feet(length * width, self.quarters * MM_PER_INCH / 4))

    def _shop(self, items: Sequence[Item]) -> None:
        """The size of which so many as are needed cost least, then the last of them as short as its parts let it be."""
        grown = sum(item.outline.buffer(self.gaps.between_mm / 2).area for item in items)
        best: tuple[float, _Size, Layout, int] | None = None
        # cheap in the best case first: what cannot beat the best any more is not laid
        for least, size in sorted(((self._least(size, grown), size) for size in self._sizes()), key=lambda e: e[0]):
            if best is not None and least >= best[0] - 1e-9:
                break
            layout = self._laid(items, size)
            if layout is None:
                continue
            count = 1 + max(int(home_of(one.face)[0]) for one in layout.laid)
            if best is None or count * size.cost < best[0] - 1e-9:
                best = count * size.cost, size, layout, count
        if best is not None:
            _, size, layout, count = best
            self._keep(size, layout, count)

    def _least(self, size: _Size, grown_mm2: float) -> float:
        """What enough of them cost at least, by area alone."""
        room = (size.length_mm + self.gaps.between_mm) * (size.width_mm + self.gaps.between_mm) * size.leaves
        return max(1, math.ceil(grown_mm2 / room)) * size.cost

    def _laid(self, items: Sequence[Item], size: _Size) -> Layout | None:
        """All of them on boards of that size, as many as it takes; None where one finds no place."""
        if not all(self._holds(size, *self._reach(item)) for item in items):
            return None
        grown = sum(item.outline.buffer(self.gaps.between_mm / 2).area for item in items)
        count = max(1, math.ceil(grown / (size.length_mm * size.width_mm * size.leaves)))
        region = shapely.box(0, 0, size.length_mm, size.width_mm)
        while count <= MOST_BOARDS:
            faces = [
                Face(face_key(f"{n}", leaf), region, rank=(n,), stack=str(n) if size.leaves > 1 else "")
                for n in range(count)
                for leaf in (range(1, size.leaves + 1) if size.leaves > 1 else (0,))
            ]
            layout = first_layout(items, faces, self.gaps, self.stamps, order=items)
            if not layout.unplaced:
                return layout
            missing = sum(item.area_mm2 for item in layout.unplaced)
            count += max(1, int(missing / (size.length_mm * size.width_mm * size.leaves)))
        return None

    def _keep(self, size: _Size, layout: Layout, count: int) -> None:
        """The boards with what lies on them; the last one in the shortest length that holds its own."""
        lengths = {n: size.length_mm for n in range(count)}
        last = [one for one in layout.laid if home_of(one.face)[0] == str(count - 1)]
        reach = max((one.outline.bounds[2] for one in last), default=0.0) + self.gaps.edge_mm
        if not self.sheet:
            lengths[count - 1] = min(length for length in self.practice.lengths_sold_mm if length >= reach)
        names = {n: f"new {self.begun + n + 1}" for n in range(count)}
        for n in range(count):
            self.boards.append(
                Board(-1 - n, self.group.material, names[n], lengths[n], size.width_mm, self.thickness_mm)
            )
        for one in layout.laid:
            number, leaf = home_of(one.face)
            self.placements.append((one.item.key, self._place(names[int(number)], leaf, one)))
        for length in sorted(set(lengths.values()), reverse=True):
            own = [n for n in range(count) if lengths[n] == length]
            keys = tuple(one.item.key for one in layout.laid if int(home_of(one.face)[0]) in own)
            self.purchases.append(
                Purchase(
                    self.group.material,
                    self.group.thickness_mm,
                    self.thickness_mm,
                    self.quarters,
                    length,
                    size.width_mm,
                    len(own),
                    size.leaves,
                    keys,
                    tuple(names[n] for n in own),
                    self._price(len(own) * length * size.width_mm),
                )
            )

    def _place(self, board: str, leaf: int, one: Laid) -> Placement:
        part: Part = self.job.by_key[any_copy(one.item.key)]
        flat = Board(0, self.group.material, board, 1.0, 1.0, 1.0)
        turned = one.turn_deg - turn_deg(flat, part.grain_deg)
        turned = round((turned + 180) % 360 - 180, 3)
        return Placement(board, round(one.x_mm, 3), round(one.y_mm, 3), turned, leaf, nailed=False)

    def _price(self, area_mm2: float) -> float | None:
        price = self.rack.shelf[self.group.material].price
        if not price:
            return None
        if self.sheet:
            return price * area_mm2 / MM2_PER_FOOT2
        return price * board_feet(area_mm2, self.quarters * MM_PER_INCH / 4)


def surfaced_mm(quarters: int) -> float:
    """What a nominal thickness gives planed on both sides; thicker than any is glued up, and reckoned as it is."""
    return next((inches * MM_PER_INCH for q, inches in SURFACED_IN if q == quarters), quarters * MM_PER_INCH / 4)
