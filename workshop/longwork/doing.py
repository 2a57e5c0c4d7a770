"""One piece of long work, in a process of its own within its limits."""

import logging
import os

from django.conf import settings
from django.db import connections

from emberquilt.errors import Cancelled, EmberError
from emberquilt.limits import Limits, is_out_of_memory, name_process
from workshop.progress import telling
from workshop.serving.folder import sentence_for

from .kinds import KINDS, Kind
from .models import LongWork

log = logging.getLogger(__name__)
NICE = 5
"""Pages come before long work."""


def do(kind: Kind, pk: int, number: int) -> None:
    """The work of a row, here; whatever goes wrong is told, so that no page waits for ever."""
    row = kind.model.objects.filter(pk=pk, turn=number, state=LongWork.State.WAITING).first()
    if row is None:
        return
    progress = telling(lambda share, words: row.tell(state=LongWork.State.WORKING, share=share, words=words[:120]))
    try:
        progress(0.01, "beginning")
        row.tell(state=LongWork.State.READY, share=1.0, words="", **kind.work(row, progress))
    except Cancelled:
        return
    except EmberError as problem:
        row.tell(state=LongWork.State.FAILED, problem=str(problem))
    except Exception as problem:
        if is_out_of_memory(problem):
            row.tell(state=LongWork.State.FAILED, problem=no_memory(kind, row))
            return
        row.tell(state=LongWork.State.FAILED, problem=sentence_for(problem, settings.HOME) or kind.broke)
        log.exception("%s %s broke", kind.name, pk)


def no_memory(kind: Kind, row: LongWork) -> str:
    return kind.no_memory.format(kind.limits(row).bytes / 1e9)


def do_apart(name: str, pk: int, number: int, limits: Limits, parent: int) -> None:
    """In the process of its own."""
    connections.close_all()
    if hasattr(os, "nice"):
        os.nice(NICE)
    limits.hold(parent)
    name_process("ember-task")
    do(KINDS[name], pk, number)
    connections.close_all()
