"""How the work looks after each coat: bare, then one kind after the other, as they will be put on."""

from dataclasses import replace

from ..rack.coats import coat_of
from ..work.composition import Composition
from ..work.parts import Job
from .finishing import Coating, coatings_of

BARE = "raw"


def states_of(job: Job) -> tuple[str, ...]:
    """What can be looked at, in words: bare wood, then each kind of coat once it is on."""
    return "bare", *(_words(one) for one in coatings_of(job))


def _words(one: Coating) -> str:
    return f"{one.name}, {one.coats} coat{'s' if one.coats > 1 else ''}"


def as_after(job: Job, count: int) -> Composition:
    """The work once that many kinds of coats are on it; nothing else of it changes."""
    composition = job.composition
    on = coatings_of(job)[:count]
    finish = composition.practice.finish
    coloured = {key for one in on if one.supply.code != finish and one.supply.code != "primer" for key in one.parts}
    cleared = {key for one in on if one.supply.code == finish for key in one.parts}
    over_all = all(str(p.key) in cleared or coat_of(p.coat).kind == BARE for p in composition.made)
    layers = tuple(
        replace(
            layer,
            pieces=tuple(
                replace(p, coat=_coat(p.coat, str(p.key) in coloured, str(p.key) in cleared, finish, over_all))
                for p in layer.pieces
            ),
        )
        for layer in composition.layers
    )
    # what lies under a colour is bare as long as no clear coat is on
    practice = composition.practice if over_all else replace(composition.practice, finish=BARE)
    return replace(composition, layers=layers, practice=practice)


def _coat(own: str, coloured: bool, cleared: bool, finish: str, over_all: bool) -> str:
    if own and coloured:
        return own
    if cleared:
        return "" if over_all else finish
    return BARE
