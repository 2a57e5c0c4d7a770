"""Between rows and the core's composition. Coverages are kept while their outlines do not change."""

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, fields, replace
from hashlib import sha256
from uuid import UUID

import numpy as np
import shapely
from django.db.models import F

from emberquilt.findings import Finding
from emberquilt.lazy import lazy
from emberquilt.outline.coverage import Coverage
from emberquilt.practice import Practice
from emberquilt.rack.rack import Rack, Spoken
from emberquilt.work.change import LAYER_FIELDS, with_subjects
from emberquilt.work.composition import Composition, Layer, Piece, Placement
from emberquilt.work.copies import any_copy
from emberquilt.work.decisions import Decisions
from emberquilt.work.on_boards import on_boards
from emberquilt.work.parts import job_of
from workshop.entry.allowance import need_work
from workshop.kept import Kept
from workshop.shop.actions import rack_of, shop_of
from workshop.shop.models import Shop

from . import models
from .worked_out import outlines_known

KEPT = 24
ANOTHER = "another work"
PIECE_FIELDS = tuple(field.name for field in fields(Piece))


PIECES_KEPT = 8_000
"""A process keeps so many pieces at most, of however few works; what is planned of one takes some 50 kB."""


def pieces_in(composition: Composition) -> int:
    return sum(len(layer.pieces) for layer in composition.layers)


_coverages = Kept(KEPT, lambda layers: sum(len(one.keys) for one in layers.values()), PIECES_KEPT)
_compositions = Kept(KEPT, pieces_in, PIECES_KEPT)
_in_shop = Kept(KEPT, pieces_in, PIECES_KEPT)
_spoken = Kept(64)


def load(row: models.Composition) -> Composition:
    """The composition of a row, as it stands at the row's revision, with what its owner has on the rack."""
    shop = shop_of(row.owner)
    return _in_shop.get(state(row, shop), lambda: with_subjects(_with(as_kept(row), _rack_beside(row, shop))))


def state(row: models.Composition, shop: Shop) -> tuple:
    """What is worked out of a work hangs on this alone, but for the log and the clock."""
    mark = mark_of_others(row, shop)
    return row.uid, row.revision, shop.pk, shop.revision, mark, bool(mark) and _has_helpers(row)


@dataclass(frozen=True)
class _Laid:
    """What the works of a shop have laid on its boards, and a number of each work that stands for it."""

    parts: tuple[tuple[UUID, Spoken], ...]

    @lazy
    def numbers(self) -> dict[UUID, int]:
        table: dict[UUID, int] = {}
        for uid, one in self.parts:
            told = f"{one.board}\n{one.work}\n".encode() + shapely.to_wkb(one.outlines)
            table[uid] = table.get(uid, 0) + int.from_bytes(sha256(told).digest())
        return table

    @lazy
    def number(self) -> int:
        return sum(self.numbers.values())


def _laid(row: models.Composition, shop: Shop) -> _Laid:
    key = (shop.pk, shop.revision, shop.spoken)
    return _spoken.get(key, lambda: _Laid(tuple(_read_spoken(row.owner, rack_of(row.owner, shop)))))


def mark_of_others(row: models.Composition, shop: Shop) -> str:
    """Stands for what other works have laid on the shop's boards; empty where that is nothing."""
    laid = _laid(row, shop)
    return f"{left:x}" if (left := laid.number - laid.numbers.get(row.uid, 0)) else ""


def _has_helpers(row: models.Composition) -> bool:
    return row.shares.filter(may=models.Share.May.WORK).exists()


def _rack_beside(row: models.Composition, shop: Shop) -> Rack:
    """The shop's rack, with what other works have laid on its boards."""
    rack = rack_of(row.owner, shop)
    others = tuple(one for uid, one in _laid(row, shop).parts if uid != row.uid)
    if others and _has_helpers(row):
        # whoever works on this one sees where parts of others lie, not what they are called
        others = tuple(replace(one, work=ANOTHER) for one in others)
    return replace(rack, spoken_for=others) if others else rack


def laid_otherwise(owner) -> None:
    """Works of this owner lie otherwise on the boards, or are called otherwise."""
    Shop.objects.filter(owner=owner).update(spoken=F("spoken") + 1)


def _read_spoken(owner, rack: Rack) -> list[tuple[UUID, Spoken]]:
    lies: dict[tuple, list] = {}
    rows = models.Placement.objects.filter(composition__owner=owner, lies__isnull=False).order_by("pk")
    for uid, work, board, wkb in rows.values_list("composition__uid", "composition__name", "board", "lies"):
        if board in rack.by_name:
            lies.setdefault((uid, work, board), []).append(bytes(wkb))
    return [
        (uid, Spoken(board, work, shapely.union_all(shapely.from_wkb(some))))
        for (uid, work, board), some in lies.items()
    ]


def as_kept(row: models.Composition) -> Composition:
    """The composition of a row without any shop: also woods stand in it that are no longer on the shelf."""
    return _compositions.get((row.uid, row.revision), lambda: _read(row))


