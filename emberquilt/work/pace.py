"""How long a shop really takes for each minute that is estimated: by wood, thickness, blade, corners and person.

The logarithm of minutes taken per minute estimated is a sum of what each of these adds, and of chance. Plans multiply
their estimates by it; the log works it out (see `emberquilt.log.rates`).
"""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..lazy import lazy

THICKNESS_MM = (4.0, 9.0, 16.0, 26.0, 45.0)
"""Sheet, thin stock, 1/2 in, 3/4 in to 1 in, thicker: within these the estimate's own law is to do."""
GROUPS = ("all", "verb", "wood", "thickness", "blade", "corner", "who")
SURE = 1.2816
"""Within so many standard deviations lie 80 % of a normal law."""
Term = tuple[str, str]


def thickness_band(mm: float) -> str:
    """The band of thicknesses that learn from each other: “9 to 16 mm”."""
    edges = (0.0, *THICKNESS_MM)
    at = sum(mm > edge for edge in edges) - 1
    return f"over {edges[-1]:g} mm" if at >= len(edges) - 1 else f"{edges[at]:g} to {edges[at + 1]:g} mm"


def terms_of(verb: str, made_of: Mapping[str, Any], whose: Mapping[str, float] | None = None) -> dict[Term, float]:
    """What adds to the pace, and how much of it. `made_of` may hold wood, thickness_mm, blade and `corners`, the share
    of its minutes that each kind of corner takes; `whose` the share that each person does."""
    terms = {("all", ""): 1.0, ("verb", verb): 1.0}
    if wood := made_of.get("wood"):
        terms["wood", str(wood)] = 1.0
    if thickness := made_of.get("thickness_mm"):
        terms["thickness", thickness_band(float(thickness))] = 1.0
    if blade := made_of.get("blade"):
        terms["blade", str(blade)] = 1.0
    terms |= {("corner", kind): float(share) for kind, share in (made_of.get("corners") or {}).items()}
    return terms | {("who", name): share for name, share in (whose or {}).items()}


@dataclass(frozen=True)
class Pace:
    """What each term adds: `mean` with its covariance `spread`, in the order of `terms`; `usual` how far terms of a
    group lie apart, for one that was never seen; `noise` the spread of a single card, `whose` the shares of people."""

    terms: tuple[Term, ...]
    mean: tuple[float, ...]
    spread: np.ndarray = field(compare=False, repr=False)
    usual: Mapping[str, float] = field(compare=False)
    noise: float
    counts: Mapping[Term, int] = field(compare=False)
    whose: Mapping[str, float] = field(compare=False)

    @lazy
    def _place(self) -> dict[Term, int]:
        return {term: i for i, term in enumerate(self.terms)}

    def _split(self, terms: Mapping[Term, float]) -> tuple[np.ndarray, float]:
        """The known terms as a row, and the variance of those that are not."""
        row = np.zeros(len(self.terms))
        unknown = 0.0
        for term, share in terms.items():
            if (at := self._place.get(term)) is not None:
                row[at] = share
            else:
                unknown += (share * self.usual.get(term[0], 0.0)) ** 2
        return row, unknown

    def of(self, verb: str, made_of: Mapping[str, Any]) -> dict[Term, float]:
        """The terms of a card that nobody has done yet."""
        return terms_of(verb, made_of, self.whose)

    def factor(self, verb: str, made_of: Mapping[str, Any]) -> float:
        """Minutes that are to be expected for each one that is estimated."""
        row, _ = self._split(self.of(verb, made_of))
        return math.exp(float(row @ np.array(self.mean)) + self.noise**2 / 2)

    def between(self, verb: str, made_of: Mapping[str, Any]) -> tuple[float, float]:
        """Between what 80 of 100 such cards take, for each minute that is estimated."""
        row, unknown = self._split(self.of(verb, made_of))
        middle = float(row @ np.array(self.mean))
        wide = SURE * math.sqrt(float(row @ self.spread @ row) + unknown + self.noise**2)
        return math.exp(middle - wide), math.exp(middle + wide)

    def sum_between(self, cards: Iterable[tuple[float, str, Mapping[str, Any]]]) -> tuple[float, float]:
        """Between what 80 of 100 such works take in all, in minutes; cards as (minutes expected, verb, made of). What
        is not known of a wood or blade moves all its cards alike; chance evens out."""
        rows: list[np.ndarray] = []
        minutes: list[float] = []
        unknown: dict[Term, float] = {}
        for expected, verb, made_of in cards:
            terms = self.of(verb, made_of)
            row, _ = self._split(terms)
            rows.append(row)
            minutes.append(expected)
            for term, share in terms.items():
                if term not in self._place:
                    unknown[term] = unknown.get(term, 0.0) + expected * share
        total = sum(minutes)
        if not total:
            return 0.0, 0.0
        shares = np.array(minutes) / total
        row = shares @ np.array(rows)
        apart = sum((self.usual.get(group, 0.0) * weight / total) ** 2 for (group, _), weight in unknown.items())
        wide = SURE * math.sqrt(float(row @ self.spread @ row) + apart + self.noise**2 * float(shares @ shares))
        return total * math.exp(-wide), total * math.exp(wide)

    def told(self, group: str) -> list[tuple[str, float, float, float, int]]:
        """What each of a group makes of a minute: (name, factor, between, and, how many cards said so)."""
        rows = []
        for i, (of, name) in enumerate(self.terms):
            if of == group and self.counts.get((of, name), 0):
                wide = SURE * math.sqrt(float(self.spread[i, i]))
                low, middle, high = (math.exp(self.mean[i] + side) for side in (-wide, 0.0, wide))
                rows.append((name, middle, low, high, self.counts[of, name]))
        return sorted(rows, key=lambda one: -one[1])

    @property
    def stamp(self) -> tuple:
        """Tells one state from another to a hundredth: less is not worth planning everything anew at every tick."""
        return tuple(zip(self.terms, (round(v, 2) for v in self.mean), strict=True)), round(self.noise, 2)
