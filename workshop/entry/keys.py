"""Keys that open the door once: for one's own phone, five minutes long, and for the first account of a workshop that is
opened to its network. Only a digest of each is kept (OWASP ASVS 4.0.3, 2.7 and 2.10: out of reach of who reads the
database)."""

import datetime as dt
import hashlib
import secrets

from django.utils import timezone

from .models import OneTimeKey

FIVE_MINUTES = dt.timedelta(minutes=5)
A_DAY = dt.timedelta(days=1)
FIRST_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"
"""Without what is taken for another when it is typed from a terminal."""


def _digest(key: str) -> str:
    return hashlib.sha256(key.encode()).hexdigest()


def new_key(person) -> str:
    """For this person's phone; earlier ones of theirs hold no longer."""
    key = secrets.token_urlsafe(24)
    OneTimeKey.objects.filter(person=person).delete()
    OneTimeKey.objects.filter(until__lt=timezone.now()).delete()
    OneTimeKey.objects.create(person=person, digest=_digest(key), until=timezone.now() + FIVE_MINUTES)
    return key


def new_first_key() -> str:
    """For whoever starts the workshop, to make the first account with; earlier ones hold no longer."""
    key = "".join(secrets.choice(FIRST_LETTERS) for _ in range(16))
    OneTimeKey.objects.filter(person=None).delete()
    OneTimeKey.objects.create(person=None, digest=_digest(key), until=timezone.now() + A_DAY)
    return key


def whose(key: str) -> OneTimeKey | None:
    """The key, while it holds; it is not used up by being looked at."""
    return (
        OneTimeKey.objects.select_related("person").filter(digest=_digest(key[:100]), until__gt=timezone.now()).first()
    )


def used(key: OneTimeKey) -> bool:
    """Use it up; False where another was quicker, or its time is over."""
    return bool(OneTimeKey.objects.filter(pk=key.pk, until__gt=timezone.now()).delete()[0])
