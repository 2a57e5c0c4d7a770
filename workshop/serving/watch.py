"""No page takes a process for itself for ever: what a web process has been asked is known while it answers, and a
process that cannot come to an end with one of its pages says which work it was, and ends; another takes its place."""

import logging
import os
import threading
import time

from django.conf import settings

LOOK_SECONDS = 2.0
log = logging.getLogger(__name__)
_under_way: dict[int, tuple[float, str, str]] = {}


class Asked:
    """Middleware that remembers what is being answered."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        mine = threading.get_ident()
        _under_way[mine] = time.monotonic(), request.method, request.path
        try:
            return self.get_response(request)
        finally:
            _under_way.pop(mine, None)


def begin() -> None:
    """Watch over this process from now on."""
    threading.Thread(target=_watch, daemon=True).start()


def _watch() -> None:
    while True:
        time.sleep(LOOK_SECONDS)
        look()


def look() -> None:
    """End this process where one of its pages has no end."""
    for begun, method, path in list(_under_way.values()):
        took = time.monotonic() - begun
        if took > settings.LONGEST_PAGE_SECONDS:
            log.error("%s %s had no end after %.0f s; this process ends.", method, path, took)
            try:
                _say_so(path)
            finally:
                os._exit(3)


def _say_so(path: str) -> None:
    """The work of that page is told as one that cannot be planned, so that nobody waits for it again."""
    from workshop.stations.told import tell_endless

    for part in path.split("/"):
        if len(part) == 36:
            tell_endless(part)
