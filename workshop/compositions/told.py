"""What the shelf says of a work, kept with its row: for which state it holds, and when it no longer does."""

from typing import Any

from .models import Composition


def state_of(row: Composition, shop) -> list[int]:
    return [row.revision, shop.revision]


def is_fresh(row: Composition, shop) -> bool:
    return row.told.get("state") == state_of(row, shop)


def is_endless(row: Composition, shop) -> bool:
    """A page of it found no end as it stands."""
    return row.told.get("endless", False) and is_fresh(row, shop)


def keep(row: Composition, told: dict[str, Any]) -> dict[str, Any]:
    """Write it, unless the work was edited meanwhile. It is no edit: neither the journal nor the date of change knows
    of it."""
    row.told = told
    Composition.objects.filter(pk=row.pk, revision=row.revision).update(told=told)
    return told


def forget(row: Composition) -> None:
    """Something that is no edit has changed, at the bench: what is kept is of an older state from now on."""
    row.told = row.told | {"state": []}
    Composition.objects.filter(pk=row.pk).update(told=row.told)
