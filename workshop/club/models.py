"""What a club has together."""

import uuid

from django.conf import settings
from django.db import models

from workshop.compositions.models import Composition


class Pattern(models.Model):
    """A pattern on the club's shelf: the work as it was when it was put there, as a project file without what is its
    shop's alone. `told` is what its tag says, `scene` its small picture."""

    uid = models.UUIDField(default=uuid.uuid4, unique=True, editable=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="patterns")
    composition = models.OneToOneField(Composition, models.SET_NULL, null=True, related_name="pattern")
    name = models.CharField(max_length=120)
    origin = models.JSONField()
    told = models.JSONField()
    scene = models.JSONField()
    data = models.BinaryField()
    put = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("-put",)

    def __str__(self) -> str:
        return self.name
