"""How every piece comes to its height: what it lies on, its stock, the shim under it; from what was said to stand in
front of what, from heights that were set, and from what was decided for a piece by itself.

Layers are worked out back to front. Where nothing was said of depth in a layer, its pieces are as thick as they or
their layer were given, or of the usual stock, on the shim they were given. Otherwise heights are sought for all of
them (`depth.solve`); a thickness or a shim that a piece was given stays.
"""

import itertools
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

import networkx as nx
import numpy as np

from ..depth.orders import Relation, without_circles
from ..depth.solve import Pair, Problem, obeyed, solved
from ..keys import keys_in
from ..outline.coverage import Coverage
from .composition import Composition, Layer, Piece
from .overlaps import overlap_of

SHEETS_IN_SHIM = 2
"""A shim is glued up of at most so many sheets: own choice."""
SHEETS_IN_SPACER = 6
"""And a spacer between layers of so many: own choice."""
LEAST_LEFT_MM = 3.0
"""Stock lowered from below keeps at least this: thinner stock is never planed without a carrier. Common practice, no
source."""
SAME_MM = 0.01
"""A height that differs by less is met."""
SHEET_MM = 0.25
"""A sheet is as good as its name within this: 3 mm for 1/8 in. Common practice, no source."""
OWNED_MM = 0.4
"""A board is as good as its thickness and this: calipers differ."""


LOOSER = (
    (),
    ("narrow",),
    ("narrow", "greatest"),
    ("narrow", "greatest", "lowered"),
    ("narrow", "greatest", "lowered", "depth"),
)
"""What gives way, one after the other, where no heights are found."""


LEAST_BELOW_MM = 0.2
"""What is reckoned to stay below a field that would go through its board; that is a finding."""


@dataclass(frozen=True)
class Standing:
    """By piece: `rests_mm` the height from the very back of what it lies on, without the shim; `pair` its stock and
    shim. `circles` orders that contradict each other; `clashes` orders that heights set by hand do not allow;
    `loosened` what else had to give way, of `LOOSER`: shims under pieces too narrow for them, the greatest step, stock
    only as it is milled here, the depth."""

    rests_mm: dict[int, float] = field(default_factory=dict)
    pair: dict[int, Pair] = field(default_factory=dict)
    circles: tuple[tuple[Relation, ...], ...] = ()
    clashes: tuple[Relation, ...] = ()
    loosened: tuple[str, ...] = ()
    proven: bool = True
    """No heights that obey need fewer pairs of stock and shim."""
    asked: frozenset[int] = frozenset()
    """Layers whose heights follow from what was said of depth."""

    def top_mm(self, key: int) -> float:
        return round(self.rests_mm[key] + self.pair[key].high_mm, 6)


def standing_of(composition: Composition, ground_mm: float) -> Standing:
    """Of all pieces that are made of something, on a backer so thick (0 for none)."""
    relief = composition.decisions.relief
    said, circles = without_circles(_said(composition))
    rests: dict[int, float] = {}
    pairs: dict[int, Pair] = {}
    clashes: list[Relation] = []
    loosened: list[str] = []
    answered: list[int] = []
    proven = True
    tops: list[tuple[Coverage, np.ndarray]] = []
    place = {p.key: n for n, layer in enumerate(composition.layers) for p in layer.pieces}
    for n, layer in enumerate(composition.layers):
        coverage = layer.without_openings.coverage
        floor = np.full(len(coverage), ground_mm)
        for below, (lower, top) in enumerate(tops):
            over = overlap_of(coverage, lower, below)
            np.maximum.at(floor, over.upper, top[over.lower])
        floor += relief.stand_off_mm(layer.key)
        rests |= dict(zip(coverage.keys, floor.round(6).tolist(), strict=True))
        # keys of pieces stand for things below zero where a sentence speaks of many: they lie between
        own = [r for r in said if max(_places(r, place)) == n]
        if own or any(place.get(key) == n for key in relief.tops):
            asked = _Asked(composition, layer, ground_mm, rests, pairs, own)
            pairs |= asked.answer()
            answered.append(layer.key)
            clashes += asked.clashes
            loosened += asked.loosened
            proven = proven and asked.proven
        else:
            pairs |= {p.key: _given(composition, layer, p) for p in layer.without_openings.pieces}
        pairs |= {key: _bevelled(composition, key, pairs) for key in coverage.keys if key in relief.bevels}
        high = [rests[key] + pairs[key].high_mm for key in coverage.keys]
        tops.append((coverage, np.array(high).round(6)))
    loose = tuple(dict.fromkeys(loosened))
    return Standing(rests, pairs, tuple(circles), tuple(clashes), loose, proven, frozenset(answered))


