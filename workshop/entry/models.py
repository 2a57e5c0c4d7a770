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
