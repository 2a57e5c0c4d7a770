"""What takes longer than a page may: who waits for it, and how far it is."""

from django.conf import settings
from django.db import models


class LongWork(models.Model):
    """Something that is worked out outside the request. `turn` is the try it was asked for last: an earlier one ends
    without writing."""

    class State(models.TextChoices):
        NONE = "none"
        WAITING = "waiting"
        WORKING = "working"
        READY = "ready"
        FAILED = "failed"
        STOPPED = "stopped"

    LIVE = (State.WAITING, State.WORKING)

    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    turn = models.PositiveIntegerField(default=0)
    share = models.FloatField(default=0)
    words = models.CharField(max_length=120, blank=True)
    problem = models.TextField(blank=True)
    cut_off = models.PositiveIntegerField(default=0)
    """How often this try ended because its worker was gone."""

    class Meta:
        abstract = True

    @property
    def live(self) -> bool:
        """Somebody waits for it."""
        return self.state in self.LIVE

    def tell(self, **values) -> bool:
        """Write how far it is, or what came of it, unless the person stopped this try or began another."""
        mine = type(self).objects.filter(pk=self.pk, turn=self.turn, state__in=self.LIVE)
        return bool(mine.update(**values))


class Turn(models.Model):
    """A piece of long work that waits for a worker, or is with one: what it is of, and who asked for it. It goes when
    that has ended. `seen` is when its worker last said that it is at it."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="turns")
    kind = models.CharField(max_length=20)
    subject = models.PositiveBigIntegerField()
    number = models.PositiveIntegerField()
    asked = models.DateTimeField()
    begun = models.DateTimeField(null=True)
    seen = models.DateTimeField(null=True)
    worker = models.CharField(max_length=80, blank=True)

    class Meta:
        ordering = ("asked", "id")
        constraints = (models.UniqueConstraint(fields=("kind", "subject"), name="turn_of_a_subject"),)

    def __str__(self) -> str:
        return f"{self.kind} {self.subject}"


class Spent(models.Model):
    """Seconds of long work that were done for an account on a day."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="spent", db_index=False)
    day = models.DateField()
    seconds = models.FloatField(default=0)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("owner", "day"), name="spent_on_a_day"),)

    def __str__(self) -> str:
        return f"{self.owner_id} {self.day}: {self.seconds:.0f} s"


class Worker(models.Model):
    """A process that does long work, and when it last said that it lives."""

    name = models.CharField(max_length=80, unique=True)
    seen = models.DateTimeField()

    def __str__(self) -> str:
        return self.name
