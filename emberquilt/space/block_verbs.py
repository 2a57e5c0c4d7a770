"""What a hand does to a block that is sawn from two sides."""

from dataclasses import replace

from ..errors import BadChoice
from ..work.change import Edit, decided
from ..work.parts import job_of
from ..work.register import Values, verb
from ..work.setting import length_of
from ..work.view import Target
from .block import compounds_of, with_dowel


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
