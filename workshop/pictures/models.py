from django.db import models

from workshop.compositions.models import Composition
from workshop.longwork.models import LongWork


class FinalPicture(LongWork):
    """A picture of the result at print size, made outside the request; it holds for one state of the work."""

    composition = models.OneToOneField(Composition, models.CASCADE, related_name="final")
    revision = models.PositiveIntegerField()
    dpi = models.PositiveIntegerField(default=150)
    png = models.BinaryField(default=b"")

    def __str__(self) -> str:
        return f"picture of {self.composition_id}"
