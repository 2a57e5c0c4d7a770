"""Tabs and slots: how a part is sawn so that what goes into it fits, by its true thickness.

A slot is as wide as what goes in is thick, and a clearance; it is sawn square to the part, so a part that leans wants
more. A tab is as long as its slot's part is thick, or as deep as its blind slot.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from math import cos, hypot, radians, tan

import numpy as np
import shapely

from .composition import Composition
from .in_space import Joint, Point

USUAL_CLEARANCE_MM = 0.1
"""Slot width is the measured thickness of the tab and 0 to 0.1 mm: common practice, no source."""
EASED_MM = 0.8
"""Radius of the relief at a slot's inner corners where they are eased: own choice."""
OVER_MM = 0.05
"""What is drawn and redrawn reaches so far over its own line, so that no sliver is left."""


@dataclass(frozen=True, slots=True)
class Slot:
    """One slot as it is to be sawn: the joint's place in the list, the part it is in, what goes in, its middle line,
    its width and length, and how deep it is (0: through)."""

    joint: int
    piece: int
    takes: int
    middle: tuple[Point, Point]
    wide_mm: float
    long_mm: float
    deep_mm: float
    corners: str

    @property
    def area(self) -> shapely.Polygon:
        return along(self.middle, self.wide_mm, (self.long_mm - length(self.middle)) / 2)


def joints_of(composition: Composition) -> list[tuple[int, Joint]]:
    """Joints whose two parts are drawn side by side and made of something, each with its place in the list."""
    kits = {p.key for layer in composition.layers if layer.kind == "kit" for p in layer.without_openings.pieces}
    joints = enumerate(composition.decisions.space.joints)
    return [(n, joint) for n, joint in joints if joint.tab in kits and joint.slot in kits]


def clearance_mm(composition: Composition) -> float:
    said = composition.decisions.space.clearance_mm
    return USUAL_CLEARANCE_MM if said is None else said


def length(line: tuple[Point, Point]) -> float:
    return hypot(line[1][0] - line[0][0], line[1][1] - line[0][1])


def along(line: tuple[Point, Point], wide_mm: float, longer_mm: float = 0.0) -> shapely.Polygon:
    """A rectangle along a line, so wide and at each end so much longer."""
    (x0, y0), (x1, y1) = line
    long = max(length(line), 1e-9)
    ux, uy = (x1 - x0) / long, (y1 - y0) / long
    vx, vy = -uy * wide_mm / 2, ux * wide_mm / 2
    ax, ay, bx, by = x0 - ux * longer_mm, y0 - uy * longer_mm, x1 + ux * longer_mm, y1 + uy * longer_mm
    return shapely.Polygon([(ax + vx, ay + vy), (bx + vx, by + vy), (bx - vx, by - vy), (ax - vx, ay - vy)])


def tab_area(joint: Joint, out_mm: float) -> shapely.Polygon:
    """The rectangle of a tab that stands so far out from its foot."""
    (x0, y0), (x1, y1) = joint.foot
    ox, oy = out_of(joint)
    back = OVER_MM
    return shapely.Polygon(
        [
            (x0 - ox * back, y0 - oy * back),
            (x1 - ox * back, y1 - oy * back),
            (x1 + ox * out_mm, y1 + oy * out_mm),
            (x0 + ox * out_mm, y0 + oy * out_mm),
        ]
    )


def out_of(joint: Joint) -> Point:
    """The way in which a tab stands out: square to its foot, towards its tip."""
    (x0, y0), (x1, y1) = joint.foot
    long = max(length(joint.foot), 1e-9)
    nx, ny = -(y1 - y0) / long, (x1 - x0) / long
    side = (joint.tip[0] - (x0 + x1) / 2) * nx + (joint.tip[1] - (y0 + y1) / 2) * ny
    return (nx, ny) if side >= 0 else (-nx, -ny)


def slot_width_mm(tab_mm: float, part_mm: float, lean_deg: float, clear_mm: float) -> float:
    """Of a slot sawn square through a part `part_mm` thick for one that is `tab_mm` thick and leans."""
    lean = radians(abs(lean_deg))
    return tab_mm / cos(lean) + part_mm * tan(lean) + clear_mm


def slots_of(composition: Composition, thickness_mm: Mapping[int, float]) -> tuple[Slot, ...]:
    """Every slot, by the true thickness of what goes in."""
    space, clear = composition.decisions.space, clearance_mm(composition)
    made = []
    for n, joint in joints_of(composition):
        tab, part = thickness_mm[joint.tab], thickness_mm[joint.slot]
        if joint.kind == "half":
            for piece, takes, line, mm in (
                (joint.tab, joint.slot, joint.foot, part),
                (joint.slot, joint.tab, joint.middle, tab),
            ):
                wide = mm + clear
                made.append(Slot(n, piece, takes, line, wide, length(line), 0.0, space.corners))
            continue
        deep = min(joint.deep_mm, part) if joint.deep_mm else 0.0
        wide = slot_width_mm(tab, deep or part, joint.lean_deg, clear)
        long = length(joint.foot) + clear
        made.append(Slot(n, joint.slot, joint.tab, joint.middle, wide, long, deep, space.corners))
    return tuple(made)


