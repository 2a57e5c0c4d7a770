"""Verbs that change outlines: each a pure function from what is acted on and values to an `Edit`."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from ..colour import hex_apart
from ..errors import BadChoice, BadLength
from ..outline import cut, knit, redraw
from ..outline.coverage import largest_circle, on_grid
from ..outline.details import HOWS, LEAST_DETAIL_MM, MOST_DETAILS, detail_of, nearest
from ..outline.numbering import reading_order
from ..outline.plates import plate_round
from ..rack.boards import to_board
from ..work.change import Born, Edit, applied, decided, with_decisions
from ..work.composition import Composition, Layer, Piece, Placement
from ..work.decisions import Affine
from ..work.register import Values, verb
from ..work.setting import closed_line, length_of, named, points_of, snap_of, whole_number
from ..work.view import Target


def reshaped(composition: Composition, layer: Layer, made: knit.Reshape, label: str, **born) -> Edit:
    """The edit that a reshape of the layer is: new pieces take after the piece they were cut from. `born` sets fields
    of those cut from none."""
    key, number = composition.next_key, composition.next_number
    new: dict[int, Born] = {}
    placements: dict[str, Placement | None] = {}
    for parent, outline in made.born:
        if parent:
            was = layer.by_key[parent]
            piece = replace(was, key=key, number=0 if was.opening else number)
        else:
            piece = Piece(key, 0 if born.get("opening") else number, **born)
        if parent:
            placements |= _places_after(composition, layer, parent, outline, key)
        new[key] = Born(layer.key, piece, outline)
        key, number = key + 1, number + (piece.number > 0)
    for changed, outline in made.changed.items():
        moved = _places_after(composition, layer, changed, outline, changed)
        placements |= {name: place for name, place in moved.items() if place != composition.placements.get(name)}
    return Edit(label, {}, {}, made.changed, new, made.gone, {}, placements)


def _places_after(
    composition: Composition, layer: Layer, was: int, outline: shapely.Polygon, key: int
) -> dict[str, Placement]:
    """Where a piece of this outline, cut from another, lies on its boards in every copy: the wood shown does not
    move."""
    places = {}
    for name, place in composition.placements.items():
        piece, slash, copy = name.partition("/")
        if piece == str(was):
            places[f"{key}{slash}{copy}"] = _place_after(composition, layer, was, outline, place)
    return places


def _place_after(
    composition: Composition, layer: Layer, was: int, outline: shapely.Polygon, place: Placement
) -> Placement:
    board = composition.rack.by_name.get(place.board)
    if board is None or place.point is None:
        return place
    old, new = layer.coverage.spots[was], largest_circle(outline)
    move = to_board((old.x_mm, old.y_mm), board, place.along_deg(layer.by_key[was].grain_deg), *place.point)
    x, y = move @ np.array([new.x_mm, new.y_mm, 1.0])
    return replace(place, x_mm=round(float(x), 2), y_mm=round(float(y), 2))


def some_keys(pieces: Sequence[Piece]) -> list[int]:
    """Keys of the chosen pieces. Raises `BadChoice` where none is."""
    if not pieces:
        raise BadChoice("Choose a piece first: click it on the picture.")
    return [p.key for p in pieces]


@verb("split")
def split(target: Target, values: Values) -> Edit:
    layer = target.one_layer
    made = cut.split(layer.coverage, target.keys, points_of(values), snap_of(values))
    parents = {parent for parent, _ in made.born}
    return reshaped(target.composition, layer, made, f"split of {named(layer.by_key[k] for k in parents)}")


@verb("join")
def join(target: Target, _values: Values) -> Edit:
    layer, pieces = target.one_layer, target.pieces
    if len({p.opening for p in pieces}) > 1:
        raise BadChoice("An opening and a piece cannot be joined. Fill the opening first.")
    return reshaped(target.composition, layer, cut.join(layer.coverage, target.keys), f"join of {named(pieces)}")


@verb("seam")
def seam(target: Target, values: Values) -> Edit:
    pieces = target.pieces
    if len(pieces) != 2:
        raise BadChoice("Choose the two pieces whose seam you draw anew.")
    layer = target.one_layer
    made = redraw.redraw_seam(layer.coverage, pieces[0].key, pieces[1].key, points_of(values), snap_of(values))
    return reshaped(target.composition, layer, made, f"seam of {named(pieces)}")


@verb("smooth")
def smooth(target: Target, values: Values) -> Edit:
    layer = target.one_layer
    strength = length_of(values, target.composition, "strength", 0.1, 50.0, 1.5)
    made = redraw.smooth(layer.coverage, some_keys(target.pieces), strength)
    return reshaped(target.composition, layer, made, f"smoother {named(target.pieces)}")


@verb("straighten")
def straighten(target: Target, _values: Values) -> Edit:
    layer = target.one_layer
    made = redraw.straighten(layer.coverage, some_keys(target.pieces))
    return reshaped(target.composition, layer, made, f"straight seams of {named(target.pieces)}")


@verb("junction")
def junction(target: Target, values: Values) -> Edit:
    points = points_of(values | {"curve": ""})
    layer = target.one_layer
    made = redraw.move_junction(layer.coverage, tuple(points[0]), tuple(points[-1]), max(snap_of(values), 0.5))
    return reshaped(target.composition, layer, made, "junction moved")


@verb("opening")
def opening(target: Target, values: Values) -> Edit:
    """Cut away what a closed line encloses; with no line, the chosen pieces themselves."""
    layer, pieces = target.one_layer, target.pieces
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
    return reshaped(target.composition, layer, cut.imprint(layer.coverage, shapes), "opening", opening=True)


@verb("fill")
def fill(target: Target, _values: Values) -> Edit:
    """Openings become pieces again."""
    open_ones = [p for p in target.pieces if p.opening]
    if not open_ones:
        raise BadChoice("Choose an opening to fill.")
    number = target.composition.next_number
    fields: dict[int, dict[str, Any]] = {}
    for p in open_ones:
        fields[p.key] = {"opening": False} | ({} if p.number else {"number": number})
        number += not p.number
    return Edit("opening filled", fields)


@verb("detail")
def detail(target: Target, values: Values) -> Edit:
    """A line that parts nothing, drawn: burnt, painted or sawn, as `how` says."""
    how = str(values.get("how") or "burnt")
    if how not in HOWS:
        raise BadChoice(f"A line that parts nothing is burnt, painted, sawn, a vein or textured, not “{how[:40]}”.")
    kept, line = target.composition.decisions.pattern.details, points_of(values)
    if shapely.LineString(line).length < LEAST_DETAIL_MM:
        raise BadChoice("This line is too short to be seen. Draw it longer.")
    if len(kept) >= MOST_DETAILS:
        raise BadChoice(f"More than {MOST_DETAILS} such lines are too many for one picture.")
    return decided(target.composition, "detail line", "pattern", details=(*kept, detail_of(line, how)))


@verb("redetail")
def redetail(target: Target, values: Values) -> Edit:
    """The line that parts nothing at a place, made the next of `HOWS`, and then gone."""
    kept = target.composition.decisions.pattern.details
    found = nearest(kept, points_of(values | {"curve": ""})[0], max(2 * snap_of(values), 1.0))
    if found is None:
        raise BadChoice("There is no line that parts nothing here. Click on one.")
    ways = [*HOWS, ""]
    how = ways[ways.index(kept[found].how) + 1]
    changed = [replace(kept[found], how=how)] if how else []
    label = f"line {HOWS[how]}" if how else "line taken away"
    return decided(target.composition, label, "pattern", details=(*kept[:found], *changed, *kept[found + 1 :]))


@verb("drop")
def drop(target: Target, _values: Values) -> Edit:
    layer = target.one_layer
    gone = cut.drop(layer.coverage, some_keys(target.pieces)).gone
    return _fitted(target.composition, Edit(f"{named(target.pieces)} dropped", gone=gone))


@verb("draw")
def draw(target: Target, values: Values) -> Edit:
    """A new piece inside a closed line: it takes its place from what lies there."""
    shape = closed_line(values)
    composition, layer = target.composition, target.one_layer
    made = cut.imprint(layer.coverage, [shape])
    return _fitted(composition, reshaped(composition, layer, made, "piece drawn"))


@verb("strips")
def strips(target: Target, values: Values) -> Edit:
    """Outlines kept as parts of their own, a strip so wide along the seams of the chosen pieces, or along all seams: as
    dark lines stand in a portrait of tones."""
    composition, layer = target.composition, target.one_layer
    wide = length_of(values, composition, "width", 0.5, 20.0, 2.0)
    coverage = layer.without_openings.coverage
    keys = {p.key for p in target.pieces if not p.opening} or set(coverage.keys)
    lines = [seam.line for seam in coverage.seams if {seam.a, seam.b} & keys]
    if not lines:
        raise BadChoice("There is no seam here to keep as a strip.")
    band = shapely.buffer(shapely.union_all(np.array(lines, object)), wide / 2, quad_segs=4, cap_style="square")
    inside = shapely.intersection(band, coverage.outside)
    shapes = [on_grid(p) for p in shapely.get_parts(shapely.simplify(inside, 0.02)) if p.geom_type == "Polygon"]
    made = cut.imprint(layer.coverage, [p for p in shapes if p.area > wide * wide])
    return reshaped(composition, layer, made, "outline strips", part="outline")


@verb("background")
def background(target: Target, values: Values) -> Edit:
    """Fill what is round the pieces, out to an outline with a margin."""
    composition, layer = target.composition, target.one_layer
    margin = length_of(values, composition, "margin", 0.0, 1000.0, 20.0)
    outline = plate_round(str(values.get("outline") or "rectangle"), layer.coverage.bounds_mm, margin)
    made = cut.surround(layer.coverage, on_grid(outline))
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
    return transformed(composition, edit, (1.0, 0.0, -left, 0.0, 1.0, -top), size)


def transformed(composition: Composition, edit: Edit, move: Affine, fields: dict[str, Any]) -> Edit:
    """The edit followed by moving every outline; what was drawn besides follows (see `change.carried`)."""
    a, b, c, d, e, f = move
    turn, shift = np.array([[a, d], [b, e]]), np.array([c, f])
    then = applied(composition, edit)
    outlines: dict[int, shapely.Polygon] = {}
    born = dict(edit.born)
    for layer in then.layers:
        moved = on_grid(shapely.transform(np.array(layer.coverage.outlines), lambda xy: xy @ turn + shift))
        for key, outline in zip(layer.coverage.keys, shapely.normalize(moved), strict=True):
            if key in born:
                born[key] = replace(born[key], outline=outline)
            else:
                outlines[key] = outline
    return replace(edit, outlines=outlines, born=born, composition=edit.composition | fields, move=move)


@verb("mirror")
def mirror(target: Target, _values: Values) -> Edit:
    """The whole picture as in a mirror, left for right; arrows turn with it."""
    composition = target.composition
    if composition.decisions.space.bodies or composition.decisions.space.blocks:
        raise BadChoice("A body or a block is not mirrored on its paper: mirror it where it was drawn, and begin anew.")
    arrows = {p.key: {"grain_deg": (180 - p.grain_deg) % 360} for p in composition.pieces() if p.grain_deg is not None}
    turned = decided(composition, "mirrored", "pattern", mirrored=not composition.decisions.pattern.mirrored)
    across = (-1.0, 0.0, composition.width_mm, 0.0, 1.0, 0.0)
    return transformed(composition, Edit("mirrored", arrows), across, turned.composition)


@verb("resize")
def resize(target: Target, values: Values) -> Edit:
    """Another finished width; `thickness` yes scales stock, shims and layers too."""
    composition = target.composition
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
    size: dict[str, Any] = {"width_mm": round(width, 3), "height_mm": round(composition.height_mm * scale, 3)}
    if too:
        now = composition.decisions
        thicker = {name: getattr(now, name).thicker(scale) for name in ("relief", "space", "fields")}
        size = with_decisions(size, now, replace(now, **thicker))
    edit = Edit(f"size: {composition.practice.say(width)} wide", pieces, layers=layers)
    made = transformed(composition, edit, (scale, 0.0, 0.0, 0.0, scale, 0.0), size)
    then = applied(composition, made)
    # parts that are drawn side by side may have real holes
    whole = [layer.coverage.fits if layer.kind == "kit" else layer.coverage.is_valid for layer in then.layers]
    if not all(ok or layer.openings for ok, layer in zip(whole, then.layers, strict=True)):
        raise BadChoice("At this size some pieces would vanish. Join the smallest first.")
    return made


@verb("repeat")
def repeat(target: Target, values: Values) -> Edit:
    """Copies of the chosen pieces beside them: `times` in steps of their own width, or mirrored once about their right
    edge."""
    composition, layer = target.composition, target.one_layer
    keys = some_keys(target.pieces)
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
    made = cut.imprint(layer.coverage, shapes)
    return _fitted(composition, _copied(composition, layer, made, [layer.by_key[k] for k in keys], shapes, mirrored))


def _copied(composition, layer, made: knit.Reshape, originals: list[Piece], shapes, mirrored: bool) -> Edit:
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


def small_pairs(layer: Layer, smallest_mm: float) -> list[tuple[Piece, Piece]]:
    """Pieces whose fattest place is under a width, each with the neighbour that would take it."""
    spots, pieces = layer.without_openings.coverage.spots, layer.by_key

    def apart(a: int, b: int) -> float:
        return hex_apart(pieces[a].colour, pieces[b].colour) if pieces[a].colour and pieces[b].colour else 0.0

    pairs = cut.small_joins(layer.without_openings.coverage, lambda k: 2 * spots[k].radius_mm < smallest_mm, apart)
    return [(pieces[a], pieces[b]) for a, b in pairs]


@verb("join_small")
def join_small(target: Target, values: Values) -> Edit:
    composition, layer = target.composition, target.one_layer
    smallest = length_of(values, composition, "smallest", 0.1, 200.0)
    pairs = small_pairs(layer, smallest)
    if not pairs:
        raise BadChoice(f"No piece is narrower than {composition.practice.say(smallest)} at its fattest.")
    made = cut.joined(layer.coverage, [(a.key, b.key) for a, b in pairs])
    return reshaped(composition, layer, made, f"{len(made.gone)} small pieces joined")


@verb("renumber")
def renumber(target: Target, values: Values) -> Edit:
    """Numbers afresh in reading order, or part by part. Numbers change only here and by hand."""
    order: list[Piece] = []
    for layer in target.composition.layers:
        keys = reading_order(layer.without_openings.coverage)
        pieces = [layer.by_key[k] for k in keys]
        if values.get("by") == "part":
            parts = list(dict.fromkeys(p.part for p in pieces))
            pieces = [p for part in parts for p in pieces if p.part == part]
        order += pieces
    fields = {p.key: {"number": i} for i, p in enumerate(order, 1) if p.number != i}
    return Edit("numbers in reading order" if values.get("by") != "part" else "numbers by part", fields)


@verb("number")
def number(target: Target, values: Values) -> Edit:
    pieces = target.pieces
    if len(pieces) != 1:
        raise BadChoice("Choose one piece to give it a number.")
    wanted = whole_number(values.get("number"), 1, 99999)
    taken = next((p for p in target.composition.pieces() if p.number == wanted and p.key != pieces[0].key), None)
    if taken:
        raise BadChoice(f"Number {wanted} is on another piece already. Give that one another number first.")
    return Edit(f"number {wanted}", {pieces[0].key: {"number": wanted}} if pieces[0].number != wanted else {})
