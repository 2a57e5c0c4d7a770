"""What a hand does to parts that stand in space."""

from dataclasses import replace

from ..errors import BadChoice
from ..solid.mesh import unpacked
from ..work.change import Born, Edit, with_decisions
from ..work.composition import Composition, Layer, Piece
from ..work.in_space import Body, Slice
from ..work.parts import job_of
from ..work.register import Values, verb
from ..work.setting import length_of
from ..work.view import Target
from .slices import MOST_HIGH_MM, MOST_MM, Cutting, again, body_of, true_thickness

MOST_TIMES = 10.0


def sliced_layer(target: Target) -> tuple[Layer, Body]:
    """The layer of slices that is meant. Raises `BadChoice`."""
    space = target.composition.decisions.space
    body = space.body_of(target.layer.key)
    if body is None and len(space.bodies) == 1:
        body = space.bodies[0]
    if body is None:
        raise BadChoice("Nothing here is a body in slices. Begin one on the shelf, or choose its layer.")
    return target.composition.layer(body.layer), body


@verb("slice")
def slice_again(target: Target, values: Values) -> Edit:
    """The body cut again: other thickness, way, height or pins. Slices that stay keep their numbers and woods."""
    layer, body = sliced_layer(target)
    composition = target.composition
    true = true_thickness(job_of(composition).thickness_mm, body)
    how = Cutting(
        length_of(values, composition, "slice_thickness", 0.1, MOST_MM, true),
        length_of(values, composition, "body_height", 1.0, MOST_HIGH_MM, body.height_mm),
        str(values.get("along") or body.along),
        length_of(values, composition, "pin", 0.0, 40.0, body.pin_mm),
        2 if str(values.get("pins", "")) == "2" else 1,
        values.get("islands") != "loose",
    )
    return _cut_again(composition, layer, body, how, f"slices of {composition.practice.say(how.thickness_mm)}")


@verb("grow_body")
def grow_body(target: Target, values: Values) -> Edit:
    """The body and its stock so many times as large: the same slices, all larger and as much thicker."""
    layer, body = sliced_layer(target)
    try:
        times = float(str(values.get("times", "")).replace(",", "."))
    except ValueError:
        times = 0.0
    if not 1 / MOST_TIMES <= times <= MOST_TIMES:
        raise BadChoice(f"Say how many times as large: {1 / MOST_TIMES:g} to {MOST_TIMES:g}.")
    composition = target.composition
    true = true_thickness(job_of(composition).thickness_mm, body)
    how = Cutting(
        round(true * times, 3),
        round(body.height_mm * times, 3),
        body.along,
        round(body.pin_mm * times, 3),
        _pins(body),
        True,
    )
    return _cut_again(composition, layer, body, how, f"{times:g} times as large, its stock too")


def _pins(body: Body) -> int:
    """How many pins each slice was given."""
    return 2 if len({(p.first, p.last) for p in body.pins}) < len(body.pins) else 1


def _cut_again(composition: Composition, layer: Layer, body: Body, how: Cutting, label: str) -> Edit:
    text = composition.decisions.meshes.meshes.get(layer.key)
    if not text:
        raise BadChoice("The body itself is not kept with this work, so that it cannot be sliced again.")
    made = again(composition, layer, unpacked(text), how)
    next_key, next_number = composition.next_key, composition.next_number
    like = next((p for p in layer.pieces if not p.opening), Piece(0, 0))
    slices, born = list[Slice](made.slices), {}
    for n, (level, outline) in enumerate(made.born):
        piece = Piece(next_key + n, next_number + n, like.wood, like.grain_deg, coat=like.coat)
        born[piece.key] = Born(layer.key, piece, outline)
        slices.append(Slice(piece.key, level, *made.sheet.places[level]))
    now = composition.decisions
    cut_body = body_of(layer.key, made.cut, how, slices)
    bodies = tuple(cut_body if one.layer == layer.key else one for one in now.space.bodies)
    then = replace(now, space=replace(now.space, bodies=bodies))
    fields = {"width_mm": made.sheet.width_mm, "height_mm": made.sheet.height_mm}
    own = {p.key: {"thickness_mm": None} for p in layer.pieces if p.thickness_mm is not None and p.key in made.outlines}
    return Edit(
        label,
        own,
        with_decisions(fields, now, then),
        outlines=made.outlines,
        born=born,
        gone=made.gone,
        layers={layer.key: {"thickness_mm": how.thickness_mm}},
    )
