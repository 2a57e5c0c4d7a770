"""Everything that writes a composition. Each action is one transaction and stands in the journal."""

import datetime as dt
from collections import defaultdict
from collections.abc import Collection, Iterator
from dataclasses import asdict, replace
from typing import Any

import shapely
from django.db import transaction

from emberquilt.errors import EmberError
from emberquilt.formats.project import Project, own_woods, read_planned
from emberquilt.intake.simpler import simpler
from emberquilt.pattern.fresh import composition_of
from emberquilt.practice import Practice
from emberquilt.work.change import LAYER_FIELDS, Edit, applied, inverse, with_decisions
from emberquilt.work.composition import Composition
from emberquilt.work.copies import any_copy
from emberquilt.work.passed_on import Origin
from emberquilt.work.verbs import edit
from workshop.bench.kept_log import keep_log, log_of
from workshop.shop.actions import bring_woods

from . import models, store, worked_out
from .beside import along, keep_along
from .journal import as_json, from_json
from .proposals import proposed


class Stale(EmberError):
    """The page that asked has not seen the newest state; nothing was written."""


def perform(
    row: models.Composition, revision: int, verb: str, keys: list[int], values: dict[str, Any], layer: int = 0
) -> models.Composition:
    """One edit of a composition that the page saw at `revision`: of the pieces chosen, or of the layer that is shown (0
    where several are). The row returned says in `made` what was changed. Raises `Stale`, `BadChoice` or `BadLength`.
    """
    # while somebody writes all others wait, so it is worked out before, on the state that the page saw
    before = store.load(row) if row.revision == revision else None
    made = edit(before, verb, keys, values, layer) if before else Edit("")
    with transaction.atomic():
        locked = _locked(row, revision)
        seen = store.load(locked)
        if seen is not before:
            made = edit(seen, verb, keys, values, layer)
        if not made.is_empty:
            _write(locked, _as_seen(made, seen, store.as_kept(locked)))
    locked.made = made
    return locked


def _as_seen(made: Edit, seen: Composition, kept: Composition) -> Edit:
    """The edit with what the page showed of decisions: what is kept may still speak of pieces that an earlier version
    let go."""
    then = seen.decisions.changed(made.composition.get("decisions", {}))
    return replace(made, composition=with_decisions(made.composition, kept.decisions, then))


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
    back = inverse(store.as_kept(row), made)
    row.entries.filter(seq__gt=row.cursor).delete()
    row.cursor += 1
    models.Entry.objects.create(
        composition=row, seq=row.cursor, label=made.label[:120], before=as_json(back), after=as_json(made)
    )
    _apply(row, made)


def _apply(row: models.Composition, made: Edit) -> None:
    """Write what changes; the composition that comes of it is remembered once it is safe."""
    composition = applied(store.as_kept(row), made)
    gone = list(made.gone)
    for keys in _some(gone):
        row.pieces.filter(key__in=keys).delete()
        row.outlines.filter(key__in=keys).delete()
    if made.born:
        store.save_pieces(row, ((b.layer, b.piece, b.outline) for b in made.born.values()))
    _apply_layers(row, made, composition)
    alike: dict[tuple, list[int]] = defaultdict(list)
    for key, values in made.pieces.items():
        alike[tuple(sorted(values.items()))].append(key)
    for values, same in alike.items():
        for keys in _some(same):
            row.pieces.filter(key__in=keys).update(**dict(values))
    if made.outlines:
        rows = {o.key: o for keys in _some(list(made.outlines)) for o in row.outlines.filter(key__in=keys)}
        for key, outline in made.outlines.items():
            rows[key].wkb = shapely.to_wkb(outline)
        models.Outline.objects.bulk_update(rows.values(), ["wkb"], batch_size=200)
    if made.reshapes or any("grain_deg" in values for values in made.pieces.values()):
        # what lies on a board has another outline, or lies otherwise, now
        store.save_placements(row, composition.placements | made.placements, composition)
    else:
        store.save_placements(row, made.placements, composition)
    if "name" in made.composition:
        store.laid_otherwise(row.owner)
    for name, value in made.composition.items():
        setattr(row, name, composition.decisions.as_dict() if name == "decisions" else value)
    row.revision += 1
    row.shape_revision += made.reshapes
    row.last_key = composition.last_key
    row.save(update_fields=["revision", "shape_revision", "cursor", "last_key", "updated", *made.composition])
    transaction.on_commit(lambda made=row.revision: store.keep(row, made, composition))


