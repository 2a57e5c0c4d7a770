"""Long work: finding the pieces in a drawing."""

from typing import Any

from django.db import transaction

from emberquilt.errors import Cancelled
from emberquilt.intake.apart import DRAWING
from emberquilt.intake.knobs import knobs_of, size_of
from emberquilt.intake.propose import propose
from emberquilt.work.composition import Composition
from workshop.entry.allowance import need_bytes
from workshop.longwork.kinds import Kind, enter
from workshop.longwork.queue import ask
from workshop.shop.actions import practice_of

from . import actions
from .models import Draft
from .proposals import pack_proposal
from .ways import made_by_way


def find_pieces(draft: Draft, progress) -> dict[str, Any]:
    progress(0.01, "opening the file")
    practice = practice_of(draft.owner)
    if draft.way:
        return _made_at_once(draft, made_by_way(draft, practice, progress))
    # fewer pieces are made of what is kept here as the slider moves
    turned = {name: value for name, value in draft.knobs.items() if name != "simplify"}
    size, knobs = size_of(turned, practice.unit), knobs_of(turned, practice.unit)
    data, more = bytes(draft.data), {"font": bytes(draft.font), "over": bytes(draft.over)}
    return {"result": pack_proposal(propose(data, size, knobs, **more, progress=progress, say=practice.say))}


def _made_at_once(draft: Draft, composition: Composition) -> dict[str, Any]:
    """The work and the word that there is one are written together, so that a try that was stopped leaves none."""
    with transaction.atomic():
        row = actions.create(draft.owner, composition, draft.file_name, bytes(draft.data))
        if not draft.tell(state=Draft.State.READY, result={"work": str(row.uid)}):
            raise Cancelled("Stopped.")
    return {}


PIECES = enter(
    Kind(
        "pieces",
        Draft,
        find_pieces,
        lambda draft: draft.owner,
        broke=DRAWING.broke,
        no_time=DRAWING.no_time,
        no_memory=DRAWING.no_memory,
        cut_off="The reading of this drawing was cut off twice: its worker ended, most often because the drawing asks "
        "for more memory than this computer has. Bring a smaller or simpler one, or find its pieces again.",
    )
)


BROUGHT = ("name", "data", "font", "over", "knobs")
"""Fields of a draft that people give."""


def begin(draft: Draft) -> None:
    """Ask for a (new) try, after the draft is safely written. What an earlier try found stays until this one is
    done. Raises `BadChoice` where the account has no room for it."""
    need_bytes(draft.owner, len(draft.data) + len(draft.font) + len(draft.over) if draft.pk is None else 0)
    with transaction.atomic():
        # never its state, which another request or the worker may be writing
        draft.save(update_fields=None if draft.pk is None else BROUGHT)
        ask(PIECES, draft)
