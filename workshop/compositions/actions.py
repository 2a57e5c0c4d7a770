"""Everything that writes a composition. Each action is one transaction and stands in the journal."""

import datetime as dt
from collections import defaultdict
from typing import Any

from django.db import transaction

from emberquilt.composition import Composition, composition_of
from emberquilt.edits import Edit, edit
from emberquilt.errors import EmberError
from emberquilt.formats.project import Project, read_project
from emberquilt.practice import Practice

from . import models, store
from .journal import Changes, pack, unpack
from .proposals import unpack_proposal


class Stale(EmberError):
    """The page that asked has not seen the newest state; nothing was written."""


def perform(
    row: models.Composition, revision: int, verb: str, keys: list[int], values: dict[str, Any]
) -> models.Composition:
    """One edit of a composition that the page saw at `revision`. Raises `Stale`, `BadChoice` or `BadLength`."""
    with transaction.atomic():
        locked = _locked(row, revision)
        made = edit(store.load(locked), verb, keys, values)
        if not made.is_empty:
            _write(locked, made)
    return locked


def _locked(row: models.Composition, revision: int) -> models.Composition:
    locked = models.Composition.objects.select_for_update().get(pk=row.pk)
    if locked.revision != revision:
        last = locked.entries.filter(seq=locked.cursor).values_list("label", flat=True).first() or "a change"
        raise Stale(
            f"This picture was changed in another window ({last}). Your last step was not made; "
            "the newest state is shown now. Do it again if you still want it."
        )
    return locked


def _write(row: models.Composition, made: Edit) -> None:
    before, after = _before(row, made), {"pieces": pack(made.pieces), "composition": made.composition}
    row.entries.filter(seq__gt=row.cursor).delete()
    row.cursor += 1
    models.Entry.objects.create(composition=row, seq=row.cursor, label=made.label[:120], before=before, after=after)
    _apply(row, made.pieces, made.composition)


def _before(row: models.Composition, made: Edit) -> dict:
    names = {name for fields in made.pieces.values() for name in fields}
    old = {p["key"]: p for p in row.pieces.filter(key__in=list(made.pieces)).values("key", *names)} if names else {}
    pieces = {key: {name: old[key][name] for name in fields} for key, fields in made.pieces.items()}
    return {"pieces": pack(pieces), "composition": {name: getattr(row, name) for name in made.composition}}


def _apply(row: models.Composition, pieces: Changes, fields: dict[str, Any]) -> None:
    """Set values, one statement for each set of pieces that get the same; then the composition's own row."""
    alike: dict[tuple, list[int]] = defaultdict(list)
    for key, values in pieces.items():
        alike[tuple(sorted(values.items()))].append(key)
    for values, keys in alike.items():
        for i in range(0, len(keys), 900):
            row.pieces.filter(key__in=keys[i : i + 900]).update(**dict(values))
    for name, value in fields.items():
        setattr(row, name, value)
    row.revision += 1
    row.save(update_fields=["revision", "cursor", "updated", *fields])


def undo(row: models.Composition, revision: int) -> str:
    """Take the last edit back; its label, or nothing when there is none."""
    with transaction.atomic():
        locked = _locked(row, revision)
        entry = locked.entries.filter(seq=locked.cursor).first()
        if entry is None:
            return ""
        locked.cursor -= 1
        _apply(locked, unpack(entry.before["pieces"]), entry.before["composition"])
        return entry.label


def redo(row: models.Composition, revision: int) -> str:
    """Make the edit again that was taken back last."""
    with transaction.atomic():
        locked = _locked(row, revision)
        entry = locked.entries.filter(seq=locked.cursor + 1).first()
        if entry is None:
            return ""
        locked.cursor += 1
        _apply(locked, unpack(entry.after["pieces"]), entry.after["composition"])
        return entry.label


def create(owner, composition: Composition, source_name: str = "", source: bytes = b"") -> models.Composition:
    with transaction.atomic():
        return store.save_new(owner, composition, source_name, source)


def accept_draft(draft: models.Draft, name: str, practice: Practice) -> models.Composition:
    """The pieces found in a draft become a composition of its owner; the draft goes."""
    title = " ".join(name.split())[:120] or draft.name
    with transaction.atomic():
        if not models.Draft.objects.filter(pk=draft.pk).delete()[0]:
            raise Stale("These pieces were accepted in another window; find the picture on the shelf.")
        composition = composition_of(unpack_proposal(draft.result), title, practice)
        row = store.save_new(draft.owner, composition, draft.file_name, bytes(draft.data))
        return row


def bring_project(owner, data: bytes) -> models.Composition:
    """A project file as a new composition of this owner, with its log. Raises `BadProject`; then nothing is kept."""
    from workshop.bench.actions import keep_log

    project: Project = read_project(data)
    with transaction.atomic():
        row = store.save_new(owner, project.composition, project.source_name, project.source)
        keep_log(row, project.log)
    return row


def project_of(row: models.Composition, now: dt.datetime) -> Project:
    from workshop.bench.actions import log_of

    source = models.Source.objects.filter(composition=row).values_list("data", flat=True).first()
    return Project(
        store.load(row), now.isoformat(timespec="seconds"), log_of(row), row.source_name, bytes(source or b"")
    )


def discard(row: models.Composition) -> None:
    with transaction.atomic():
        row.delete()
