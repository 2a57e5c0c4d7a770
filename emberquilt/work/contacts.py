"""Where parts meet: along a seam, or lying on each other with an area that can be glued."""

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import shapely

from .joints import joints_of, length, tab_out_mm
from .overlaps import LEAST_OVERLAP_MM2, overlap_of
from .parts import Job, Part

NEAR_MM = 0.01
"""Heights nearer than this are one."""


@dataclass(frozen=True, slots=True)
class Contact:
    """Two parts of one copy, by their keys. `kind` edge: a shared seam of `length_mm`; face: `b` lies on `a` and
    `area_mm2` of both can be glued; joint: one is set into the other, or ends meet, over `area_mm2`."""

    a: str
    b: str
    kind: str
    length_mm: float = 0.0
    area_mm2: float = 0.0

    def of_copy(self, number: int) -> "Contact":
        return self if number == 1 else replace(self, a=f"{self.a}/{number}", b=f"{self.b}/{number}")


def contacts_of(job: Job) -> tuple[Contact, ...]:
    """All contacts in one copy, worked out once for a job."""
    kept = job.__dict__.get("_contacts")
    if kept is None:
        kept = job.__dict__["_contacts"] = (*edges(job), *faces(job), *_joints(job), *_in_space(job))
    return kept


def _in_space(job: Job) -> list[Contact]:
    """Slices on each other, and tabs in their slots, whose cheeks are glued."""
    found = []
    for body in job.composition.decisions.space.bodies:
        levels: dict[int, list[tuple[str, shapely.Geometry]]] = {}
        for one in body.slices:
            if one.piece in job.pieces:
                at = (one.x_mm, one.y_mm)
                outline = shapely.transform(job.pieces[one.piece].outline, lambda xy, at=at: xy - at)
                levels.setdefault(one.level, []).append((str(one.piece), outline))
        for level in sorted(levels):
            for upper, above in levels.get(level + 1, ()):
                for lower, below in levels[level]:
                    shared = shapely.intersection(above, below).area
                    if shared > LEAST_OVERLAP_MM2:
                        found.append(Contact(lower, upper, "face", area_mm2=shared))
    pairs: dict[tuple[int, int], float] = {}
    for _, joint in joints_of(job.composition):
        pair = (joint.slot, joint.tab)
        thick = job.thickness_mm[joint.slot]
        if joint.kind == "half":
            # what is in one's slot is beside the other's cheeks
            area = 2 * (length(joint.middle) * job.thickness_mm[joint.tab] + length(joint.foot) * thick) / 2
        else:
            area = 2 * length(joint.foot) * tab_out_mm(joint, thick)
        pairs[pair] = pairs.get(pair, 0.0) + area
    return found + [Contact(str(a), str(b), "joint", area_mm2=area) for (a, b), area in pairs.items()]


def edges(job: Job) -> list[Contact]:
    """Shared seams of pieces in one layer, where their heights overlap."""
    pieces = job.pieces
    found = []
    for layer in job.composition.layers:
        if layer.kind in ("face", "routed"):
            continue
        for seam in layer.without_openings.coverage.seams:
            a, b = pieces[seam.a], pieces[seam.b]
            if a.floor_mm < b.top_mm - NEAR_MM and b.floor_mm < a.top_mm - NEAR_MM:
                found.append(Contact(a.key, b.key, "edge", length_mm=seam.length_mm))
    return found


def faces(job: Job) -> list[Contact]:
    """What lies on what: pieces on pieces of layers behind them, shims and spacers between, all on the backer."""
    found = []
    layers = job.composition.layers
    for i, layer in enumerate(layers):
        upper = layer.without_openings.coverage
        for j, other in enumerate(layers[:i]):
            lower = other.without_openings.coverage
            over = overlap_of(upper, lower, j)
            for u, w, area in zip(over.upper.tolist(), over.lower.tolist(), over.area_mm2.tolist(), strict=True):
                above, below = job.pieces[upper.keys[u]], job.pieces[lower.keys[w]]
                if abs(above.floor_mm - below.top_mm) < NEAR_MM:
                    found.append(Contact(below.key, above.key, "face", area_mm2=area))
    if job.boards:
        found = _of_boards(job, found)
    derived = (*job.shims, *job.stands, *job.grounds)
    if derived:
        found += _derived_faces(job, derived)
    return found


