"""A change of a composition: only what becomes different, so that it can be stored, journalled and undone in few bytes.

`applied` makes the new composition; `inverse` is the change that takes it back. Both are exact.
"""

from dataclasses import dataclass, field, replace
from typing import Any

import shapely

from ..outline.coverage import Coverage
from ..practice import Practice
from .composition import Composition, Layer, Piece


@dataclass(frozen=True)
class Born:
    """A piece that comes to be, with the layer it lies in."""

    layer: int
    piece: Piece
    outline: shapely.Polygon


@dataclass(frozen=True)
class Edit:
    """`pieces`: key to changed fields. `composition`: changed fields of the work itself. `outlines`: new outlines of
    pieces that stay. `layers`: layer key to its changed fields (all of them, `position` included, for a new layer),
    or None for a layer that goes."""

    label: str
    pieces: dict[int, dict[str, Any]] = field(default_factory=dict)
    composition: dict[str, Any] = field(default_factory=dict)
    outlines: dict[int, shapely.Polygon] = field(default_factory=dict)
    born: dict[int, Born] = field(default_factory=dict)
    gone: tuple[int, ...] = ()
    layers: dict[int, dict[str, Any] | None] = field(default_factory=dict)

    @property
    def is_empty(self) -> bool:
        return not (self.pieces or self.composition or self.reshapes)

    @property
    def reshapes(self) -> bool:
        """Whether outlines, openings or layers change, not only what is decided about them."""
        opened = any("opening" in fields for fields in self.pieces.values())
        return bool(self.outlines or self.born or self.gone or self.layers or opened)


LAYER_FIELDS = ("name", "kind", "thickness_mm", "material", "note", "trim_flush")


def applied(composition: Composition, edit: Edit) -> Composition:
    """The composition after the edit; keys once given are never given again. Layers that do not change are the same objects, with all that is known of them."""
    fields = dict(edit.composition)
    if "practice" in fields:
        fields["practice"] = Practice.from_dict(fields["practice"])
    layers = [_layer(layer, edit) for layer in composition.layers if edit.layers.get(layer.key, 0) is not None]
    known = {layer.key for layer in composition.layers}
    for key, values in edit.layers.items():
        if key not in known and values is not None:
            layers.append(_new_layer(key, values, edit))
    if edit.layers:
        place = {layer.key: i for i, layer in enumerate(composition.layers)}
        place |= {key: values["position"] for key, values in edit.layers.items() if values and "position" in values}
        layers.sort(key=lambda layer: place[layer.key])
    last = max([composition.last_key, *edit.born])
    return replace(composition, layers=tuple(layers), last_key=last, **fields)


def _new_layer(key: int, values: dict, edit: Edit) -> Layer:
    born = {k: b for k, b in edit.born.items() if b.layer == key}
    coverage = Coverage(list(born), [b.outline for b in born.values()])
    return Layer(key, coverage=coverage, pieces=tuple(b.piece for b in born.values()),
                 **{name: values[name] for name in LAYER_FIELDS})  # fmt: skip


def _layer(layer: Layer, edit: Edit) -> Layer:
    mine = layer.by_key
    gone = [key for key in edit.gone if key in mine]
    born = {key: b for key, b in edit.born.items() if b.layer == layer.key}
    outlines = {key: o for key, o in edit.outlines.items() if key in mine}
    fields = {key: values for key, values in edit.pieces.items() if key in mine}
    values = {k: v for k, v in (edit.layers.get(layer.key) or {}).items() if k in LAYER_FIELDS}
    if not (gone or born or outlines or fields or values):
        return layer
    coverage = layer.coverage
    if gone or born or outlines:
        coverage = coverage.replaced(outlines | {key: b.outline for key, b in born.items()}, gone)
    out = set(gone)
    pieces = [replace(p, **fields[p.key]) if p.key in fields else p for p in layer.pieces if p.key not in out]
    pieces += [b.piece for b in born.values()]
    if born:
        # pieces stand by key, as they are read back from where they are kept
        pieces.sort(key=lambda p: p.key)
        coverage = coverage.in_order([p.key for p in pieces])
    return replace(layer, coverage=coverage, pieces=tuple(pieces), **values)


def inverse(composition: Composition, edit: Edit) -> Edit:
    """The edit that takes `edit`, made on this composition, back."""
    home = {p.key: layer for layer in composition.layers for p in layer.pieces}
    gone = {key: Born(home[key].key, home[key].by_key[key], home[key].coverage.by_key[key]) for key in edit.gone}
    pieces = {
        key: {name: getattr(home[key].by_key[key], name) for name in fields} for key, fields in edit.pieces.items()
    }
    fields = {name: _plain(getattr(composition, name)) for name in edit.composition}
    known = {layer.key: (i, layer) for i, layer in enumerate(composition.layers)}
    layers: dict[int, dict[str, Any] | None] = {}
    for key, values in edit.layers.items():
        if key not in known:
            layers[key] = None
            continue
        place, layer = known[key]
        names = (*LAYER_FIELDS, "position") if values is None else tuple(values)
        layers[key] = {name: place - 0.5 if name == "position" else getattr(layer, name) for name in names}
    outlines = {key: home[key].coverage.by_key[key] for key in edit.outlines}
    return Edit(edit.label, pieces, fields, outlines, gone, tuple(edit.born), layers)


def _plain(value):
    return value.as_dict() if isinstance(value, Practice) else value
