"""Verbs that make and change layers: each a pure function from a composition, its layer in hand and values to an `Edit`."""

from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from .change import LAYER_FIELDS, Born, Edit
from .colour import lab_of
from .composition import LAYER_KINDS, Composition, Layer, Piece
from .errors import BadChoice
from .layers.bridges import bridge as bridges
from .layers.stack import sheet_faces
from .layers.stack import stack as stack_of
from .pattern.knobs import CHOICES
from .pattern.plates import plate
from .pattern.surgery import LEAST_MM2
from .reshaping import Values, closed_line, keys_of, length_of, named, reshaped, whole_number

MOST_LAYERS = 24
BRIDGE_MM = 4.0
"""Usual width of a bridge: common practice, no source."""
REACH_MM = 8.0
"""Usual strip to glue on between two sheets: common practice, no source."""


def _next_layer(composition: Composition) -> int:
    if len(composition.layers) >= MOST_LAYERS:
        raise BadChoice(f"A picture can have up to {MOST_LAYERS} layers.")
    return 1 + max(layer.key for layer in composition.layers)


def _fields(name: str, kind: str, position: float, **more) -> dict[str, Any]:
    usual: dict[str, Any] = {"thickness_mm": None, "material": "", "note": "", "trim_flush": False}
    return {"name": name, "kind": kind, "position": position} | usual | more


def _like(layer: Layer, **more) -> dict[str, Any]:
    return {name: getattr(layer, name) for name in LAYER_FIELDS} | more


def _born(composition: Composition, layer: int, faces, numbered: bool = True, **fields) -> dict[int, Born]:
    key, number = composition.next_key, composition.next_number
    made = {}
    for outline in faces:
        made[key] = Born(layer, Piece(key, number if numbered else 0, **fields), outline)
        key, number = key + 1, number + numbered
    return made


