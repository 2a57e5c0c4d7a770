"""Where parts lie on the boards of the rack."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import shapely

from ..rack.boards import laid
from .composition import Placement
from .copies import any_copy
from .parts import Job, Part


@dataclass(frozen=True, slots=True)
class Lying:
    """A part on a board: its key with its copy, and its outline on the face (mm)."""

    key: str
    part: Part
    place: Placement
    outline: shapely.Geometry = field(repr=False)


def about_of(job: Job, part: Part) -> tuple[float, float]:
    """The point of a part whose place on a board is told: a piece's fattest spot, the middle of what no piece stands
    for."""
    key = part.id.piece
    if part.id.in_any_copy.isdecimal():
        spot = job.composition.home[key].coverage.spots[key]
        return spot.x_mm, spot.y_mm
    x0, y0, x1, y1 = part.outline.bounds
    return (x0 + x1) / 2, (y0 + y1) / 2


def on_boards(job: Job) -> Mapping[str, list[Lying]]:
    """By the board's mark all that lies on it; what only says from which board it comes is left out."""
    return job.once("on boards", lambda: _on_boards(job))


def _on_boards(job: Job) -> Mapping[str, list[Lying]]:
    boards = job.composition.rack.by_name
    found: dict[str, list[Lying]] = {}
    for key, place in job.composition.placements.items():
        # of a copy that is no longer made nothing lies anywhere
        part = job.by_key[any_copy(key)] if job.part(key) is not None else None
        if part is None or place.board not in boards or place.point is None:
            continue
        found.setdefault(place.board, []).append(Lying(key, part, place, lying_at(job, part, place, part.outline)))
    return found


def lying_at(job: Job, part: Part, place: Placement, shape: shapely.Geometry) -> shapely.Geometry:
    """A shape of the work as it lies on the face where the part that it belongs to was put."""
    board, along = job.composition.rack.by_name[place.board], place.along_deg(part.grain_deg)
    return laid(shape, about_of(job, part), board, along, *(place.point or (0.0, 0.0)))
