"""Glue-up: an order in which every next part touches what is down, in batches that fit the glue's open time."""

import heapq
from dataclasses import dataclass
from functools import cached_property

import shapely

from ..outline.coverage import Coverage
from ..practice import Practice
from ..work.composition import Layer
from ..work.parts import Job
from .supplies import Glue, glues
from .tree import Assembly, tree_of


@dataclass(frozen=True, slots=True)
class GlueStep:
    """One piece put down, on the shims and spacers (`under`) that go down just before it. `touches` are pieces of its
    layer already down; empty only for an anchor. `batch` counts from 1 in its assembly; where each is held by itself
    all are one."""

    order: int
    part: str
    assembly: str
    batch: int
    touches: tuple[str, ...]
    reason: str
    under: tuple[str, ...] = ()

    @property
    def piece(self) -> int:
        """Key of the piece."""
        return int(self.part)


@dataclass(frozen=True)
class GluePlan:
    """The tree of one copy, and its parts in the order in which they go down. `anchors`: the first piece of each
    assembly of several, by the assembly's key."""

    glue: Glue
    tree: Assembly
    steps: tuple[GlueStep, ...]
    per_batch: int
    anchors: dict[str, int]
    grounds: tuple[shapely.Geometry, ...]

    @property
    def one_by_one(self) -> bool:
        """Every part is held and set by itself: there are no batches."""
        return self.glue.held_by_hand

    def minutes_each(self, practice: Practice) -> float:
        """Minutes of hands to lay one part, and to hold it where it is held."""
        held = self.glue.clamp_minutes if self.one_by_one else 0.0
        return practice.seconds_per_piece / 60 + held

    @cached_property
    def of_assembly(self) -> dict[str, tuple[GlueStep, ...]]:
        """The steps of each assembly."""
        table: dict[str, list[GlueStep]] = {}
        for step in self.steps:
            table.setdefault(step.assembly, []).append(step)
        return {key: tuple(own) for key, own in table.items()}

    @cached_property
    def batches(self) -> tuple[tuple[GlueStep, ...], ...]:
        """All batches of one copy, in order."""
        table: dict[tuple[str, int], list[GlueStep]] = {}
        for step in self.steps:
            table.setdefault((step.assembly, step.batch), []).append(step)
        return tuple(tuple(own) for own in table.values())

    @cached_property
    def by_part(self) -> dict[str, GlueStep]:
        return {step.part: step for step in self.steps}


def glue_plan(job: Job) -> GluePlan:
    """Tree, order and batches. Each anchor is the person's own, else chosen by the practice."""
    practice, tree = job.composition.practice, tree_of(job)
    glue = glues()[practice.glue]
    at_once = max(1, int(glue.open_minutes * 60 // practice.seconds_per_piece))
    steps: list[GlueStep] = []
    anchors: dict[str, int] = {}
    for assembly in tree.every():
        if not assembly.layer:
            continue
        layer = job.composition.layer(assembly.layer)
        anchor, own = _anchor(job, layer)
        if anchor is not None and layer.without_openings.coverage.seams:
            anchors[assembly.key] = anchor
        order = _order(layer.without_openings.coverage, anchor)
        first = order[0][0] if order else ""
        under = _under(job, layer, order)
        per_batch = max(1, len(order)) if glue.held_by_hand else at_once
        for i, (key, touches) in enumerate(order):
            reason = _reason(assembly, layer, touches, own and key == str(anchor), key == first)
            batch = i // per_batch + 1
            down = under.get(key, ())
            steps.append(GlueStep(len(steps) + 1, key, assembly.key, batch, touches, reason, down))
    grounds = tuple(part.outline for part in job.grounds)
    return GluePlan(glue, tree, tuple(steps), at_once, anchors, grounds)


def _anchor(job: Job, layer: Layer) -> tuple[int | None, bool]:
    """The first piece of a layer, and whether a person chose it."""
    coverage, school = layer.without_openings.coverage, job.composition.practice.anchor
    own = next((key for key in job.composition.decisions.assembly.anchors if key in coverage.by_key), None)
    if own is not None:
        return own, True
    return coverage.once(("anchor", school), lambda: choose_anchor(coverage, school)), False


def _order(coverage: Coverage, anchor: int | None) -> list[tuple[str, tuple[str, ...]]]:
    """Pieces of a layer as they touch each other."""
    order = coverage.once(("glue order", anchor), lambda: touching_order(coverage, anchor))
    return [(str(key), tuple(map(str, touches))) for key, touches in order]


def _under(job: Job, layer: Layer, order: list[tuple[str, tuple[str, ...]]]) -> dict[str, tuple[str, ...]]:
    """By piece what goes down just before it: shims before the first piece that they carry, the lowest first, spacers
    before all."""
    found: dict[str, tuple[str, ...]] = {}
    by_piece: dict[str, list[str]] = {}
    for shim in sorted((s for s in job.shims if s.id.layer == layer.key), key=lambda s: s.floor_mm):
        for key in job.carried[shim.key]:
            by_piece.setdefault(str(key), []).append(shim.key)
    down: set[str] = set()
    for piece, _ in order:
        mine = tuple(key for key in by_piece.get(piece, ()) if key not in down)
        if mine:
            found[piece] = mine
            down.update(mine)
    stands = tuple(stand.key for stand in job.stands if stand.id.layer == layer.key)
    if stands and order:
        first = order[0][0]
        found[first] = (*stands, *found.get(first, ()))
    return found


def _reason(assembly: Assembly, layer: Layer, touches: tuple[str, ...], own: bool, first: bool) -> str:
    if own:
        return "your anchor"
    if touches:
        return f"touches {len(touches)} already down"
    if layer.fitted and len(layer.without_openings.pieces) > 1:
        return "anchor" if first else "stands alone: measure it in from the edge"
    return assembly.why


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
        key = _next(heap, waiting, coverage)
        waiting.discard(key)
        order.append((key, tuple(sorted(k for k in coverage.neighbours[key] if k in down))))
        down[key] = None
        for other, seam in coverage.neighbours[key].items():
            if other in waiting:
                against[other] += seam.length_mm
                heapq.heappush(heap, (-against[other] / border[other], other))
    return order


def _next(heap: list, waiting: set[int], coverage: Coverage) -> int:
    while heap:
        _, key = heapq.heappop(heap)
        if key in waiting:
            return key
    # nothing that is left touches what is down: a body apart begins with its own largest piece
    return max(waiting, key=lambda key: (coverage.area_mm2[key], -key))