def host_of(composition: Composition, key: int) -> int | None:
    """What a bevelled piece is sawn out of: the neighbour with which it shares the longest seam; None where it has
    none."""
    beside = composition.home[key].without_openings.coverage.neighbours.get(key, {})
    return max(beside, key=lambda other: (beside[other].length_mm, -other), default=None)


def _bevelled(composition: Composition, key: int, pairs: dict[int, Pair]) -> Pair:
    """Out of the same stock as what it is sawn out of, and as far above it or below as it slides: what stands out
    behind is taken off."""
    host = host_of(composition, key)
    rise = composition.decisions.relief.bevels[key]
    own = pairs[key if host is None else host]
    if host is None or host in composition.decisions.relief.bevels:
        return own
    if rise > 0:
        return Pair(own.stock_mm, round(own.shim_mm + rise, 6), own.lowered_mm)
    return Pair(own.stock_mm, own.shim_mm, round(min(own.lowered_mm - rise, own.stock_mm - 0.1), 6))


def _given(composition: Composition, layer: Layer, p: Piece) -> Pair:
    """As thick as it was given, without a word of depth."""
    stock = p.thickness_mm or layer.thickness_mm or composition.practice.stock_mm
    if layer.kind == "face" and (block := composition.decisions.space.block_of(layer.key)) is not None:
        # what is sawn through one face is as thick as the other is wide
        return Pair(block.deep_mm if layer.key == block.front else block.wide_mm, 0.0)
    if layer.kind == "routed":
        # one board for all its fields, each as low as it is routed; something stays below
        depth = composition.decisions.fields.depths.get(p.key, 0.0)
        return Pair(stock, 0.0, round(min(depth, stock - LEAST_BELOW_MM), 6) if depth else 0.0)
    return Pair(stock, p.shim_mm)


def said_pairs(composition: Composition) -> Iterator[tuple[int, list[int], list[int], bool]]:
    """Every order with its place among those said: keys in front, keys behind, and whether they are level; only pieces
    that are made of something."""
    home, opened = composition.home, {p.key for p in composition.pieces() if p.opening}
    for said, order in enumerate(composition.decisions.relief.orders):
        front, behind = (
            [k for k in keys_in(run) if k in home and k not in opened] for run in (order.front, order.behind)
        )
        if front and behind:
            yield said, front, behind, order.level


def _said(composition: Composition) -> list[Relation]:
    """Relations of single pieces. Where one sentence speaks of several over several, something between them keeps the
    relations few: a negative number."""
    relations = []
    for said, front, behind, level in said_pairs(composition):
        if level:
            every = [*front, *behind]
            relations += [Relation(a, b, True, said) for a, b in itertools.pairwise(every)]
        elif len(front) == 1 or len(behind) == 1:
            relations += [Relation(a, b, False, said) for a in front for b in behind]
        else:
            between = -1 - said
            relations += [Relation(a, between, False, said) for a in front]
            relations += [Relation(between, b, False, said) for b in behind]
    return relations


def graph_of(composition: Composition) -> nx.DiGraph:
    """Pieces, each with an edge to those that it is said to be in front of; level ones lead to each other."""
    graph = nx.DiGraph()
    for r in _said(composition):
        graph.add_edge(r.front, r.behind)
        if r.level:
            graph.add_edge(r.behind, r.front)
    return graph


def _places(r: Relation, place: dict[int, int]) -> list[int]:
    return [place.get(key, -1) for key in (r.front, r.behind)]


