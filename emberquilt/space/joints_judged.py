"""What is wrong with parts that stand in each other's slots: slots too wide, tabs that trap each other, what falls over
or is hidden."""

from collections.abc import Iterator

import numpy as np
import shapely

from ..findings import Finding, Fix, name_pieces
from ..work.composition import Layer
from ..work.joints import Slot, along, joints_of, slots_of, splits
from ..work.parts import Job
from ..work.poses import poses_of
from ..work.register import judgement
from .order import together_of
from .standing import DRAUGHT_DEG, hidden_parts, stand_of
from .sweeping import overlaps

MISSES_MM = 0.4
"""A tab that lies so far beside its slot does not go in."""
LEAST_WALL_MM = 3.0
"""Wood between a slot and the edge, or another slot: common practice, no source."""


@judgement("relief")
def judge(job: Job, plan) -> list[Finding]:
    space = job.composition.decisions.space
    kits = [
        layer
        for layer in job.composition.layers
        if layer.kind == "kit" and layer.without_openings.pieces and space.body_of(layer.key) is None
    ]
    found: list[Finding] = []
    for layer in kits:
        found += _trapped(job, layer)
        found += _alone(job, layer)
    if kits:
        found += _slots(job)
        found += _misses(job)
        found += _collisions(job)
        found += _stands(job)
        found += _hides(job)
    return found


def _number(job: Job, key: int) -> str:
    return str(job.pieces[key].number)


def _trapped(job: Job, layer: Layer) -> Iterator[Finding]:
    joints = job.composition.decisions.space.joints
    trapped = together_of(job, layer).trapped
    if not trapped:
        return
    keys = tuple(sorted({key for n in trapped for key in (joints[n].tab, joints[n].slot)}))
    yield Finding(
        "tabs-trapped",
        "relief",
        f"{name_pieces([job.pieces[k].number for k in keys])} trap each other: their tabs go in different ways, and "
        "no order puts one in without bending another.",
        "A part goes into all its slots along one straight way.",
        keys,
    )


def _collisions(job: Job) -> Iterator[Finding]:
    for one, other in overlaps(job):
        a, b = _number(job, one), _number(job, other)
        yield Finding(
            "parts-collide",
            "relief",
            f"Where they stand {a} and {b} are in one place: one of their slots is drawn where the other part is.",
            "Two parts cannot be where one is.",
            (one, other),
        )


def _alone(job: Job, layer: Layer) -> Iterator[Finding]:
    held = {key for _, j in joints_of(job.composition) for key in (j.tab, j.slot)}
    alone = tuple(p.key for p in layer.without_openings.pieces if p.key not in held)
    if alone and len(layer.without_openings.pieces) > 1:
        one = len(alone) == 1
        yield Finding(
            "stands-alone",
            "relief",
            f"{name_pieces([job.pieces[k].number for k in alone])} {'is' if one else 'are'} joined to nothing: nobody "
            f"knows where {'it stands' if one else 'they stand'}.",
            "Choose it and then the part it stands in, and join them.",
            alone,
            layer=layer.key,
        )


def _slots(job: Job) -> Iterator[Finding]:
    composition = job.composition
    bad = splits(composition, job.thickness_mm)
    for key in bad:
        yield Finding(
            "slot-too-wide",
            "relief",
            f"A slot of {_number(job, key)} is wider than the part has wood for it: it would come apart.",
            "A slot is as wide as what goes in is thick; round it at least 3 mm of wood stay.",
            (key,),
            fix=Fix("Drop its joints", "unjoin", {}),
        )
    slots = [s for s in slots_of(composition, job.thickness_mm) if s.piece in job.pieces and s.piece not in bad]
    by_part: dict[int, list[Slot]] = {}
    for slot in slots:
        by_part.setdefault(slot.piece, []).append(slot)
    for key, own in by_part.items():
        least, place = _thin_wall(job, key, own)
        if least < LEAST_WALL_MM:
            yield Finding(
                "slot-wall",
                "relief",
                f"Beside a slot of {_number(job, key)} only {job.composition.practice.say(max(least, 0.0))} of wood "
                "stay: it breaks when the tab is pressed in.",
                "Between a slot and an edge, or another slot, keep 3 mm.",
                (key,),
                place,
                round(least, 2),
                LEAST_WALL_MM,
                "mm",
            )


