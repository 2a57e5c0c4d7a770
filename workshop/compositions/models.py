"""Compositions as they are kept. Choices and outlines of pieces are separate rows, so that giving a wood writes
little."""

import uuid

from django.conf import settings
from django.db import models

from workshop.longwork.models import LongWork


class Composition(models.Model):
    """`revision` grows with every edit; `shape_revision` when outlines change; `cursor` is the last applied entry;
    `last_key` the highest key that a piece ever had."""

    uid = models.UUIDField(default=uuid.uuid4, unique=True, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="compositions")
    name = models.CharField(max_length=120)
    width_mm = models.FloatField()
    height_mm = models.FloatField()
    practice = models.JSONField(default=dict)
    decisions = models.JSONField(default=dict)
    """What was decided about its plans, station by station (see the core's `Decisions`)."""
    intake = models.JSONField(default=list)
    revision = models.PositiveIntegerField(default=1)
    shape_revision = models.PositiveIntegerField(default=1)
    cursor = models.PositiveIntegerField(default=0)
    last_key = models.PositiveIntegerField(default=0)
    source_name = models.CharField(max_length=200, blank=True)
    origin = models.JSONField(default=dict)
    """Who drew it and under which licence, where it is told (see the core's `Origin`)."""
    starter = models.BooleanField(default=False)
    """The demo's first work, for somebody who has never done this."""
    told = models.JSONField(default=dict)
    """What the shelf says of it, and for which state it was worked out (see `workshop.stations.told`)."""
    created = models.DateTimeField(auto_now_add=True)
    updated = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("-updated",)

    def __str__(self) -> str:
        return self.name


class Share(models.Model):
    """A work shown to another account: to look at, to take a copy of too, or to work on together."""

    class May(models.TextChoices):
        READ = "read", "to look at"
        COPY = "copy", "a copy may be taken"
        WORK = "work", "to work on together"

    composition = models.ForeignKey(Composition, models.CASCADE, related_name="shares", db_index=False)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="shared_with")
    may = models.CharField(max_length=4, choices=May.choices)
    since = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("person__username",)
        constraints = (models.UniqueConstraint(fields=("composition", "person"), name="shared_once"),)

    def __str__(self) -> str:
        return f"{self.composition_id} for {self.person_id}: {self.may}"


class Source(models.Model):
    """The drawing a composition was made from, byte for byte."""

    composition = models.OneToOneField(Composition, models.CASCADE, related_name="source")
    data = models.BinaryField()

    def __str__(self) -> str:
        return f"source of {self.composition_id}"


class Layer(models.Model):
    """Its foreign key, like those of pieces, outlines and entries, is found by the unique constraint's own index."""

    composition = models.ForeignKey(Composition, models.CASCADE, related_name="layers", db_index=False)
    key = models.PositiveIntegerField()
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=20)
    position = models.IntegerField(default=0)
    thickness_mm = models.FloatField(null=True)
    material = models.CharField(max_length=80, blank=True)
    note = models.CharField(max_length=200, blank=True)
    trim_flush = models.BooleanField(default=False)

    class Meta:
        ordering = ("position", "key")
        constraints = (models.UniqueConstraint(fields=("composition", "key"), name="layer_key"),)

    def __str__(self) -> str:
        return self.name


class Piece(models.Model):
    """What was decided about a piece."""

    composition = models.ForeignKey(Composition, models.CASCADE, related_name="pieces", db_index=False)
    layer_key = models.PositiveIntegerField()
    key = models.PositiveIntegerField()
    number = models.PositiveIntegerField()
    wood = models.CharField(max_length=40, blank=True)
    grain_deg = models.FloatField(null=True)
    thickness_mm = models.FloatField(null=True)
    shim_mm = models.FloatField(default=0)
    part = models.CharField(max_length=80, blank=True)
    colour = models.CharField(max_length=7, blank=True)
    opening = models.BooleanField(default=False)
    coat = models.CharField(max_length=40, blank=True)
    locked = models.BooleanField(default=False)

    class Meta:
        ordering = ("key",)
        constraints = (models.UniqueConstraint(fields=("composition", "key"), name="piece_key"),)

    def __str__(self) -> str:
        return str(self.number)


