"""What was worked out for works, kept in the data folder beside the database: one file a work, of its latest state.

Web processes and workers share it, and it outlives a restart. It is never the truth: a file that is missing, of other
code, or of another state is worked out again. Each is sealed with the folder's own key, so that nothing is read that
was not written here.
"""

import hashlib
import hmac
import logging
import os
import threading
import time
from contextlib import suppress
from typing import Any

import shapely
from django.conf import settings

from emberquilt.outline.coverage import Coverage
from emberquilt.packing import packed, stamp, unpacked
from emberquilt.plan import Plan
from workshop.kept import Kept

from .models import Composition

FOLDER = settings.HOME / "worked-out"
MOST_BYTES = 1_500_000_000
"""The files that were not read for longest go beyond that."""
HASH = 32
"""Bytes of each of the three that a file holds beside the plan: the code's, the state's, the seal."""
log = logging.getLogger(__name__)
_written = Kept(2000)
SOON_SECONDS = 1.0
"""What is changed again within it is written once."""
MOST_ASKED = 64
_asked: dict[Any, tuple[float, bytes, Plan]] = {}
_more = threading.Condition()
_writer: list[threading.Thread] = []


def _path(uid: Any):
    return FOLDER / f"{uid}.plan"


def _mark(key: Any) -> bytes:
    """Of which code, and of which state."""
    return stamp() + hashlib.sha256(repr(key).encode()).digest()


def _seal(data: bytes) -> bytes:
    return hmac.digest(settings.SECRET_KEY.encode(), data, "sha256")


def read(row: Composition, key: tuple) -> Plan | None:
    """The plan that is kept of this state."""
    try:
        with open(_path(row.uid), "rb") as file:
            mark = file.read(2 * HASH)
            if mark != _mark(key):
                return None
            plan = _opened(mark + file.read())
        os.utime(_path(row.uid))
    except OSError:
        return None
    if plan is not None:
        _written.keep(row.uid, (mark, plan.amount))
    return plan


def _opened(data: bytes) -> Plan | None:
    body, seal = data[:-HASH], data[-HASH:]
    # what other code worked out may be wrong by now
    if not body.startswith(stamp()) or not hmac.compare_digest(_seal(body), seal):
        return None
    try:
        return unpacked(body[2 * HASH :])
    except Exception as problem:
        log.warning("What was worked out could not be read back: %s", problem)
        return None


def outlines_known(row: Composition, coverages: dict[int, Coverage]) -> dict[int, Coverage]:
    """These coverages with what is known of their outlines, where a state with the very same ones is kept."""
    try:
        plan = _opened(_path(row.uid).read_bytes())
    except OSError:
        return coverages
    known = {layer.key: layer.coverage for layer in plan.composition.layers} if plan else {}
    return {
        key: known[key] if key in known and _same(known[key], coverage) else coverage
        for key, coverage in coverages.items()
    }


def _same(a: Coverage, b: Coverage) -> bool:
    if a.keys != b.keys:
        return False
    return bool((shapely.to_wkb(a.outlines) == shapely.to_wkb(b.outlines)).all()) if a.keys else True


def keep(row: Composition, key: tuple, plan: Plan) -> None:
    """Write it soon, unless as much of it is written."""
    if not settings.KEEP_WORKED_OUT:
        return
    mark, amount = _mark(key), plan.amount
    known = _written.known(row.uid)
    if known is not None and known[0] == mark and known[1] >= amount:
        return
    _written.keep(row.uid, (mark, amount))
    if not _writer or not _writer[0].is_alive():
        _writer[:] = [threading.Thread(target=_write_all, daemon=True)]
        _writer[0].start()
    with _more:
        if row.uid not in _asked and len(_asked) >= MOST_ASKED:
            _written.keep(row.uid, (b"", 0))
            return
        since, *_ = _asked.get(row.uid, (time.monotonic(),))
        _asked[row.uid] = since, mark, plan
        _more.notify()


def _next() -> tuple[Any, bytes, Plan]:
    """What was asked for first and long enough ago, as it stands by now."""
    with _more:
        while True:
            while not _asked:
                _more.wait()
            uid, (since, mark, plan) = next(iter(_asked.items()))
            wait = since + SOON_SECONDS - time.monotonic()
            if wait <= 0:
                del _asked[uid]
                return uid, mark, plan
            _more.wait(wait)


def _write_all() -> None:
    count = 0
    while True:
        uid, mark, plan = _next()
        try:
            write(uid, mark, plan)
            count += 1
            if count % 100 == 0:
                make_room()
        except (OSError, RuntimeError) as problem:
            # nothing hangs on it: the disk may be full, or somebody works it out further at this very moment
            _written.keep(uid, (b"", 0))
            log.info("What was worked out for %s is not kept: %s", uid, problem)
        except Exception:
            _written.keep(uid, (b"", 0))
            log.warning("What was worked out for %s cannot be kept.", uid, exc_info=True)
        # the plan is forgotten with the others, not when the next one is asked for
        del plan


def write(uid: Any, mark: bytes, plan: Plan) -> None:
    body = mark + packed(plan)
    FOLDER.mkdir(mode=0o700, exist_ok=True)
    trial = FOLDER / f"{uid}.{os.getpid()}.{threading.get_ident()}"
    try:
        trial.touch(mode=0o600)
        trial.write_bytes(body + _seal(body))
        os.replace(trial, _path(uid))
    finally:
        trial.unlink(missing_ok=True)


def forget(uid: Any) -> None:
    with suppress(OSError):
        _path(uid).unlink(missing_ok=True)


def make_room(most: int = MOST_BYTES) -> None:
    """Throw away what was not read for longest, so that no more than `most` bytes stay."""
    files = sorted(((p.stat().st_mtime, p.stat().st_size, p) for p in FOLDER.glob("*")), reverse=True)
    total = 0
    for _, size, path in files:
        total += size
        if total > most:
            path.unlink(missing_ok=True)
