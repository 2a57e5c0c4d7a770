"""Verbs that make and change layers: each a pure function from what is acted on and values to an `Edit`."""

from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from ..colour import lab_of
from ..constants import GRID_MM
from ..errors import BadChoice
from ..intake.knobs import CHOICES
from ..outline.bridges import bridge as bridges
from ..outline.coverage import on_grid
from ..outline.knit import LEAST_MM2
from ..outline.plates import plate
from ..pattern.verbs import reshaped, some_keys
from ..work.change import Born, Edit
from ..work.composition import IN_SPACE, LAYER_KINDS, Composition, Layer, Piece
from ..work.register import Values, verb
from ..work.setting import closed_line, length_of, named, whole_number
from ..work.view import Target
from .stack import sheet_faces
from .stack import stack as stack_of

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


class _Births:
    """New pieces one after another, with the next free key and number; openings have no number."""

    def __init__(self, composition: Composition, number: int = 0):
        self.key, self.number = composition.next_key, number or composition.next_number
        self.made: dict[int, Born] = {}

    def add(self, layer: int, outline: shapely.Polygon, like: Piece, number: int | None = None) -> None:
        if number is None:
            number = 0 if like.opening else self.number
            self.number += not like.opening
        self.made[self.key] = Born(layer, replace(like, key=self.key, number=number), outline)
        self.key += 1


BARE = Piece(0, 0)
OPEN = Piece(0, 0, opening=True)


@verb("stack")
def stack(target: Target, values: Values) -> Edit:
    """A layer as a stack of sheets, one for each colour (or part, or wood), each reaching under the next."""
    composition, layer = target.composition, target.one_layer
    by = str(values.get("by") or "colour")
    if by not in ("colour", "part", "wood"):
        raise BadChoice("Sheets can be told apart by colour, part or wood.")
    group_of = {p.key: getattr(p, by) for p in layer.without_openings.pieces}
    groups = list(dict.fromkeys(group_of.values()))
    if len(groups) < 2:
        raise BadChoice(f"All pieces of this layer are of one {by}: there is nothing to stack.")
    if len(groups) + len(composition.layers) - 1 > MOST_LAYERS:
        raise BadChoice(f"{len(groups)} sheets are too many for one stack; up to {MOST_LAYERS} can be planned.")
    order = _order(groups, layer, group_of, str(values.get("front") or "dark"))
    reach = length_of(values, composition, "reach", 0.0, 500.0, REACH_MM)
    place = composition.layers.index(layer)
    key = _next_layer(composition)
    taken = [p.number for other in composition.layers if other is not layer for p in other.pieces]
    births = _Births(composition, 1 + max(taken, default=0))
    layers: dict[int, dict[str, Any] | None] = {layer.key: None}
    for i, sheet in enumerate(stack_of(layer.without_openings.coverage, group_of, order, reach)):
        name = (f"Sheet {i + 1}" + (f", {sheet.group}" if by != "colour" else ""))[:80]
        layers[key + i] = _fields(name, "sheet", place + i / MOST_LAYERS, thickness_mm=composition.practice.stock_mm)
        first = next(p for p in layer.without_openings.pieces if group_of[p.key] == sheet.group)
        grain = first.grain_deg if first.wood else None
        like = Piece(0, 0, first.wood, grain, part=first.part if by == "part" else "", colour=first.colour)
        for outline in sheet.solid:
            births.add(key + i, outline, like)
        for outline in sheet.openings:
            births.add(key + i, outline, OPEN)
    return Edit(
        f"stack of {len(order)} sheets", born=births.made, gone=tuple(p.key for p in layer.pieces), layers=layers
    )


