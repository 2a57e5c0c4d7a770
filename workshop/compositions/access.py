"""Who may open a work: its owner all of it; others what it is shared for, and nothing else of its owner's."""

import uuid

from django.contrib.auth import get_user_model
from django.http import Http404
from django.shortcuts import get_object_or_404

from .models import Composition, Share


def own(request, uid) -> Composition:
    """The work, if it belongs to whoever asks; else there is no such page."""
    return get_object_or_404(_rows(), uid=uid, owner=request.user)


def at_work(request, uid) -> Composition:
    """The work, if whoever asks may change it: its owner, or somebody who works on it with them."""
    return _opened(request, uid, Share.May.WORK)


def to_see(request, uid) -> Composition:
    """The work, if whoever asks may look at it."""
    return _opened(request, uid, *Share.May.values)


def to_copy(request, uid) -> Composition:
    """The work, if whoever asks may take a copy of it."""
    return _opened(request, uid, Share.May.COPY, Share.May.WORK)


def _opened(request, uid, *may: str) -> Composition:
    try:
        row = get_object_or_404(_rows(), uid=uuid.UUID(str(uid)))
    except ValueError:
        raise Http404 from None
    if row.owner_id != request.user.pk:
        get_object_or_404(Share, composition=row, person=request.user, may__in=may)
    return row


def _rows():
    return Composition.objects.select_related("owner")


def is_helper(request, row: Composition) -> bool:
    """Whoever asks works on somebody else's work: what is planned of hours and money, and the shop itself, stay with
    its owner."""
    return row.owner_id != request.user.pk


def helps(person, owner_id: int) -> bool:
    """This person works on a work of that owner, so sees the boards that its parts lie on."""
    return Share.objects.filter(person=person, composition__owner=owner_id, may=Share.May.WORK).exists()


def shown_by(person):
    """Those who show a work to this person, so that the woods it is of may be seen."""
    return get_user_model().objects.filter(compositions__shares__person=person).distinct()
