"""What is done at the station one after the other, as knots on a string: coats, batches, what goes on as one, trimming.
Each kind of step once: of several copies the first."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ..work.copies import any_copy
from ..work.steps import Step
from .glueup import Batch, GluePlan

KINDS = {
    "fit": "work",
    "paper": "work",
    "shape": "work",
    "coat": "coat",
    "mark": "work",
    "glue": "glue",
    "put on": "glue",
    "trim": "trim",
    "cure": "work",
    "mount": "glue",
    "hang": "work",
    "free": "work",
    "try": "work",
    "lay": "work",
    "seal": "work",
    "pour": "coat",
}


@dataclass(frozen=True, slots=True)
class Knot:
    """One step of the gluing and finishing, by its number from 1. `batch` where something is glued; `down` are all
    parts of one copy that are glued before it, `moves` those that it moves or coats."""

    number: int
    step: Step
    kind: str
    batch: Batch | None
    down: frozenset[str]
    moves: tuple[str, ...]

    @property
    def key(self) -> str:
        return self.step.key


def knots_of(steps: Sequence[Step], glue: GluePlan) -> tuple[Knot, ...]:
    """The knots of a plan's steps, in their order."""
    return tuple(_knots(steps, glue))


def _knots(steps: Sequence[Step], glue: GluePlan) -> Iterable[Knot]:
    batches = {batch.key: batch for batch in glue.batches}
    told = {step.key for step in steps}
    # what carries the rest is glued to nothing: it lies there from the beginning
    down = {key for batch in glue.batches if batch.key not in told and not batch.area_mm2 for key in batch.part_keys}
    number = 0
    for step in steps:
        if step.verb not in KINDS or step.copy not in (0, 1):
            continue
        number += 1
        batch = batches.get(step.key)
        moves = _moves(step, batch, glue)
        yield Knot(number, step, KINDS[step.verb], batch, frozenset(down), moves)
        if batch is not None or step.verb == "mount":
            down.update(moves)


def _moves(step: Step, batch: Batch | None, glue: GluePlan) -> tuple[str, ...]:
    if batch is None:
        return tuple(dict.fromkeys(map(any_copy, step.parts)))
    under = [key for row in batch.steps for key in row.under]
    parts = glue.by_assembly[batch.whole].all_parts if batch.whole else batch.part_keys
    return tuple(dict.fromkeys((*under, *parts)))


def knot_at(knots: Sequence[Knot], key: str) -> Knot | None:
    """The knot of that step."""
    return next((knot for knot in knots if knot.key == key), None)