def _order(groups: list[str], layer: Layer, group_of: dict[int, str], front: str) -> list[str]:
    """Groups from back to front: by lightness, or the group with the most outer border at the back."""
    if front in ("dark", "light"):
        light = {}
        for group in groups:
            colours = [p.colour for p in layer.without_openings.pieces if group_of[p.key] == group and p.colour]
            light[group] = lab_of(colours[0])[0] if colours else 100.0
        return sorted(groups, key=lambda g: light[g], reverse=front == "dark")
    if front != "inner":
        raise BadChoice("In front can stand the darkest, the lightest, or what lies innermost.")
    outer = shapely.boundary(layer.without_openings.coverage.without_gaps)
    border = dict.fromkeys(groups, 0.0)
    for key, outline in layer.without_openings.coverage.by_key.items():
        border[group_of[key]] += shapely.intersection(shapely.boundary(outline), outer).length
    return sorted(groups, key=lambda g: -border[g])


@verb("overlay")
def overlay(target: Target, values: Values) -> Edit:
    """The chosen pieces as a layer in front. copy: the layer keeps them too; move: they leave openings behind; figure:
    they leave one whole plate behind. Pieces that move keep their numbers."""
    composition, layer, pieces = target.composition, target.one_layer, target.pieces
    how, keys = values.get("how") or "copy", some_keys(target.pieces)
    if how not in ("copy", "move", "figure"):
        raise BadChoice("An overlay can be a copy, be lifted off, or be a figure on a plate.")
    key, place = _next_layer(composition), composition.layers.index(layer)
    layers: dict[int, dict[str, Any] | None] = {
        key: _fields(pieces[0].part.capitalize() or "Overlay", "overlay", place + 0.5)
    }
    births = _Births(composition)
    for p in pieces:
        births.add(key, layer.coverage.by_key[p.key], replace(p, opening=False), None if how == "copy" else p.number)
    if how == "figure":
        for outline in sheet_faces("", layer.coverage.without_gaps).solid:
            births.add(layer.key, outline, replace(BARE, part="plate"))
        layers[layer.key] = {"name": "Plate", "kind": "sheet"}
        gone = tuple(p.key for p in layer.pieces)
        return Edit(f"figure of {len(pieces)} pieces on a plate", born=births.made, gone=gone, layers=layers)
    left = {k: {"opening": True, "number": 0} for k in keys} if how == "move" else {}
    return Edit(f"overlay of {named(pieces)}", left, born=births.made, layers=layers)


@verb("add_layer")
def add_layer(target: Target, values: Values) -> Edit:
    """A new sheet, backer, spacer or overlay: drawn, of the picture's outline, or of an outline with a margin."""
    composition = target.composition
    kind = str(values.get("kind") or "sheet")
    if kind not in LAYER_KINDS or kind in ("mosaic", *IN_SPACE):
        raise BadChoice("A layer can be a backer, a sheet, a spacer or an overlay.")
    key = _next_layer(composition)
    if values.get("points"):
        shape: shapely.Geometry = closed_line(values)
    elif values.get("outline") in CHOICES["outline"]:
        shape = on_grid(plate(str(values["outline"]), (0, 0, composition.width_mm, composition.height_mm)))
    else:
        shape = shapely.union_all(np.array([layer.coverage.without_gaps for layer in composition.layers]))
    frame = length_of(values, composition, "frame", 0.0, 500.0, 0.0)
    births = _Births(composition)
    if frame:
        inner = shapely.buffer(shape, -frame, join_style="mitre")
        if inner.is_empty:
            raise BadChoice("A frame that wide leaves no opening. Make it narrower.")
        made = sheet_faces("", shapely.difference(shape, inner, grid_size=GRID_MM))
        for outline in made.solid:
            births.add(key, outline, BARE)
        for outline in made.openings:
            births.add(key, outline, OPEN)
    else:
        for outline in shapely.get_parts(shape):
            births.add(key, outline, BARE)
    place = -1 if kind in ("backer", "spacer") else len(composition.layers)
    name = str(values.get("name") or LAYER_KINDS[kind].split()[0].capitalize())[:80]
    fields = _fields(name, kind, place, thickness_mm=composition.practice.stock_mm)
    return Edit(f"layer “{name}”", born=births.made, layers={key: fields})


