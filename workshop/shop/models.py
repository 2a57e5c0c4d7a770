from django.conf import settings
from django.db import models


class Shop(models.Model):
    """A person's shop: their practice, copied into each new composition. `revision` grows when boards change."""

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="shop")
    practice = models.JSONField(default=dict)
    revision = models.PositiveIntegerField(default=1)

    def __str__(self) -> str:
        return f"shop of {self.owner}"


class Board(models.Model):
    """A board on the rack; thickness as measured with a caliper."""

    shop = models.ForeignKey(Shop, models.CASCADE, related_name="boards")
    wood = models.CharField(max_length=40)
    name = models.CharField(max_length=40)
    length_mm = models.FloatField()
    width_mm = models.FloatField()
    thickness_mm = models.FloatField()

    class Meta:
        ordering = ("wood", "-length_mm", "id")

    def __str__(self) -> str:
        return self.name
