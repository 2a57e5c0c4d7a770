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
from ..layout.task import Face, Gaps, Item, Laid, largest_first
from ..rack.boards import Board
from ..rack.rack import Rack
from ..work.composition import Placement
from ..work.copies import any_copy
from ..work.parts import Job, job_of
from .laying import Group, Laying, face_key, gaps_of, groups_of, home_of, item_of, placed
from .leaves import is_sheet, leaves_of
from .need import SURFACED_IN, board_feet, nominal_quarters

NOT_YET = -1
"""The key of a board that is on no rack yet."""
AT_A_TIME = 4
"""Boards that are filled together; what finds no place on them goes on the next."""
MOST_LAID = 1200
"""So many parts are laid at most in trying sizes, the cheapest by area first: of few parts every size is tried."""
FINEST_MM = 1.5
FINE, COARSE, MANY = (24.0, 2.5), (14.0, 4.0), 150
"""How many cells span a part of the middle size, and the largest cell (mm); coarse for more than so many parts. What is
bought need not fit to the millimetre, and a page waits for it. Own measurement."""
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
    there = {
        key
        for key, place in job.composition.placements.items()
        if place.point is not None and place.board in job.composition.rack.by_name
    }
    if not there:
        there = {one.item.key for one in Laying(job).laid(Effort(0.0)).laid}
    purchases: list[Purchase] = []
    too_large: list[TooLarge] = []
    boards: list[Board] = []
    placements: list[tuple[str, Placement]] = []
    for group in groups_of(job):
        missing = tuple(part for part in group.parts if part.key not in there)
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
        middle = math.sqrt(sum(part.area_mm2 for part in group.parts) / len(group.parts))
        across, coarsest = FINE if len(group.parts) <= MANY else COARSE
        cell = min(coarsest, max(FINEST_MM, round(middle / across, 2)))
        self.stamps = Stamps(cell, self.gaps.between_mm)
        items = []
        for part in group.parts:
            item = item_of(job, part)
            if any(self._holds(size, item) for size in self._sizes()):
                items.append(item)
            else:
                self.too_large.append(TooLarge(part.key, group.material, group.thickness_mm, *item.reach_mm))
        if items:
            self._shop(largest_first(items))

    def _holds(self, size: _Size, item: Item) -> bool:
        edge, (along, across) = 2 * self.gaps.edge_mm, item.reach_mm
        return size.length_mm >= along + edge and size.width_mm >= across + edge

    def _sizes(self) -> Iterator[_Size]:
        practice, thick = self.practice, self.group.thickness_mm
        price = self.rack.shelf[self.group.material].price
        if self.sheet:
            for length in practice.sheets_sold_mm:
                area = length * length / 2
                yield _Size(length, length / 2, 1, area * (price / MM2_PER_FOOT2 if price else 1.0))
            return
        for length, width in product(practice.lengths_sold_mm, practice.widths_sold_mm):
            leaves = leaves_of(self._board("", length, width), thick, practice, self.rack)
            yield _Size(length, width, leaves, board_feet(length * width, self.quarters * MM_PER_INCH / 4))

    def _board(self, name: str, length_mm: float, width_mm: float) -> Board:
        """A board or sheet as it will be on the rack."""
        return Board(NOT_YET, self.group.material, name, length_mm, width_mm, self.thickness_mm)

    def _shop(self, items: Sequence[Item]) -> None:
        """The size of which so many as are needed cost least, then the last of them as short as its parts let it be."""
        grown = sum(item.outline.buffer(self.gaps.between_mm / 2).area for item in items)
        sizes = [size for size in self._sizes() if all(self._holds(size, item) for item in items)]
        best: tuple[float, _Size, list[Laid], int] | None = None
        tried = max(1, MOST_LAID // len(items))
        # cheap in the best case first: what cannot beat the best any more is not laid
        for size in sorted(sizes, key=lambda size: (self._least(size, grown), size.cost))[:tried]:
            if best is not None and self._least(size, grown) >= best[0] - 1e-9:
                break
            laid, count = self._laid(items, size)
            if best is None or count * size.cost < best[0] - 1e-9:
                best = count * size.cost, size, laid, count
        assert best is not None, "the longest and widest of all sizes holds what any of them holds"
        self._keep(*best[1:])

    def _least(self, size: _Size, grown_mm2: float) -> float:
        """What enough of them cost at least, by area alone."""
        room = (size.length_mm + self.gaps.between_mm) * (size.width_mm + self.gaps.between_mm) * size.leaves
        return max(1, math.ceil(grown_mm2 / room)) * size.cost

    def _laid(self, items: Sequence[Item], size: _Size) -> tuple[list[Laid], int]:
        """All of them on boards of that size, and how many these are: some boards at a time, until none is left."""
        region = shapely.box(0, 0, size.length_mm, size.width_mm)
        laid: list[Laid] = []
        left, count = list(items), 0
        while left:
            faces = [
                Face(face_key(f"{n:05}", leaf), region, rank=(n,), stack=str(n) if size.leaves > 1 else "")
                for n in range(count, count + AT_A_TIME)
                for leaf in (range(1, size.leaves + 1) if size.leaves > 1 else (0,))
            ]
            made = first_layout(left, faces, self.gaps, self.stamps, order=left)
            laid += made.laid
            left = list(made.unplaced)
            count = 1 + max(int(home_of(one.face)[0]) for one in laid)
        return laid, count

    def _keep(self, size: _Size, laid: Sequence[Laid], count: int) -> None:
        """The boards with what lies on them; the last one in the shortest length that holds its own."""
        lengths = {n: size.length_mm for n in range(count)}
        last = [one for one in laid if int(home_of(one.face)[0]) == count - 1]
        reach = max((one.outline.bounds[2] for one in last), default=0.0) + self.gaps.edge_mm
        if not self.sheet:
            lengths[count - 1] = min(length for length in self.practice.lengths_sold_mm if length >= reach)
        boards = [self._board(f"new {self.begun + n + 1}", lengths[n], size.width_mm) for n in range(count)]
        self.boards += boards
        for one in laid:
            number, leaf = home_of(one.face)
            part = self.job.by_key[any_copy(one.item.key)]
            self.placements.append((one.item.key, placed(one, part, boards[int(number)], leaf)))
        for length in sorted(set(lengths.values()), reverse=True):
            own = [n for n in range(count) if lengths[n] == length]
            keys = tuple(one.item.key for one in laid if int(home_of(one.face)[0]) in own)
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
                    tuple(boards[n].name for n in own),
                    self._price(len(own) * length * size.width_mm),
                )
            )

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
