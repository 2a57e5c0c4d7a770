"""Reading a drawing or a body in a process of its own, within limits of time and memory: what it holds is whatever
somebody brought. It can be ended at any moment, and takes nobody else along when it ends."""

import multiprocessing
import os
import time
import traceback
from dataclasses import dataclass
from multiprocessing.connection import Connection

from .. import errors
from ..errors import BadDrawing, EmberError
from ..limits import USUAL, Limits, is_out_of_memory
from .body_source import Brought, body_of
from .proposal import Progress, Proposal, no_progress
from .propose import propose

TELL_SECONDS = 0.1
"""How often a stop is asked for."""
LESS_DETAIL = ", or turn its details down"
ENDED = "The reading of this {} ended by itself. Bring a smaller or simpler one, or in another format."
OR_PICTURE = ", or as a picture"


class Broke(Exception):
    """What went wrong, for those who mend it: the traceback of the process that read the drawing."""


@dataclass(frozen=True, slots=True)
class Reading:
    """What is read: what it is called in a sentence, and what else may help when it cannot be."""

    what: str = "drawing"
    less: str = LESS_DETAIL
    other: str = OR_PICTURE

    @property
    def broke(self) -> str:
        return f"This {self.what} broke the reading of it. Bring it in another format{self.other}."

    @property
    def no_time(self) -> str:
        """To be given the minutes."""
        return f"This {self.what} was not read within {{:.0f}} minutes. Bring a smaller or simpler one{self.less}."

    @property
    def no_memory(self) -> str:
        """To be given how many GB it could have."""
        asks = f"This {self.what} asks for more memory than is given to one: up to {{:.1f}} GB."
        return f"{asks} Bring a smaller or simpler one{self.less}."


DRAWING, BODY = Reading(), Reading("body", "", "")


def propose_apart(
    *asked, limits: Limits = USUAL, progress: Progress = no_progress, at_once: bool = False, **named
) -> Proposal:
    """As `propose`, whose arguments it takes; they must be such as can be handed to another process. `at_once`: for a
    program that reads one drawing and has no threads. Raises `BadDrawing` also for what takes too long or too much,
    with `Broke` as its cause for what went wrong in us; `Cancelled` from `progress`."""
    return _apart(propose, DRAWING, asked, named, limits, progress, at_once)


def body_apart(data: bytes, height: str, unit: str, limits: Limits = USUAL, at_once: bool = False) -> Brought:
    """As `body_of`, and as `propose_apart` raises."""
    return _apart(_body, BODY, (data, height, unit), {}, limits, no_progress, at_once)


def _body(data: bytes, height: str, unit: str, progress: Progress) -> Brought:
    return body_of(data, height, unit)


def _apart(work, reading: Reading, asked: tuple, named: dict, limits: Limits, progress: Progress, at_once: bool):
    context = _context(at_once)
    ours, theirs = context.Pipe(duplex=False)
    child = context.Process(target=_read, args=(theirs, work, reading, limits, os.getpid(), asked, named), daemon=True)
    child.start()
    theirs.close()
    try:
        return _answer(ours, reading, limits, progress)
    finally:
        ours.close()
        child.kill()
        child.join()


def _context(at_once: bool):
    ways = multiprocessing.get_all_start_methods()
    if at_once and "fork" in ways:
        return multiprocessing.get_context("fork")
    if "forkserver" not in ways:
        return multiprocessing.get_context("spawn")
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload([__name__])
    return context


def _answer(told: Connection, reading: Reading, limits: Limits, progress: Progress):
    end = time.monotonic() + limits.seconds
    last = (0.01, "opening the file")
    while time.monotonic() < end:
        try:
            if not told.poll(TELL_SECONDS):
                progress(*last)  # also what says nothing can be stopped
                continue
            what, value = told.recv()
        except (EOFError, OSError):
            raise BadDrawing(ENDED.format(reading.what)) from None
        if what == "progress":
            last = value
            progress(*last)
        elif what == "done":
            return value
        elif what == "broke":
            raise BadDrawing(reading.broke) from Broke(value)
        else:
            raise getattr(errors, what)(value)
    raise BadDrawing(reading.no_time.format(limits.seconds / 60))


def _read(told: Connection, work, reading: Reading, limits: Limits, parent: int, asked: tuple, named: dict) -> None:
    """In the process of its own."""
    limits.hold(parent)
    try:
        told.send(("done", work(*asked, progress=lambda *values: told.send(("progress", values)), **named)))
    except EmberError as problem:
        told.send((type(problem).__name__, str(problem)))
    except Exception as problem:
        if is_out_of_memory(problem):
            told.send((BadDrawing.__name__, reading.no_memory.format(limits.bytes / 1e9)))
        else:
            told.send(("broke", traceback.format_exc()))
