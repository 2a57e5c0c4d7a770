"""Makes an account for somebody, or gives one another password. For whoever runs the server."""

import getpass
import sys
from typing import ClassVar

from django.contrib.auth import get_user_model
from django.contrib.auth.password_validation import validate_password
from django.contrib.auth.validators import UnicodeUsernameValidator
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError

from workshop.entry.allowance import most_of
from workshop.entry.models import Allowance, Knock
from workshop.entry.person import LOCAL_NAME
from workshop.entry.sessions import end_all
from workshop.serving.backup import brought_up_to_date


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: ClassVar[list[str]] = []
    """They would import every page."""

    def add_arguments(self, parser):
        parser.add_argument("name")
        parser.add_argument("--reset", action="store_true", help="another password for an account that there is")
        for name, what in (("works", "works"), ("megabytes", "megabytes"), ("minutes", "minutes of long work a day")):
            parser.add_argument(
                f"--{name}", help=f"how many {what} it may have: a number, 0 without limit, “usual” as all others"
            )
        parser.add_argument("--close", action="store_true", help="nobody enters by this account any more; it is kept")

    def handle(self, *args, **options):
        brought_up_to_date()
        users, name = get_user_model().objects, options["name"].strip()
        person = users.filter(username__iexact=name).first()
        measures = {name: options[name] for name in ("works", "megabytes", "minutes") if options[name] is not None}
        if person is not None and measures and not options["reset"]:
            return self._allow(person, measures)
        if options["close"] or options["reset"]:
            if person is None:
                raise CommandError(f"There is no account “{name}”.")
            if options["close"]:
                return self._close(person)
        elif person is not None:
            raise CommandError(f"There is an account “{person.username}” already. Its password: --reset.")
        else:
            try:
                UnicodeUsernameValidator()(name)
            except ValidationError:
                raise CommandError("A name is letters, digits and @ . + - _ only.") from None
            if name.casefold() == LOCAL_NAME:
                raise CommandError(f"“{LOCAL_NAME}” is whoever sits at this computer; choose another name.")
            person = get_user_model()(username=name)
        person.set_password(self._password(person))
        person.is_active = True
        person.save()
        end_all(person)
        Knock.objects.filter(key=f"name:{person.username.casefold()}").delete()
        self.stdout.write(f"“{person.username}” can enter now.")
        if measures:
            self._allow(person, measures)

    def _allow(self, person, measures: dict[str, str]) -> None:
        for name, text in measures.items():
            if text != "usual" and not (text.isdecimal() and len(text) < 8):
                raise CommandError(f"--{name} is a number, 0 without limit, or “usual”. Nothing was changed.")
        given = {name: None if text == "usual" else int(text) for name, text in measures.items()}
        Allowance.objects.update_or_create(person=person, defaults=given)
        told = ", ".join(f"{most or 'any number of'} {name}" for name, most in most_of(person).items())
        self.stdout.write(f"“{person.username}” may have {told}.")

    def _close(self, person) -> None:
        person.is_active = False
        person.save(update_fields=["is_active"])
        end_all(person)
        self.stdout.write(f"Nobody enters as “{person.username}” any more. Its works are kept; --reset opens it again.")

    def _password(self, person) -> str:
        """Typed twice, or one line at the standard input. Raises `CommandError` for what is too easily guessed."""
        if sys.stdin.isatty():
            password = getpass.getpass("Password: ")
            if getpass.getpass("The same again: ") != password:
                raise CommandError("These were not the same. Nothing was changed.")
        else:
            password = sys.stdin.readline().rstrip("\r\n")
        try:
            validate_password(password, person)
        except ValidationError as problem:
            raise CommandError(" ".join(problem.messages) + " Nothing was changed.") from None
        return password
