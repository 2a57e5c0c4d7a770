"""How much one account may have of what all share: works, room on the disk, and minutes of long work a day.

The usual measure is set for the whole server, another for one account by `run.py account NAME --works 50`. It is said
on the shelf before it bites, and what would go beyond it is refused in a sentence; nothing is ever taken away.
"""

from dataclasses import dataclass

from django.apps import apps
from django.conf import settings
from django.db.models import F, JSONField, Sum, TextField
from django.db.models.functions import Cast, Coalesce, Length
from django.utils import timezone

from emberquilt.errors import BadChoice
from workshop.longwork.models import Spent

from .models import Allowance

NEAR = 0.8
BYTES_PER_MB = 1_000_000
KEPT = (
    ("compositions.Source", "composition__owner", ("data",)),
    ("compositions.Outline", "composition__owner", ("wkb",)),
    ("compositions.Entry", "composition__owner", ("before", "after")),
    ("compositions.Draft", "owner", ("data", "font", "over", "result")),
    ("bench.Snapshot", "composition__owner", ("jpeg",)),
    ("pictures.FinalPicture", "composition__owner", ("png",)),
    ("shop.BoardPhoto", "board__shop__owner", ("data", "face")),
    ("club.Pattern", "by", ("data", "scene")),
)
"""What takes room: model, whose it is, and the fields that are large."""


@dataclass(frozen=True)
class Room:
    """What of something an account has used, and how much it may; 0 without limit."""

    what: str
    used: float
    most: int
    left_words: str

    @property
    def share(self) -> float:
        return min(1.0, self.used / self.most) if self.most else 0.0

    @property
    def near(self) -> bool:
        """Soon there is no more."""
        return bool(self.most) and self.used >= NEAR * self.most

    @property
    def words(self) -> str:
        """How it stands, before it bites."""
        left = max(0, int(self.most - self.used))
        return f"{self.used:,.0f} of {self.most:,} {self.what}: {self.left_words.format(left=f'{left:,}')}"


def most_of(person) -> dict[str, int]:
    """What this account may have."""
    own = Allowance.objects.filter(person=person).values("works", "megabytes", "minutes").first() or {}
    return {name: usual if own.get(name) is None else own[name] for name, usual in settings.ALLOWANCE.items()}


def rooms(person, counted: bool = False) -> list[Room]:
    """How much of everything is used. `counted`: bytes are counted anew, else they are those counted last."""
    most = most_of(person)
    if not any(most.values()):
        return []
    used = count_bytes(person) if counted else _used(person)
    return [
        Room("works", person.compositions.count(), most["works"], "{left} more can be begun."),
        Room("MB", used / BYTES_PER_MB, most["megabytes"], "{left} MB are free."),
        Room("minutes of long work today", _minutes(person), most["minutes"], "{left} are left until midnight (UTC)."),
    ]


def near(person) -> list[Room]:
    """What will soon be used up."""
    return [room for room in rooms(person) if room.near]


def _used(person) -> int:
    return Allowance.objects.filter(person=person).values_list("used_bytes", flat=True).first() or 0


def count_bytes(person) -> int:
    """Bytes of drawings, outlines, journals and photos of an account."""
    total = 0
    for name, owner, fields in KEPT:
        model = apps.get_model(name)
        sizes = {f"in_{field}": Coalesce(Sum(_length(model, field)), 0) for field in fields}
        total += sum(model.objects.filter(**{owner: person}).aggregate(**sizes).values())
    Allowance.objects.update_or_create(person=person, defaults={"used_bytes": total})
    return total


def _length(model, field: str):
    plain = model._meta.get_field(field)
    return Coalesce(Length(Cast(F(field), TextField()) if isinstance(plain, JSONField) else F(field)), 0)


def _minutes(person) -> float:
    spent = Spent.objects.filter(owner=person, day=timezone.now().date()).values_list("seconds", flat=True).first()
    return (spent or 0.0) / 60


MORE = "Whoever runs this workshop can give your account more."


def need_work(person) -> None:
    """One more work is begun. Raises `BadChoice`."""
    most = most_of(person)["works"]
    if most and person.compositions.count() >= most:
        raise BadChoice(
            f"Your account has room for {most:,} works, and as many are on the shelf. Take the project file of one and "
            f"throw it away, or ask for more. {MORE}"
        )


def need_bytes(person, more: int) -> None:
    """So many bytes more are kept. Raises `BadChoice`."""
    most = most_of(person)["megabytes"]
    if most and count_bytes(person) + more > most * BYTES_PER_MB:
        raise BadChoice(
            f"Your account has room for {most:,} MB, and this would be more. Throw away drafts, photos or works that "
            f"are no longer needed. {MORE}"
        )


def has_minutes(person) -> bool:
    most = most_of(person)["minutes"]
    return not most or _minutes(person) < most


def need_minutes(person) -> None:
    """Long work is asked for. Raises `BadChoice`."""
    if not has_minutes(person):
        most = most_of(person)["minutes"]
        raise BadChoice(
            f"Your account has {most:,} minutes of long work a day, and today’s are used up. They are given anew at "
            f"midnight (UTC). {MORE}"
        )
