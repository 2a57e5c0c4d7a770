"""Brings the data folder up to date, serves the pages and runs the worker for long work, all with one command."""

from typing import ClassVar

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.urls import reverse

from workshop.entry.keys import new_first_key
from workshop.entry.phone import somebody_can_enter
from workshop.serving import folder
from workshop.serving.addresses import own_addresses
from workshop.serving.backup import brought_up_to_date
from workshop.serving.processes import House, listening
from workshop.statics import gather


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: ClassVar[list[str]] = []
    """They would import every page."""

    def add_arguments(self, parser):
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--demo", action="store_true", help="load the demo first, unless it was loaded before")
        parser.add_argument("--without-worker", action="store_true", help="long work is done by workers elsewhere")

    def handle(self, *args, **options):
        if words := folder.unwritable(settings.HOME):
            raise CommandError(words)
        try:
            held = folder.hold(settings.HOME)
        except folder.Held as problem:
            raise CommandError(str(problem)) from None
        # one process does all of it: importing the libraries twice would double the start
        if made := brought_up_to_date():
            self.stdout.write(f"This is a newer version; what was kept before lies in {made.path}.")
        gather()
        key = ""
        if not settings.LOCAL_PERSON and not somebody_can_enter():
            if not settings.LAN:
                raise CommandError(
                    f"Bound to {settings.BIND}, others could enter: make an account first with "
                    f"“python3 run.py account NAME”."
                )
            key = new_first_key()
        if options["demo"]:
            call_command("load_demo")
        self._open_all()
        port = options["port"]
        try:
            sock = listening(settings.BIND, port)
        except OSError as problem:
            raise CommandError(f"Port {port} cannot be used ({problem.strerror}). Choose another with PORT=.") from None
        folder.sign(held, f"at port {port}")
        self._say_where(port, key)
        self.stdout.flush()
        House(sock, settings.PROCESSES, not options["without_worker"]).run()

    @staticmethod
    def _open_all() -> None:
        """What every page needs is imported once, before there are several processes."""
        import workshop.urls
        import workshop.wsgi  # noqa: F401
        from workshop.longwork.kinds import every_kind

        every_kind()

    def _say_where(self, port: int, key: str) -> None:
        host = settings.BIND
        if settings.LAN and host == "0.0.0.0":  # noqa: S104
            host = next(iter(own_addresses()), host)
        self.stdout.write(f"Ember Quilt is at http://{host}:{port}  (stop with Ctrl-C)")
        if settings.LAN:
            self.stdout.write(
                "Everybody on this network can knock, and what they send is not enciphered on its way: serve a network "
                "you trust, and never the open internet (docs/serving.md)."
            )
        if key:
            self.stdout.write(
                f"Nobody can enter yet. Make your account at http://{host}:{port}{reverse('first', args=(key,))}"
            )
