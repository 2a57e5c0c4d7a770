"""What one piece of long work may take of a machine: time, memory, and that it ends with whoever asked for it."""

import ctypes
import os
import sys
import threading
import time
from contextlib import suppress
from dataclasses import dataclass

import cv2
import shapely

OF_THE_MACHINE = 0.3
"""No piece of long work takes more than this share of the machine's memory: two are done at once."""
KILL, DIE_WITH_PARENT, NAME = 9, 1, 15
MOST_HEAPS = -8
"""`M_ARENA_MAX` of the C library's `malloc.h`."""
OOM_FIRST = "600"


@dataclass(frozen=True, slots=True)
class Limits:
    seconds: float = 600.0
    memory: int = 4_000_000_000
    """Bytes, beside what the libraries take."""

    @property
    def bytes(self) -> int:
        """What is given on this machine."""
        return min(self.memory, int(OF_THE_MACHINE * _machine_bytes()))

    def hold(self, parent: int) -> None:
        """Hold this process to them, in ways that do not need its own help: where the system can, it ends it."""
        _end_in_time(self.seconds + 5, parent)
        hold_memory(self.bytes)
        _hold_processor(self.seconds + 5)
        end_with_parent()
        _end_first()


USUAL = Limits()


def is_out_of_memory(problem: BaseException) -> bool:
    """Whether a library says that it was given too little memory."""
    if isinstance(problem, cv2.error):
        return problem.code == cv2.Error.StsNoMem
    return isinstance(problem, MemoryError) or (
        isinstance(problem, shapely.errors.GEOSException) and "bad_alloc" in str(problem)
    )


def _end_in_time(seconds: float, parent: int) -> None:
    """Ends this process when its time is over or nobody waits for it any more, whatever it is doing."""
    end = time.monotonic() + seconds

    def watch() -> None:
        while time.monotonic() < end and lives(parent):
            time.sleep(0.5)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def lives(pid: int) -> bool:
    """Whether there is such a process; where that cannot be asked, yes."""
    if sys.platform == "win32":
        return True
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        pass
    return True


def few_heaps() -> None:
    """Let all threads of this process share two heaps, where the C library can: with one for each, what one thread
    gave back lies idle while another asks the system for more."""
    if sys.platform == "linux":
        with suppress(OSError, AttributeError):
            ctypes.CDLL(None).mallopt(MOST_HEAPS, 2)


def end_with_parent() -> None:
    """End this process with the one that began it: a library that never lets the interpreter in keeps any thread from
    looking; the kernel needs none."""
    if sys.platform != "linux":
        return
    ctypes.CDLL(None, use_errno=True).prctl(DIE_WITH_PARENT, KILL)


def name_process(name: str) -> None:
    """What lists of processes call this one."""
    if sys.platform == "linux":
        ctypes.CDLL(None).prctl(NAME, name.encode()[:15])


def _end_first() -> None:
    """When the machine runs out of memory this process ends before the pages do."""
    try:
        with open("/proc/self/oom_score_adj", "w") as stream:
            stream.write(OOM_FIRST)
    except OSError:
        pass


def _hold_processor(seconds: float) -> None:
    if sys.platform == "win32":
        return
    import resource

    # several threads add up; it is there for what hangs without ever letting go, so it need not be exact
    most = int(seconds * (os.cpu_count() or 1)) + 1
    _, hard = resource.getrlimit(resource.RLIMIT_CPU)
    if hard == resource.RLIM_INFINITY or most < hard:
        resource.setrlimit(resource.RLIMIT_CPU, (most, hard))


def hold_memory(most: int) -> None:
    """Let this process take no more than so many bytes beside what it has now: what asks for more is refused."""
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