class _Asked:
    """One layer's heights as a problem, and its answer in keys."""

    def __init__(
        self,
        composition: Composition,
        layer: Layer,
        ground_mm: float,
        rests: dict[int, float],
        known: dict[int, Pair],
        relations: list[Relation],
    ):
        self.composition, self.layer, self.ground_mm = composition, layer, ground_mm
        self.rests, self.known = rests, known
        self.clashes: list[Relation] = []
        self.loosened: list[str] = []
        self.proven = True
        self.relations = relations
        self.mine = [p.key for p in layer.without_openings.pieces]
        inside = set(self.mine)
        others = sorted({k for r in relations for k in (r.front, r.behind)} - inside)
        self.things = [*self.mine, *others]
        self.index = {key: i for i, key in enumerate(self.things)}

    def answer(self) -> dict[int, Pair]:
        """A pair of stock and shim for every piece of the layer. What cannot be obeyed gives way, least first, as
        `LOOSER` says; where that is not enough orders do, the later to the earlier."""
        if not obeyed(self._problem(LOOSER[-1])):
            self._give_way()
        for loose in LOOSER:
            found = solved(self._problem(loose))
            if found is not None:
                self.loosened += loose
                self.proven = found.proven
                return {key: self.pairs[found.pair[self.index[key]]] for key in self.mine}
        raise AssertionError("without orders every piece has a height of its own")

    def _give_way(self) -> None:
        """Leaves out each sentence with which those before it can no longer be obeyed."""
        every = self.relations
        ruled_out = self._between_fixed()
        kept = [r for r in every if r.said not in ruled_out]
        sayings = sorted({r.said for r in kept})
        first = 0
        while first < len(sayings):
            # the longest run of sentences from here on that goes with what is kept, by halving
            low, high = first, len(sayings)
            while low < high:
                middle = (low + high + 1) // 2
                told = set(sayings[:middle])
                self.relations = [r for r in kept if r.said in told]
                low, high = (middle, high) if obeyed(self._problem(LOOSER[-1])) else (low, middle - 1)
            if low < len(sayings):
                kept = [r for r in kept if r.said != sayings[low]]
            first = low + 1
        self.relations = kept
        left = {r.said for r in kept}
        self.clashes += [r for r in every if r.said not in left]

    def _between_fixed(self) -> set[int]:
        """Sentences about two pieces of which each can have but one height, and these do not obey."""
        problem = self._problem(LOOSER[-1])
        fixed = {
            key: problem.floor_mm[i] + problem.pairs[options[0]].high_mm
            for i, key in enumerate(self.things)
            if len(options := problem.kinds[problem.kind[i]]) == 1
        }
        least = self.composition.practice.least_step_mm
        wrong = set()
        for r in self.relations:
            if r.front in fixed and r.behind in fixed:
                step = fixed[r.front] - fixed[r.behind]
                if abs(step) > SAME_MM if r.level else step < least - SAME_MM:
                    wrong.add(r.said)
        return wrong

    def _problem(self, loose: tuple[str, ...]) -> Problem:
        practice, relief = self.composition.practice, self.composition.decisions.relief
        self.pairs: list[Pair] = []
        self.place: dict[Pair, int] = {}
        kinds: dict[tuple[int, ...], int] = {}
        kind, floor = [], []
        piece = self.layer.without_openings.by_key
        alike: dict[tuple, tuple[int, ...]] = {}
        for key in self.things:
            if key in piece:
                like = self._like(piece[key])
                if like not in alike:
                    alike[like] = tuple(sorted(self._number(pair) for pair in self._options(piece[key], loose)))
                mine = alike[like]
                floor.append(self.rests[key])
            elif key < 0:
                mine = ()
                floor.append(0.0)
            else:
                mine = (self._number(self.known[key]),)
                floor.append(self.rests[key])
            kind.append(kinds.setdefault(mine, len(kinds)))
        above = []
        for r in self.relations:
            a, b = self.index[r.front], self.index[r.behind]
            if r.level:
                above += [(a, b, 0.0), (b, a, 0.0)]
                continue
            # two halves of one sentence make up the step together
            least = practice.least_step_mm if min(r.front, r.behind) >= 0 or r.front < 0 else 0.0
            above.append((a, b, least))
            if "greatest" not in loose and min(r.front, r.behind) >= 0:
                above.append((b, a, -max(practice.greatest_step_mm, practice.least_step_mm)))
        most = relief.depth_mm if relief.depth_mm and "depth" not in loose else float("inf")
        return Problem(
            tuple(self.pairs),
            tuple(kinds),
            tuple(kind),
            tuple(floor),
            tuple(above),
            most,
            practice.stock_mm,
        )

    def _number(self, pair: Pair) -> int:
        if pair not in self.place:
            self.place[pair] = len(self.pairs)
            self.pairs.append(pair)
        return self.place[pair]

    def _like(self, p: Piece) -> tuple:
        """What decides the pairs that a piece can have."""
        wanted = self.composition.decisions.relief.tops.get(p.key)
        from_mm = self.rests[p.key] if wanted is not None else 0.0
        return p.thickness_mm, p.shim_mm, self.composition.wood_of(p), self._narrow(p), wanted, from_mm

    def _options(self, p: Piece, loose: tuple[str, ...]) -> list[Pair]:
        """The pairs that this piece can have."""
        practice = self.composition.practice
        own = p.thickness_mm or self.layer.thickness_mm
        stocks = (own,) if own else stocks_for(self.composition, self.composition.wood_of(p))
        shims = (p.shim_mm,) if p.shim_mm else shim_heights(practice.shims_mm)
        if not self.layer.fitted:
            shims = (p.shim_mm,)
        plain = [Pair(stock, shim) for stock in stocks for shim in shims]
        wanted = self.composition.decisions.relief.tops.get(p.key)
        if wanted is not None:
            high = round(wanted + self.ground_mm - self.rests[p.key], 6)
            return _met(plain, high)
        if not p.shim_mm and not own and "narrow" not in loose and self._narrow(p):
            # no shim stays inside it: solid stock of whatever height, as far as the boards go
            most = most_owned(self.composition, self.composition.wood_of(p)) + OWNED_MM
            plain = [Pair(high) for high in sorted({pair.high_mm for pair in plain}) if high <= most] or plain
        if "lowered" not in loose or own:
            return plain
        step = practice.least_step_mm
        return [
            pair if not n else Pair(pair.stock_mm, pair.shim_mm, round(n * step, 4))
            for pair in plain
            for n in range(int(max(pair.stock_mm - LEAST_LEFT_MM, 0) / step) + 1)
        ]

    def _narrow(self, p: Piece) -> bool:
        return self.layer.coverage.spots[p.key].radius_mm <= self.composition.practice.shim_inset_mm


