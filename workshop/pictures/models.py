from django.db import models

from workshop.compositions.models import Composition


class FinalPicture(models.Model):
    """A picture of the result at print size, made outside the request; it holds for one state of the work."""

    class State(models.TextChoices):
        WAITING = "waiting"
        WORKING = "working"
        READY = "ready"
        FAILED = "failed"
        STOPPED = "stopped"

    composition = models.OneToOneField(Composition, models.CASCADE, related_name="final")
    revision = models.PositiveIntegerField()
    dpi = models.PositiveIntegerField(default=150)
    turn = models.PositiveIntegerField(default=0)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    cut_off = models.PositiveIntegerField(default=0)
    """How often this try ended because its worker was gone."""
    share = models.FloatField(default=0)
    problem = models.TextField(blank=True)
    png = models.BinaryField(default=b"")

    def __str__(self) -> str:
        return f"picture of {self.composition_id}"
