"""How long blades last here, against what was planned: counted from one fresh blade to the next."""

import math
from collections.abc import Iterable, Mapping

from ..work.pace import SURE
from .happened import BLADE, DONE, Happened

USUAL_SPREAD, USUAL_NOISE = 0.35, 0.4
"""How far the lives of blades of one shop lie from what is planned, and those of two blades from each other: own
assumption."""
LEAST_LIFE = 0.02
"""A blade that was changed after less than this broke, or was the wrong one."""


def lives_of(events: Iterable[Happened]) -> dict[str, list[float]]:
    """By blade the shares of a planned life that blades lasted, in the order of time. Only what lies between two fresh
    ones counts: how far gone the first was nobody knows."""
    mounted: dict[str, float] = {}
    lives: dict[str, list[float]] = {}
    for event in sorted(events, key=lambda one: one.at):
        if event.what == BLADE:
            name = event.text or str(event.made_of.get("blade", ""))
            if mounted.get(name, 0.0) >= LEAST_LIFE:
                lives.setdefault(name, []).append(mounted[name])
            mounted[name] = 0.0
        elif event.what == DONE and (name := str(event.made_of.get("blade", ""))) in mounted:
            mounted[name] += float(event.made_of.get("wears", 0.0)) * float(event.made_of.get("lasts", 1.0))
    return lives


def lasting(lives: Mapping[str, list[float]]) -> dict[str, tuple[float, float, float, int]]:
    """(factor, between, and, how many) by blade: how much longer it lasts than planned. Few blades say little: a mean
    of logarithms, drawn towards none (common shrinkage of a normal mean)."""
    told = {}
    for name, shares in lives.items():
        known = len(shares) + (USUAL_NOISE / USUAL_SPREAD) ** 2
        middle = sum(math.log(share) for share in shares) / known
        wide = SURE * USUAL_NOISE / math.sqrt(known)
        told[name] = (math.exp(middle), math.exp(middle - wide), math.exp(middle + wide), len(shares))
    return told
