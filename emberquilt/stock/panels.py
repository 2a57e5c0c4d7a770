"""Panels glued up of strips, for parts wider than every board: how many strips, how wide, from which board.

Strips are no wider than stays flat once glued, every one jointed on both edges; the panel is flattened afterwards.
Allowances are common practice, no source.
"""

import math
from dataclasses import dataclass

from ..errors import BadChoice
from ..rack.boards import Board
from ..work.copies import any_copy
from ..work.on_boards import on_boards
from ..work.parts import Job, Part
from .laying import CROSSCUT_MM, Group, gaps_of, item_of
from .leaves import MEASURED_MM, is_sheet, serving

WIDEST_STRIP_MM = 127.0
"""5 in: a wider strip cups."""
EDGE_JOINTED_MM = 1.6
"""What jointing takes off each strip's two edges."""
FLATTENED_MM = 1.5
"""What flattening takes off the glued panel."""
TRIMMED_LONG_MM, TRIMMED_WIDE_MM = 20.0, 6.0
"""The panel is glued longer and wider by so much, for its ends are never quite even."""


@dataclass(frozen=True)
class PanelPlan:
    """A panel of `strips`, each `strip_mm` wide before its edges are jointed, out of the end of a board, of which it
    takes `takes_mm`. Lengths along the grain."""

    material: str
    length_mm: float
    width_mm: float
    thickness_mm: float
    strips: int
    strip_mm: float
    board: str
    takes_mm: float
    parts: tuple[str, ...]


def too_wide(job: Job, part: Part) -> bool:
    """It is wider across the grain than every board that is thick enough for it."""
    if is_sheet(job.composition.rack, part.material) or part.turn == "any":
        return False
    _, across = item_of(job, part).reach_mm
    wide = across + 2 * gaps_of(job.composition).edge_mm
    thick = serving(job.composition.rack, part.material, part.thickness_mm)
    return bool(thick) and all(board.width_mm < wide for board in thick)


def panel_for(job: Job, key: str) -> PanelPlan:
    """A panel for this part, and for others of its kind that are too wide. Raises `BadChoice` with what is missing."""
    part = job.part(key)
    if part is None or not too_wide(job, part):
        raise BadChoice("That part needs no panel: a board of its wood is as wide.")
    lying = {one.key for some in on_boards(job).values() for one in some}
    same = [
        other
        for other in job.parts()
        if (other.material, other.thickness_mm) == (part.material, part.thickness_mm)
        and (other.key == key or (other.key not in lying and too_wide(job, job.by_key[any_copy(other.key)])))
    ]
    made = _plan(job, Group(part.material, part.thickness_mm, tuple(same)))
    if made is None and len(same) > 1:
        made = _plan(job, Group(part.material, part.thickness_mm, (part,)))
    if made is None:
        practice = job.composition.practice
        along, across = item_of(job, part).reach_mm
        name = job.composition.rack.shelf.name(part.material)
        thick = practice.say(part.thickness_mm + FLATTENED_MM)
        raise BadChoice(
            f"No board of {name} on the rack has enough left for a panel {practice.say(across)} by "
            f"{practice.say(along)}: strips of {thick} or more are wanted."
        )
    return made


def _plan(job: Job, group: Group) -> PanelPlan | None:
    """Out of the thinnest board that has enough left at its end, the shortest of them first."""
    gaps, practice = gaps_of(job.composition), job.composition.practice
    sides = [item_of(job, part).reach_mm for part in group.parts]
    length = sum(along for along, _ in sides) + gaps.between_mm * (len(sides) - 1) + 2 * gaps.edge_mm + TRIMMED_LONG_MM
    width = max(across for _, across in sides) + 2 * gaps.edge_mm + TRIMMED_WIDE_MM
    lying, found = on_boards(job), []
    for board in serving(job.composition.rack, group.material, group.thickness_mm):
        thick = board.thickness_mm - FLATTENED_MM
        if thick < group.thickness_mm - MEASURED_MM or board.panel is not None or board.grain_deg:
            continue
        reach = max((one.outline.bounds[2] for one in lying.get(board.name, ())), default=0.0)
        spoken = job.composition.rack.spoken_on.get(board.name, ())
        reach = max([reach, *(one.outlines.bounds[2] for one in spoken)])
        most = min(WIDEST_STRIP_MM, practice.planer_wide_mm or WIDEST_STRIP_MM, board.width_mm)
        strips = math.ceil(width / (most - EDGE_JOINTED_MM))
        strip = width / strips + EDGE_JOINTED_MM
        rows = math.ceil(strips / _beside(board, strip))
        takes = rows * (length + CROSSCUT_MM)
        if takes <= board.length_mm - reach - (gaps.edge_mm if reach else 0.0):
            parts = tuple(part.key for part in group.parts)
            plan = PanelPlan(group.material, length, width, thick, strips, strip, board.name, takes, parts)
            found.append((round(board.thickness_mm, 1), board.area_mm2, board.name, plan))
    return min(found)[-1] if found else None


def _beside(board: Board, strip_mm: float) -> int:
    """Strips that lie beside each other in a board's width."""
    return max(1, math.floor((board.width_mm + CROSSCUT_MM) / (strip_mm + CROSSCUT_MM) + 1e-9))
