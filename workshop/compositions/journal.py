"""The journal: every edit, and the one that takes it back, in few bytes.

Values of many pieces are grouped: {"wood": [["walnut", "1-40,44"]]} says that these keys have this value. Outlines
travel as compressed WKB.
"""

import zlib
from base64 import b64decode, b64encode
from collections.abc import Iterable
from dataclasses import asdict
from dataclasses import fields as dataclass_fields
from typing import Any

import numpy as np
import shapely

from emberquilt.formats.older import placement_of
from emberquilt.keys import keys_in, runs
from emberquilt.work.change import Born, Edit, as_plain
from emberquilt.work.composition import Composition, Piece, Placement
from emberquilt.work.decisions import Decisions, from_pins

Changes = dict[int, dict[str, Any]]


def pack(changes: Changes) -> dict[str, list]:
    grouped: dict[str, dict] = {}
    for key in sorted(changes):
        for name, value in changes[key].items():
            grouped.setdefault(name, {}).setdefault(value, []).append(key)
    return {name: [[value, runs(keys)] for value, keys in values.items()] for name, values in grouped.items()}


def unpack(packed: dict[str, list]) -> Changes:
    changes: Changes = {}
    for name, values in packed.items():
        for value, text in values:
            for key in keys_in(text):
                changes.setdefault(key, {})[name] = value
    return changes


def as_json(edit: Edit) -> dict[str, Any]:
    """An edit as plain values; what it does not touch is left out."""
    values: dict[str, Any] = {"label": edit.label, "pieces": pack(edit.pieces), "composition": edit.composition}
    if edit.outlines:
        values["outlines"] = {"keys": list(edit.outlines), "wkb": _squeezed(edit.outlines.values())}
    if edit.born:
        born = [[b.layer, asdict(b.piece)] for b in edit.born.values()]
        values["born"] = {"pieces": born, "wkb": _squeezed(b.outline for b in edit.born.values())}
    if edit.gone:
        values["gone"] = runs(edit.gone)
    if edit.placements:
        values["placements"] = {key: as_plain(place) for key, place in edit.placements.items()}
    if edit.layers:
        values["layers"] = [[key, fields] for key, fields in edit.layers.items()]
    return values


def from_json(values: dict[str, Any], now: Composition) -> Edit:
    """Back from `as_json`, for a work as it stands before the edit. Entries of the time when decisions were loose pins
    and boards stood among the fields of pieces are read as what they say today."""
    outlines, born = values.get("outlines"), values.get("born")
    changed = dict(zip(outlines["keys"], _unsqueezed(outlines["wkb"]), strict=True)) if outlines else {}
    places: dict[str, Placement | None] = {
        key: Placement(**place) if place else None for key, place in values.get("placements", {}).items()
    }
    new = {}
    for (layer, fields), outline in zip(born["pieces"], _unsqueezed(born["wkb"]), strict=True) if born else ():
        if fields.get("board"):
            places[str(fields["key"])] = Placement(**placement_of(fields))
        new[fields["key"]] = Born(layer, Piece(**_without_board(fields)), outline)
    pieces = unpack(values["pieces"])
    for key, fields in pieces.items():
        if len(_without_board(fields)) < len(fields):
            places[str(key)] = _placed_then(now.placed(key), fields)
    pieces = {key: rest for key, fields in pieces.items() if (rest := _without_board(fields))}
    gone = tuple(keys_in(values.get("gone", "")))
    places |= {str(key): None for key in gone if now.placed(key) and str(key) not in places}
    composition = dict(values["composition"])
    if "pins" in composition:
        decided = from_pins(composition.pop("pins"), now.usual_layer.key).as_dict()
        composition["decisions"] = {f.name: decided.get(f.name, {}) for f in dataclass_fields(Decisions)}
    layers = {key: fields for key, fields in values.get("layers", ())}
    return Edit(values.get("label", ""), pieces, composition, changed, new, gone, layers, places)


def _without_board(fields: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in fields.items() if not name.startswith("board")}


def _placed_then(now: Placement | None, fields: dict[str, Any]) -> Placement | None:
    """Where a piece comes from once these of its old fields have changed."""
    was = {"board": now.board, "board_x_mm": now.x_mm, "board_y_mm": now.y_mm} if now else {"board": ""}
    then = was | {name: value for name, value in fields.items() if name.startswith("board")}
    return Placement(**placement_of(then)) if then["board"] else None


def _squeezed(outlines: Iterable[shapely.Polygon]) -> str:
    whole = shapely.to_wkb(shapely.geometrycollections(np.array(list(outlines))))
    return b64encode(zlib.compress(whole)).decode()


def _unsqueezed(text: str) -> list[shapely.Polygon]:
    return list(shapely.get_parts(shapely.from_wkb(zlib.decompress(b64decode(text)))))
