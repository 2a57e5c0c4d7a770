"""Long work: finding the pieces in a drawing, outside the request, with progress and a stop."""

import time

from django_tasks import task

from emberquilt.errors import Cancelled, EmberError
from emberquilt.pattern.intake import propose
from emberquilt.units import Length
from workshop.shop.actions import practice_of

from .models import Draft
from .proposals import pack_proposal

EVERY_SECONDS = 0.15


@task()
def find_pieces(draft_pk: int, turn: int) -> None:
    """Work on a draft's drawing. `turn` is the try it was asked for: a later try makes this one stop."""
    draft = Draft.objects.filter(pk=draft_pk, turn=turn, state=Draft.State.WAITING).first()
    if draft is None:
        return
    told = 0.0

    def progress(share: float, words: str) -> None:
        nonlocal told
        if time.monotonic() - told < EVERY_SECONDS:
            return
        told = time.monotonic()
        if not _tell(draft, turn, state=Draft.State.WORKING, share=share, words=words):
            raise Cancelled("Stopped.")

    try:
        progress(0.01, "opening the file")
        say = practice_of(draft.owner).say
        width = Length(draft.width_mm)
        proposal = propose(bytes(draft.data), width, outside=draft.outside, progress=progress, say=say)
        _tell(draft, turn, state=Draft.State.READY, share=1.0, words="", result=pack_proposal(proposal))
    except Cancelled:
        return
    except EmberError as problem:
        _tell(draft, turn, state=Draft.State.FAILED, problem=str(problem))
    except Exception:
        # whatever else went wrong, the person is told and the page does not wait for ever
        _tell(
            draft,
            turn,
            state=Draft.State.FAILED,
            problem="This drawing broke the reading of it. Bring it in another format.",
        )
        raise


def _tell(draft: Draft, turn: int, **values) -> bool:
    """Write progress unless the person stopped this try or began another."""
    live = (Draft.State.WAITING, Draft.State.WORKING)
    return bool(Draft.objects.filter(pk=draft.pk, turn=turn, state__in=live).update(**values))


def begin(draft: Draft) -> None:
    """Ask for a (new) try, after the draft is safely written."""
    draft.turn += 1
    draft.state, draft.share, draft.words, draft.problem, draft.result = Draft.State.WAITING, 0, "", "", None
    draft.save()
    find_pieces.enqueue(draft.pk, draft.turn)
