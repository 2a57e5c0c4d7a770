"""Heights for things of which is known what stands in front of what, from few stock thicknesses and few shims.

Every relation is of the form "this one at least so much above that one". Solutions of such relations, with whatever
heights each thing can have, are closed under taking the lower of two at each thing: so there is one lowest solution,
and raising what is too low finds it or shows that there is none (Davey and Priestley, Introduction to Lattices and
Order, on least fixed points). Which pairs of stock and shim are used at all is searched for in order of their height,
and a pair is let go as soon as no solution is left without it.
"""

import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

NEAR_MM = 1e-6
HIGHEST_MM = 1e5
MOST_LOOKS = 700
"""So many sets of pairs are tried at most; the best found is kept. At 500 things a try takes about 0.7 ms."""
MOST_SETS = 3000
"""So many choices of stocks and shims are thought of before all pairs are looked through together."""
MOST_STOCKS = 4
"""More stock thicknesses than these are thought of only where fewer do not do."""


@dataclass(frozen=True, slots=True)
class Pair:
    """One way to come to a height: stock, how much it is lowered from below, and the shim under it, in mm."""

    stock_mm: float
    shim_mm: float = 0.0
    lowered_mm: float = 0.0

    @property
    def high_mm(self) -> float:
        return round(self.stock_mm - self.lowered_mm + self.shim_mm, 6)


@dataclass(frozen=True)
class Problem:
    """`pairs` there are; `kinds` which of them a thing of each kind can have (positions in `pairs`; none where any
    height will do: such a thing is no thing, only a height between others); `kind` and `floor_mm` of each thing.
    `above`: (thing, other, mm): the thing at least so much above the other; less than zero is at most so much below
    it. `most_mm` no top is higher than this. `usual_mm` the stock thickness that costs least."""

    pairs: tuple[Pair, ...]
    kinds: tuple[tuple[int, ...], ...]
    kind: tuple[int, ...]
    floor_mm: tuple[float, ...]
    above: tuple[tuple[int, int, float], ...]
    most_mm: float = np.inf
    usual_mm: float = 0.0


@dataclass(frozen=True)
class Solution:
    """`pair` of each thing (position in the problem's pairs, -1 for what is none) and its top. `proven`: no solution
    has fewer pairs of stock and shim; `tries` sets of pairs were looked at."""

    pair: tuple[int, ...]
    top_mm: tuple[float, ...]
    proven: bool
    tries: int


@lru_cache(maxsize=64)
def solved(problem: Problem) -> Solution | None:
    """Heights with as few pairs as were found, of those the fewest and most usual stocks, then the lowest; None where
    no heights obey."""
    return _Search(problem).best()


def obeyed(problem: Problem) -> bool:
    """Whether there are heights at all that obey."""
    return _Search(problem).lowest(frozenset(range(len(problem.pairs)))) is not None


