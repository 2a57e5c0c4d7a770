"""Does long work: takes up again what an earlier worker left, then waits for more. `serve` keeps one."""

import signal
import threading
from typing import ClassVar

from django.core.management.base import BaseCommand

from workshop.longwork.worker import Crew, tied_to_input


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: ClassVar[list[str]] = []
    """They would import every page."""

    def add_arguments(self, parser):
        parser.add_argument("--tied", action="store_true", help="end when whoever holds the standard input ends")

    def handle(self, *args, **options):
        held = tied_to_input() if options["tied"] else lambda: True
        stop = threading.Event()
        for one in (signal.SIGTERM, signal.SIGINT):
            signal.signal(one, lambda *_: stop.set())
        Crew().run(lambda: held() and not stop.is_set())
