"""Which wood for which colour: the whole picture at once, neighbours kept apart, boards not overdrawn.

The cost of an answer is a whole number: for every group of pieces its area (as a share of the mean) times the
CIEDE2000 between its colour and its wood; for every two neighbouring groups that differ in the drawing `APART` times
what their woods lack to `READ_DE`, by the length of their seam; for every wood what it is short of. Heat-bath
annealing on many chains at once, one class of a graph colouring at a time, then greedy steps to the end. The same
problem always gets the same answer.
"""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import networkx as nx
import numpy as np
from scipy import sparse

from ..colour import difference, lab_of
from ..errors import BadChoice
from ..work.composition import Composition, Piece
from .colour import natural

READ_DE = 7.0
"""Neighbours nearer than this cost; own choice."""
APART = 3.0
SHORT = 15.0
"""Being short of an area costs as if that area were so far off in colour; own choice."""
SAME_DE = 2.0
"""Colours of the drawing nearer than this are one colour: their woods need not differ."""
SCALE = 100
CHAINS, SWEEPS, KEPT = 24, 140, 2
MOST_CELLS = 120_000
"""Chains times groups times woods: bounds time and memory."""
NOISE = 100_000
"""The heat bath's noise is drawn once and read from another place each time."""


@dataclass(frozen=True)
class Group:
    """Pieces that get one wood: their colour in the drawing, their area, and the wood they have where that is fixed."""

    pieces: tuple[int, ...]
    lab: tuple[float, float, float]
    area_mm2: float
    colour: str = ""
    fixed: str = ""


@dataclass(frozen=True)
class Problem:
    """`cost` (groups, woods), `seams` rows of group, group; `weight` of each; `near` (woods, woods); `stock_mm2` by
    wood."""

    groups: tuple[Group, ...]
    codes: tuple[str, ...]
    cost: np.ndarray
    seams: np.ndarray
    weight: np.ndarray
    near: np.ndarray
    stock_mm2: np.ndarray
    unit_mm2: float
    apart: np.ndarray = field(repr=False, default_factory=lambda: np.zeros((0, 0)))

    def total(self, choice: np.ndarray) -> int:
        """The cost of an answer: one position in `codes` for each group."""
        own = self.cost[np.arange(len(choice)), choice].sum()
        beside = (
            (self.weight * self.near[choice[self.seams[:, 0]], choice[self.seams[:, 1]]]).sum()
            if len(self.seams)
            else 0
        )
        return int(own + beside + np.rint(self.short_cost(choice)))

    def used_mm2(self, choice: np.ndarray) -> np.ndarray:
        return np.bincount(choice, weights=[g.area_mm2 for g in self.groups], minlength=len(self.codes))

    def short_cost(self, choice: np.ndarray) -> float:
        over = np.maximum(0.0, self.used_mm2(choice) - self.stock_mm2)
        return float(SHORT * SCALE * np.where(np.isfinite(over), over, 0).sum() / self.unit_mm2)


@dataclass(frozen=True)
class Answer:
    """A wood for every group, what it costs, and what it is short of (mm2 by wood)."""

    choice: tuple[int, ...]
    cost: int
    short_mm2: dict[str, float]


def groups_of(composition: Composition, pieces: Sequence[Piece], by: str = "colour") -> tuple[Group, ...]:
    """Those pieces by colour (or each by itself), and their neighbours with what they have as fixed groups."""
    seen = composition.seen
    chosen: dict[tuple, list[Piece]] = defaultdict(list)
    for p in pieces:
        if p.colour:
            held = p.wood if p.locked and p.wood else ""
            chosen[(p.colour, held, p.key if by == "piece" else 0)].append(p)
    if not chosen:
        raise BadChoice("The drawing gives these pieces no colour to match. Give them a colour first.")
    free = {p.key for own in chosen.values() for p in own}
    made = [
        Group(
            tuple(p.key for p in own),
            lab_of(colour),
            sum(composition.home[p.key].coverage.area_mm2[p.key] for p in own),
            colour,
            held,
        )
        for (colour, held, _), own in chosen.items()
    ]
    beside: dict[tuple, set[int]] = defaultdict(set)
    for key in free:
        layer = composition.home[key]
        for other in layer.coverage.neighbours[key]:
            p = layer.by_key[other]
            if other not in free and p.wood and not p.opening:
                beside[composition.look_of(p)].add(other)
    for look, keys in beside.items():
        made.append(Group(tuple(sorted(keys)), seen.lab_of(look), 0.0, "", look[0]))
    return tuple(made)


