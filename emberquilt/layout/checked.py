"""Whether a layout holds, told from outlines alone: nothing here is shared with what lays them."""

from collections.abc import Iterable
from dataclasses import dataclass

import shapely

from .task import Face, Gaps, Laid

NEAR_MM = 1e-3
"""Rounding that is let pass."""


@dataclass(frozen=True)
class Fault:
    """What is wrong with a part on a board: `what` is off, over-flaw, too-near, turned or no-board."""

    what: str
    part: str
    other: str = ""
    amount_mm: float = 0.0


def faults_of(laid: Iterable[Laid], faces: Iterable[Face], gaps: Gaps) -> list[Fault]:
    """Parts that hang over an edge, lie over a flaw or nearer than the gap to another, or are turned as they may not
    be. How nailed ones lie by themselves, or to each other, was decided by a person and is no fault."""
    by_key = {face.key: face for face in faces}
    table: dict[str, list[Laid]] = {}
    faults = []
    for one in laid:
        table.setdefault(one.face, []).append(one)
        if one.face in by_key and _turned_off(one, by_key[one.face]):
            faults.append(Fault("turned", one.item.key))
    for key, some in table.items():
        if key not in by_key:
            faults += [Fault("no-board", one.item.key) for one in some]
            continue
        face = by_key[key]
        edge = shapely.boundary(face.region)
        for one in some:
            outline = one.outline
            if not face.region.contains(outline) or edge.distance(outline) < gaps.edge_mm - NEAR_MM:
                faults.append(Fault("off", one.item.key, amount_mm=float(outline.difference(face.region).area)))
            if not face.flaws.is_empty and face.flaws.distance(outline) < gaps.edge_mm - NEAR_MM:
                faults.append(Fault("over-flaw", one.item.key))
        outlines = [one.outline for one in some]
        near = shapely.STRtree(outlines).query(outlines, "dwithin", gaps.between_mm - NEAR_MM)
        for i, j in near.T.tolist():
            if i < j:
                apart = float(outlines[i].distance(outlines[j]))
                faults.append(Fault("too-near", some[i].item.key, some[j].item.key, apart))
    nailed = {one.item.key for some in table.values() for one in some if one.nailed}
    return [fault for fault in faults if not ({fault.part, fault.other} - {""} <= nailed)]


def _turned_off(one: Laid, face: Face) -> bool:
    base = face.grain_deg if one.item.directed else 0.0
    return all(abs((one.turn_deg - base - turn + 180) % 360 - 180) > 1e-3 for turn in one.item.turns)
