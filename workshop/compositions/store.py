"""Between rows and the core's composition. Coverages are kept while their outlines do not change."""

from collections import OrderedDict
from threading import Lock

import numpy as np
import shapely

from emberquilt.composition import Composition, Layer, Piece
from emberquilt.findings import Finding
from emberquilt.pattern.coverage import Coverage
from emberquilt.practice import Practice

from . import models

KEPT = 12


class Kept:
    """A few recent values by key, oldest forgotten first. Values are immutable, so sharing them is safe."""

    def __init__(self, most: int):
        self._values: OrderedDict = OrderedDict()
        self._most = most
        self._lock = Lock()

    def get(self, key, make):
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                return self._values[key]
        value = make()
        with self._lock:
            self._values[key] = value
            while len(self._values) > self._most:
                self._values.popitem(last=False)
        return value


_coverages = Kept(KEPT)
_compositions = Kept(KEPT)


def load(row: models.Composition) -> Composition:
    """The composition of a row, as it stands at the row's revision."""
    return _compositions.get((row.uid, row.revision), lambda: _read(row))


def _read(row: models.Composition) -> Composition:
    layer_of: dict[int, list[Piece]] = {}
    fields = ("layer_key", "key", "number", "wood", "grain_deg", "thickness_mm", "shim_mm", "part", "colour")
    for layer_key, *values in row.pieces.order_by("key").values_list(*fields):
        layer_of.setdefault(layer_key, []).append(Piece(*values))
    coverages = _coverages.get((row.uid, row.shape_revision), lambda: _read_outlines(row, layer_of))
    layers = tuple(
        Layer(layer.key, layer.name, layer.kind, coverages[layer.key], tuple(layer_of[layer.key]))
        for layer in row.layers.all()
    )
    return Composition(
        row.name,
        row.width_mm,
        row.height_mm,
        layers,
        Practice.from_dict(row.practice),
        row.pins,
        str(row.uid),
        tuple(Finding.from_dict(values) for values in row.intake),
    )


def _read_outlines(row: models.Composition, layer_of: dict[int, list[Piece]]) -> dict[int, Coverage]:
    stored = dict(row.outlines.values_list("key", "wkb"))
    table = {}
    for layer_key, pieces in layer_of.items():
        keys = [p.key for p in pieces]
        table[layer_key] = Coverage(keys, list(shapely.from_wkb([bytes(stored[key]) for key in keys])))
    return table


def save_new(owner, composition: Composition, source_name: str = "", source: bytes = b"") -> models.Composition:
    """Rows for a composition that is not kept yet. Call inside a transaction."""
    row = models.Composition.objects.create(
        owner=owner,
        name=composition.name,
        width_mm=composition.width_mm,
        height_mm=composition.height_mm,
        practice=composition.practice.as_dict(),
        pins=composition.pins,
        intake=[finding.as_dict() for finding in composition.intake_findings],
        source_name=source_name,
    )
    if source:
        models.Source.objects.create(composition=row, data=source)
    for layer in composition.layers:
        models.Layer.objects.create(composition=row, key=layer.key, name=layer.name, kind=layer.kind)
        models.Piece.objects.bulk_create(
            models.Piece(
                composition=row,
                layer_key=layer.key,
                key=p.key,
                number=p.number,
                wood=p.wood,
                grain_deg=p.grain_deg,
                thickness_mm=p.thickness_mm,
                shim_mm=p.shim_mm,
                part=p.part,
                colour=p.colour,
            )
            for p in layer.pieces
        )
        binaries = shapely.to_wkb(np.array(layer.coverage.outlines))
        models.Outline.objects.bulk_create(
            models.Outline(composition=row, key=key, wkb=wkb)
            for key, wkb in zip(layer.coverage.keys, binaries, strict=True)
        )
    return row
