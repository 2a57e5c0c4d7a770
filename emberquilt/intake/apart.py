"""Reading a drawing or a body in a process of its own, within limits of time and memory: what it holds is whatever
somebody brought. It can be ended at any moment, and takes nobody else along when it ends."""

import multiprocessing
import os
import sys
import threading
import time
import traceback
from dataclasses import dataclass
from multiprocessing.connection import Connection

import cv2
import shapely

from .. import errors
from ..errors import BadDrawing, EmberError
from .body_source import Brought, body_of
from .proposal import Progress, Proposal, no_progress
from .propose import propose

TELL_SECONDS = 0.1
"""How often a stop is asked for."""
OF_THE_MACHINE = 0.6
"""No drawing takes more than this share of the machine's memory."""
NO_MEMORY = "This {} asks for more memory than is given to one: up to {:.1f} GB. Bring a smaller or simpler one{}."
NO_TIME = "This {} was not read within {:.0f} minutes. Bring a smaller or simpler one{}."
LESS_DETAIL = ", or turn its details down"
ENDED = "The reading of this {} ended by itself. Bring a smaller or simpler one, or in another format."
BROKE = "This {} broke the reading of it. Bring it in another format{}."
OR_PICTURE = ", or as a picture"


class Broke(Exception):
    """What went wrong, for those who mend it: the traceback of the process that read the drawing."""


@dataclass(frozen=True, slots=True)
class Limits:
    seconds: float = 600.0
    memory: int = 4_000_000_000
    """Bytes, beside what the libraries take."""

    @property
    def bytes(self) -> int:
        """What is given on this machine."""
        return min(self.memory, int(OF_THE_MACHINE * _machine_bytes()))


@dataclass(frozen=True, slots=True)
class Reading:
    """What is read: what it is called in a sentence, and what else may help when it cannot be."""

    what: str = "drawing"
    less: str = LESS_DETAIL
    other: str = OR_PICTURE

    def broke(self) -> str:
        return BROKE.format(self.what, self.other)


DRAWING, BODY = Reading(), Reading("body", "", "")


def propose_apart(
    *asked, limits: Limits = Limits(), progress: Progress = no_progress, at_once: bool = False, **named
) -> Proposal:
    """As `propose`, whose arguments it takes; they must be such as can be handed to another process. `at_once`: for a
    program that reads one drawing and has no threads. Raises `BadDrawing` also for what takes too long or too much,
    with `Broke` as its cause for what went wrong in us; `Cancelled` from `progress`."""
    return _apart(propose, DRAWING, asked, named, limits, progress, at_once)


def body_apart(data: bytes, height: str, unit: str, limits: Limits = Limits(), at_once: bool = False) -> Brought:
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
            raise BadDrawing(reading.broke()) from Broke(value)
        else:
            raise getattr(errors, what)(value)
    raise BadDrawing(NO_TIME.format(reading.what, limits.seconds / 60, reading.less))


def _read(told: Connection, work, reading: Reading, limits: Limits, parent: int, asked: tuple, named: dict) -> None:
    """In the process of its own."""
    _end_in_time(limits.seconds + 5, parent)
    _hold_memory(limits.bytes)
    try:
        told.send(("done", work(*asked, progress=lambda *values: told.send(("progress", values)), **named)))
    except EmberError as problem:
        told.send((type(problem).__name__, str(problem)))
    except Exception as problem:
        if _no_memory(problem):
            told.send((BadDrawing.__name__, NO_MEMORY.format(reading.what, limits.bytes / 1e9, reading.less)))
        else:
            told.send(("broke", traceback.format_exc()))


def _no_memory(problem: BaseException) -> bool:
    if isinstance(problem, cv2.error):
        return problem.code == cv2.Error.StsNoMem
    return isinstance(problem, MemoryError) or (
        isinstance(problem, shapely.errors.GEOSException) and "bad_alloc" in str(problem)
    )


def _end_in_time(seconds: float, parent: int) -> None:
    """Ends this process when its time is over or nobody waits for it any more, whatever it is doing."""
    end = time.monotonic() + seconds

    def watch() -> None:
        while time.monotonic() < end and _lives(parent):
            time.sleep(0.5)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def _lives(pid: int) -> bool:
    if sys.platform == "win32":
        return True
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        pass
    return True


def _hold_memory(most: int) -> None:
    if sys.platform == "win32":
        return
    import resource

    _, hard = resource.getrlimit(resource.RLIMIT_AS)
    allowed = _address_space() + most
    if hard != resource.RLIM_INFINITY:
        allowed = min(allowed, hard)
    resource.setrlimit(resource.RLIMIT_AS, (allowed, hard))


def _address_space() -> int:
    """Bytes of addresses this process has now: libraries reserve far more than they use."""
    try:
        with open("/proc/self/statm") as stream:
            return int(stream.read().split()[0]) * os.sysconf("SC_PAGE_SIZE")
    except OSError:
        return 2_000_000_000


def _machine_bytes() -> int:
    try:
        return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    except (AttributeError, ValueError, OSError):
        return 8_000_000_000
