from django.db import models

from workshop.compositions.models import Composition


class Event(models.Model):
    """Something done at the bench: a step, or a step's work on one part, or a part that broke, or was mended. `step`
    is the verb of a step that is done part by part, with the part's key, or the key of another, with nothing. Minutes
    as the timer had them; of parts that were done in one go only the first has any."""

    class What(models.TextChoices):
        DONE = "done"
        BROKE = "broke"
        MENDED = "mended"

    composition = models.ForeignKey(Composition, models.CASCADE, related_name="events")
    part = models.CharField(max_length=40, blank=True)
    step = models.CharField(max_length=40)
    what = models.CharField(max_length=8, choices=What.choices)
    minutes = models.FloatField(null=True)
    estimate_minutes = models.FloatField(null=True)
    at = models.DateTimeField()
    why = models.CharField(max_length=12, blank=True)
    """Of a part that is made again or was mended: how it came to that."""

    class Meta:
        ordering = ("at", "id")

    def __str__(self) -> str:
        return f"{self.step} {self.part} {self.what}"


class Timer(models.Model):
    """The clock of the card at the bench. It runs on through reloads and restarts: only its start is kept."""

    composition = models.OneToOneField(Composition, models.CASCADE, related_name="timer")
    step = models.CharField(max_length=40)
    part = models.CharField(max_length=40, blank=True)
    seconds = models.FloatField(default=0)
    running_since = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"{self.step} {self.part}"


class Skill(models.Model):
    """A practice sheet that was sawn and photographed: how far the hand drifted from the line, in the middle and at
    worst (mm), at what level."""

    shop = models.ForeignKey("shop.Shop", models.CASCADE, related_name="skills")
    level = models.PositiveSmallIntegerField()
    drift_mm = models.FloatField()
    worst_mm = models.FloatField()
    at = models.DateTimeField()

    class Meta:
        ordering = ("-at", "-id")

    def __str__(self) -> str:
        return f"level {self.level}: {self.drift_mm:.2f} mm"