class Placement(models.Model):
    """Where a part comes from: the mark of a board, and where its fattest spot lies on it in mm. `part` is the part's
    key, told by its number where it is of a further copy."""

    composition = models.ForeignKey(Composition, models.CASCADE, related_name="placements", db_index=False)
    part = models.CharField(max_length=40)
    board = models.CharField(max_length=40)
    x_mm = models.FloatField(null=True)
    y_mm = models.FloatField(null=True)
    turned_deg = models.FloatField(default=0)
    leaf = models.PositiveSmallIntegerField(default=0)
    nailed = models.BooleanField(default=True)
    lies = models.BinaryField(null=True)
    """Its outline on the board as WKB, for other works of the shop; none where it only says which board."""

    class Meta:
        ordering = ("part",)
        constraints = (models.UniqueConstraint(fields=("composition", "part"), name="placement_part"),)

    def __str__(self) -> str:
        return f"{self.part} from {self.board}"


class Outline(models.Model):
    """The outline of a piece as WKB, in mm."""

    composition = models.ForeignKey(Composition, models.CASCADE, related_name="outlines", db_index=False)
    key = models.PositiveIntegerField()
    wkb = models.BinaryField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("composition", "key"), name="outline_key"),)

    def __str__(self) -> str:
        return f"outline {self.key}"


class Entry(models.Model):
    """One edit in the journal: the change it made and the one that takes it back (see journal.py)."""

    composition = models.ForeignKey(Composition, models.CASCADE, related_name="entries", db_index=False)
    seq = models.PositiveIntegerField()
    label = models.CharField(max_length=120)
    before = models.JSONField()
    after = models.JSONField()
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("seq",)
        constraints = (models.UniqueConstraint(fields=("composition", "seq"), name="entry_seq"),)

    def __str__(self) -> str:
        return self.label


class Draft(LongWork):
    """A drawing that was brought and is not accepted yet, with what was found in it."""

    uid = models.UUIDField(default=uuid.uuid4, unique=True, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="drafts")
    name = models.CharField(max_length=120)
    file_name = models.CharField(max_length=200)
    data = models.BinaryField()
    way = models.CharField(max_length=20, blank=True)
    """How it becomes a work where it is no flat picture (see ways.py): at once, without being looked at before."""
    knobs = models.JSONField(default=dict)
    """How large and how it is to be read, as the person typed it."""
    font = models.BinaryField(default=b"")
    over = models.BinaryField(default=b"")
    """A photo that is laid over pieces, to part them by its tones."""
    result = models.JSONField(null=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-created",)

    def __str__(self) -> str:
        return self.name


class DatePlan(LongWork):
    """The dates that people go by (`sittings`, by step: begin, end, who, minutes to set up), and the search for better
    ones outside the request: `found` is the best so far, `told` what it comes to, for one revision of the work.
    `version` is another when the kept dates change."""

    composition = models.OneToOneField(Composition, models.CASCADE, related_name="dates")
    sittings = models.JSONField(default=dict)
    version = models.PositiveIntegerField(default=0)
    revision = models.PositiveIntegerField(default=0)
    seconds = models.PositiveIntegerField(default=10)
    state = models.CharField(max_length=10, choices=LongWork.State.choices, default=LongWork.State.NONE)
    found = models.JSONField(default=dict)
    told = models.JSONField(default=dict)
    exported = models.JSONField(default=dict)
    """Ids of sittings that a calendar file told, with their steps."""

    def __str__(self) -> str:
        return f"dates of {self.composition_id}"


class LayoutSearch(LongWork):
    """A search for a better layout of a work's parts on its shop's boards, outside the request. `places` is the best so
    far (part to place), `told` what it comes to; it holds for one revision of the work and one state of the rack."""

    composition = models.OneToOneField(Composition, models.CASCADE, related_name="search")
    revision = models.PositiveIntegerField()
    seconds = models.PositiveIntegerField(default=30)
    places = models.JSONField(default=dict)
    told = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"layout of {self.composition_id}"
