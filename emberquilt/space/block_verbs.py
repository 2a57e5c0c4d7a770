"""What a hand does to a block that is sawn from two sides."""

from dataclasses import replace

import numpy as np
import shapely

from ..errors import BadChoice
from ..outline.coverage import on_grid
from ..work.change import Edit, decided, with_decisions
from ..work.parts import job_of
from ..work.register import Values, verb
from ..work.setting import length_of
from ..work.view import Target
from .block import LEAST_BLOCK_MM, MOST_BLOCK_MM, compounds_of, with_dowel


@verb("block_size")
def block_size(target: Target, values: Values) -> Edit:
    """The block as square as it came out by the caliper: both outlines lie in the middle of its faces again."""
    composition = target.composition
    blocks = composition.decisions.space.blocks
    if len(blocks) != 1:
        raise BadChoice("There is no block here to measure.")
    (block,) = blocks
    mm = length_of(values, composition, "block", LEAST_BLOCK_MM, MOST_BLOCK_MM, block.wide_mm)
    front, side = (composition.layer(key) for key in (block.front, block.side))
    widest = max(x1 - x0 for x0, _, x1, _ in (front.coverage.bounds_mm, side.coverage.bounds_mm))
    if widest > mm:
        say = composition.practice.say
        raise BadChoice(f"The outlines are {say(widest)} wide: a block of {say(mm)} is too small for them.")
    outlines: dict[int, shapely.Polygon] = {}
    for n, layer in enumerate((front, side)):
        x0, _, x1, _ = layer.coverage.bounds_mm
        by = block.left_mm + (n + 0.5) * mm - (x0 + x1) / 2
        moved = on_grid(shapely.transform(np.array(layer.coverage.outlines), lambda xy, by=by: xy + (by, 0.0)))
        outlines |= dict(zip(layer.coverage.keys, list(moved), strict=True))
    made = replace(block, wide_mm=round(mm, 3), deep_mm=round(mm, 3), dowel_mm=0.0, dowel_x=0.0, dowel_z=0.0)
    now = composition.decisions
    then = replace(now, space=replace(now.space, blocks=(made,)))
    size = {"width_mm": round(2 * mm, 3)}
    return Edit(
        f"block {composition.practice.say(mm)} square",
        {},
        with_decisions(size, now, then),
        outlines=outlines,
        layers={key: {"thickness_mm": round(mm, 3)} for key in (block.front, block.side)},
    )


@verb("dowel")
def dowel(target: Target, values: Values) -> Edit:
    """A bore along the block for a dowel, where the most wood is round it; 0 for none."""
    composition = target.composition
    blocks = composition.decisions.space.blocks
    if not blocks:
        raise BadChoice("There is no block here to bore.")
    mm = length_of(values, composition, "bore", 0.0, 40.0, 0.0)
    made = []
    for one in compounds_of(job_of(composition)):
        made.append(with_dowel(one, mm) if mm else replace(one.block, dowel_mm=0.0, dowel_x=0.0, dowel_z=0.0))
    if not made:
        raise BadChoice("One face of the block holds nothing to saw.")
    label = f"bore of {composition.practice.say(mm)}" if mm else "no bore"
    return decided(composition, label, "space", blocks=tuple(made))
