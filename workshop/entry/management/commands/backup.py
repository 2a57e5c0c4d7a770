"""Writes everything that is kept into one file, also while the workshop is served, and looks at it again."""

from pathlib import Path
from typing import ClassVar

from django.core.management.base import BaseCommand, CommandError

from workshop.serving.backup import BadBackup, backup
from workshop.serving.folder import sentence_for


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: ClassVar[list[str]] = []
    """They would import every page."""

    def add_arguments(self, parser):
        parser.add_argument("file")

    def handle(self, *args, **options):
        path = Path(options["file"]).expanduser().absolute()
        try:
            made = backup(path)
        except BadBackup as problem:
            raise CommandError(str(problem)) from None
        except OSError as problem:
            raise CommandError(sentence_for(problem, path.parent) or f"{path}: {problem.strerror}.") from None
        self.stdout.write(
            f"{made.path} holds {made.works} works of {made.accounts} accounts, {made.bytes / 1e6:.1f} MB; it was read "
            "back and is whole."
        )
