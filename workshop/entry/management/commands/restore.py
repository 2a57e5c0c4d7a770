"""Puts what a backup holds in the place of all that is kept now, which is kept aside first."""

from pathlib import Path
from typing import ClassVar

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from workshop.serving import folder
from workshop.serving.backup import BadBackup, restore


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: ClassVar[list[str]] = []
    """They would import every page."""

    def add_arguments(self, parser):
        parser.add_argument("file")

    def handle(self, *args, **options):
        path = Path(options["file"]).expanduser().absolute()
        try:
            with folder.hold(settings.HOME):
                made = restore(path)
        except (folder.Held, BadBackup) as problem:
            raise CommandError(str(problem)) from None
        except OSError as problem:
            raise CommandError(folder.sentence_for(problem, settings.HOME) or f"{problem}.") from None
        self.stdout.write(
            f"{made.works} works of {made.accounts} accounts are back. What was kept before lies in {settings.BACKUPS}."
        )
