"""Reading a drawing in a process of its own, within limits of time and memory: what it holds is whatever somebody
brought. It can be ended at any moment, and takes nobody else along when it ends."""

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
from .proposal import Progress, Proposal, no_progress
from .propose import propose

TELL_SECONDS = 0.1
"""How often a stop is asked for."""
OF_THE_MACHINE = 0.6
"""No drawing takes more than this share of the machine's memory."""
NO_MEMORY = (
    "This drawing asks for more memory than is given to one: up to {:.1f} GB. Bring a smaller or simpler one, or turn "
    "its details down."
)
NO_TIME = "This drawing was not read within {:.0f} minutes. Bring a smaller or simpler one, or turn its details down."
ENDED = "The reading of this drawing ended by itself. Bring a smaller or simpler one, or in another format."
BROKE = "This drawing broke the reading of it. Bring it in another format, or as a picture."


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


def propose_apart(
    *asked, limits: Limits = Limits(), progress: Progress = no_progress, at_once: bool = False, **named
) -> Proposal:
    """As `propose`, whose arguments it takes; they must be such as can be handed to another process. `at_once`: for a
    program that reads one drawing and has no threads. Raises `BadDrawing` also for what takes too long or too much,
    with `Broke` as its cause for what went wrong in us; `Cancelled` from `progress`."""
    context = _context(at_once)
    ours, theirs = context.Pipe(duplex=False)
    child = context.Process(target=_read, args=(theirs, limits, os.getpid(), asked, named), daemon=True)
    child.start()
    theirs.close()
    try:
        return _answer(ours, limits, progress)
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


def _answer(told: Connection, limits: Limits, progress: Progress) -> Proposal:
    end = time.monotonic() + limits.seconds
    last = (0.01, "opening the file")
    while time.monotonic() < end:
        try:
            if not told.poll(TELL_SECONDS):
                progress(*last)  # also what says nothing can be stopped
                continue
            what, value = told.recv()
        except (EOFError, OSError):
            raise BadDrawing(ENDED) from None
        if what == "progress":
            last = value
            progress(*last)
        elif what == "done":
            return value
        elif what == "broke":
            raise BadDrawing(BROKE) from Broke(value)
        else:
            raise getattr(errors, what)(value)
    raise BadDrawing(NO_TIME.format(limits.seconds / 60))


def _read(told: Connection, limits: Limits, parent: int, asked: tuple, named: dict) -> None:
    """In the process of its own."""
    _end_in_time(limits.seconds + 5, parent)
    _hold_memory(limits.bytes)
    try:
        told.send(("done", propose(*asked, progress=lambda *values: told.send(("progress", values)), **named)))
    except EmberError as problem:
        told.send((type(problem).__name__, str(problem)))
    except Exception as problem:
        if _no_memory(problem):
            told.send((BadDrawing.__name__, NO_MEMORY.format(limits.bytes / 1e9)))
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
