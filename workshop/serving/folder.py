"""The data folder as a whole: that one server has it, that it can be written, and what is said where it cannot."""

import errno
import os
import sys
import time
from pathlib import Path
from typing import IO

HELD = "serving"


class Held(Exception):
    """Another server has this folder; in a sentence."""


PATIENCE_SECONDS = 3.0
"""The processes of a server that was killed need a moment to end."""


def hold(home: Path) -> IO[str]:
    """Have this folder for one server, until the file that is returned is closed or the process ends. Raises `Held`."""
    file = open(home / HELD, "a+", encoding="utf-8")  # noqa: SIM115  held as long as the server runs
    end = time.monotonic() + PATIENCE_SECONDS
    while not (ours := _lock(file)) and time.monotonic() < end:
        time.sleep(0.1)
    if not ours:
        file.seek(0)
        who = file.read().strip()
        file.close()
        raise Held(
            f"Another Ember Quilt serves {home} already{f' ({who})' if who else ''}. Stop that one first, or name "
            "another folder in EMBERQUILT_HOME."
        )
    return file


def sign(file: IO[str], words: str) -> None:
    """Say in it who holds it."""
    file.seek(0)
    file.truncate()
    file.write(words)
    file.flush()


def _lock(file: IO[str]) -> bool:
    """Whether it is ours now."""
    try:
        _locked(file)
    except OSError:
        return False
    return True


def _locked(file: IO[str]) -> None:
    if sys.platform == "win32":
        import msvcrt

        # a byte far behind what is written, so that who holds it can still be read
        file.seek(4096)
        msvcrt.locking(file.fileno(), msvcrt.LK_NBLCK, 1)
    else:
        import fcntl

        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)


def unwritable(home: Path) -> str:
    """Why nothing can be written to this folder, in a sentence; empty where it can."""
    place = home if home.exists() else home.parent
    try:
        home.mkdir(parents=True, exist_ok=True, mode=0o700)
        trial = home / f".trial-{os.getpid()}"
        trial.write_bytes(b"ember")
        trial.unlink()
    except OSError as problem:
        return sentence_for(problem, place) or f"{home} cannot be written: {problem.strerror}."
    return ""


FULL = {errno.ENOSPC, errno.EDQUOT} if sys.platform != "win32" else {errno.ENOSPC}
LOCKED = {errno.EROFS, errno.EACCES, errno.EPERM}


DISK_FULL = "53100"
"""A database server's number for it (PostgreSQL's manual, appendix A)."""


def sentence_for(problem: BaseException, home: Path) -> str:
    """What a full or a read-only disk is called, with the folder it holds; empty for anything else."""
    if getattr(problem.__cause__, "sqlstate", "") == DISK_FULL:
        return (
            "The disk of the database server is full, so this could not be written. Nothing that was there is lost: "
            "make room on it, and do it again."
        )
    words = str(problem).lower()
    number = getattr(problem, "errno", None)
    if number in FULL or "database or disk is full" in words or "no space left" in words:
        return (
            f"The disk that holds {home} is full, so this could not be written. Nothing that was there is lost: make "
            "room on it, and do it again."
        )
    if number in LOCKED or "readonly database" in words or "unable to open database file" in words:
        return (
            f"The folder {home} cannot be written: it is read-only, or belongs to somebody else. Give the account that "
            "runs Ember Quilt the right to write there, or name another folder in EMBERQUILT_HOME."
        )
    return ""
