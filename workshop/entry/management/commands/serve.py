"""Brings the data folder up to date, serves the pages and runs the worker for long work, all with one command."""

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.hashers import UNUSABLE_PASSWORD_PREFIX
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from workshop.serving import folder
from workshop.serving.backup import brought_up_to_date
from workshop.serving.processes import House, listening
from workshop.statics import gather


class Command(BaseCommand):
    help = __doc__

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
        if not settings.LOCAL_PERSON and not self._accounts():
            raise CommandError(
                f"Bound to {settings.BIND}, others could enter: make an account first with "
                f"“python3 run.py account NAME”."
            )
        if options["demo"]:
            call_command("load_demo")
        self._open_all()
        port = options["port"]
        try:
            sock = listening(settings.BIND, port)
        except OSError as problem:
            raise CommandError(f"Port {port} cannot be used ({problem.strerror}). Choose another with PORT=.") from None
        folder.sign(held, f"at port {port}")
        self.stdout.write(f"Ember Quilt is at http://{settings.BIND}:{port}  (stop with Ctrl-C)")
        self.stdout.flush()
        House(sock, settings.PROCESSES, not options["without_worker"]).run()

    @staticmethod
    def _open_all() -> None:
        """What every page needs is imported once, before there are several processes."""
        import workshop.urls
        import workshop.wsgi  # noqa: F401
        from workshop.longwork.kinds import every_kind

        every_kind()

    @staticmethod
    def _accounts() -> bool:
        return get_user_model().objects.exclude(password__startswith=UNUSABLE_PASSWORD_PREFIX).exists()
