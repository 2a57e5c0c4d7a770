"""What pieces wear in readings that several stations share."""

from collections.abc import Callable

from ..rack.boards import to_board
from .composition import Composition, Piece
from .parts import Job
from .scene import Dress, Mark
from .view import View

Read = tuple[dict[int, Dress], tuple[Mark, ...]]


def dress_of(
    composition: Composition, p: Piece, tone: str, label: str = "", arrow: bool = False, strong: bool = False
) -> Dress:
    """What a piece wears in what it is made of, with its coat, and its place on a board."""
    wood = composition.wood_of(p)
    coat = composition.seen.hex(composition.look_of(p)) if p.coat and wood else ""
    return Dress(
        wood, p.grain_deg or 0.0, tone, label, arrow and bool(wood), strong, p.colour, coat, _face(composition, p)
    )


def _face(composition: Composition, p: Piece) -> tuple:
    place = composition.placed(p.key)
    board = composition.rack.by_name.get(place.board) if place else None
    if place is None or board is None or place.point is None:
        return ()
    spot = composition.home[p.key].coverage.spots[p.key]
    move = to_board((spot.x_mm, spot.y_mm), board, place.along_deg(p.grain_deg), *place.point)
    return board.name, *(round(v, 5) for v in move.ravel().tolist())


def no_label(_piece: Piece) -> str:
    return ""


def by_number(piece: Piece) -> str:
    return str(piece.number)


def worn(
    job: Job,
    view: View,
    tone: str,
    label: Callable[[Piece], str] = no_label,
    arrow: bool = False,
    strong: Callable[[Piece], bool] = lambda p: False,
) -> dict[int, Dress]:
    """Every piece that is seen, in one tone."""
    composition = job.composition
    return {p.key: dress_of(composition, p, tone, label(p), arrow, strong(p)) for p in view.pieces(composition)}


def open_ones(job: Job, view: View) -> dict[int, Dress]:
    """Openings of the layer that is seen, through which one looks."""
    if view.stacked:
        return {}
    return {key: Dress(tone="open") for key in job.composition.layer(view.layer).openings}


def woods(job: Job, _plan, view: View) -> Read:
    """Woods as they will look."""
    return worn(job, view, "full"), ()


def numbered_woods(job: Job, _plan, view: View) -> Read:
    return worn(job, view, "pale", by_number), ()


def plain(job: Job, _plan, view: View) -> Read:
    return worn(job, view, "plain"), ()