def _of_boards(job: Job, found: list[Contact]) -> list[Contact]:
    """What lies on fields, or under them, touches the board that they are routed into."""
    board = {
        str(p.key): board.key
        for board in job.boards
        for p in job.composition.layer(board.id.layer).without_openings.pieces
    }
    area: dict[tuple[str, str], float] = {}
    for contact in found:
        pair = (board.get(contact.a, contact.a), board.get(contact.b, contact.b))
        area[pair] = area.get(pair, 0.0) + contact.area_mm2
    return [Contact(a, b, "face", area_mm2=mm2) for (a, b), mm2 in area.items()]


def _derived_faces(job: Job, derived: tuple[Part, ...]) -> list[Contact]:
    """Faces of parts that no piece stands for, with every part whose floor or top is at their own."""
    parts = [*job.pieces.values(), *derived]
    outlines = np.array([part.outline for part in parts], object)
    tree = shapely.STRtree(outlines)
    low, high = np.array([p.floor_mm for p in parts]), np.array([p.top_mm for p in parts])
    found, done = [], set()
    for part in derived:
        shapely.prepare(part.outline)
        near = tree.query(part.outline, predicate="intersects")
        for way in ("on", "under"):
            touching = near[
                np.abs((low[near] - part.top_mm) if way == "on" else (part.floor_mm - high[near])) < NEAR_MM
            ]
            area = _shared_area(part.outline, outlines[touching])
            for k, shared in zip(touching.tolist(), area.tolist(), strict=True):
                pair = (part.key, parts[k].key) if way == "on" else (parts[k].key, part.key)
                if shared > 0 and pair not in done:
                    done.add(pair)
                    found.append(Contact(pair[0], pair[1], "face", area_mm2=shared))
    return found


def _shared_area(one: shapely.Geometry, others: np.ndarray) -> np.ndarray:
    """Areas that `one`, prepared, shares with others; those inside it share all of theirs."""
    within = shapely.contains_properly(one, others)
    area = shapely.area(others)
    area[~within] = shapely.area(shapely.intersection(one, others[~within]))
    return area


def _joints(job: Job) -> list[Contact]:
    """Mitres of the frame, its strips on each other, and the base under what stands lowest."""
    frame = job.composition.decisions.relief.rails
    sides = frame.sides if frame is not None else 1
    rings = [job.rails[i : i + sides] for i in range(0, len(job.rails), sides)]
    found = []
    for rails in rings:
        for one, other in zip(rails, (*rails[1:], rails[0]), strict=True):
            mitre = float(np.hypot(*_mitre(one, other)))
            found.append(Contact(one.key, other.key, "joint", area_mm2=mitre * one.thickness_mm))
    for upper, lower in pairwise(rings):
        for one, other in zip(upper, lower, strict=True):
            shared = shapely.intersection(one.outline, other.outline).area
            found.append(Contact(other.key, one.key, "face", area_mm2=shared))
    if job.base and job.rear is not None:
        foot = max(job.pieces.values(), key=lambda p: (p.outline.bounds[3], -p.floor_mm))
        x0, _, x1, _ = foot.outline.bounds
        found.append(Contact(job.base[0].key, foot.key, "joint", area_mm2=(x1 - x0) * foot.thickness_mm))
    return found


def _mitre(a: Part, b: Part) -> tuple[float, float]:
    """The line along which two rails meet, as width and height of its box."""
    x0, y0, x1, y1 = shapely.intersection(a.outline, b.outline).bounds
    return x1 - x0, y1 - y0
