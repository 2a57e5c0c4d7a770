"""What goes on paper for parts that stand: a coupon that tries how slots fit, and slices on each other at full size."""

from collections import Counter

import shapely

from ..errors import BadChoice
from ..space.order import together_of
from ..space.slot_verbs import coupon_clearances
from ..work.in_space import Body
from ..work.joints import joints_of
from ..work.parts import Job
from .planes import Plane, Printed, printed_of

COUPON_EDGE_MM = 10.0
COUPON_SLOT_MM = 20.0
TOGETHER = 8
"""So many slices are drawn on each other: more lines cannot be told apart."""
ROUND_MM = 12.0
CROSS_MM, FOLD_MM = 2.0, 5.0
"""Half an arm of a cross that shows whether the paper lies straight; how far the fold is drawn past the block."""


def coupon_planes(job: Job) -> list[Plane]:
    """Five slots for the thickness that most tabs have, a tenth of a millimetre apart, and a tab to try in them. Raises
    `BadChoice` where nothing stands in a slot."""
    tabs = Counter(round(job.thickness_mm[joint.tab], 3) for _, joint in joints_of(job.composition))
    if not tabs:
        raise BadChoice("Nothing stands in a slot yet: join two parts first.")
    thick, _ = tabs.most_common(1)[0]
    own = coupon_clearances(job.composition)
    apart = COUPON_EDGE_MM + thick + max(own[-1], 0.0)
    wide = COUPON_EDGE_MM + len(own) * apart
    high = COUPON_SLOT_MM + 2 * COUPON_EDGE_MM
    slots, notes = [], []
    for n, clear in enumerate(own):
        x = COUPON_EDGE_MM + n * apart
        slot = thick + clear
        slots.append(shapely.box(x, COUPON_EDGE_MM, x + slot, COUPON_EDGE_MM + COUPON_SLOT_MM))
        notes.append(f"{n + 1}: {slot:.2f} mm")
    coupon = shapely.difference(shapely.box(0, 0, wide, high), shapely.union_all(slots))
    tab = shapely.box(wide + 10, 0, wide + 10 + COUPON_SLOT_MM - 0.2, high)
    parts = (
        Printed("coupon", coupon, "", notes=("slots from the left: " + ", ".join(notes),)),
        Printed("coupon-tab", tab, "tab", notes=(f"of the stock, {thick:.2f} mm",)),
    )
    return [Plane("coupon", "Test coupon for slots", wide + 10 + COUPON_SLOT_MM, high, parts)]


def face_planes(job: Job) -> list[Plane]:
    """Both faces of a block unfolded: the line between them lies on the block's edge. Raises `BadChoice` where there is
    no block."""
    planes = []
    for block in job.composition.decisions.space.blocks:
        wide, far, long = block.wide_mm, block.wide_mm + block.deep_mm, block.long_mm
        own = [
            _moved(printed_of(job, job.pieces[p.key]), -block.left_mm, -block.top_mm)
            for key in (block.front, block.side)
            for p in job.composition.layer(key).without_openings.pieces
        ]
        lines = (
            ((wide, -FOLD_MM), (wide, long + FOLD_MM)),
            *(line for x in (wide / 2, (wide + far) / 2) for y in (3.0, long - 3.0) for line in _cross(x, y)),
        )
        faces = (shapely.box(0, 0, wide, long), shapely.box(wide, 0, far, long))
        planes.append(Plane("faces", "Both faces, folded over the edge", far, long, tuple(own), lines, edges=faces))
    if not planes:
        raise BadChoice("There is no block here.")
    return planes


def _moved(part: Printed, x: float, y: float) -> Printed:
    return part.moved(lambda shape: shapely.transform(shape, lambda xy: xy + (x, y)))


def _cross(x: float, y: float) -> tuple[tuple[tuple[float, float], tuple[float, float]], ...]:
    return ((x - CROSS_MM, y), (x + CROSS_MM, y)), ((x, y - CROSS_MM), (x, y + CROSS_MM))


def pile_planes(job: Job) -> list[Plane]:
    """Slices as they lie on each other, some at a time in the order in which they are glued. Raises `BadChoice` where
    nothing is sliced."""
    planes: list[Plane] = []
    for body in job.composition.decisions.space.bodies:
        planes += _piles(job, body)
    if not planes:
        raise BadChoice("Nothing here is a body in slices.")
    return planes


def _piles(job: Job, body: Body) -> list[Plane]:
    """Slices on each other some at a time; then, for each that no pin holds, where it lies on the one before it."""
    layer = job.composition.layer(body.layer)
    slices = body.by_piece
    levels: dict[int, list[int]] = {}
    for going in together_of(job, layer).order:
        levels.setdefault(slices[going.key].level, []).append(going.key)
    ordered = sorted(levels)
    planes = []
    for first in range(0, len(ordered), TOGETHER):
        some = ordered[first : first + TOGETHER]
        name = f"Slices {some[0] + 1} to {some[-1] + 1} on each other" if len(some) > 1 else f"Slice {some[0] + 1}"
        lying = [key for level in some for key in levels[level]]
        planes.append(_pile(job, body, name, lying, levels[some[-1]]))
    middle = ordered[len(ordered) // 2] if ordered else 0
    for level in ordered:
        if not body.pins or any(pin.first <= level <= pin.last for pin in body.pins):
            continue
        before = level - 1 if level > middle else level + 1
        if before in levels:
            name = f"Where slice {level + 1} lies on slice {before + 1}: no pin holds it"
            planes.append(_pile(job, body, name, levels[level], levels[before]))
    return planes


def _pile(job: Job, body: Body, name: str, lying: list[int], named: list[int]) -> Plane:
    """Outlines of slices (dashed) as they lie on each other, and some of them as parts with their numbers."""
    slices = body.by_piece
    outlines = {
        key: shapely.transform(job.pieces[key].outline, lambda xy, s=slices[key]: xy - (s.x_mm, s.y_mm))
        for key in dict.fromkeys([*lying, *named])
    }
    x0, y0, x1, y1 = shapely.total_bounds(list(outlines.values())).tolist()
    placed = {
        key: shapely.transform(outline, lambda xy: xy - (x0 - ROUND_MM, y0 - ROUND_MM))
        for key, outline in outlines.items()
    }
    parts = tuple(Printed(job.pieces[key].key, placed[key], str(job.pieces[key].number), up_deg=90.0) for key in named)
    edges = tuple(placed[key] for key in lying)
    return Plane("pile", name, x1 - x0 + 2 * ROUND_MM, y1 - y0 + 2 * ROUND_MM, parts, edges=edges)