def problem_of(
    composition: Composition,
    pieces: Sequence[Piece],
    own_only: bool = False,
    by: str = "colour",
    among: Sequence[str] | None = None,
) -> Problem:
    """The problem for these pieces. `own_only`: woods of boards on the rack, and as much of them as boards give."""
    seen, rack = composition.seen, composition.rack
    groups = groups_of(composition, pieces, by)
    codes = list(among) if among is not None else list(rack.owned) if own_only else natural(seen)
    if not codes:
        raise BadChoice("No board is on the rack yet. Note your boards in the shop, or choose among all woods.")
    codes += [code for code in dict.fromkeys(g.fixed for g in groups if g.fixed) if code not in codes]
    stock = np.full(len(codes), np.inf)
    if own_only:
        stock = np.array([rack.area_mm2(code) * composition.practice.board_use for code in codes])
    return problem(
        groups, tuple(codes), np.array([seen.lab_of((c, "", "")) for c in codes]), stock, _seams(composition, groups)
    )


def _seams(composition: Composition, groups: Sequence[Group]) -> dict[tuple[int, int], float]:
    of = {key: i for i, g in enumerate(groups) for key in g.pieces}
    length: dict[tuple[int, int], float] = defaultdict(float)
    for seam in (s for layer in composition.layers for s in layer.without_openings.coverage.seams):
        a, b = of.get(seam.a), of.get(seam.b)
        if a is not None and b is not None and a != b and not (groups[a].area_mm2 == groups[b].area_mm2 == 0):
            length[min(a, b), max(a, b)] += seam.length_mm
    return length


