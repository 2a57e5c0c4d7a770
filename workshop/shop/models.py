from django.conf import settings
from django.db import models


class Shop(models.Model):
    """A person's shop: their practice, copied into each new composition. `revision` is another when boards or woods
    change."""

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="shop")
    practice = models.JSONField(default=dict)
    revision = models.PositiveIntegerField(default=1)
    spoken = models.PositiveIntegerField(default=1)
    """Another when works lay parts on its boards otherwise."""
    time_zone = models.CharField(max_length=60, blank=True)
    """IANA name, as the browser told it once or the person set it; empty until then."""

    together = models.JSONField(default=list)
    """Works that are planned at once, by their uid, the most urgent first."""
    calendar_secret = models.CharField(max_length=60, blank=True, db_index=True)
    """In the address by which calendar programs read its dates; empty until somebody asks for one."""

    def __str__(self) -> str:
        return f"shop of {self.owner}"


class OwnWood(models.Model):
    """A wood that a person added, or a shipped one as they changed it (under its code)."""

    shop = models.ForeignKey(Shop, models.CASCADE, related_name="own_woods", db_index=False)
    code = models.CharField(max_length=40)
    values = models.JSONField()

    class Meta:
        ordering = ("id",)
        constraints = (models.UniqueConstraint(fields=("shop", "code"), name="own_wood_code"),)

    def __str__(self) -> str:
        return self.code


class Board(models.Model):
    """A board on the rack; thickness as measured with a caliper. `outline` and `defects` in mm on its face, `lab` and
    `spread` its bare colour, from its photo. `photo` counts the photos it had, 0 for none."""

    shop = models.ForeignKey(Shop, models.CASCADE, related_name="boards", db_index=False)
    wood = models.CharField(max_length=40)
    name = models.CharField(max_length=40)
    length_mm = models.FloatField()
    width_mm = models.FloatField()
    thickness_mm = models.FloatField()
    grain_deg = models.FloatField(default=0)
    outline = models.JSONField(default=list)
    defects = models.JSONField(default=list)
    lab = models.JSONField(null=True)
    spread = models.FloatField(default=0)
    photo = models.PositiveIntegerField(default=0)
    offcut = models.BooleanField(default=False)
    panel = models.JSONField(null=True)
    """What it is glued up of, where it is: see `rack.boards.Panel`."""

    class Meta:
        ordering = ("wood", "-length_mm", "id")
        constraints = (models.UniqueConstraint(fields=("shop", "name"), name="board_mark"),)

    def __str__(self) -> str:
        return self.name


class BoardPhoto(models.Model):
    """The photo as it was taken, what was marked on it, and the face that came of it, a JPEG in true size."""

    board = models.OneToOneField(Board, models.CASCADE, related_name="picture")
    data = models.BinaryField()
    marks = models.JSONField(default=dict)
    face = models.BinaryField(default=b"")
    px_per_mm = models.FloatField(default=0)

    def __str__(self) -> str:
        return f"photo of {self.board_id}"
