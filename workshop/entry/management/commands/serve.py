"""Brings the data folder up to date, serves the pages and runs the worker for long work, all with one command."""

import os
import signal
import subprocess
import sys
import threading

import waitress
from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.hashers import UNUSABLE_PASSWORD_PREFIX
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

THREADS = 8


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser):
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--demo", action="store_true", help="load the demo first, unless it was loaded before")

    def handle(self, *args, **options):
        # one process does all of it: importing the libraries twice would double the start
        call_command("migrate", verbosity=0)
        call_command("collectstatic", interactive=False, verbosity=0)
        if not settings.LOCAL_PERSON and not self._accounts():
            raise CommandError(
                f"Bound to {settings.BIND}, others could enter: make an account first with "
                f"“python3 run.py account NAME”."
            )
        if options["demo"]:
            call_command("load_demo")
        from workshop.wsgi import application

        try:
            server = waitress.create_server(
                application,
                host=settings.BIND,
                port=options["port"],
                threads=THREADS,
                max_request_body_size=70_000_000,
                ident="emberquilt",
                **_proxy(),
            )
        except OSError as problem:
            raise CommandError(
                f"Port {options['port']} cannot be used ({problem.strerror}). Choose another with PORT=."
            ) from None
        stop = threading.Event()
        keeper = threading.Thread(target=_keep_worker, args=(stop,), daemon=True)
        keeper.start()
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        self.stdout.write(f"Ember Quilt is at http://{settings.BIND}:{options['port']}  (stop with Ctrl-C)")
        self.stdout.flush()
        try:
            server.run()
        except (KeyboardInterrupt, SystemExit):
            pass
        finally:
            stop.set()
            keeper.join(timeout=10)

    @staticmethod
    def _accounts() -> bool:
        return get_user_model().objects.exclude(password__startswith=UNUSABLE_PASSWORD_PREFIX).exists()


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


def _keep_worker(stop: threading.Event) -> None:
    """One worker at a time; should it die, the next takes over. It holds the other end of a pipe, so that it ends with
    us however we end."""
    command = [sys.executable, "-m", "django", "worker", "--tied"]
    env = os.environ | {"DJANGO_SETTINGS_MODULE": "workshop.settings"}
    while not stop.is_set():
        worker = subprocess.Popen(command, env=env, stdin=subprocess.PIPE, start_new_session=True)
        while worker.poll() is None and not stop.wait(0.3):
            pass
        stop.wait(0.5)
        if worker.poll() is None:
            worker.terminate()
            try:
                worker.wait(5)
            except subprocess.TimeoutExpired:
                worker.kill()
