"""Who knocks at the door, and who is in."""

from django.conf import settings
from django.db import models


class Knock(models.Model):
    """Wrong tries for a name, or from an address (see throttle.py): how many, and until when the next one waits."""

    key = models.CharField(max_length=200, unique=True)
    wrong = models.PositiveIntegerField(default=0)
    last = models.DateTimeField()
    until = models.DateTimeField()

    def __str__(self) -> str:
        return f"{self.key}: {self.wrong}"


class SignedIn(models.Model):
    """A browser in which somebody is signed in, by its session."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="signed_in")
    session = models.CharField(max_length=40, unique=True)
    browser = models.CharField(max_length=200, blank=True)
    address = models.CharField(max_length=60, blank=True)
    since = models.DateTimeField(auto_now_add=True)
    seen = models.DateTimeField()

    class Meta:
        ordering = ("-seen",)

    def __str__(self) -> str:
        return f"{self.person_id} in {self.browser}"


class Allowance(models.Model):
    """What one account may have where that is another than the usual: works, megabytes, and minutes of long work a day;
    0 is without limit. `used_bytes` as counted last."""

    person = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="allowance")
    works = models.PositiveIntegerField(null=True)
    megabytes = models.PositiveIntegerField(null=True)
    minutes = models.PositiveIntegerField(null=True)
    used_bytes = models.PositiveBigIntegerField(default=0)

    def __str__(self) -> str:
        return f"what {self.person_id} may have"


class OneTimeKey(models.Model):
    """Opens the door once, until a moment; only its digest is kept. Without a person it makes the first account."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, null=True, related_name="keys")
    digest = models.CharField(max_length=64, unique=True)
    until = models.DateTimeField()

    def __str__(self) -> str:
        return f"for {self.person_id} until {self.until}"


class AtThisComputer(models.Model):
    """Who works at the computer itself, where nobody signs in."""

    person = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")

    def __str__(self) -> str:
        return str(self.person)
