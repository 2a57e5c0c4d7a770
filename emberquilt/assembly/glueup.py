"""Glue-up: an order in which every next piece touches what is down, in batches that fit the glue's open time."""

import heapq
from dataclasses import dataclass

import shapely

from ..findings import Finding, Fix
from ..outline.coverage import Coverage
from ..practice import Practice
from ..work.composition import Composition
from .supplies import Glue, glues


@dataclass(frozen=True, slots=True)
class GlueStep:
    """One piece put down. `touches` are pieces already down; empty only for an anchor. `batch` counts from 1; where
    each piece is held by itself all are one."""

    order: int
    piece: int
    batch: int
    touches: tuple[int, ...]
    reason: str


@dataclass(frozen=True)
class GluePlan:
    glue: Glue
    steps: tuple[GlueStep, ...]
    batches: tuple[tuple[int, ...], ...]
    per_batch: int
    anchor: int | None
    backer: shapely.Geometry

    @property
    def one_by_one(self) -> bool:
        """Every piece is held and set by itself: there are no batches."""
        return self.glue.held_by_hand

    def minutes_each(self, practice: Practice) -> float:
        """Minutes of hands to lay one piece, and to hold it where it is held."""
        held = self.glue.clamp_minutes if self.one_by_one else 0.0
        return practice.seconds_per_piece / 60 + held


def glue_plan(composition: Composition) -> GluePlan:
    """Order, batches and backer for the mosaic. The anchor is the person's own, else chosen by the practice."""
    layer, practice = composition.in_hand, composition.practice
    glue = glues()[practice.glue]
    at_once = int(glue.open_minutes * 60 // practice.seconds_per_piece)
    per_batch = max(1, len(layer.pieces) if glue.held_by_hand else at_once)
    wanted = composition.pins.get("anchor")
    coverage = layer.coverage
    anchor = (
        wanted
        if wanted in coverage.by_key
        else coverage.once(("anchor", practice.anchor), lambda: choose_anchor(coverage, practice.anchor))
    )
    order = coverage.once(("glue order", anchor), lambda: touching_order(coverage, anchor))
    steps = tuple(
        GlueStep(i + 1, key, i // per_batch + 1, touches, _reason(i, touches, wanted))
        for i, (key, touches) in enumerate(order)
    )
    batches = tuple(tuple(s.piece for s in steps[i : i + per_batch]) for i in range(0, len(steps), per_batch))
    backer = coverage.once(
        ("backer", practice.backer_inset_mm), lambda: backer_outline(coverage, practice.backer_inset_mm)
    )
    return GluePlan(glue, steps, batches, per_batch, anchor, backer)


def _reason(i: int, touches: tuple[int, ...], wanted) -> str:
    if i == 0:
        return "your anchor" if wanted is not None else "anchor"
    return f"touches {len(touches)} already down" if touches else "stands alone: measure it in from the edge"


def choose_anchor(coverage: Coverage, school: str) -> int | None:
    """An outer piece with the longest free border, or the piece nearest to the middle."""
    if not len(coverage):
        return None
    if school == "middle":
        centre = shapely.centroid(coverage.outside)
        return min(coverage.keys, key=lambda key: (coverage.by_key[key].distance(centre), key))
    shared = {key: sum(s.length_mm for s in coverage.neighbours[key].values()) for key in coverage.keys}
    return max(coverage.keys, key=lambda key: (round(coverage.by_key[key].length - shared[key], 6), -key))


def touching_order(coverage: Coverage, anchor: int | None) -> list[tuple[int, tuple[int, ...]]]:
    """Pieces with the neighbours already down, from the anchor on.

    Next comes the piece with the largest share of its border against what is down: it is located best.
    """
    if anchor is None:
        return []
    border = {key: coverage.by_key[key].exterior.length for key in coverage.keys}
    against = dict.fromkeys(coverage.keys, 0.0)
    down: dict[int, None] = {}
    order = []
    heap = [(0.0, anchor)]
    waiting = set(coverage.keys)
    while waiting:
        key = _next(heap, waiting, coverage, border)
        waiting.discard(key)
        order.append((key, tuple(sorted(k for k in coverage.neighbours[key] if k in down))))
        down[key] = None
        for other, seam in coverage.neighbours[key].items():
            if other in waiting:
                against[other] += seam.length_mm
                heapq.heappush(heap, (-against[other] / border[other], other))
    return order


def _next(heap: list, waiting: set[int], coverage: Coverage, border: dict[int, float]) -> int:
    while heap:
        _, key = heapq.heappop(heap)
        if key in waiting:
            return key
    # nothing that is left touches what is down: a body apart begins with its own largest piece
    return max(waiting, key=lambda key: (coverage.area_mm2[key], -key))


def backer_outline(coverage: Coverage, inset_mm: float) -> shapely.Geometry:
    """The backer: the assembled outline, smaller all round by the inset; small bays and holes are left closed."""
    parts = shapely.get_parts(coverage.outside)
    whole = shapely.union_all(shapely.polygons(shapely.get_exterior_ring(parts)))
    return shapely.simplify(shapely.buffer(whole, -inset_mm, join_style="mitre", mitre_limit=2), 0.05)


def glue_findings(composition: Composition, plan: GluePlan) -> list[Finding]:
    findings = []
    number = {p.key: p.number for p in composition.in_hand.pieces}
    if plan.anchor is not None and "anchor" not in composition.pins:
        findings.append(
            Finding(
                "anchor-open",
                "assembly",
                f"{number[plan.anchor]} would be glued first, by your practice. Confirm it or choose another anchor.",
                "Everything is registered from the first piece down.",
                (plan.anchor,),
                fix=Fix(f"Anchor on {number[plan.anchor]}", "anchor", {"pieces": [plan.anchor]}),
            )
        )
    shapely.prepare(plan.backer)
    for key, outline in composition.in_hand.coverage.by_key.items():
        if not plan.backer.intersects(outline):
            findings.append(
                Finding(
                    "off-backer",
                    "assembly",
                    f"{number[key]} would not lie on the backer at all: make its inset less than "
                    f"{composition.practice.say(composition.practice.backer_inset_mm)}.",
                    "Every piece needs backer under it.",
                    (key,),
                )
            )
    return findings
