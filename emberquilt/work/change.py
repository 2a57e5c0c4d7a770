"""A change of a composition: only what becomes different, so that it can be stored, journalled and undone in few bytes.

`applied` makes the new composition; `inverse` is the change that takes it back. Both are exact. `carried` lets
decisions and placements follow what an edit does to pieces.
"""

from dataclasses import asdict, dataclass, field, replace
from typing import Any

import numpy as np
import shapely

from ..outline.coverage import Coverage
from ..practice import Practice
from .composition import Composition, Layer, Piece, Placement
from .decisions import Affine, Decisions, Reshaped


@dataclass(frozen=True)
class Born:
    """A piece that comes to be, with the layer it lies in."""

    layer: int
    piece: Piece
    outline: shapely.Polygon


@dataclass(frozen=True)
class Edit:
    """`pieces`: key to changed fields. `composition`: changed fields of the work itself; of its decisions only the
    stations that change, each whole, as plain values. `outlines`: new outlines of pieces that stay. `layers`: layer key
    to its changed fields (all of them, `position` included, for a new layer), or None for a layer that goes.
    `placements`: part key to where it comes from, or None."""

    label: str
    pieces: dict[int, dict[str, Any]] = field(default_factory=dict)
    composition: dict[str, Any] = field(default_factory=dict)
    outlines: dict[int, shapely.Polygon] = field(default_factory=dict)
    born: dict[int, Born] = field(default_factory=dict)
    gone: tuple[int, ...] = ()
    layers: dict[int, dict[str, Any] | None] = field(default_factory=dict)
    placements: dict[str, Placement | None] = field(default_factory=dict)
    move: Affine | None = field(default=None, compare=False)
    """How everything is moved besides, as a whole; it is in `outlines` already and only tells what was drawn to
    follow."""

    @property
    def is_empty(self) -> bool:
        return not (self.pieces or self.composition or self.placements or self.reshapes)

    @property
    def reshapes(self) -> bool:
        """Whether outlines, openings or layers change, not only what is decided about them."""
        opened = any("opening" in fields for fields in self.pieces.values())
        return bool(self.outlines or self.born or self.gone or self.layers or opened)


LAYER_FIELDS = ("name", "kind", "thickness_mm", "material", "note", "trim_flush")


def applied(composition: Composition, edit: Edit) -> Composition:
    """The composition after the edit; keys once given are never given again. Layers that do not change are the same
    objects, with all that is known of them."""
    fields = dict(edit.composition)
    if "practice" in fields:
        fields["practice"] = Practice.from_dict(fields["practice"])
    if "decisions" in fields:
        fields["decisions"] = composition.decisions.changed(fields["decisions"])
    if edit.placements:
        kept = dict(composition.placements) | edit.placements
        fields["placements"] = {key: place for key, place in sorted(kept.items()) if place is not None}
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
    return Layer(
        key,
        coverage=coverage,
        pieces=tuple(b.piece for b in born.values()),
        **{name: values[name] for name in LAYER_FIELDS},
    )


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
    home = composition.home
    gone = {key: Born(home[key].key, home[key].by_key[key], home[key].coverage.by_key[key]) for key in edit.gone}
    pieces = {
        key: {name: getattr(home[key].by_key[key], name) for name in fields} for key, fields in edit.pieces.items()
    }
    fields = {name: _plain(getattr(composition, name), edit.composition[name]) for name in edit.composition}
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
    placements = {key: composition.placements.get(key) for key in edit.placements}
    return Edit(edit.label, pieces, fields, outlines, gone, tuple(edit.born), layers, placements)


def _plain(value, changed):
    if isinstance(value, Decisions):
        told = value.as_dict()
        return {station: told.get(station, {}) for station in changed}
    return value.as_dict() if isinstance(value, Practice) else value


def decided(composition: Composition, label: str, station: str, **values) -> Edit:
    """An edit of what is decided at a station; empty where nothing becomes different."""
    now = composition.decisions
    then = replace(now, **{station: replace(getattr(now, station), **values)})
    return Edit(label, {}, with_decisions({}, now, then))


