"""Verbs that change outlines: each a pure function from a composition, its layer in hand and values to an `Edit`."""

import math
from collections.abc import Iterable
from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from ..colour import hex_apart
from ..errors import BadChoice, BadLength
from ..findings import name_pieces
from ..outline import surgery
from ..outline.coverage import largest_circle, on_grid
from ..outline.numbering import reading_order
from ..outline.plates import plate_round
from ..plain import read_marks
from ..rack.boards import to_board
from ..units import Length
from ..work.change import Born, Edit, applied
from ..work.composition import Composition, Layer, Piece

MOST_POINTS = 5000
Values = dict[str, Any]


def points_of(values: Values) -> np.ndarray:
    """What was drawn: [[x, y], ...] in mm as JSON; smooth through its points where `curve` is asked for."""
    sentence = "The line that was drawn could not be read. Draw it again."
    drawn = read_marks(str(values.get("points", "")), sentence)
    try:
        points = np.array(drawn, float)
    except (ValueError, TypeError, OverflowError):
        raise BadChoice(sentence) from None
    if (
        points.ndim != 2
        or points.shape[1:] != (2,)
        or not 2 <= len(points) <= MOST_POINTS
        or not (np.abs(points) < 2e4).all()
    ):
        raise BadChoice("Draw a line of two points or more first.")
    return surgery.curve_through(points) if values.get("curve") == "yes" else points


def length_of(
    values: Values, composition: Composition, name: str, low: float, high: float, usual: float | None = None
) -> float:
    """A length a person typed under `name`, in mm, between two limits."""
    text = str(values.get(name, "")).strip()
    if not text and usual is not None:
        return usual
    mm = Length.parse(text, composition.practice.unit).mm
    if not low <= mm <= high:
        say = composition.practice.say
        raise BadLength(f"{say(mm)} is out of range here: from {say(low) if low else '0'} to {say(high)}.")
    return mm


def snap_of(values: Values) -> float:
    try:
        snap = float(values.get("snap", 1.0))
    except (TypeError, ValueError):
        return 1.0
    return min(max(snap, 0.05), 20.0) if math.isfinite(snap) else 1.0


def reshaped(composition: Composition, layer: Layer, made: surgery.Reshape, label: str, **born) -> Edit:
    """The edit that a reshape of the layer is: new pieces take after the piece they were cut from. `born` sets fields
    of those cut from none."""
    key, number = composition.next_key, composition.next_number
    new = {}
    for parent, outline in made.born:
        if parent:
            was = layer.by_key[parent]
            piece = replace(was, key=key, number=0 if was.opening else number)
        else:
            piece = Piece(key, 0 if born.get("opening") else number, **born)
        if parent and piece.board:
            piece = replace(piece, **_place_after(composition, layer, parent, outline))
        new[key] = Born(layer.key, piece, outline)
        key, number = key + 1, number + (piece.number > 0)
    moved = {k: _place_after(composition, layer, k, o) for k, o in made.changed.items() if layer.by_key[k].board}
    return Edit(label, {k: v for k, v in moved.items() if v}, {}, made.changed, new, made.gone)


def _place_after(composition: Composition, layer: Layer, key: int, outline: shapely.Polygon) -> dict[str, Any]:
    """Where a piece lies on its board once it has this outline: the wood that it shows does not move."""
    was = layer.by_key[key]
    board = composition.rack.by_name.get(was.board)
    if board is None or was.board_x_mm is None or was.board_y_mm is None:
        return {}
    old, new = layer.coverage.spots[key], largest_circle(outline)
    move = to_board((old.x_mm, old.y_mm), board, was.grain_deg or 0.0, was.board_x_mm, was.board_y_mm)
    x, y = move @ np.array([new.x_mm, new.y_mm, 1.0])
    return {"board_x_mm": round(float(x), 2), "board_y_mm": round(float(y), 2)}


def _keys(pieces: list[Piece]) -> list[int]:
    return [p.key for p in pieces]


def named(pieces: Iterable[Piece]) -> str:
    return name_pieces(sorted(p.number for p in pieces), 3)