def tab_out_mm(joint: Joint, part_mm: float) -> float:
    """How far a tab stands out: through what it goes into, or to its slot's floor."""
    lean = radians(abs(joint.lean_deg))
    return (min(joint.deep_mm, part_mm) if joint.deep_mm else part_mm) / cos(lean)


def jointed(composition: Composition, thickness_mm: Mapping[int, float]) -> dict[int, shapely.Polygon]:
    """Outlines of all pieces with joints, as they are to be sawn. Where a slot would part its piece, the piece stays
    as it was drawn: that is said."""
    return {key: outline for key, (outline, _) in _redrawn(composition, thickness_mm).items()}


def splits(composition: Composition, thickness_mm: Mapping[int, float]) -> list[int]:
    """Pieces that their slots would part, or leave nothing of."""
    return [key for key, (_, whole) in _redrawn(composition, thickness_mm).items() if not whole]


def _redrawn(composition: Composition, thickness_mm: Mapping[int, float]) -> dict[int, tuple[shapely.Polygon, bool]]:
    """Every piece with joints: its outline, and whether it stays in one."""
    joints = [joint for _, joint in joints_of(composition)]
    if not joints:
        return {}
    home = composition.home
    keys = {key for joint in joints for key in (joint.tab, joint.slot)}
    drawn = {key: home[key].coverage.by_key[key] for key in keys}
    bodies: dict[int, shapely.Geometry] = dict(drawn)
    for joint in joints:
        if joint.wide_mm:
            for key, line in _slot_lines(joint):
                # half laps are open at the edge: what fills them must not stand out beyond it
                longer = 0.0 if joint.kind == "half" else (joint.wide_mm / 2 + OVER_MM)
                bodies[key] = _filled(bodies[key], along(line, joint.wide_mm + 2 * OVER_MM, longer), drawn[key])
        if joint.kind == "tab":
            body = bodies[joint.tab]
            if joint.out_mm:
                body = shapely.difference(body, _drawn_tab(joint))
            bodies[joint.tab] = shapely.union(body, tab_area(joint, tab_out_mm(joint, thickness_mm[joint.slot])))
    for slot in slots_of(composition, thickness_mm):
        if not slot.deep_mm and slot.piece in bodies:
            bodies[slot.piece] = shapely.difference(bodies[slot.piece], _cut(slot, composition))
    made = {}
    for key, body in bodies.items():
        one = _one(body)
        made[key] = (drawn[key], False) if one is None else (one, True)
    return made


def _slot_lines(joint: Joint) -> tuple[tuple[int, tuple[Point, Point]], ...]:
    own = (joint.slot, joint.middle)
    return ((joint.tab, joint.foot), own) if joint.kind == "half" else (own,)


def _filled(body: shapely.Geometry, over: shapely.Polygon, drawn: shapely.Polygon) -> shapely.Geometry:
    """With the drawing's own slot closed, as far as it lies inside the part's outline without its notches."""
    within = shapely.Polygon(drawn.exterior)
    hull = shapely.buffer(
        shapely.buffer(within, over.length / 4, join_style="mitre"), -over.length / 4, join_style="mitre"
    )
    return shapely.union(body, shapely.intersection(over, shapely.union(within, hull)))


def _drawn_tab(joint: Joint) -> shapely.Polygon:
    """The drawing's own tab, with a little round it."""
    (x0, y0), (x1, y1) = joint.foot
    long = max(length(joint.foot), 1e-9)
    ux, uy = (x1 - x0) / long * OVER_MM * 4, (y1 - y0) / long * OVER_MM * 4
    ox, oy = out_of(joint)
    out = joint.out_mm + 4 * OVER_MM
    return shapely.Polygon(
        [
            (x0 - ux, y0 - uy),
            (x1 + ux, y1 + uy),
            (x1 + ux + ox * out, y1 + uy + oy * out),
            (x0 - ux + ox * out, y0 - uy + oy * out),
        ]
    )


def _cut(slot: Slot, composition: Composition) -> shapely.Geometry:
    """What is taken out: eased corners get a little more at each."""
    joint = composition.decisions.space.joints[slot.joint]
    area = slot.area
    if joint.kind == "half":
        # through the edge
        (x0, y0), (x1, y1) = slot.middle
        long = max(length(slot.middle), 1e-9)
        back = slot.wide_mm
        start = (x0 - (x1 - x0) / long * back, y0 - (y1 - y0) / long * back)
        area = along((start, slot.middle[1]), slot.wide_mm)
    if slot.corners != "eased":
        return area
    corners = shapely.get_coordinates(area)[:4]
    return shapely.union_all(np.array([area, *(shapely.Point(xy).buffer(EASED_MM, 8) for xy in corners)], object))


def _one(body: shapely.Geometry) -> shapely.Polygon | None:
    """As one part on the drawing's grid; nothing where it came apart."""
    made = shapely.set_precision(body, 0.001)
    parts = [part for part in shapely.get_parts(made).tolist() if part.geom_type == "Polygon" and part.area > 0.5]
    return parts[0] if len(parts) == 1 else None