def with_decisions(fields: dict[str, Any], now: Decisions, then: Decisions) -> dict[str, Any]:
    """Changed fields of a work, the stations whose decisions differ among them."""
    different = now.different(then)
    rest = {name: value for name, value in fields.items() if name != "decisions"}
    return rest | ({"decisions": different} if different else {})


def carried(composition: Composition, edit: Edit) -> Edit:
    """The edit with all decisions and placements following what it does to pieces and layers."""
    if not (edit.reshapes or edit.move):
        return edit
    now = composition.decisions
    then = now.changed(edit.composition.get("decisions", {}))
    if edit.move is not None:
        then = then.moved(edit.move)
    made = applied(composition, edit)
    placements = dict(edit.placements)
    if edit.gone or edit.born or edit.layers or any("opening" in fields for fields in edit.pieces.values()):
        left = frozenset(p.key for p in made.made)
        then = then.after(_reshaped(composition, edit, made, left))
        for key in composition.placements:
            piece = key.partition("/")[0]
            if piece.isdecimal() and int(piece) not in left:
                placements[key] = None
    return replace(edit, composition=with_decisions(edit.composition, now, then), placements=placements)


def with_subjects(composition: Composition) -> Composition:
    """Without what is said of pieces and layers that are not there, as works of earlier versions may say; what is let
    go is remembered as lost. The same object where nothing is."""
    made = frozenset(p.key for p in composition.made)
    layers = frozenset(layer.key for layer in composition.layers)
    decisions = composition.decisions.after(
        Reshaped(pieces=made, layers=layers, every=frozenset(p.key for p in composition.pieces()))
    )
    kept = {
        key: place
        for key, place in composition.placements.items()
        if not (name := key.partition("/")[0]).isdecimal() or int(name) in made
    }
    if decisions == composition.decisions and len(kept) == len(composition.placements):
        return composition
    return replace(composition, decisions=decisions, placements=kept)


def _reshaped(before: Composition, edit: Edit, after: Composition, left: frozenset[int]) -> Reshaped:
    """Who took whose place: a piece that is gone, or is an opening now, lies in its heir, a new piece in its parent."""
    opened = [key for key, fields in edit.pieces.items() if fields.get("opening")]
    was = before.home
    lost = [key for key in (*edit.gone, *opened) if not was[key].by_key[key].opening]
    old = [*dict.fromkeys((*edit.outlines, *edit.gone, *opened))]
    made = {key: after.home[key].coverage.by_key[key] for key in (*edit.outlines, *edit.born) if key in left}
    heirs = _within(lost, _moved([was[key].coverage.by_key[key] for key in lost], edit.move), made)
    then = dict(zip(old, _moved([was[key].coverage.by_key[key] for key in old], edit.move), strict=True))
    parents = _within(list(edit.born), [b.outline for b in edit.born.values()], then)
    every = frozenset(p.key for p in after.pieces())
    return Reshaped(heirs, parents, left, frozenset(layer.key for layer in after.layers), every)


def _moved(outlines: list[shapely.Polygon], move: Affine | None) -> list[shapely.Polygon]:
    if move is None or not outlines:
        return outlines
    a, b, c, d, e, f = move
    turn, shift = np.array([[a, d], [b, e]]), np.array([c, f])
    return list(shapely.transform(np.array(outlines), lambda xy: xy @ turn + shift))


def _within(keys: list[int], outlines: list, around: dict[int, shapely.Polygon]) -> dict[int, int]:
    """For each outline the key of the smallest of `around` that holds a place well inside it."""
    if not keys or not around:
        return {}
    holders, shapes = list(around), np.array(list(around.values()))
    points = shapely.point_on_surface(np.array(outlines))
    which, found = shapely.STRtree(shapes).query(points, predicate="intersects")
    area = shapely.area(shapes)
    best: dict[int, int] = {}
    for i, j in zip(which.tolist(), found.tolist(), strict=True):
        if keys[i] not in best or area[j] < area[best[keys[i]]]:
            best[keys[i]] = j
    return {key: holders[j] for key, j in best.items()}


def as_plain(place: Placement | None) -> dict[str, Any] | None:
    return None if place is None else asdict(place)