def split(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    layer = composition.whole
    made = surgery.split(layer.coverage, _keys(pieces), points_of(values), snap_of(values))
    cut = {parent for parent, _ in made.born}
    return reshaped(composition, layer, made, f"split of {named(layer.by_key[k] for k in cut)}")


def join(composition: Composition, pieces: list[Piece], _values: Values) -> Edit:
    layer = composition.whole
    if len({p.opening for p in pieces}) > 1:
        raise BadChoice("An opening and a piece cannot be joined. Fill the opening first.")
    return reshaped(composition, layer, surgery.join(layer.coverage, _keys(pieces)), f"join of {named(pieces)}")


def seam(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    if len(pieces) != 2:
        raise BadChoice("Choose the two pieces whose seam you draw anew.")
    layer = composition.whole
    made = surgery.redraw_seam(layer.coverage, pieces[0].key, pieces[1].key, points_of(values), snap_of(values))
    return reshaped(composition, layer, made, f"seam of {named(pieces)}")


def smooth(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    layer = composition.whole
    strength = length_of(values, composition, "strength", 0.1, 50.0, 1.5)
    return reshaped(
        composition, layer, surgery.smooth(layer.coverage, keys_of(pieces), strength), f"smoother {named(pieces)}"
    )


def straighten(composition: Composition, pieces: list[Piece], _values: Values) -> Edit:
    layer = composition.whole
    return reshaped(
        composition, layer, surgery.straighten(layer.coverage, keys_of(pieces)), f"straight seams of {named(pieces)}"
    )


def junction(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    points = points_of(values | {"curve": ""})
    layer = composition.whole
    made = surgery.move_junction(layer.coverage, tuple(points[0]), tuple(points[-1]), max(snap_of(values), 0.5))
    return reshaped(composition, layer, made, "junction moved")


def keys_of(pieces: list[Piece]) -> list[int]:
    if not pieces:
        raise BadChoice("Choose a piece first: click it on the picture.")
    return _keys(pieces)


def opening(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """Cut away what a closed line encloses; with no line, the chosen pieces themselves."""
    layer = composition.whole
    if not values.get("points"):
        if not pieces or len(layer.pieces) - len(layer.openings) <= len(pieces):
            raise BadChoice("Choose the piece to cut away, or draw round the opening. Something must stay.")
        return Edit(f"opening of {named(pieces)}", {p.key: {"opening": True} for p in pieces})
    points = points_of(values)
    ring = shapely.make_valid(shapely.Polygon(np.r_[points, points[:1]]) if len(points) > 2 else shapely.Polygon())
    solid = shapely.coverage_union_all(
        np.array([o for k, o in layer.coverage.by_key.items() if not layer.by_key[k].opening])
    )
    shapes = [p for p in shapely.get_parts(shapely.intersection(ring, solid)) if p.geom_type == "Polygon"]
    if not shapes:
        raise BadChoice("Draw a closed line inside the piece to cut an opening.")
    return reshaped(composition, layer, surgery.imprint(layer.coverage, shapes), "opening", opening=True)


def fill(composition: Composition, pieces: list[Piece], _values: Values) -> Edit:
    """Openings become pieces again."""
    open_ones = [p for p in pieces if p.opening]
    if not open_ones:
        raise BadChoice("Choose an opening to fill.")
    number = composition.next_number
    fields: dict[int, dict[str, Any]] = {}
    for p in open_ones:
        fields[p.key] = {"opening": False} | ({} if p.number else {"number": number})
        number += not p.number
    return Edit("opening filled", fields)


def drop(composition: Composition, pieces: list[Piece], _values: Values) -> Edit:
    layer = composition.whole
    return _fitted(
        composition, Edit(f"{named(pieces)} dropped", gone=surgery.drop(layer.coverage, keys_of(pieces)).gone)
    )


def draw(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """A new piece inside a closed line: it takes its place from what lies there."""
    shape = closed_line(values)
    made = surgery.imprint(composition.whole.coverage, [shape])
    return _fitted(composition, reshaped(composition, composition.whole, made, "piece drawn"))


def closed_line(values: Values) -> shapely.Polygon:
    points = points_of(values)
    shape = shapely.Polygon(points) if len(points) > 2 else shapely.Polygon()
    if shape.is_empty or not shape.is_valid or shape.area < 1:
        raise BadChoice("Draw a closed line that does not cross itself.")
    return on_grid(shape)


def background(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """Fill what is round the pieces, out to an outline with a margin."""
    margin = length_of(values, composition, "margin", 0.0, 1000.0, 20.0)
    layer = composition.whole
    outline = plate_round(str(values.get("outline") or "rectangle"), layer.coverage.bounds_mm, margin)
    made = surgery.surround(layer.coverage, on_grid(outline))
    if not made.born:
        raise BadChoice("There is nothing left to fill inside that outline. Give a wider margin.")
    return _fitted(composition, reshaped(composition, layer, made, "background", part="background"))


def _fitted(composition: Composition, edit: Edit) -> Edit:
    """The edit, with everything moved so that the picture begins at (0, 0) again and has the right size."""
    then = applied(composition, edit)
    boxes = np.array([layer.coverage.bounds_mm for layer in then.layers if len(layer.coverage)])
    left, top = boxes[:, :2].min(axis=0).tolist()
    right, bottom = boxes[:, 2:].max(axis=0).tolist()
    size = {"width_mm": round(right - left, 3), "height_mm": round(bottom - top, 3)}
    size = {name: value for name, value in size.items() if abs(value - getattr(composition, name)) > 1e-9}
    if abs(left) < 1e-9 and abs(top) < 1e-9:
        return replace(edit, composition=edit.composition | size)
    return transformed(composition, edit, lambda xy: xy - [left, top], size)


def transformed(composition: Composition, edit: Edit, move, fields: dict[str, Any]) -> Edit:
    """The edit followed by moving every outline."""
    then = applied(composition, edit)
    outlines: dict[int, shapely.Polygon] = {}
    born = dict(edit.born)
    for layer in then.layers:
        moved = on_grid(shapely.transform(np.array(layer.coverage.outlines), move))
        for key, outline in zip(layer.coverage.keys, shapely.normalize(moved), strict=True):
            if key in born:
                born[key] = replace(born[key], outline=outline)
            else:
                outlines[key] = outline
    return replace(edit, outlines=outlines, born=born, composition=edit.composition | fields)


def mirror(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """The whole picture as in a mirror, left for right; arrows turn with it."""
    width = composition.width_mm
    fields = {p.key: {"grain_deg": (180 - p.grain_deg) % 360} for p in composition.pieces() if p.grain_deg is not None}
    pins = {name: value for name, value in composition.pins.items() if name != "mirrored"}
    if not composition.pins.get("mirrored"):
        pins["mirrored"] = True
    return transformed(composition, Edit("mirrored", fields), lambda xy: xy * [-1, 1] + [width, 0], {"pins": pins})


def resize(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """Another finished width; `thickness` yes scales stock, shims and layers too."""
    width = length_of(values, composition, "width", 10.0, 5000.0)
    scale = width / composition.width_mm
    if not 0.02 <= scale <= 50:
        raise BadLength("That is more than fifty times larger or smaller. Check the width.")
    too = values.get("thickness") == "yes"
    pieces: dict[int, dict[str, Any]] = {}
    if too:
        for p in composition.pieces():
            thickness = None if p.thickness_mm is None else round(p.thickness_mm * scale, 3)
            pieces[p.key] = {"thickness_mm": thickness, "shim_mm": round(p.shim_mm * scale, 3)}
    layers: dict[int, dict[str, Any] | None] = {
        layer.key: {"thickness_mm": round(layer.thickness_mm * scale, 3)}
        for layer in composition.layers
        if too and layer.thickness_mm
    }
    size = {"width_mm": round(width, 3), "height_mm": round(composition.height_mm * scale, 3)}
    edit = Edit(f"size: {composition.practice.say(width)} wide", pieces, layers=layers)
    made = transformed(composition, edit, lambda xy: xy * scale, size)
    then = applied(composition, made)
    if not all(layer.coverage.is_valid for layer in then.layers if not layer.openings):
        raise BadChoice("At this size some pieces would vanish. Join the smallest first.")
    return made


def repeat(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """Copies of the chosen pieces beside them: `times` in steps of their own width, or mirrored once about their right edge."""
    layer = composition.whole
    keys = keys_of(pieces)
    chosen = np.array([layer.coverage.by_key[k] for k in keys])
    left, top, right, bottom = shapely.total_bounds(chosen)
    times = whole_number(values.get("times", 1), 1, 24)
    mirrored = values.get("how") == "mirrored"
    down = values.get("how") == "down"
    shapes = []
    for i in range(1, (1 if mirrored else times) + 1):
        step = [0, (bottom - top) * i] if down else [(right - left) * i, 0]
        flip, shift = ([-1, 1], [2 * right, 0]) if mirrored else ([1, 1], step)
        shapes += list(on_grid(shapely.transform(chosen, lambda xy, f=flip, s=shift: xy * f + s)))  # type: ignore[misc]
    made = surgery.imprint(layer.coverage, shapes)
    return _fitted(composition, _copied(composition, layer, made, [layer.by_key[k] for k in keys], shapes, mirrored))


def _copied(composition, layer, made: surgery.Reshape, originals: list[Piece], shapes, mirrored: bool) -> Edit:
    """New pieces take wood, arrow and height from the piece that they copy."""
    edit = reshaped(composition, layer, made, f"{len(shapes)} copies of {named(originals)}")
    tree = shapely.STRtree(np.array(shapes))
    born = {}
    for key, b in edit.born.items():
        near = tree.query(b.outline.representative_point(), predicate="within").tolist()
        if near:
            like = originals[near[0] % len(originals)]
            grain = like.grain_deg if like.grain_deg is None or not mirrored else (180 - like.grain_deg) % 360
            born[key] = replace(b, piece=replace(like, key=key, number=b.piece.number, grain_deg=grain))
        else:
            born[key] = b
    return replace(edit, born=born)


def whole_number(value: Any, low: int, high: int) -> int:
    try:
        number = int(str(value).strip() or low)
    except ValueError:
        raise BadChoice(f"“{value}” is not a whole number.") from None
    if not low <= number <= high:
        raise BadChoice(f"{number} is out of range: from {low} to {high}.")
    return number


def small_pairs(layer: Layer, smallest_mm: float) -> list[tuple[Piece, Piece]]:
    """Pieces whose fattest place is under a width, each with the neighbour that would take it."""
    spots, pieces = layer.solid.coverage.spots, layer.by_key

    def apart(a: int, b: int) -> float:
        return hex_apart(pieces[a].colour, pieces[b].colour) if pieces[a].colour and pieces[b].colour else 0.0

    pairs = surgery.small_joins(layer.solid.coverage, lambda k: 2 * spots[k].radius_mm < smallest_mm, apart)
    return [(pieces[a], pieces[b]) for a, b in pairs]


def join_small(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    smallest = length_of(values, composition, "smallest", 0.1, 200.0)
    layer = composition.whole
    pairs = small_pairs(layer, smallest)
    if not pairs:
        raise BadChoice(f"No piece is narrower than {composition.practice.say(smallest)} at its fattest.")
    made = surgery.joined(layer.coverage, [(a.key, b.key) for a, b in pairs])
    return reshaped(composition, layer, made, f"{len(made.gone)} small pieces joined")


def renumber(composition: Composition, _: list[Piece], values: Values) -> Edit:
    """Numbers afresh in reading order, or part by part. Numbers change only here and by hand."""
    order: list[Piece] = []
    for layer in composition.layers:
        keys = reading_order(layer.solid.coverage)
        pieces = [layer.by_key[k] for k in keys]
        if values.get("by") == "part":
            parts = list(dict.fromkeys(p.part for p in pieces))
            pieces = [p for part in parts for p in pieces if p.part == part]
        order += pieces
    fields = {p.key: {"number": i} for i, p in enumerate(order, 1) if p.number != i}
    return Edit("numbers in reading order" if values.get("by") != "part" else "numbers by part", fields)


def number(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    if len(pieces) != 1:
        raise BadChoice("Choose one piece to give it a number.")
    wanted = whole_number(values.get("number"), 1, 99999)
    taken = next((p for p in composition.pieces() if p.number == wanted and p.key != pieces[0].key), None)
    if taken:
        raise BadChoice(f"Number {wanted} is on another piece already. Give that one another number first.")
    return Edit(f"number {wanted}", {pieces[0].key: {"number": wanted}} if pieces[0].number != wanted else {})


RESHAPING = {
    f.__name__: f
    for f in (split, join, seam, smooth, straighten, junction, opening, fill, drop, draw, background, mirror, resize,
              repeat, join_small, renumber, number)
}  # fmt: skip