class _Search:
    def __init__(self, problem: Problem):
        self.problem = problem
        self.kind, self.floor = np.array(problem.kind, int), np.array(problem.floor_mm, float)
        above = sorted(problem.above)
        self.to = np.array([a for a, _, _ in above], int)
        self.by = np.array([b for _, b, _ in above], int)
        self.mm = np.array([mm for _, _, mm in above], float)
        self.starts = np.flatnonzero(np.r_[True, self.to[1:] != self.to[:-1]]) if len(self.to) else np.zeros(0, int)
        self.raised = self.to[self.starts]
        self.high = np.array([pair.high_mm for pair in problem.pairs], float)
        self.members = [np.flatnonzero(self.kind == k) for k in range(len(problem.kinds))]
        self.things = np.array([bool(problem.kinds[k]) for k in problem.kind], bool)
        self.chain = self._chain()
        self.even = len(set(self.floor[self.things].tolist())) <= 1
        self.tries = 0

    def _chain(self) -> np.ndarray:
        """How many things stand above each other from each one upwards, itself counted, each really higher."""
        strict = self.mm > NEAR_MM
        level = np.abs(self.mm) <= NEAR_MM
        count = self.things.astype(int)
        for _ in range(len(self.kind)):
            best = count.copy()
            np.maximum.at(best, self.by[strict], count[self.to[strict]] + self.things[self.by[strict]])
            np.maximum.at(best, self.by[level], count[self.to[level]])
            if (best == count).all():
                break
            count = best
        return count

    def lowest(self, allowed: frozenset[int]) -> np.ndarray | None:
        """The lowest tops that obey, from these pairs alone; None where there are none."""
        self.tries += 1
        tables = []
        for k, options in enumerate(self.problem.kinds):
            own = np.unique(self.high[[p for p in options if p in allowed]]) if options else None
            if own is not None and not len(own) and len(self.members[k]):
                return None
            tables.append(own)
        top = np.where(self.things, 0.0, -np.inf)
        self._rounded_up(top, tables)
        while True:
            need = top.copy()
            if len(self.to):
                lifted = np.maximum.reduceat(top[self.by] + self.mm, self.starts)
                need[self.raised] = np.maximum(need[self.raised], lifted)
            self._rounded_up(need, tables)
            if (need[self.things] > min(self.problem.most_mm + NEAR_MM, HIGHEST_MM)).any():
                return None
            if (need <= top + NEAR_MM).all():
                return top
            top = need

    def _rounded_up(self, top: np.ndarray, tables: list) -> None:
        """Each to the next height that it can have; endless where there is none."""
        for members, own in zip(self.members, tables, strict=True):
            if own is None or not len(members):
                continue
            place = np.searchsorted(own, top[members] - self.floor[members] - NEAR_MM)
            known = np.append(own, np.inf)
            top[members] = known[place] + self.floor[members]

    def pairs_for(self, top: np.ndarray, allowed: frozenset[int], first: tuple[int, ...] = ()) -> np.ndarray:
        """The pair of each thing at these tops: where several give its height one of the `first`, else the least
        dear."""
        pair = np.full(len(top), -1)
        order = sorted(allowed, key=lambda p: (p not in first, self._dear(p), p))
        asked: dict[tuple[int, float], int] = {}
        for k, options in enumerate(self.problem.kinds):
            mine = set(options)
            for i in self.members[k].tolist() if options else ():
                wanted = round(float(top[i] - self.floor[i]), 5)
                if (k, wanted) not in asked:
                    asked[k, wanted] = next(p for p in order if p in mine and abs(self.high[p] - wanted) < 1e-4)
                pair[i] = asked[k, wanted]
        return pair

    def _dear(self, p: int) -> tuple:
        pair = self.problem.pairs[p]
        return (pair.lowered_mm > 0, pair.stock_mm != self.problem.usual_mm, pair.shim_mm, pair.stock_mm)

    def best(self) -> Solution | None:
        every = frozenset(range(len(self.problem.pairs)))
        lowest = self.lowest(every)
        if lowest is None:
            return None
        bound = self._least()
        found = self._fewer(lowest, every)
        for stocks in itertools.islice(self._stocks(), MOST_SETS):
            better = self._within(stocks, bound, min(bound, len(found[1])))
            if better is not None:
                found = better
                break
        proven = len(found[1]) <= bound
        if not proven:
            found, proven = self._fewest(found, every, bound)
        top = self.lowest(found[1])
        assert top is not None
        return Solution(tuple(self.pairs_for(top, found[1]).tolist()), tuple(top.round(6).tolist()), proven, self.tries)

    def _least(self) -> int:
        """Fewer pairs than this will not do: one for each height that stands above another, and for each kind of thing
        that can have but one."""
        if not self.things.any():
            return 0
        only = {
            options[0] for k, options in enumerate(self.problem.kinds) if len(options) == 1 and len(self.members[k])
        }
        stacked = int(self.chain.max()) if self.even else 1
        return max(stacked, len(only), 1)

    def _used(self, top: np.ndarray, allowed: frozenset[int], first: tuple[int, ...] = ()) -> frozenset[int]:
        return frozenset(p for p in self.pairs_for(top, allowed, first).tolist() if p >= 0)

    def _fewer(self, top: np.ndarray, allowed: frozenset[int]) -> tuple[np.ndarray, frozenset[int]]:
        """A solution from which no single pair can be left out."""
        used = self._used(top, allowed)
        for p in sorted(used, key=self._dear, reverse=True):
            if p in used and (then := self.lowest(used - {p})) is not None:
                used = self._used(then, used - {p})
                top = then
        return top, used

    def _stocks(self) -> Iterator[frozenset[int]]:
        """Pairs of few stocks and few shims, cheapest first: an unusual stock costs more than a shim."""
        pairs = self.problem.pairs
        plain = [p for p in range(len(pairs)) if not pairs[p].lowered_mm]
        needed = frozenset(
            p
            for k, options in enumerate(self.problem.kinds)
            if len(options) == 1 and len(self.members[k])
            for p in options
        )
        # stock that is only there without a shim is for pieces too narrow for one; what they need comes with it
        stocks = sorted({pairs[p].stock_mm for p in plain if pairs[p].shim_mm}) or sorted(
            {pairs[p].stock_mm for p in plain}
        )
        shims = sorted({pairs[p].shim_mm for p in plain} - {0.0})
        sizes = [(n, m) for n in range(1, min(len(stocks), MOST_STOCKS) + 1) for m in range(min(len(shims), 5) + 1)]
        for n, m in sorted(sizes, key=lambda size: (2 * size[0] + size[1], size)):
            sets = itertools.product(itertools.combinations(stocks, n), itertools.combinations(shims, m))
            for a, b in sorted(sets, key=lambda one: (self.problem.usual_mm not in one[0], sum(one[0]) + sum(one[1]))):
                own = {p for p in plain if pairs[p].stock_mm in a and (not pairs[p].shim_mm or pairs[p].shim_mm in b)}
                yield frozenset(own) | needed

    def _within(self, allowed: frozenset[int], bound: int, most: int) -> tuple[np.ndarray, frozenset[int]] | None:
        """A solution of at most `most` pairs from these."""
        if self.tries > MOST_LOOKS or (self.even and self._rungs(allowed) < bound):
            return None
        top = self.lowest(allowed)
        if top is None:
            return None
        used = self._used(top, allowed)
        if len(used) <= most:
            return top, used
        return self._pick(allowed, most, min(self.tries + MOST_LOOKS // 8, MOST_LOOKS))

    def _rungs(self, allowed: frozenset[int]) -> int:
        """Into how many heights, each above the last by the least step, these pairs can be parted."""
        strict = self.mm[self.mm > NEAR_MM]
        step = float(strict.min()) if len(strict) else NEAR_MM
        count, last = 0, -np.inf
        for high in sorted(self.high[p] for p in allowed):
            if high >= last + step - NEAR_MM:
                count, last = count + 1, high
        return count

    def _fewest(
        self, found: tuple[np.ndarray, frozenset[int]], every: frozenset[int], bound: int
    ) -> tuple[tuple[np.ndarray, frozenset[int]], bool]:
        """Among all pairs, with one fewer each time, until it is shown that there is none or enough were looked at."""
        end = self.tries + MOST_LOOKS
        while len(found[1]) > bound:
            better = self._pick(every, len(found[1]) - 1, end)
            if better is None:
                return found, self.tries <= end
            found = better
        return found, True

    def _pick(self, allowed: frozenset[int], count: int, end: int) -> tuple[np.ndarray, frozenset[int]] | None:
        """A solution of at most `count` of these pairs: taken from the lowest upwards, those passed over left out."""
        order = sorted(allowed, key=lambda p: (self.high[p], self._dear(p)))

        def follow(taken: tuple[int, ...], at: int) -> tuple[np.ndarray, frozenset[int]] | None:
            if self.tries > end:
                return None
            rest = frozenset((*taken, *order[at:]))
            top = self.lowest(rest)
            if top is None:
                return None
            used = self._used(top, rest, taken)
            if len(used) <= count:
                return top, used
            left = count - len(taken)
            if left <= 0 or self._missing(top, taken) > left:
                return None
            for i in range(at, len(order)):
                better = follow((*taken, order[i]), i + 1)
                if better is not None:
                    return better
                # nothing is left without this one and those above it: nor without more
                if self.lowest(frozenset((*taken, *order[i + 1 :]))) is None:
                    return None
            return None

        return follow((), 0)

    def _missing(self, top: np.ndarray, taken: tuple[int, ...]) -> int:
        """How many pairs more are needed at least: things that stand higher than all that is taken, above each
        other."""
        if not self.even:
            return 1
        highest = max((self.high[p] for p in taken), default=-np.inf)
        over = self.things & (top - self.floor > highest + NEAR_MM)
        return int(self.chain[over].max()) if over.any() else 0
