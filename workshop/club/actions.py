"""Showing a work to others, and the club’s shelf of patterns."""

from dataclasses import asdict
from typing import Any

from django.contrib.auth import get_user_model
from django.db import transaction
from django.utils import timezone

from emberquilt.drawing.panel import dress_json, shapes_json
from emberquilt.errors import BadChoice
from emberquilt.formats.project import read_project, write_project
from emberquilt.layers.stacked import from_afar
from emberquilt.work.passed_on import Origin, origin_of
from workshop.compositions import store
from workshop.compositions.actions import bring, project_of
from workshop.compositions.models import Composition, Share
from workshop.entry.allowance import need_bytes
from workshop.shop.actions import practice_of

from .models import Pattern

MOST_SHARES = 40
MOST_PATTERNS = 500
"""On the shelf, of one person."""


def show_to(row: Composition, name: str, may: str) -> Share:
    """Show a work to the account of this name; a word said before is said anew. Raises `BadChoice`."""
    if may not in Share.May.values:
        raise BadChoice("Say what they may: look at it, take a copy, or work on it too.")
    person = get_user_model().objects.filter(username__iexact=name.strip(), is_active=True).first()
    if person is None:
        raise BadChoice(f"Nobody here has the account “{name.strip()[:40]}”.")
    if person.pk == row.owner_id:
        raise BadChoice("This work is your own.")
    with transaction.atomic():
        if row.shares.exclude(person=person).count() >= MOST_SHARES:
            raise BadChoice(f"A work is shown to {MOST_SHARES} others at most. Put it on the club’s shelf instead.")
        share, _ = Share.objects.update_or_create(composition=row, person=person, defaults={"may": may})
    return share


def show_no_longer(row: Composition, pk: int) -> None:
    row.shares.filter(pk=pk).delete()


def leave_alone(row: Composition, person) -> None:
    """Somebody no longer wants to be shown a work."""
    share = row.shares.filter(person=person).first()
    if share is not None:
        show_no_longer(row, share.pk)


def copy_for(person, row: Composition) -> Composition:
    """A copy of the work on another's own shelf, in their shop's practice."""
    project = project_of(row, timezone.now()).passed_on(practice_of(person))
    return bring(person, project)


def tell_origin(row: Composition, values: dict) -> Origin:
    """Note who drew it and how it may be used. Raises `BadChoice`."""
    told = origin_of(values)
    Composition.objects.filter(pk=row.pk).update(origin=asdict(told) if told else {})
    row.origin = asdict(told) if told else {}
    return told


def put_on_shelf(row: Composition, values: dict) -> Pattern:
    """Put a work on the club's shelf as it is now, in the place of what was put there of it before. Raises
    `BadChoice`."""
    told = origin_of(values)
    if not told.by or not told.source:
        raise BadChoice("Say who drew it, and where it is from.")
    if not told.licence:
        raise BadChoice("Say how it may be used.")
    if not told.may_be_shown:
        raise BadChoice("What was bought or borrowed for one person alone cannot be put on the club’s shelf.")
    with transaction.atomic():
        if row.owner.patterns.exclude(composition=row).count() >= MOST_PATTERNS:
            raise BadChoice(f"{MOST_PATTERNS} patterns of yours are on the club’s shelf. Take one down first.")
        tell_origin(row, values)
        project = project_of(row, timezone.now()).passed_on()
        put = {
            "by": row.owner,
            "name": row.name,
            "origin": asdict(told),
            "told": _told(row),
            "scene": _scene(row),
            "data": write_project(project),
        }
        need_bytes(row.owner, len(put["data"]))
        return Pattern.objects.update_or_create(composition=row, defaults=put)[0]


def _told(row: Composition) -> dict[str, Any]:
    work = store.as_kept(row)
    woods = {p.wood for p in work.made if p.wood}
    return {
        "width_mm": work.width_mm,
        "height_mm": work.height_mm,
        "pieces": len(work.made),
        "layers": len(work.layers),
        "woods": len(woods),
    }


def _scene(row: Composition) -> dict[str, Any]:
    scene = from_afar(store.load(row))
    return shapes_json(scene) | {"dress": dress_json(scene)}


def take_down(person, pattern: Pattern) -> None:
    """Raises `BadChoice` where it is another's."""
    if pattern.by_id != person.pk:
        raise BadChoice("Whoever put a pattern on the shelf takes it down.")
    pattern.delete()


def take_pattern(person, pattern: Pattern) -> Composition:
    """A pattern of the shelf as a work of one's own."""
    project = read_project(bytes(pattern.data))
    return bring(person, project.passed_on(practice_of(person)))
