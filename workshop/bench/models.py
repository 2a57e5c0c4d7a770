from django.db import models

from workshop.compositions.models import Composition


class Event(models.Model):
    """Something done at the bench: a step, or a step's work on one part; a part that broke, or was mended; a note, or
    a fresh blade or sheet of sandpaper that was taken. `step` is the verb of a step that is done part by part, with the
    part's key, or the key of another, with nothing. Minutes as the clock had them; of parts that were done in one go
    only the first has any."""

    class What(models.TextChoices):
        DONE = "done"
        BROKE = "broke"
        MENDED = "mended"
        NOTE = "note"
        BLADE = "blade"
        PAPER = "paper"

    composition = models.ForeignKey(Composition, models.CASCADE, related_name="events")
    part = models.CharField(max_length=40, blank=True)
    step = models.CharField(max_length=40)
    what = models.CharField(max_length=8, choices=What.choices)
    minutes = models.FloatField(null=True)
    estimate_minutes = models.FloatField(null=True)
    at = models.DateTimeField()
    why = models.CharField(max_length=12, blank=True)
    """Of a part that is made again or was mended: how it came to that."""
    x_mm = models.FloatField(null=True)
    y_mm = models.FloatField(null=True)
    """Where on the picture it broke."""
    client = models.CharField(max_length=40, blank=True)
    """The name that the phone gave it, by which it is known when it is sent twice."""
    who = models.CharField(max_length=40, blank=True)
    sawn_seconds = models.FloatField(null=True)
    """Of its minutes those with the foot on the switch."""
    text = models.CharField(max_length=500, blank=True)
    made_of = models.JSONField(default=dict)
    """What it was done on, as the log learns from it: wood, thickness, blade and so on, as the plan then had it."""

    class Meta:
        ordering = ("at", "id")
        constraints = (
            models.UniqueConstraint(
                fields=("composition", "client"), condition=~models.Q(client=""), name="event_known_once"
            ),
        )

    def __str__(self) -> str:
        return f"{self.step} {self.part} {self.what}"


class Undone(models.Model):
    """An event that was taken back, by the name its phone gave it: should it come in later, or again, it stays out."""

    composition = models.ForeignKey(Composition, models.CASCADE, related_name="undone")
    client = models.CharField(max_length=40)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("composition", "client"), name="undone_once"),)

    def __str__(self) -> str:
        return self.client


class Snapshot(models.Model):
    """A photo taken at the bench, of the work or of a part of it: a JPEG without what a camera writes beside it."""

    composition = models.ForeignKey(Composition, models.CASCADE, related_name="snapshots")
    client = models.CharField(max_length=40)
    step = models.CharField(max_length=40, blank=True)
    part = models.CharField(max_length=40, blank=True)
    at = models.DateTimeField()
    jpeg = models.BinaryField()

    class Meta:
        ordering = ("at", "id")
        constraints = (models.UniqueConstraint(fields=("composition", "client"), name="snapshot_once"),)

    def __str__(self) -> str:
        return self.client


class Story(models.Model):
    """What is told of a work on the page that goes with it: in words, how to care for it (a line each), who made it,
    and which photo shows it."""

    composition = models.OneToOneField(Composition, models.CASCADE, related_name="story")
    text = models.TextField(blank=True, max_length=4000)
    care = models.TextField(blank=True, max_length=1500)
    maker = models.CharField(max_length=80, blank=True)
    shot = models.ForeignKey(Snapshot, models.SET_NULL, null=True, related_name="+")

    def __str__(self) -> str:
        return f"story of {self.composition_id}"


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
