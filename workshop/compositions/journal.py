"""The journal: every edit, and the one that takes it back, in few bytes.

Values of many pieces are grouped: {"wood": [["walnut", "1-40,44"]]} says that these keys have this value. Outlines
travel as compressed WKB.
"""

import zlib
from base64 import b64decode, b64encode
from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

import numpy as np
import shapely

from emberquilt.keys import keys_in, runs
from emberquilt.work.change import Born, Edit
from emberquilt.work.composition import Piece

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
    if edit.layers:
        values["layers"] = [[key, fields] for key, fields in edit.layers.items()]
    return values


def from_json(values: dict[str, Any]) -> Edit:
    """Back from `as_json`."""
    outlines, born = values.get("outlines"), values.get("born")
    changed = dict(zip(outlines["keys"], _unsqueezed(outlines["wkb"]), strict=True)) if outlines else {}
    new = {}
    for (layer, fields), outline in zip(born["pieces"], _unsqueezed(born["wkb"]), strict=True) if born else ():
        new[fields["key"]] = Born(layer, Piece(**fields), outline)
    layers = {key: fields for key, fields in values.get("layers", ())}
    gone = tuple(keys_in(values.get("gone", "")))
    return Edit(values.get("label", ""), unpack(values["pieces"]), values["composition"], changed, new, gone, layers)


def _squeezed(outlines: Iterable[shapely.Polygon]) -> str:
    whole = shapely.to_wkb(shapely.geometrycollections(np.array(list(outlines))))
    return b64encode(zlib.compress(whole)).decode()


def _unsqueezed(text: str) -> list[shapely.Polygon]:
    return list(shapely.get_parts(shapely.from_wkb(zlib.decompress(b64decode(text)))))
