"""Long work: finding the pieces in a drawing, outside the request, with progress and a stop."""

import logging

from django_tasks import task

from emberquilt.errors import Cancelled, EmberError
from emberquilt.intake.apart import DRAWING, Broke, propose_apart
from emberquilt.intake.knobs import knobs_of, size_of
from workshop.progress import telling
from workshop.shop.actions import practice_of

from .models import Draft
from .proposals import pack_proposal

log = logging.getLogger(__name__)


@task()
def find_pieces(draft_pk: int, turn: int) -> None:
    """Work on a draft's drawing. `turn` is the try it was asked for: a later try makes this one stop."""
    draft = Draft.objects.filter(pk=draft_pk, turn=turn, state=Draft.State.WAITING).first()
    if draft is None:
        return
    progress = telling(lambda share, words: _tell(draft, turn, state=Draft.State.WORKING, share=share, words=words))
    try:
        progress(0.01, "opening the file")
        practice = practice_of(draft.owner)
        # fewer pieces are made of what is kept here as the slider moves
        turned = {name: value for name, value in draft.knobs.items() if name != "simplify"}
        size, knobs = size_of(turned, practice.unit), knobs_of(turned, practice.unit)
        data, more = bytes(draft.data), {"font": bytes(draft.font), "over": bytes(draft.over)}
        proposal = propose_apart(data, size, knobs, **more, progress=progress, say=practice.say)
        _tell(draft, turn, state=Draft.State.READY, share=1.0, words="", result=pack_proposal(proposal))
    except Cancelled:
        return
    except EmberError as problem:
        _tell(draft, turn, state=Draft.State.FAILED, problem=str(problem))
        if isinstance(problem.__cause__, Broke):
            log.error("A drawing broke its reading: %s", problem.__cause__)
    except Exception:
        # whatever else went wrong, the person is told and the page does not wait for ever
        _tell(draft, turn, state=Draft.State.FAILED, problem=DRAWING.broke())
        raise


def _tell(draft: Draft, turn: int, **values) -> bool:
    """Write progress unless the person stopped this try or began another."""
    live = (Draft.State.WAITING, Draft.State.WORKING)
    return bool(Draft.objects.filter(pk=draft.pk, turn=turn, state__in=live).update(**values))


CUT_OFF = (
    "The reading of this drawing was cut off twice: its worker ended, most often because the drawing asks for more "
    "memory than this computer has. Bring a smaller or simpler one, or find its pieces again."
)


def take_up_drafts() -> None:
    """Called by a worker before it begins: what another was working on, or was asked for, has nobody now. It goes back
    to waiting once; what is cut off a second time says so, and can be asked for again."""
    for draft in Draft.objects.filter(state=Draft.State.WAITING):
        begin(draft, draft.cut_off)
    for draft in Draft.objects.filter(state=Draft.State.WORKING):
        if draft.cut_off:
            _tell(draft, draft.turn, state=Draft.State.FAILED, problem=CUT_OFF)
        else:
            begin(draft, 1)


def begin(draft: Draft, cut_off: int = 0) -> None:
    """Ask for a (new) try, after the draft is safely written. What an earlier try found stays until this one is
    done."""
    draft.cut_off = cut_off
    draft.turn += 1
    draft.state, draft.share, draft.words, draft.problem = Draft.State.WAITING, 0, "", ""
    draft.save()
    find_pieces.enqueue(draft.pk, draft.turn)