def _with(composition: Composition, rack: Rack) -> Composition:
    """The composition in this shop. A wood that is no longer on its shelf is none: its pieces wait for another."""
    lost = {p.wood for p in composition.pieces()} - rack.shelf.keys() - {""}
    layers = composition.layers
    if lost:
        layers = tuple(
            replace(layer, pieces=tuple(replace(p, wood="") if p.wood in lost else p for p in layer.pieces))
            for layer in layers
        )
        bare = {str(p.key) for p in composition.pieces() if p.wood in lost}
        kept = {key: place for key, place in composition.placements.items() if any_copy(key) not in bare}
        return replace(composition, rack=rack, layers=layers, placements=kept)
    return replace(composition, rack=rack)


def keep(row: models.Composition, revision: int, composition: Composition) -> None:
    """Remember what an edit that is safely written has made (of what is kept), so that it need not be read back."""
    _compositions.get((row.uid, revision), lambda: composition)


def _read(row: models.Composition) -> Composition:
    layer_of: dict[int, list[Piece]] = {}
    for layer_key, *values in row.pieces.order_by("key").values_list("layer_key", *PIECE_FIELDS):
        layer_of.setdefault(layer_key, []).append(Piece(*values))
    coverages = _coverages.get(
        (row.uid, row.shape_revision), lambda: outlines_known(row, _read_outlines(row, layer_of))
    )
    layers = tuple(
        Layer(
            layer.key,
            layer.name,
            layer.kind,
            coverages.get(layer.key) or Coverage((), ()),
            tuple(layer_of.get(layer.key, ())),
            layer.thickness_mm,
            layer.material,
            layer.note,
            layer.trim_flush,
        )
        for layer in row.layers.all()
    )
    return Composition(
        row.name,
        row.width_mm,
        row.height_mm,
        layers,
        Practice.from_dict(row.practice),
        Decisions.from_dict(row.decisions),
        str(row.uid),
        tuple(Finding.from_dict(values) for values in row.intake),
        last_key=row.last_key,
        placements={
            part: Placement(*values)
            for part, *values in row.placements.order_by("part").values_list("part", *PLACEMENT_FIELDS)
        },
    )


def _read_outlines(row: models.Composition, layer_of: dict[int, list[Piece]]) -> dict[int, Coverage]:
    stored = dict(row.outlines.values_list("key", "wkb"))
    table = {}
    for layer_key, pieces in layer_of.items():
        keys = [p.key for p in pieces]
        table[layer_key] = Coverage(keys, list(shapely.from_wkb([bytes(stored[key]) for key in keys])))
    return table


def save_new(owner, composition: Composition, source_name: str = "", source: bytes = b"") -> models.Composition:
    """Rows for a composition that is not kept yet, inside a transaction. Raises `BadChoice` where the account has room
    for none."""
    need_work(owner)
    row = models.Composition.objects.create(
        owner=owner,
        name=composition.name,
        width_mm=composition.width_mm,
        height_mm=composition.height_mm,
        practice=composition.practice.as_dict(),
        decisions=composition.decisions.as_dict(),
        intake=[finding.as_dict() for finding in composition.intake_findings],
        source_name=source_name,
        last_key=composition.next_key - 1,
    )
    if source:
        models.Source.objects.create(composition=row, data=source)
    for position, layer in enumerate(composition.layers):
        values = {name: getattr(layer, name) for name in LAYER_FIELDS}
        models.Layer.objects.create(composition=row, key=layer.key, position=position, **values)
        save_pieces(row, ((layer.key, p, layer.coverage.by_key[p.key]) for p in layer.pieces))
    save_placements(row, composition.placements, composition)
    return row


PLACEMENT_FIELDS = ("board", "x_mm", "y_mm", "turned_deg", "leaf", "nailed")


def save_placements(row: models.Composition, places: Mapping[str, Placement | None], composition: Composition) -> None:
    """Write where parts of the composition come from, over what was kept of these parts; None takes a part off its
    board."""
    if not places:
        return
    gone = [key for key, place in places.items() if place is None]
    lies: dict[str, bytes] = {}
    if len(gone) < len(places):
        there = replace(composition, rack=rack_of(row.owner))
        lies = {one.key: shapely.to_wkb(one.outline) for some in on_boards(job_of(there)).values() for one in some}
    for i in range(0, len(gone), 900):
        row.placements.filter(part__in=gone[i : i + 900]).delete()
    models.Placement.objects.bulk_create(
        (
            models.Placement(composition=row, part=key, lies=lies.get(key), **asdict(place))
            for key, place in places.items()
            if place is not None
        ),
        update_conflicts=True,
        unique_fields=("composition", "part"),
        update_fields=(*PLACEMENT_FIELDS, "lies"),
    )
    laid_otherwise(row.owner)


def save_pieces(row: models.Composition, pieces: Iterable[tuple[int, Piece, shapely.Polygon]]) -> None:
    """Rows for pieces that are not kept yet: the key of the layer of each, the piece and its outline."""
    given = list(pieces)
    models.Piece.objects.bulk_create(
        models.Piece(composition=row, layer_key=layer, **{name: getattr(p, name) for name in PIECE_FIELDS})
        for layer, p, _ in given
    )
    binaries = shapely.to_wkb(np.array([outline for _, _, outline in given]))
    models.Outline.objects.bulk_create(
        models.Outline(composition=row, key=p.key, wkb=wkb) for (_, p, _), wkb in zip(given, binaries, strict=True)
    )
