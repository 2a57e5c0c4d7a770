"""Lessons of earlier works, where they apply."""

from ..bench.mending import HOWS
from ..findings import Finding, name_pieces
from ..work.pace import thickness_band
from ..work.parts import Job
from ..work.register import judgement

ING = {"saw": " while being sawn", "shape": " while being shaped", "glue": " while being glued"}


@judgement("saw")
def learned(job: Job, _plan) -> list[Finding]:
    """Pieces of a wood and thickness that broke here before."""
    found = []
    for lesson in job.composition.lessons:
        pieces = [
            piece
            for piece in job.composition.made
            if (part := job.pieces.get(piece.key)) is not None
            and part.material == lesson.wood
            and thickness_band(part.thickness_mm) == lesson.band
        ]
        if not pieces:
            continue
        wood = job.composition.rack.shelf.get(lesson.wood)
        name = wood.name if wood else lesson.wood
        found.append(
            Finding(
                "lesson",
                "saw",
                f"{name} of {lesson.band} broke {lesson.times} times of {lesson.of} here{ING.get(lesson.verb, '')}, "
                f"most often {HOWS[lesson.why]}: {name_pieces([piece.number for piece in pieces])}.",
                "From your own log. A carrier under it, a fresh blade and slower feed help; or choose it thicker.",
                pieces=tuple(piece.key for piece in pieces),
                part=f"{lesson.wood}/{lesson.band.replace(' ', '')}/{lesson.verb}",
            )
        )
    return found
