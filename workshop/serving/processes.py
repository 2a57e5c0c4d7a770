"""The web processes and the worker of one server: begun, looked after, and ended together."""

import contextlib
import datetime as dt
import gc
import logging
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import traceback
from collections.abc import Callable

import waitress
from django.conf import settings
from django.db import connections

from emberquilt.limits import USUAL, end_with_parent, few_heaps, hold_memory, name_process

from . import watch
from .backup import BadBackup, nightly
from .folder import sentence_for

log = logging.getLogger(__name__)
THREADS = 8
LARGEST_BODY = 70_000_000
FORKS = sys.platform not in ("win32", "darwin")
PATIENCE_SECONDS = 8.0
NIGHTLY_LOOK_SECONDS = 600.0


def listening(address: str, port: int) -> socket.socket:
    """The socket that all web processes answer at. Raises `OSError`."""
    family = socket.AF_INET6 if ":" in address else socket.AF_INET
    sock = socket.socket(family, socket.SOCK_STREAM)
    if sys.platform != "win32":
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        sock.bind((address.strip("[]"), port))
        sock.listen(1024)
    except OSError:
        sock.close()
        raise
    sock.setblocking(False)
    return sock


def answer(sock: socket.socket) -> None:
    """Answer at this socket until the process ends."""
    from workshop.wsgi import application

    server = waitress.create_server(
        application,
        sockets=[sock],
        threads=THREADS,
        max_request_body_size=LARGEST_BODY,
        ident="emberquilt",
        **_proxy(),
    )
    server.run()


def _proxy() -> dict:
    """Whose word about the asker is taken: the server's before this one, where there is one. Where there is none, what
    it would say is let through, so that it can be refused (see `NoProxyOnLoopback`)."""
    if settings.ORIGINS:
        return {
            "trusted_proxy": settings.PROXY,
            "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-host", "x-forwarded-proto"},
            "clear_untrusted_proxy_headers": True,
        }
    return {"clear_untrusted_proxy_headers": not settings.LOCAL_PERSON}


class House:
    """All processes of one server. What dies is begun again."""

    def __init__(self, sock: socket.socket, count: int, works: bool):
        self.sock, self.count, self.works = sock, count, works
        self.children: dict[int, tuple[str, float]] = {}
        self.worker: subprocess.Popen | None = None
        self.looked = 0.0
        self.over = threading.Event()

    def run(self) -> None:
        """Until a signal ends it."""
        for name in (signal.SIGTERM, signal.SIGINT):
            signal.signal(name, lambda *_: self.over.set())
        try:
            if not FORKS:
                threading.Thread(target=answer, args=(self.sock,), daemon=True).start()
            while not self.over.is_set():
                self._keep()
                if time.monotonic() - self.looked > NIGHTLY_LOOK_SECONDS:
                    self.looked = time.monotonic()
                    if FORKS:
                        self._begin("backup", _nightly)
                    else:
                        _nightly()
                self.over.wait(0.3)
        finally:
            self._end()

    def _keep(self) -> None:
        if not FORKS:
            if self.works and not _lives(self.worker):
                self.worker = _apart()
            return
        self._gather()
        while self._count("web") < self.count:
            self._begin("web", self._web)
        if self.works and not self._count("worker"):
            self._begin("worker", _work)

    def _count(self, what: str) -> int:
        return sum(one == what for one, _ in self.children.values())

    def _gather(self) -> None:
        """Processes that have ended."""
        for pid in list(self.children):
            if os.waitpid(pid, os.WNOHANG)[0]:
                what, begun = self.children.pop(pid)
                if what != "backup" and time.monotonic() - begun < 2:
                    # one that cannot even begin is not begun a thousand times
                    self.over.wait(1)

    def _begin(self, what: str, run: Callable[[], None]) -> None:
        connections.close_all()
        gc.collect()
        # what all processes hold alike is never looked through, and so never copied
        gc.freeze()
        pid = os.fork()
        if pid:
            self.children[pid] = what, time.monotonic()
            return
        status = 1
        try:
            end_with_parent()
            name_process(f"ember-{what}")
            run()
            status = 0
        except BaseException:
            traceback.print_exc()
        finally:
            sys.stderr.flush()
            os._exit(status)

    def _web(self) -> None:
        for name in (signal.SIGTERM, signal.SIGINT):
            signal.signal(name, lambda *_: os._exit(0))
        hold_memory(USUAL.bytes)
        few_heaps()
        # whoever asks for little is answered beside whoever asks for much
        sys.setswitchinterval(0.001)
        watch.begin()
        answer(self.sock)

    def _end(self) -> None:
        for pid in self.children:
            _signal(pid, signal.SIGTERM)
        if self.worker is not None and _lives(self.worker):
            self.worker.terminate()
        end = time.monotonic() + PATIENCE_SECONDS
        while time.monotonic() < end and (self.children or _lives(self.worker)):
            self._gather()
            time.sleep(0.05)
        for pid in self.children:
            _signal(pid, signal.SIGKILL)
        if self.worker is not None and _lives(self.worker):
            self.worker.kill()
        self.sock.close()


def _nightly() -> None:
    try:
        nightly(dt.datetime.now())
    except (OSError, BadBackup) as problem:
        log.error("Tonight's backup was not made: %s", sentence_for(problem, settings.BACKUPS) or problem)


def _work() -> None:
    from workshop.longwork.worker import Crew

    stop = threading.Event()
    for name in (signal.SIGTERM, signal.SIGINT):
        signal.signal(name, lambda *_: stop.set())
    Crew().run(lambda: not stop.is_set())


def _lives(process: subprocess.Popen | None) -> bool:
    return process is not None and process.poll() is None


def _signal(pid: int, which: int) -> None:
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, which)


def _apart() -> subprocess.Popen:
    """A worker where processes cannot be forked. It holds the other end of a pipe, so that it ends with us."""
    command = [sys.executable, "-m", "django", "worker", "--tied"]
    env = os.environ | {"DJANGO_SETTINGS_MODULE": "workshop.settings"}
    return subprocess.Popen(command, env=env, stdin=subprocess.PIPE, start_new_session=True)