def problem(
    groups: Sequence[Group],
    codes: tuple[str, ...],
    labs: np.ndarray,
    stock_mm2: np.ndarray,
    seams: Mapping[tuple[int, int], float],
) -> Problem:
    """The problem in whole numbers. `labs` (woods, 3) of the woods as they will look; `seams` lengths in mm by two
    groups."""
    colours = np.array([g.lab for g in groups])
    areas = np.array([g.area_mm2 for g in groups])
    unit = float(areas[areas > 0].mean()) if (areas > 0).any() else 1.0
    apart = difference(colours[:, None], labs[None])
    cost = np.rint(SCALE * apart * (areas / unit)[:, None]).astype(np.int64)
    position = {code: i for i, code in enumerate(codes)}
    for i, g in enumerate(groups):
        if g.fixed:
            # no other wood can pay for itself
            keep = cost[i, position[g.fixed]]
            cost[i] = 10**9
            cost[i, position[g.fixed]] = keep
    every = np.array(list(seams), int).reshape(-1, 2)
    differ = difference(colours[every[:, 0]], colours[every[:, 1]]) >= SAME_DE if len(every) else np.zeros(0, bool)
    pairs = [tuple(pair) for pair in every[differ].tolist()]
    lengths = np.array([seams[pair] for pair in pairs])
    weight = (
        np.rint(SCALE * APART * np.clip(lengths / lengths.mean(), 0.2, 3.0)).astype(np.int64)
        if pairs
        else np.zeros(0, np.int64)
    )
    near = np.rint(np.maximum(0.0, READ_DE - difference(labs[:, None], labs[None])) * 10).astype(np.int64)
    return Problem(
        tuple(groups), codes, cost, np.array(pairs, int).reshape(-1, 2), -(-weight // 10), near, stock_mm2, unit, apart
    )


def solve(task: Problem, seed: int = 0) -> Answer:
    """The best answer found. Raises nothing: every problem has an answer, if a short one."""
    n, m = task.cost.shape
    chains = max(1, min(CHAINS, MOST_CELLS // (n * m)))
    starts = _annealed(task, chains, np.random.default_rng(seed))
    starts.append(task.cost.argmin(axis=1))
    best = min((_polished(task, start) for start in _distinct(starts)[:KEPT]), key=task.total)
    over = np.maximum(0.0, task.used_mm2(best) - task.stock_mm2)
    short = {task.codes[i]: float(over[i]) for i in np.flatnonzero(over > 1.0) if np.isfinite(over[i])}
    return Answer(tuple(int(i) for i in best), task.total(best), short)


def _distinct(starts: list[np.ndarray]) -> list[np.ndarray]:
    return list({tuple(s): s for s in starts}.values())


def _classes(task: Problem, n: int) -> list[np.ndarray]:
    graph = nx.Graph()
    graph.add_nodes_from(range(n))
    graph.add_edges_from(task.seams.tolist())
    colour = nx.greedy_color(graph, "largest_first")
    return [np.array([i for i in range(n) if colour[i] == c]) for c in range(max(colour.values(), default=0) + 1)]


def _beside(task: Problem, n: int) -> sparse.csr_matrix:
    a, b = task.seams.T
    both = np.concatenate([a, b]), np.concatenate([b, a])
    return sparse.csr_matrix((np.concatenate([task.weight, task.weight]).astype(np.float32), both), (n, n))


def _annealed(task: Problem, chains: int, rng: np.random.Generator) -> list[np.ndarray]:
    """One answer a chain, the cheapest first."""
    n, m = task.cost.shape
    cost, near = task.cost.astype(np.float32), task.near.astype(np.float32)
    areas = np.array([g.area_mm2 for g in task.groups], np.float32)
    limited = np.isfinite(task.stock_mm2)
    price = np.float32(SHORT * SCALE / task.unit_mm2)
    rows = _beside(task, n)
    steps = [(own, rows[own]) for own in _classes(task, n)]
    state = np.tile(task.cost.argmin(axis=1)[:, None], (1, chains))
    ordinary = task.cost[task.cost < 10**8]
    hot = float(np.percentile(ordinary, 30)) * 0.6 + 1.0
    which = np.arange(chains)[None, :]
    most = max(len(own) for own, _ in steps) * chains * m
    pool = rng.gumbel(size=most + NOISE).astype(np.float32)
    for sweep in range(SWEEPS):
        temperature = hot * (2e-4) ** (sweep / (SWEEPS - 1))
        for own, beside in steps:
            one = np.zeros((n, chains * m), np.float32)
            one[np.arange(n)[:, None], which * m + state] = 1
            pull = (beside @ one).reshape(len(own), chains, m) @ near if beside.nnz else 0.0
            total = cost[own][:, None, :] + pull
            if limited.any():
                total = total + price * _shortage(task, state, own, areas, limited)
            begin = int(rng.integers(NOISE))
            noise = pool[begin : begin + total.size].reshape(total.shape)
            state[own] = np.argmin(total - temperature * noise, axis=2)
    answers = list(state.T)
    return sorted(answers, key=task.total)


def _shortage(task: Problem, state: np.ndarray, own: np.ndarray, areas: np.ndarray, limited: np.ndarray) -> np.ndarray:
    """By how much (mm2) each wood would be overdrawn more, were each of these groups of it: (groups, chains, woods)."""
    chains = state.shape[1]
    m = len(task.codes)
    flat = (np.arange(chains)[None, :] * m + state).ravel()
    used = np.bincount(flat, weights=np.repeat(areas, chains), minlength=chains * m).reshape(1, chains, m)
    used = np.repeat(used, len(own), axis=0)
    used[np.arange(len(own))[:, None], np.arange(chains)[None, :], state[own]] -= areas[own][:, None]
    stock = np.where(limited, task.stock_mm2, 1e18)
    over = np.maximum(0, used + areas[own][:, None, None] - stock) - np.maximum(0, used - stock)
    return over.astype(np.float32)


MOST_ROUNDS, MOST_IN_BLOCKS = 40, 200
BLOCK, EACH = 6, 4
"""So many neighbouring groups are decided together, each among so many woods."""


class _Polish:
    """Greedy steps from an answer: one group at a time, then blocks of neighbours at once, until nothing gets
    cheaper."""

    def __init__(self, task: Problem, start: np.ndarray):
        self.task, self.choice = task, start.copy()
        self.rows = _beside(task, len(start)).tocsr()
        self.areas = np.array([g.area_mm2 for g in task.groups])
        self.used = task.used_mm2(self.choice)
        self.price = SHORT * SCALE / task.unit_mm2
        self.stock = np.where(np.isfinite(task.stock_mm2), task.stock_mm2, 1e18)

    def beside(self, g: int) -> tuple[np.ndarray, np.ndarray]:
        low, high = self.rows.indptr[g], self.rows.indptr[g + 1]
        return self.rows.indices[low:high], self.rows.data[low:high]

    def costs(self, g: int) -> np.ndarray:
        """What each wood would cost for a group while all others stay."""
        others, weight = self.beside(g)
        rest = self.used.copy()
        rest[self.choice[g]] -= self.areas[g]
        over = np.maximum(0, rest + self.areas[g] - self.stock) - np.maximum(0, rest - self.stock)
        return self.task.cost[g] + weight @ self.task.near[self.choice[others]] + self.price * over

    def give(self, g: int, wood: int) -> None:
        self.used[self.choice[g]] -= self.areas[g]
        self.used[wood] += self.areas[g]
        self.choice[g] = wood

    def one_by_one(self) -> bool:
        moved = False
        for g in range(len(self.choice)):
            table = self.costs(g)
            wood = int(table.argmin())
            if table[wood] < table[self.choice[g]] - 1e-6:
                self.give(g, wood)
                moved = True
        return moved

    def by_blocks(self) -> bool:
        return any([self._block(g) for g in range(len(self.choice))])

    def _block(self, g: int) -> bool:
        """Every combination of the likeliest woods for a group and the neighbours it is most bound to."""
        others, weight = self.beside(g)
        block = [g, *others[np.argsort(-weight, kind="stable")[: BLOCK - 1]].tolist()]
        likely = []
        for b in block:
            order = np.argsort(self.costs(b), kind="stable")[:EACH]
            likely.append(order if self.choice[b] in order else np.append(order[:-1], self.choice[b]))
        every = np.stack(np.meshgrid(*likely, indexing="ij"), axis=-1).reshape(-1, len(block))
        total = self._cost_of(block, every)
        best = int(total.argmin())
        now = int(np.flatnonzero((every == self.choice[block]).all(axis=1))[0])
        if total[best] >= total[now] - 1e-6:
            return False
        for b, wood in zip(block, every[best].tolist(), strict=True):
            self.give(b, wood)
        return True

    def _cost_of(self, block: list[int], every: np.ndarray) -> np.ndarray:
        place = {b: i for i, b in enumerate(block)}
        near = self.task.near
        total = np.zeros(len(every))
        for i, b in enumerate(block):
            others, weight = self.beside(b)
            alone = self.task.cost[b].astype(float)
            for other, w in zip(others.tolist(), weight.tolist(), strict=True):
                if other not in place:
                    alone += w * near[:, self.choice[other]]
                elif place[other] > i:
                    total += w * near[every[:, i], every[:, place[other]]]
            total += alone[every[:, i]]
        if np.isfinite(self.task.stock_mm2).any():
            used = self.used.copy()
            np.subtract.at(used, self.choice[block], self.areas[block])
            table = np.repeat(used[None], len(every), axis=0)
            for i, b in enumerate(block):
                table[np.arange(len(every)), every[:, i]] += self.areas[b]
            total += self.price * np.maximum(0, table - self.stock).sum(axis=1)
        return total


def _polished(task: Problem, start: np.ndarray) -> np.ndarray:
    work = _Polish(task, start)
    for _ in range(MOST_ROUNDS):
        moved = work.one_by_one()
        if not moved and len(start) <= MOST_IN_BLOCKS:
            moved = work.by_blocks()
        if not moved:
            break
    return work.choice


def alternatives(task: Problem, group: int, most: int = 5) -> list[tuple[str, float]]:
    """Woods for one group by itself, nearest first, with their CIEDE2000."""
    order = np.argsort(task.apart[group], kind="stable")[:most]
    return [(task.codes[i], float(task.apart[group, i])) for i in order]