def _apply_layers(row: models.Composition, made: Edit, composition: Composition) -> None:
    if not made.layers:
        return
    position = {layer.key: i for i, layer in enumerate(composition.layers)}
    row.layers.filter(key__in=[key for key, values in made.layers.items() if values is None]).delete()
    for layer in composition.layers:
        values = {name: getattr(layer, name) for name in LAYER_FIELDS}
        row.layers.update_or_create(key=layer.key, defaults=values | {"position": position[layer.key]})


def _some(keys: list[int], most: int = 900) -> Iterator[list[int]]:
    """The keys in handfuls that one statement can name."""
    return (keys[i : i + most] for i in range(0, len(keys), most))


def undo(row: models.Composition, revision: int) -> models.Composition:
    """Take the last edit back; the row returned says in `made` what was changed (None when there is nothing)."""
    return _walk(row, revision, -1)


def redo(row: models.Composition, revision: int) -> models.Composition:
    """Make the edit again that was taken back last."""
    return _walk(row, revision, 1)


def _walk(row: models.Composition, revision: int, step: int) -> models.Composition:
    if row.revision == revision:
        # read before anybody has to wait for it
        store.as_kept(row)
    with transaction.atomic():
        locked = _locked(row, revision)
        entry = locked.entries.filter(seq=locked.cursor + (step > 0)).first()
        locked.made = None
        if entry is not None:
            locked.cursor += step
            locked.made = from_json(entry.after if step > 0 else entry.before, store.as_kept(locked))
            _apply(locked, locked.made)
    return locked


def create(owner, composition: Composition, source_name: str = "", source: bytes = b"") -> models.Composition:
    with transaction.atomic():
        return store.save_new(owner, composition, source_name, source)


def accept_draft(draft: models.Draft, name: str, practice: Practice, most: int = 0) -> models.Composition:
    """The pieces found in a draft, no more than `most` of them, become a composition of its owner; the draft goes."""
    title = " ".join(name.split())[:120] or draft.name
    with transaction.atomic():
        if not models.Draft.objects.filter(pk=draft.pk).delete()[0]:
            raise Stale("These pieces were accepted in another window; find the picture on the shelf.")
        composition = composition_of(simpler(proposed(draft), most), title, practice)
        row = store.save_new(draft.owner, composition, draft.file_name, bytes(draft.data))
        return row


def bring_project(owner, data: bytes) -> models.Composition:
    """A project file as a new composition of this owner, with its log. Raises `BadProject`; then nothing is kept."""
    return bring(owner, read_planned(data))


def bring(owner, project: Project) -> models.Composition:
    """A project as a new composition of this owner."""
    with transaction.atomic():
        spoken_of = [int(name) for event in project.log if (name := any_copy(event["part"])).isdecimal()]
        composition = replace(project.composition, last_key=max(spoken_of, default=0))
        bring_woods(owner, own_woods(composition))
        row = store.save_new(owner, composition, project.source_name, project.source)
        if project.origin:
            row.origin = asdict(project.origin)
            row.save(update_fields=["origin"])
        keep_log(row, project.log)
        keep_along(row, project.beside)
    return row


def project_of(row: models.Composition, now: dt.datetime, wished: Collection[str] = ()) -> Project:
    """What leaves with its file; `wished`: what is to go along (see beside.py)."""
    source = models.Source.objects.filter(composition=row).values_list("data", flat=True).first()
    return Project(
        store.load(row),
        now.isoformat(timespec="seconds"),
        log_of(row),
        row.source_name,
        bytes(source or b""),
        Origin(**row.origin),
        along(row, wished),
    )


def discard(row: models.Composition) -> None:
    uid = row.uid
    with transaction.atomic():
        owner = row.owner
        row.delete()
        store.laid_otherwise(owner)
    worked_out.forget(uid)
