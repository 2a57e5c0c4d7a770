"""A worker: one thread that begins turns, each in a process of its own, and looks after them."""

import logging
import multiprocessing
import os
import select
import socket
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.process import BaseProcess

import django
from django.db import InterfaceError, OperationalError, connections
from django.utils import timezone

from emberquilt.limits import Limits

from . import signal
from .doing import do_apart
from .kinds import KINDS, every_kind
from .models import LongWork, Turn, Worker
from .queue import LEASE, claim, cut_off, ended, still_wanted, take_up

HEARD_SECONDS = 1.0
"""So often each piece of work under way is asked after."""
TAKE_UP_SECONDS = 5.0
FORKS = sys.platform not in ("win32", "darwin")
"""Work is forked where that can be: this process has one thread, and holds all libraries."""
log = logging.getLogger(__name__)


@dataclass
class Under:
    """A turn under way."""

    turn: Turn
    process: BaseProcess
    limits: Limits
    begun: float
    heard: float

    @property
    def seconds(self) -> float:
        return time.monotonic() - self.begun


class Crew:
    """What one worker has under way."""

    def __init__(self) -> None:
        every_kind()
        self.name = f"{socket.gethostname()[:40]}:{os.getpid()}"
        self.under: list[Under] = []
        self.looked = 0.0

    def run(self, wanted: Callable[[], bool]) -> None:
        """Until it is wanted no more; then what is under way ends, to be taken up by the next."""
        try:
            while wanted():
                try:
                    self.turn_over()
                except (OperationalError, InterfaceError) as problem:
                    log.warning("The database does not answer: %s", problem)
                    connections.close_all()
                    time.sleep(1)
                signal.wait(bool(self.under))
        finally:
            self.end()

    def turn_over(self) -> None:
        """One look at everything."""
        if time.monotonic() - self.looked > TAKE_UP_SECONDS:
            self.looked = time.monotonic()
            Worker.objects.update_or_create(name=self.name, defaults={"seen": timezone.now()})
            Worker.objects.filter(seen__lt=timezone.now() - 20 * LEASE).delete()
            take_up()
        for one in list(self.under):
            self._look_after(one)
        while (turn := claim(self.name)) is not None:
            self._begin(turn)

    def _begin(self, turn: Turn) -> None:
        kind = KINDS[turn.kind]
        row = kind.model.objects.filter(pk=turn.subject).first()
        if row is None or row.turn != turn.number or row.state != LongWork.State.WAITING:
            ended(turn, 0.0)
            return
        limits = kind.limits(row)
        # a forked process may not share what the database is spoken to with
        connections.close_all()
        asked = (turn.kind, turn.subject, turn.number, limits, os.getpid())
        context = multiprocessing.get_context("fork" if FORKS else "spawn")
        process = context.Process(target=do_apart if FORKS else spawned, args=asked, daemon=True)
        process.start()
        now = time.monotonic()
        self.under.append(Under(turn, process, limits, now, now))

    def _look_after(self, one: Under) -> None:
        if not one.process.is_alive():
            self._over(one)
        elif one.seconds > one.limits.seconds:
            kind = KINDS[one.turn.kind]
            self._end(one)
            self._tell(one, kind.no_time.format(one.limits.seconds / 60))
            self._over(one)
        elif time.monotonic() - one.heard > HEARD_SECONDS:
            one.heard = time.monotonic()
            if not still_wanted(one.turn):
                self._end(one)
                self._over(one)

    def _over(self, one: Under) -> None:
        """It has ended: by itself, with everything told, or without a word."""
        one.process.join()
        self.under.remove(one)
        if self._row(one) is not None:
            cut_off(one.turn)
        ended(one.turn, one.seconds)

    def _row(self, one: Under) -> LongWork | None:
        kind = KINDS[one.turn.kind]
        mine = kind.model.objects.filter(pk=one.turn.subject, turn=one.turn.number, state__in=LongWork.LIVE)
        return mine.first()

    def _tell(self, one: Under, problem: str) -> None:
        row = self._row(one)
        if row is not None:
            row.tell(state=LongWork.State.FAILED, problem=problem)

    @staticmethod
    def _end(one: Under) -> None:
        one.process.kill()
        one.process.join()

    def end(self) -> None:
        """What is under way goes back to waiting: it has done nothing wrong."""
        for one in self.under:
            self._end(one)
            row = self._row(one)
            mine = Turn.objects.filter(pk=one.turn.pk, number=one.turn.number, worker=self.name)
            mine.update(begun=None, seen=None, worker="")
            if row is not None:
                row.tell(state=LongWork.State.WAITING, share=0, words="")
        self.under = []
        Worker.objects.filter(name=self.name).delete()


def spawned(*asked) -> None:
    """Where processes are begun anew, the whole house is opened first."""
    django.setup()
    every_kind()
    do_apart(*asked)


def tied_to_input() -> Callable[[], bool]:
    """Nothing is ever written to the pipe at the standard input: it can only end, and with it whoever holds it."""
    if sys.platform == "win32":
        over = threading.Event()
        threading.Thread(target=lambda: (os.read(sys.stdin.fileno(), 1), over.set()), daemon=True).start()
        return lambda: not over.is_set()
    return lambda: not select.select([sys.stdin], [], [], 0)[0]