def stack(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """The layer in hand as a stack of sheets, one for each colour (or part, or wood), each reaching under the next."""
    layer = composition.whole
    by = str(values.get("by") or "colour")
    if by not in ("colour", "part", "wood"):
        raise BadChoice("Sheets can be told apart by colour, part or wood.")
    group_of = {p.key: getattr(p, by) for p in layer.solid.pieces}
    groups = list(dict.fromkeys(group_of.values()))
    if len(groups) < 2:
        raise BadChoice(f"All pieces of this layer are of one {by}: there is nothing to stack.")
    if len(groups) + len(composition.layers) - 1 > MOST_LAYERS:
        raise BadChoice(f"{len(groups)} sheets are too many for one stack; up to {MOST_LAYERS} can be planned.")
    order = _order(groups, layer, group_of, str(values.get("front") or "dark"))
    reach = length_of(values, composition, "reach", 0.0, 500.0, REACH_MM)
    place = composition.layers.index(layer)
    key = _next_layer(composition)
    born: dict[int, Born] = {}
    layers: dict[int, dict[str, Any] | None] = {layer.key: None}
    next_key, next_number = composition.next_key, 1
    for i, sheet in enumerate(stack_of(layer.solid.coverage, group_of, order, reach)):
        name = (f"Sheet {i + 1}" + (f", {sheet.group}" if by != "colour" else ""))[:80]
        layers[key + i] = _fields(name, "sheet", place + i / MOST_LAYERS, thickness_mm=composition.practice.stock_mm)
        like = next(p for p in layer.solid.pieces if group_of[p.key] == sheet.group)
        for outline, cut in [(o, False) for o in sheet.solid] + [(o, True) for o in sheet.openings]:
            piece = Piece(next_key, 0 if cut else next_number, like.wood, like.grain_deg if like.wood else None,
                          part=like.part if by == "part" else "", colour=like.colour, opening=cut)  # fmt: skip
            born[next_key] = Born(key + i, piece, outline)
            next_key, next_number = next_key + 1, next_number + (not cut)
    return Edit(f"stack of {len(order)} sheets", {}, {}, {}, born, tuple(p.key for p in layer.pieces), layers)


def _order(groups: list[str], layer: Layer, group_of: dict[int, str], front: str) -> list[str]:
    """Groups from back to front: by lightness, or the group with the most outer border at the back."""
    if front in ("dark", "light"):
        light = {}
        for group in groups:
            colours = [p.colour for p in layer.solid.pieces if group_of[p.key] == group and p.colour]
            light[group] = lab_of(colours[0])[0] if colours else 100.0
        return sorted(groups, key=lambda g: light[g], reverse=front == "dark")
    if front != "inner":
        raise BadChoice("In front can stand the darkest, the lightest, or what lies innermost.")
    outer = shapely.boundary(layer.solid.coverage.without_gaps)
    border = dict.fromkeys(groups, 0.0)
    for key, outline in layer.solid.coverage.by_key.items():
        border[group_of[key]] += shapely.intersection(shapely.boundary(outline), outer).length
    return sorted(groups, key=lambda g: -border[g])


def overlay(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """The chosen pieces as a layer in front. copy: the layer keeps them too; figure: they leave a whole plate behind."""
    layer = composition.whole
    keys = keys_of(pieces)
    key, place = _next_layer(composition), composition.layers.index(layer)
    chosen = [layer.coverage.by_key[k] for k in keys]
    layers: dict[int, dict[str, Any] | None] = {
        key: _fields(pieces[0].part.capitalize() or "Overlay", "overlay", place + 0.5)
    }
    if values.get("how") == "move":
        whole = [b for b in _born(composition, key, chosen).values()]
        took = {
            b.piece.key: replace(b, piece=replace(was, key=b.piece.key)) for b, was in zip(whole, pieces, strict=True)
        }
        # what is lifted off leaves an opening behind
        return Edit(
            f"overlay of {named(pieces)}",
            {k: {"opening": True} for k in keys},
            born=took,
            layers=layers | {layer.key: {"name": layer.name}},
        )
    if values.get("how") != "figure":
        born = _born(composition, key, chosen)
        for b, was in zip(list(born.values()), pieces, strict=True):
            born[b.piece.key] = replace(b, piece=replace(was, key=b.piece.key, number=b.piece.number, opening=False))
        return Edit(f"overlay of {named(pieces)}", born=born, layers=layers)
    # figure and plate: the figure goes in front with its numbers, the plate is one sheet behind it
    plate_faces = sheet_faces("", layer.coverage.without_gaps).solid
    moved = {p.key + composition.next_key: Born(key, replace(p, key=p.key + composition.next_key), layer.coverage.by_key[p.key])
             for p in pieces}  # fmt: skip
    last = max(moved)
    back = {
        last + 1 + i: Born(layer.key, Piece(last + 1 + i, composition.next_number + i, part="plate"), o)
        for i, o in enumerate(plate_faces)
    }
    layers[layer.key] = {"name": "Plate", "kind": "sheet"}
    return Edit(
        f"figure of {len(pieces)} pieces on a plate",
        born=moved | back,
        gone=tuple(p.key for p in layer.pieces),
        layers=layers,
    )


def add_layer(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """A new sheet, backer, spacer or overlay: drawn, of the picture's outline, or of an outline with a margin."""
    kind = str(values.get("kind") or "sheet")
    if kind not in LAYER_KINDS or kind == "mosaic":
        raise BadChoice("A layer can be a backer, a sheet, a spacer or an overlay.")
    key = _next_layer(composition)
    if values.get("points"):
        shape: shapely.Geometry = closed_line(values)
    elif values.get("outline") in CHOICES["outline"]:
        shape = plate(str(values["outline"]), (0, 0, composition.width_mm, composition.height_mm))
    else:
        shape = shapely.union_all(np.array([layer.coverage.without_gaps for layer in composition.layers]))
    frame = length_of(values, composition, "frame", 0.0, 500.0, 0.0)
    faces = [(p, False) for p in shapely.get_parts(shape)]
    if frame:
        inner = shapely.buffer(shape, -frame, join_style="mitre")
        if inner.is_empty:
            raise BadChoice("A frame that wide leaves no opening. Make it narrower.")
        made = sheet_faces("", shapely.difference(shape, inner, grid_size=0.001))
        faces = [(o, False) for o in made.solid] + [(o, True) for o in made.openings]
    back = kind in ("backer", "spacer")
    place = -1 if back else len(composition.layers)
    born, next_key, next_number = {}, composition.next_key, composition.next_number
    for outline, cut in faces:
        born[next_key] = Born(key, Piece(next_key, 0 if cut else next_number, opening=cut), outline)
        next_key, next_number = next_key + 1, next_number + (not cut)
    name = str(values.get("name") or LAYER_KINDS[kind].split()[0].capitalize())[:80]
    fields = _fields(name, kind, place, thickness_mm=composition.practice.stock_mm)
    return Edit(f"layer “{name}”", born=born, layers={key: fields})


def layer_fields(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """Name, kind, thickness, material, note and the flush flag of the layer in hand."""
    layer = composition.whole
    changed: dict[str, Any] = {}
    for name, most in (("name", 80), ("material", 80), ("note", 200)):
        if name in values:
            changed[name] = " ".join(str(values[name]).split())[:most]
    if "name" in changed and not changed["name"]:
        raise BadChoice("Give the layer a name.")
    if "kind" in values:
        if values["kind"] not in LAYER_KINDS:
            raise BadChoice(f"There is no kind of layer “{values['kind']}”.")
        changed["kind"] = values["kind"]
    if "layer_thickness" in values:
        text = str(values["layer_thickness"]).strip()
        changed["thickness_mm"] = (
            round(length_of(values, composition, "layer_thickness", 0.2, 200.0), 3) if text else None
        )
    if "trim_flush" in values:
        changed["trim_flush"] = values["trim_flush"] == "yes"
    changed = {name: value for name, value in changed.items() if getattr(layer, name) != value}
    return Edit(f"layer {layer.name}", layers={layer.key: changed} if changed else {})


def move_layer(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """The layer in hand one place to the front or the back."""
    layer = composition.whole
    here = composition.layers.index(layer)
    there = here + (1 if values.get("to") == "front" else -1)
    if not 0 <= there < len(composition.layers):
        raise BadChoice("This layer is already the " + ("front" if there > here else "rearmost") + " one.")
    other = composition.layers[there]
    return Edit(f"layer {layer.name} moved", layers={layer.key: {"position": there}, other.key: {"position": here}})


def drop_layer(composition: Composition, _pieces: list[Piece], _values: Values) -> Edit:
    layer = composition.whole
    if len(composition.layers) == 1:
        raise BadChoice("This is the only layer; a picture keeps one.")
    return Edit(f"layer {layer.name} taken out", gone=tuple(p.key for p in layer.pieces), layers={layer.key: None})


def bridge(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """Strips of wood from a part that nothing holds to the rest of its sheet."""
    layer = composition.whole
    width = length_of(values, composition, "width", 0.5, 100.0, BRIDGE_MM)
    count = whole_number(values.get("count") or 2, 1, 3)
    made, mine = bridges(layer.coverage, set(layer.openings), keys_of(pieces)[0], width, count)
    strips = {o.wkb for parent, o in made.born if parent == 0}
    edit = reshaped(composition, layer, made, f"bridge to {named(pieces)}")
    new = {k for k, b in edit.born.items() if b.outline.wkb in strips}
    return _grown_together(layer, edit, mine, new)


def _grown_together(layer: Layer, edit: Edit, part: set[int], strips: set[int]) -> Edit:
    """The edit with the strips joined to the pieces they touch: the part and its sheet become one piece again."""
    coverage = layer.coverage.replaced(edit.outlines | {k: b.outline for k, b in edit.born.items()}, edit.gone)
    open_now = {k for k in coverage.keys if (edit.born[k].piece if k in edit.born else layer.by_key[k]).opening}
    group = set(strips)
    for strip in strips:
        group |= {k for k in coverage.neighbours[strip] if k not in open_now}
    old = [k for k in group if k not in strips]
    into = max(old, key=lambda k: (coverage.area_mm2[k], -k))
    whole = shapely.coverage_union_all(np.array([coverage.by_key[k] for k in sorted(group)]))
    whole = max(shapely.get_parts(whole), key=lambda p: p.area)
    if whole.area < sum(coverage.area_mm2[k] for k in group) - LEAST_MM2:
        raise BadChoice("The bridge does not reach across here. Make it wider, or draw one.")
    born = {k: b for k, b in edit.born.items() if k not in strips}
    outlines = {k: o for k, o in edit.outlines.items() if k not in group} | {into: whole}
    return replace(edit, outlines=outlines, born=born, gone=tuple({*edit.gone, *(k for k in old if k != into)}))


LAYERING = {
    "stack": stack,
    "overlay": overlay,
    "add_layer": add_layer,
    "layer": layer_fields,
    "move_layer": move_layer,
    "drop_layer": drop_layer,
    "bridge": bridge,
}
