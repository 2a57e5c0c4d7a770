"""Runs long work: takes up again what an earlier worker left, then waits for more. `serve` keeps one."""

import os
import signal
import sys
import threading
import time

from django.core.management import call_command
from django.core.management.base import BaseCommand

from workshop.compositions.tasks import take_up_drafts
from workshop.pictures.tasks import take_up_pictures
from workshop.stations.calendar.dates import take_up_polishing
from workshop.stations.stock.search import take_up_searches

PATIENCE_SECONDS = 4.0


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser):
        parser.add_argument("--tied", action="store_true", help="end when whoever holds the standard input ends")

    def handle(self, *args, **options):
        if options["tied"]:
            threading.Thread(target=_end_with_parent, daemon=True).start()
        take_up_drafts()
        take_up_pictures()
        take_up_searches()
        take_up_polishing()
        if os.environ.get("EMBERQUILT_REDIS"):
            call_command("rqworker", "default")
        else:
            call_command("db_worker", interval=0.2, startup_delay=False, reload=False)


def _end_with_parent() -> None:
    """Nothing is ever written to the pipe: it can only end. It is read past Python's own buffer, which nobody may hold
    at exit."""
    os.read(sys.stdin.fileno(), 1)
    os.kill(os.getpid(), signal.SIGTERM)
    # what is being worked on is not waited for: it is taken up again
    time.sleep(PATIENCE_SECONDS)
    os._exit(1)