@verb("layer")
def layer_fields(target: Target, values: Values) -> Edit:
    """Name, kind, thickness, material, note and the flush flag of a layer."""
    composition, layer = target.composition, target.one_layer
    changed: dict[str, Any] = {}
    for name, most in (("name", 80), ("material", 80), ("note", 200)):
        if name in values:
            changed[name] = " ".join(str(values[name]).split())[:most]
    if changed.get("material"):
        changed["material"] = composition.rack.shelf.code_of(changed["material"]) or changed["material"]
    if "name" in changed and not changed["name"]:
        raise BadChoice("Give the layer a name.")
    if "kind" in values:
        if values["kind"] not in LAYER_KINDS:
            raise BadChoice(f"There is no kind of layer “{values['kind']}”.")
        if values["kind"] != layer.kind and {values["kind"], layer.kind} & set(IN_SPACE):
            raise BadChoice(
                "Whether parts stand or lie flat is said at Relief: “stands in slots”, or “lies flat again”."
            )
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


@verb("move_layer")
def move_layer(target: Target, values: Values) -> Edit:
    """A layer one place to the front or the back."""
    composition, layer = target.composition, target.one_layer
    here = composition.layers.index(layer)
    there = here + (1 if values.get("to") == "front" else -1)
    if not 0 <= there < len(composition.layers):
        raise BadChoice("This layer is already the " + ("front" if there > here else "rearmost") + " one.")
    other = composition.layers[there]
    return Edit(f"layer {layer.name} moved", layers={layer.key: {"position": there}, other.key: {"position": here}})


@verb("drop_layer")
def drop_layer(target: Target, _values: Values) -> Edit:
    composition, layer = target.composition, target.one_layer
    if len(composition.layers) == 1:
        raise BadChoice("This is the only layer; a picture keeps one.")
    return Edit(f"layer {layer.name} taken out", gone=tuple(p.key for p in layer.pieces), layers={layer.key: None})


@verb("bridge")
def bridge(target: Target, values: Values) -> Edit:
    """Strips of wood from a part that nothing holds to the rest of its sheet."""
    composition, layer, pieces = target.composition, target.one_layer, target.pieces
    width = length_of(values, composition, "width", 0.5, 100.0, BRIDGE_MM)
    count = whole_number(values.get("count") or 2, 1, 3)
    made = bridges(layer.coverage, set(layer.openings), some_keys(pieces)[0], width, count)
    edit = reshaped(composition, layer, made, f"bridge to {named(pieces)}")
    strips = {key for key, (parent, _) in zip(edit.born, made.born, strict=True) if parent == 0}
    return _grown_together(layer, edit, strips)


def _grown_together(layer: Layer, edit: Edit, strips: set[int]) -> Edit:
    """The edit with the strips joined to the pieces they touch: the part and its sheet become one piece again."""
    coverage = layer.coverage.replaced(edit.outlines | {k: b.outline for k, b in edit.born.items()}, edit.gone)
    open_now = {k for k in coverage.keys if (edit.born[k].piece if k in edit.born else layer.by_key[k]).opening}
    group = set(strips)
    for strip in strips:
        group |= {k for k in coverage.neighbours[strip] if k not in open_now}
    old = [k for k in group if k not in strips]
    if not old:
        raise BadChoice("A bridge leads from wood to wood; here it meets none.")
    into = max(old, key=lambda k: (coverage.area_mm2[k], -k))
    whole = shapely.coverage_union_all(np.array([coverage.by_key[k] for k in sorted(group)]))
    whole = max(shapely.get_parts(whole), key=lambda p: p.area)
    if whole.area < sum(coverage.area_mm2[k] for k in group) - LEAST_MM2:
        raise BadChoice("The bridge does not reach across here. Make it wider, or draw one.")
    born = {k: b for k, b in edit.born.items() if k not in strips}
    outlines = {k: o for k, o in edit.outlines.items() if k not in group} | {into: whole}
    return replace(edit, outlines=outlines, born=born, gone=tuple({*edit.gone, *(k for k in old if k != into)}))
