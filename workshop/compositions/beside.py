"""What goes along with a work's project file when it is wished, and comes back from one."""

import datetime as dt
from collections.abc import Collection

from django.utils import timezone

from emberquilt.errors import BadProject
from emberquilt.formats.beside import MOST_JOURNAL, Beside, BoardAlong, Photo
from emberquilt.work.change import LAYER_FIELDS, applied
from emberquilt.work.composition import Composition, Layer
from workshop.bench.models import Snapshot, Story
from workshop.shop import actions as shop
from workshop.shop.models import Board, BoardPhoto

from . import models, store
from .journal import from_json

WISHES = {
    "photos": "photos from the bench, and its story",
    "boards": "the boards its parts lie on, with their photos",
    "journal": "what was changed, so that it can be undone there too",
}


def along(row: models.Composition, wished: Collection[str]) -> Beside:
    """What is wished to go along."""
    journal, cursor = _journal(row) if "journal" in wished else ((), 0)
    photos, story = _photos(row) if "photos" in wished else ((), {})
    return Beside(photos, story, _boards(row) if "boards" in wished else (), journal, cursor)


def _photos(row: models.Composition) -> tuple[tuple[Photo, ...], dict[str, str]]:
    photos = tuple(Photo(s.client, s.step, s.part, s.at.isoformat(), bytes(s.jpeg)) for s in row.snapshots.all())
    told = Story.objects.filter(composition=row).select_related("shot").first()
    if told is None:
        return photos, {}
    story = {"text": told.text, "care": told.care, "maker": told.maker, "shot": told.shot.client if told.shot else ""}
    return photos, {name: text for name, text in story.items() if text}


def _boards(row: models.Composition) -> tuple[BoardAlong, ...]:
    used = set(row.placements.values_list("board", flat=True))
    rows = shop.shop_of(row.owner).boards.filter(name__in=used)
    pictures = {one.board_id: one for one in BoardPhoto.objects.filter(board__in=rows)}
    return tuple(_board(one, pictures.get(one.pk)) for one in rows)


def _board(row: Board, picture: BoardPhoto | None) -> BoardAlong:
    board = shop.board_of(row)
    if picture is None or not picture.face:
        return BoardAlong(board)
    return BoardAlong(board, bytes(picture.data), picture.marks, bytes(picture.face), picture.px_per_mm)


def _journal(row: models.Composition) -> tuple[tuple[dict, ...], int]:
    """The latest edits, and how many of them are done."""
    rows = list(row.entries.order_by("-seq")[:MOST_JOURNAL])[::-1]
    told = ({"label": e.label, "at": e.at.isoformat(), "before": e.before, "after": e.after} for e in rows)
    return tuple(told), sum(e.seq <= row.cursor for e in rows)


def keep_along(row: models.Composition, beside: Beside) -> None:
    """Rows for what came along, inside a transaction. A board whose mark is on the rack already stays as it is there.
    Raises `BadProject` where the journal does not fit the work."""
    _keep_photos(row, beside)
    for one in beside.boards:
        _keep_board(row, one)
    _keep_journal(row, beside)


def _keep_photos(row: models.Composition, beside: Beside) -> None:
    for photo in beside.photos:
        Snapshot.objects.create(
            composition=row,
            client=photo.name,
            step=photo.step,
            part=photo.part,
            at=_when(photo.at),
            jpeg=photo.jpeg,
        )
    if beside.story:
        words = {name: beside.story[name] for name in ("text", "care", "maker") if name in beside.story}
        shot = row.snapshots.filter(client=beside.story.get("shot", "")).first()
        Story.objects.create(composition=row, shot=shot, **words)


def _keep_board(row: models.Composition, one: BoardAlong) -> None:
    board, own = one.board, shop.shop_of(row.owner)
    if own.boards.filter(name=board.name).exists():
        return
    if board.wood not in shop.rack_of(row.owner).shelf:
        raise BadProject(f"Board {board.name} is of a wood that is not on this shelf: “{board.wood[:40]}”.")
    made = shop.bring_board(row.owner, board, bool(one.face))
    if one.face:
        BoardPhoto.objects.create(board=made, data=one.data, marks=one.marks, face=one.face, px_per_mm=one.px_per_mm)


def _keep_journal(row: models.Composition, beside: Beside) -> None:
    """Each edit is tried on the work as it comes, back from here to the first, and on to the last that was undone; and
    each must take back just what it did."""
    if not beside.journal:
        return
    done, undone = beside.journal[: beside.cursor], beside.journal[beside.cursor :]
    here = store.as_kept(row)
    try:
        _tried(here, [(entry["before"], entry["after"]) for entry in reversed(done)])
        _tried(here, [(entry["after"], entry["before"]) for entry in undone])
    except Exception:
        raise BadProject("The journal in this project file does not fit its pieces; it is refused.") from None
    rows = (
        models.Entry(composition=row, seq=seq, label=e["label"], before=e["before"], after=e["after"])
        for seq, e in enumerate(beside.journal, 1)
    )
    made = models.Entry.objects.bulk_create(rows)
    for entry, told in zip(made, beside.journal, strict=True):
        entry.at = _when(told["at"])
    models.Entry.objects.bulk_update(made, ["at"], batch_size=200)
    row.cursor = beside.cursor
    row.save(update_fields=["cursor"])


def _tried(work: Composition, edits: list[tuple[dict, dict]]) -> None:
    """Raises whatever an edit that does not fit raises."""
    for there, back in edits:
        change = from_json(there, work)
        made = applied(work, change)
        if (change.outlines or change.born) and not all(layer.coverage.fits for layer in made.layers):
            raise ValueError("pieces overlap")
        if not _alike(applied(made, from_json(back, made)), work):
            raise ValueError("an edit does not take back what it did")
        work = made


def _alike(one: Composition, other: Composition) -> bool:
    return (
        (one.name, one.width_mm, one.height_mm) == (other.name, other.width_mm, other.height_mm)
        and one.practice == other.practice
        and one.decisions == other.decisions
        and dict(one.placements) == dict(other.placements)
        and len(one.layers) == len(other.layers)
        and all(map(_alike_layers, one.layers, other.layers))
    )


def _alike_layers(one: Layer, other: Layer) -> bool:
    if [getattr(one, name) for name in LAYER_FIELDS] != [getattr(other, name) for name in LAYER_FIELDS]:
        return False
    if sorted(one.pieces, key=lambda p: p.key) != sorted(other.pieces, key=lambda p: p.key):
        return False
    if one.coverage is other.coverage:
        return True
    theirs = other.coverage.by_key
    return all(outline.equals_exact(theirs[key], 0.0) for key, outline in one.coverage.by_key.items())


def _when(text: str) -> dt.datetime:
    at = dt.datetime.fromisoformat(text)
    return at if timezone.is_aware(at) else at.replace(tzinfo=dt.UTC)
