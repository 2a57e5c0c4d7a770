"""Registration marks: crosses at the same places in every layer, so that sheets can be laid over each other."""

from ..work.composition import Composition

ARM_MM = 5.0
INSIDE_MM = 8.0
"""How far the crosses lie inside the corners: on the paper, whatever is sawn there."""
Line = tuple[tuple[float, float], tuple[float, float]]


def registration_points(composition: Composition) -> list[tuple[float, float]]:
    """Four places near the corners of the picture, in mm: those of every layer."""
    inside = min(INSIDE_MM, composition.width_mm / 4, composition.height_mm / 4)
    left, right = inside, composition.width_mm - inside
    top, bottom = inside, composition.height_mm - inside
    return [(left, top), (right, top), (right, bottom), (left, bottom)]


def registration_lines(composition: Composition) -> list[Line]:
    """The arms of the crosses."""
    arm = min(ARM_MM, composition.width_mm / 8, composition.height_mm / 8)
    lines: list[Line] = []
    for x, y in registration_points(composition):
        lines += [((x - arm, y), (x + arm, y)), ((x, y - arm), (x, y + arm))]
    return lines