def _thin_wall(job: Job, key: int, own: list[Slot]) -> tuple[float, tuple[float, float] | None]:
    joints = job.composition.decisions.space.joints
    border = shapely.Polygon(job.composition.home[key].coverage.by_key[key].exterior).exterior
    least, place = np.inf, None
    closed = [slot for slot in own if joints[slot.joint].kind == "tab"]
    for i, slot in enumerate(closed):
        for other in (border, *(one.area for one in closed[i + 1 :])):
            far = float(shapely.distance(slot.area, other))
            if far < least:
                least = far
                place = (slot.area.centroid.x, slot.area.centroid.y)
    return float(least), place


def _misses(job: Job) -> Iterator[Finding]:
    """Tabs that do not come to where their slot is, because another joint of the same parts says where they stand."""
    poses = poses_of(job)
    for _, joint in joints_of(job.composition):
        if joint.kind != "tab" or joint.tab not in poses or joint.slot not in poses:
            continue
        foot = (np.array(joint.foot[0]) + joint.foot[1]) / 2
        middle = (np.array(joint.middle[0]) + joint.middle[1]) / 2
        there = poses[joint.tab].at(foot[None], job.thickness_mm[joint.tab] / 2)[0]
        face = 0.0 if joint.behind else job.thickness_mm[joint.slot]
        want = poses[joint.slot].at(middle[None], face)[0]
        off = float(np.linalg.norm(there - want))
        if off > MISSES_MM:
            yield Finding(
                "tab-misses",
                "relief",
                f"A tab of {_number(job, joint.tab)} misses its slot in {_number(job, joint.slot)} by "
                f"{job.composition.practice.say(off)}.",
                "All tabs of a part go into their slots at once.",
                (joint.tab, joint.slot),
                (float(middle[0]), float(middle[1])),
                round(off, 2),
                MISSES_MM,
                "mm",
                fix=Fix("Look for its joints again", "find_joints", {}),
                by_place=True,
            )


def _stands(job: Job) -> Iterator[Finding]:
    stand = stand_of(job)
    if stand is None or stand.stands:
        return
    x, y = stand.tips
    way = ("to the right" if x > 0 else "to the left") if abs(x) > abs(y) else ("backwards" if y > 0 else "forwards")
    say = job.composition.practice.say
    if stand.lean_deg < 0:
        words = f"It falls {way}: its centre of mass is not over what it stands on."
    else:
        words = (
            f"It falls {way} when it leans {stand.lean_deg:.1f}°: its centre of mass is {say(stand.middle[2])} high "
            "and near the edge of what it stands on."
        )
    yield Finding(
        "falls-over",
        "relief",
        words,
        "What stands is to stay standing when it leans 5°, as in a draught or on a shelf that is not level.",
        amount=round(stand.lean_deg, 2),
        limit=DRAUGHT_DEG,
        unit="deg",
    )


def _hides(job: Job) -> Iterator[Finding]:
    for one in hidden_parts(job):
        behind = name_pieces([job.pieces[k].number for k in one.behind])
        yield Finding(
            "hidden-behind",
            "relief",
            f"{behind} hide {100 * one.share:.0f} % of {_number(job, one.key)}, as one looks at it from the front.",
            "What is to be seen stands beside or above what is before it.",
            (one.key,),
            amount=round(one.share, 3),
            limit=0.5,
        )


def tab_marks(job: Job) -> list[tuple[int, shapely.Polygon]]:
    """Where each slot lies as it is sawn, with the piece that it is in."""
    return [(slot.piece, slot.area) for slot in slots_of(job.composition, job.thickness_mm)]


def tab_names(job: Job) -> list[tuple[int, float, float, str]]:
    """Where it stands on each part what goes into it, or what it goes into."""
    found = []
    for slot in slots_of(job.composition, job.thickness_mm):
        if slot.piece in job.pieces and slot.takes in job.pieces:
            centre = along(slot.middle, slot.wide_mm).centroid
            found.append((slot.piece, centre.x, centre.y, _number(job, slot.takes)))
    return found
