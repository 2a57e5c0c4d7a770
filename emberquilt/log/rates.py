"""What the log teaches about minutes: a regression with shrinkage that few and odd entries do not carry away.

A hierarchical model, by expectation and maximisation (Dempster, Laird and Rubin 1977; from memory): each term lies
about nothing with the spread of its group, which is itself learned; chance follows Student's law with few degrees, so
that a clock that was forgotten weighs little (Lange, Little and Taylor 1989; from memory).
"""

import math
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..work.pace import GROUPS, Pace, Term, terms_of

USUAL_SPREAD = {
    "all": 0.35,
    "verb": 0.2,
    "wood": 0.12,
    "thickness": 0.12,
    "blade": 0.1,
    "corner": 0.4,
    "who": 0.2,
}
"""How far terms lie apart as long as nothing is known: own assumption. One slow first piece does not double a plan."""
WEIGHT = 2.0
"""Each of these counts as much as so many terms that were seen."""
USUAL_NOISE = 0.35
NOISE_WEIGHT = 4.0
FREEDOM = 4.0
"""Degrees of freedom of chance."""
ROUNDS = 60
LEAST_MINUTES = 0.05
FAR = 20.0
"""An entry that took this many times its estimate, or that part of it, is no time at all."""


@dataclass(frozen=True, slots=True)
class Logged:
    """A card that was timed: minutes taken, minutes estimated before any correction, and what it was done on."""

    verb: str
    minutes: float
    estimate: float
    made_of: Mapping[str, Any] = field(default_factory=dict)
    who: str = ""

    @property
    def usable(self) -> bool:
        return min(self.minutes, self.estimate) >= LEAST_MINUTES and 1 / FAR <= self.minutes / self.estimate <= FAR

    @property
    def terms(self) -> dict[Term, float]:
        return terms_of(self.verb, self.made_of, {self.who: 1.0})


def pace_from(entries: Iterable[Logged]) -> Pace:
    """What these entries teach; with none what is assumed of a shop that nobody knows."""
    known = [entry for entry in entries if entry.usable]
    rows = [entry.terms for entry in known]
    terms = tuple(sorted({term for row in rows for term in row} | {("all", "")}, key=_order))
    place = {term: i for i, term in enumerate(terms)}
    x = np.zeros((len(known), len(terms)))
    for i, row in enumerate(rows):
        for term, share in row.items():
            x[i, place[term]] = share
    # before anything is known, estimates are right in the mean: their middle lies lower, by what chance adds to it
    low = USUAL_NOISE**2 / 2
    y = np.array([math.log(entry.minutes / entry.estimate) + low for entry in known])
    mean, spread, usual, noise = _fitted(x, y, [group for group, _ in terms])
    mean[place["all", ""]] -= low
    done = Counter[str]()
    for entry in known:
        done[entry.who] += 1
    whose = {name: count / done.total() for name, count in done.items()}
    counts = {term: int(np.count_nonzero(x[:, i])) for term, i in place.items()}
    return Pace(terms, tuple(mean.tolist()), spread, usual, noise, counts, whose)


def _order(term: Term) -> tuple:
    return GROUPS.index(term[0]), term[1]


def _fitted(x: np.ndarray, y: np.ndarray, groups: Sequence[str]) -> tuple[np.ndarray, np.ndarray, dict, float]:
    """Means of the terms and their covariance, the spread of each group, and of chance."""
    usual, noise = dict(USUAL_SPREAD), USUAL_NOISE
    weight = np.ones(len(y))
    of_group = {group: np.array([i for i, name in enumerate(groups) if name == group], int) for group in usual}
    for _ in range(ROUNDS):
        prior = np.array([usual[group] ** -2 for group in groups])
        spread = np.linalg.inv((x.T * weight) @ x / noise**2 + np.diag(prior))
        mean = spread @ ((x.T * weight) @ y) / noise**2
        if not len(y):
            break
        before = (*usual.values(), noise)
        for group, at in of_group.items():
            # one term alone says nothing of how far terms of its kind lie apart
            if len(at) > 1:
                far = float((mean[at] ** 2 + np.diag(spread)[at]).sum()) + WEIGHT * USUAL_SPREAD[group] ** 2
                usual[group] = math.sqrt(far / (len(at) + WEIGHT))
        off = y - x @ mean
        weight = (FREEDOM + 1) / (FREEDOM + (off / noise) ** 2)
        unsure = ((x @ spread) * x).sum(axis=1)
        chance = float((weight * (off**2 + unsure)).sum()) + NOISE_WEIGHT * USUAL_NOISE**2
        noise = math.sqrt(chance / (len(y) + NOISE_WEIGHT))
        if max(abs(a - b) for a, b in zip(before, (*usual.values(), noise), strict=True)) < 1e-5:
            break
    return mean, spread, usual, noise