def _met(plain: list[Pair], high_mm: float) -> list[Pair]:
    """Pairs that come to this height: such as there are, else the stock that has to be lowered least; where none is
    thick enough, stock of that thickness."""
    same = [pair for pair in plain if abs(pair.high_mm - high_mm) < SAME_MM]
    if same:
        return same
    over = [
        Pair(pair.stock_mm, pair.shim_mm, round(pair.high_mm - high_mm, 4))
        for pair in plain
        if pair.high_mm > high_mm and pair.stock_mm - (pair.high_mm - high_mm) >= min(LEAST_LEFT_MM, high_mm) - 1e-9
    ]
    if over:
        return [min(over, key=lambda pair: (pair.lowered_mm, pair.shim_mm))]
    return [Pair(max(high_mm, 0.1))]


def shim_heights(sheets: Iterable[float]) -> tuple[float, ...]:
    """Heights of shims from the sheets at hand, none among them: one sheet, or some glued on each other."""
    made = {0.0}
    for count in range(1, SHEETS_IN_SHIM + 1):
        made |= {round(sum(some), 4) for some in itertools.combinations_with_replacement(sorted(sheets), count)}
    return tuple(sorted(made))


def sheets_in(shim_mm: float, sheets: Iterable[float]) -> tuple[float, ...]:
    """The sheets that a shim is glued up of, thickest first, so that neighbours share the lowest; one of its own where
    the sheets at hand do not come to its height."""
    best: tuple[float, tuple[float, ...]] | None = None
    for count in range(1, SHEETS_IN_SHIM + 1):
        for some in itertools.combinations_with_replacement(sorted(sheets, reverse=True), count):
            off = abs(sum(some) - shim_mm)
            if off < SHEET_MM and (best is None or off < best[0] - SAME_MM):
                best = off, some
    if best is None or len(best[1]) == 1:
        return (shim_mm,)
    # sheets differ a little from their names: the last one makes up the height
    return (*best[1][:-1], round(shim_mm - sum(best[1][:-1]), 6))


def spacer_heights(sheets: Iterable[float]) -> list[float]:
    """All heights that spacers can have."""
    own = sorted(set(sheets))
    counts = range(1, SHEETS_IN_SPACER + 1)
    every = (some for count in counts for some in itertools.combinations_with_replacement(own, count))
    return sorted({round(sum(some), 4) for some in every})


def spacer_sheets(mm: float, sheets: Iterable[float]) -> tuple[float, ...]:
    """The fewest sheets that a spacer of this height is glued up of, thickest first; empty where those at hand do not
    come to it."""
    own = sorted(set(sheets), reverse=True)
    for count in range(1, SHEETS_IN_SPACER + 1):
        made = itertools.combinations_with_replacement(own, count)
        off, some = min(((abs(sum(some) - mm), some) for some in made), default=(SHEET_MM, ()))
        if off < SHEET_MM:
            return (*some[:-1], round(mm - sum(some[:-1]), 6))
    return ()


def is_at_hand(shim_mm: float, sheets: Iterable[float]) -> bool:
    """Whether the sheets at hand come to a shim's height."""
    return any(abs(shim_mm - mm) < SHEET_MM for mm in shim_heights(sheets))


def most_owned(composition: Composition, wood: str) -> float:
    """The thickest board of a wood; endless where there is none, since what is bought can be of any."""
    return max((board.thickness_mm for board in composition.rack.boards if board.wood == wood), default=float("inf"))


def stocks_for(composition: Composition, wood: str) -> tuple[float, ...]:
    """Thicknesses that a piece of this wood can have: what the shop mills to, as far as its boards of the wood allow
    where it has any, and those boards as they are; what is bought can be of any."""
    practice = composition.practice
    milled = {*practice.stocks_mm, practice.stock_mm}
    owned = {board.thickness_mm for board in composition.rack.boards if board.wood == wood}
    if not owned:
        return tuple(sorted(milled))
    fits = {mm for mm in milled if mm <= max(owned) + OWNED_MM}
    return tuple(sorted(fits or owned))
