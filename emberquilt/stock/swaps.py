"""What can be made from what one has: what the rack still gives of each wood, and swaps that avoid buying."""

from collections.abc import Iterable
from dataclasses import dataclass

import shapely

from ..rack.boards import Board
from ..work.on_boards import on_boards
from ..work.parts import Job, Part
from .leaves import serving

MOST_SWAPS = 3
MOST_APART_DE = 30.0
"""What differs more is no swap but another picture: own choice."""


@dataclass(frozen=True, slots=True)
class Swap:
    """Pieces of a wood that is short made of one that the rack has: `de` CIEDE2000 between the two as they will look,
    `free_mm2` what its boards still give, `rough_mm2` what the pieces need."""

    wood: str
    other: str
    pieces: tuple[int, ...]
    de: float
    free_mm2: float
    rough_mm2: float


def free_mm2(job: Job) -> dict[str, float]:
    """What is left of each board by its mark: clear of flaws, of what lies on it and of what others have spoken for."""
    rack, lying = job.composition.rack, on_boards(job)
    left = {}
    for board in rack.boards:
        taken = [one.outline for one in lying.get(board.name, ())]
        taken += [one.outlines for one in rack.spoken_on.get(board.name, ())]
        left[board.name] = _left(board, taken)
    return left


def _left(board: Board, taken: Iterable[shapely.Geometry]) -> float:
    shapes = list(taken)
    clear = board.clear
    return float(clear.area if not shapes else clear.difference(shapely.union_all(shapes)).area)


def swaps_of(job: Job, missing: Iterable[str]) -> tuple[Swap, ...]:
    """For pieces without a place (keys of parts of one copy) woods that the rack has enough of, the nearest first."""
    composition = job.composition
    free, use = free_mm2(job), composition.practice.board_use
    by_wood: dict[str, list[Part]] = {}
    for key in dict.fromkeys(missing):
        if key.isdecimal() and int(key) in job.pieces:
            part = job.pieces[int(key)]
            by_wood.setdefault(part.material, []).append(part)
    found: list[Swap] = []
    for wood, parts in by_wood.items():
        rough = job.copies * sum(part.area_mm2 for part in parts) / use
        thick = max(part.thickness_mm for part in parts)
        look = composition.seen.look(wood)
        options = []
        for other in composition.rack.owned:
            there = sum(free[board.name] for board in serving(composition.rack, other, thick))
            if other != wood and there >= rough and composition.rack.shelf[other].kind != "sheet":
                de = composition.seen.between(look, composition.seen.look(other))
                if de <= MOST_APART_DE:
                    options.append(Swap(wood, other, tuple(part.id.piece for part in parts), de, there, rough))
        found += sorted(options, key=lambda swap: (swap.de, swap.other))[:MOST_SWAPS]
    return tuple(found)
