"""Asking for long work, and whose turn it is."""

import datetime as dt
import os
from collections import Counter

from django.conf import settings
from django.db import models, transaction
from django.db.models import F
from django.utils import timezone

from workshop.entry.allowance import need_minutes

from . import signal
from .kinds import KINDS, Kind, every_kind
from .models import LongWork, Spent, Turn

AT_ONCE = max(2, os.cpu_count() or 1)
"""So many are worked on together, and no account has more."""
MOST_AT_ONCE = AT_ONCE + 6
"""Beyond that, accounts that have nothing under way yet still begin at once, up to so many: they share the processors,
so that nobody waits for another to end."""
LEASE = dt.timedelta(seconds=15)
"""What its worker has not been heard of for so long has none."""


def ask(kind: Kind, row: LongWork, cut_off: int | None = None, **fresh) -> None:
    """A (new) try of this row: an earlier one ends. `fresh` is written with it; `cut_off` counts the tries of one that
    is taken up again. Raises `BadChoice` where the account has used up its minutes."""
    if cut_off is None:
        need_minutes(kind.owner(row))
    with transaction.atomic():
        begun = {
            "state": LongWork.State.WAITING,
            "share": 0,
            "words": "",
            "problem": "",
            "cut_off": cut_off or 0,
            **fresh,
        }
        kind.model.objects.filter(pk=row.pk).update(turn=F("turn") + 1, **begun)
        row.turn = kind.model.objects.values_list("turn", flat=True).get(pk=row.pk)
        for name, value in begun.items():
            setattr(row, name, value)
        given = {"owner": kind.owner(row), "number": row.turn, "asked": timezone.now()}
        free = {"begun": None, "seen": None, "worker": ""}
        Turn.objects.update_or_create(kind=kind.name, subject=row.pk, defaults=given | free)
    if settings.LONG_WORK_AT_ONCE:
        from .doing import do

        Turn.objects.filter(kind=kind.name, subject=row.pk).delete()
        do(kind, row.pk, row.turn)
    else:
        transaction.on_commit(signal.wake)


def claim(worker: str) -> Turn | None:
    """The turn that is next, taken by this worker; None where none waits, or may begin yet.

    Of the accounts that wait, the one with the least under way begins; of those, the one that was given least today.
    """
    if not Turn.objects.filter(begun=None).exists():
        return None
    with transaction.atomic():
        waiting = list(Turn.objects.select_for_update().filter(begun=None))
        busy = Counter(Turn.objects.exclude(begun=None).values_list("owner_id", flat=True))
        spent = dict(Spent.objects.filter(day=timezone.now().date()).values_list("owner_id", "seconds"))
        full = sum(busy.values())
        may = [
            turn
            for turn in waiting
            if full < MOST_AT_ONCE and (busy[turn.owner_id] == 0 or full < AT_ONCE > busy[turn.owner_id])
        ]
        if not may:
            return None
        turn = min(may, key=lambda t: (busy[t.owner_id], spent.get(t.owner_id, 0.0), t.asked, t.pk))
        turn.begun = turn.seen = timezone.now()
        turn.worker = worker
        turn.save(update_fields=["begun", "seen", "worker"])
    return turn


def still_wanted(turn: Turn) -> bool:
    """Tell that it is being worked on; False where a person stopped it, or began another try, or the work is gone."""
    mine = Turn.objects.filter(pk=turn.pk, number=turn.number, worker=turn.worker)
    if not mine.update(seen=timezone.now()):
        return False
    live = KINDS[turn.kind].model.objects.filter(pk=turn.subject, turn=turn.number, state__in=LongWork.LIVE)
    return live.exists()


def ended(turn: Turn, seconds: float) -> None:
    """It is over, however it ended: the account was given so much."""
    with transaction.atomic():
        Turn.objects.filter(pk=turn.pk, number=turn.number, worker=turn.worker).delete()
        own, _ = Spent.objects.get_or_create(owner_id=turn.owner_id, day=timezone.now().date())
        Spent.objects.filter(pk=own.pk).update(seconds=F("seconds") + seconds)


def stop(rows: models.QuerySet) -> None:
    """What is under way of these rows ends, within moments."""
    rows.filter(state__in=LongWork.LIVE).update(state=LongWork.State.STOPPED)


def cut_off(turn: Turn) -> None:
    """Its worker ended before it did. It is begun anew once, where its kind can be; else that is said."""
    kind = KINDS[turn.kind]
    row = kind.model.objects.filter(pk=turn.subject, turn=turn.number, state__in=LongWork.LIVE).first()
    Turn.objects.filter(pk=turn.pk, number=turn.number).delete()
    if row is not None:
        leave(kind, row)


def leave(kind: Kind, row: LongWork) -> None:
    """What was under way has nobody now."""
    if row.state == LongWork.State.WAITING:
        ask(kind, row, row.cut_off)
    elif kind.again and not row.cut_off:
        ask(kind, row, 1)
    else:
        state = LongWork.State.FAILED if kind.again else LongWork.State.STOPPED
        row.tell(state=state, problem=kind.cut_off)


def take_up() -> None:
    """What an earlier worker left, or was asked for when there was none."""
    for turn in Turn.objects.filter(seen__lt=timezone.now() - LEASE):
        cut_off(turn)
    for kind in every_kind().values():
        theirs = Turn.objects.filter(kind=kind.name).values("subject")
        for row in kind.model.objects.filter(state__in=LongWork.LIVE).exclude(pk__in=theirs):
            leave(kind, row)
