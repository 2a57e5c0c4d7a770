"""Writes every work as a project file, in a folder for each account: what any Ember Quilt reads, and nothing else
needed."""

from pathlib import Path
from typing import ClassVar

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone
from django.utils.text import slugify

from emberquilt.formats.project import write_project
from workshop.compositions.actions import project_of
from workshop.serving.folder import sentence_for


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: ClassVar[list[str]] = []
    """They would import every page."""

    def add_arguments(self, parser):
        parser.add_argument("folder")

    def handle(self, *args, **options):
        folder = Path(options["folder"]).expanduser().absolute()
        if folder.exists() and any(folder.iterdir()):
            raise CommandError(f"{folder} is not empty. Name one that is, or that is not there yet.")
        count, broken = 0, []
        try:
            for person in get_user_model().objects.order_by("username"):
                for row in person.compositions.order_by("created", "pk"):
                    try:
                        data = write_project(project_of(row, timezone.now()))
                    except OSError:
                        raise
                    except Exception as problem:
                        # one work that an older version let break keeps no other from leaving
                        broken.append(f"{person.username}: {row.name} ({type(problem).__name__})")
                        continue
                    _free(folder / (slugify(person.username) or "account"), row.name).write_bytes(data)
                    count += 1
        except OSError as problem:
            raise CommandError(sentence_for(problem, folder) or f"{folder}: {problem.strerror}.") from None
        self.stdout.write(f"{count} works are in {folder}.")
        for words in broken:
            self.stderr.write(f"Could not be written: {words}.")
        if broken:
            raise CommandError(f"{len(broken)} works could not be written; a backup holds them as they are.")


def _free(folder: Path, name: str) -> Path:
    """A name that no file has yet."""
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    plain, number = slugify(name) or "work", 1
    while (path := folder / f"{plain}{f'-{number}' if number > 1 else ''}.ember").exists():
        number += 1
    return path
