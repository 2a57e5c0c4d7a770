"""Glue-up: sub-assemblies first, then an order in which every next part touches what is down, in batches that fit the
glue's open time at the shop's temperature and the hands' pace."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import shapely

from ..lazy import lazy
from ..outline.coverage import Coverage
from ..practice import Practice
from ..space.order import together_of
from ..work.composition import Layer
from ..work.contacts import Contact
from ..work.parts import Job
from .bonds import bonds_of
from .placing import Placed, anchor_of, placing_order
from .supplies import Glue, glue_of, glues
from .tree import Assembly, tree_of

QUICKLY_SPREAD_MM2, SPREAD_MM2_PER_SECOND = 2500.0, 1000.0
"""So much is spread within the seconds that a part takes anyway, and the rest at this pace: common practice, no
source."""
SETTING_OUT_MINUTES = 3.0
"""To lay a batch, its glue and its clamps ready: common practice, no source."""


@dataclass(frozen=True, slots=True)
class GlueStep:
    """One part put down, on the shims and spacers (`under`) that go down just before it, or a whole sub-assembly that
    goes on as one (`whole`: its key, and no part). `touches` are pieces of its layer already down; empty only for an
    anchor. `bonds` are glued with it, each once in a work. `closed`: everything round it is down already; `closes`: a
    ring closes with it. `batch` counts from 1 in its assembly; where each is held by itself all are one."""

    order: int
    part: str
    assembly: str
    batch: int
    touches: tuple[str, ...]
    reason: str
    under: tuple[str, ...] = ()
    whole: str = ""
    bonds: tuple[Contact, ...] = ()
    glue: str = ""
    minutes: float = 0.0
    closed: bool = False
    closes: bool = False

    @property
    def piece(self) -> int:
        """Key of the piece, 0 where it is no piece."""
        return int(self.part) if self.part.isdecimal() else 0

    @property
    def area_mm2(self) -> float:
        """How much is glued, on one of the two faces."""
        return sum(bond.area_mm2 for bond in self.bonds)

    @property
    def own_mm2(self) -> float:
        """Of it what is glued to the part itself; the rest is under its shims and spacers."""
        return sum(bond.area_mm2 for bond in self.bonds if self.part in (bond.a, bond.b))

    @property
    def under_mm2(self) -> float:
        """What is glued under its shims and spacers."""
        return self.area_mm2 - self.own_mm2

    def laying_minutes(self, glue: Glue) -> float:
        """Of hands until it lies, without holding it."""
        return self.minutes - (glue.clamp_minutes if glue.held_by_hand and self.bonds else 0.0)


@dataclass(frozen=True, slots=True)
class Batch:
    """What is glued in one go, and clamped together; `key` that of its step in the calendar."""

    key: str
    assembly: str
    number: int
    steps: tuple[GlueStep, ...]
    glue: Glue

    @property
    def minutes(self) -> float:
        """Of hands, from the first drop to the last part."""
        return sum(step.minutes for step in self.steps)

    @property
    def area_mm2(self) -> float:
        return sum(step.area_mm2 for step in self.steps)

    @property
    def ml(self) -> float:
        """Of glue, each part its own."""
        return sum(glues()[step.glue].ml(step.area_mm2) for step in self.steps)

    @property
    def whole(self) -> str:
        """The sub-assembly that goes on as one with it, or empty."""
        return self.steps[0].whole

    @property
    def part_keys(self) -> tuple[str, ...]:
        """The parts that are put down one by one."""
        return tuple(step.part for step in self.steps if step.part)

    @property
    def held(self) -> bool:
        """Every part is held until it sets."""
        return self.glue.held_by_hand


@dataclass(frozen=True)
class GluePlan:
    """The tree of one copy, and its parts in the order in which they go down. `anchors`: the first piece of each
    layer of several, by its assembly's key."""

    glue: Glue
    tree: Assembly
    steps: tuple[GlueStep, ...]
    batches: tuple[Batch, ...]
    per_batch: int
    anchors: dict[str, int]
    grounds: tuple[shapely.Geometry, ...]

    @property
    def one_by_one(self) -> bool:
        """Every part is held and set by itself: there are no batches."""
        return self.glue.held_by_hand

    @lazy
    def batches_of(self) -> dict[str, tuple[Batch, ...]]:
        """The batches of each assembly."""
        table: dict[str, list[Batch]] = {}
        for batch in self.batches:
            table.setdefault(batch.assembly, []).append(batch)
        return {key: tuple(own) for key, own in table.items()}

    @lazy
    def by_part(self) -> dict[str, GlueStep]:
        return {step.part: step for step in self.steps if step.part}

    @lazy
    def batch_of(self) -> dict[str, Batch]:
        """The batch that a part is glued with."""
        return {step.part: batch for batch in self.batches for step in batch.steps if step.part}

    @lazy
    def by_assembly(self) -> dict[str, Assembly]:
        return {one.key: one for one in self.tree.every()}


def glue_plan(job: Job) -> GluePlan:
    """Tree, order and batches. Each anchor is the person's own, else chosen by the practice."""
    return job.once("glue plan", lambda: _Laying(job).plan())


@dataclass
class _Laying:
    """What goes down, one after the other, and what is glued with it."""

    job: Job
    steps: list[GlueStep] = field(default_factory=list)
    batches: list[Batch] = field(default_factory=list)
    anchors: dict[str, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.practice: Practice = self.job.composition.practice
        self.tree = tree_of(self.job)
        self.glue = glue_of(self.practice.glue, self.practice)
        self._bonds: dict[str, list[int]] = {}
        self._every = bonds_of(self.job)
        for i, bond in enumerate(self._every):
            self._bonds.setdefault(bond.a, []).append(i)
            self._bonds.setdefault(bond.b, []).append(i)
        self._glued: set[int] = set()
        self._under = _under(self.job)

    def plan(self) -> GluePlan:
        down: dict[str, None] = dict.fromkeys(part.key for part in self.job.grounds)
        for one in self.tree.inside:
            if one.layer:
                for bundle in one.inside:
                    self._bundle(bundle)
                self._layer(one, down)
            else:
                self._plain(one, {})
        self._plain(self.tree, down)
        at_once = max(1, int(self.glue.open_minutes * 60 // self.practice.seconds_per_piece))
        grounds = tuple(part.outline for part in self.job.grounds)
        return GluePlan(self.glue, self.tree, tuple(self.steps), tuple(self.batches), at_once, self.anchors, grounds)

    def _layer(self, one: Assembly, down: dict[str, None]) -> None:
        """Pieces and bundles of a layer, straight onto what is down."""
        layer = self.job.composition.layer(one.layer)
        if layer.kind == "kit":
            self._apart(one, layer, down)
            return
        if layer.kind == "routed":
            self._plain(one, down)
            return
        bundles = {int(bundle.key.removeprefix("bundle-")): bundle for bundle in one.inside}
        lead = {int(key): lead for lead, own in bundles.items() for key in own.parts if key.isdecimal()}
        mine = {int(key) for key in one.parts if key.isdecimal()} | set(bundles)
        coverage = _together(layer.without_openings.coverage, lead, mine)
        anchor, own = self._anchor(one, layer, lead, coverage)
        begun = len(self.steps)
        stands = tuple(stand.key for stand in self.job.stands if stand.id.layer == layer.key)
        for i, placed in enumerate(_order(coverage, anchor)):
            reason = _reason(one, layer, placed, own and placed.key == anchor, i == 0 and len(coverage) > 1)
            bundle = bundles.get(placed.key)
            first = stands if i == 0 else ()
            if bundle is not None:
                self._put(one, down, "", bundle.all_parts, placed, f"{bundle.name} as one: {reason}", first, bundle.key)
            else:
                self._put(one, down, str(placed.key), (), placed, reason, first)
        self._cut(one, begun)

    def _apart(self, one: Assembly, layer: Layer, down: dict[str, None]) -> None:
        """Parts that stand in space, as they go together there; a bundle where its first part would go."""
        begun = len(self.steps)
        bundle_of = {key: bundle for bundle in one.inside for key in bundle.parts}
        gone: set[str] = set()
        for going in together_of(self.job, layer).order:
            key, bundle = str(going.key), bundle_of.get(str(going.key))
            placed = Placed(going.key, going.touches)
            if bundle is None:
                self._put(one, down, key, (), placed, going.why)
            elif bundle.key not in gone:
                gone.add(bundle.key)
                self._put(one, down, "", bundle.all_parts, placed, f"{bundle.name} as one: {going.why}", (), bundle.key)
        self._cut(one, begun)

    def _anchor(self, one: Assembly, layer: Layer, lead: dict[int, int], coverage: Coverage) -> tuple[int | None, bool]:
        """What goes down first of a layer, and whether a person chose it."""
        pieces = layer.without_openings.by_key
        said = [lead.get(key, key) for key in self.job.composition.decisions.assembly.anchors if key in pieces]
        own = next((key for key in said if key in coverage.by_key), None)
        school = self.practice.anchor
        anchor = own or coverage.once(("anchor", school), lambda: anchor_of(coverage, school))
        if anchor is not None and coverage.seams:
            self.anchors[one.key] = anchor
        return anchor, own is not None

    def _bundle(self, one: Assembly) -> None:
        """A sub-assembly, by itself on waxed paper: its rearmost layer from one piece on, then what lies on that."""
        begun, down = len(self.steps), dict[str, None]()
        of_layer: dict[int, list[int]] = {}
        for key in one.parts:
            if key.isdecimal():
                of_layer.setdefault(self.job.composition.home[int(key)].key, []).append(int(key))
        for layer, keys in of_layer.items():
            coverage = self.job.composition.layer(layer).without_openings.coverage
            first = max(keys, key=lambda key: (coverage.area_mm2[key], -key))
            for placed in placing_order(coverage, first, keys):
                begins = not placed.touches and len(self.steps) == begun
                reason = "first of its bundle, on waxed paper" if begins else _touching(placed) or "on what is down"
                self._put(one, down, str(placed.key), (), placed, reason)
        self._cut(one, begun)

    def _plain(self, one: Assembly, down: dict[str, None]) -> None:
        """Rails and a base, in their order."""
        begun = len(self.steps)
        for key in one.parts:
            self._put(one, down, key, (), Placed(0, ()), one.why)
        self._cut(one, begun)

    def _put(
        self,
        one: Assembly,
        down: dict[str, None],
        part: str,
        brings: Sequence[str],
        placed: Placed,
        reason: str,
        first: tuple[str, ...] = (),
        whole: str = "",
    ) -> None:
        """One part, or all that a sub-assembly `brings`, with what goes under it."""
        under = [*first]
        for key in brings or (part,):
            shims = [shim for shim in self._under.get(key, ()) if shim not in down and shim not in brings]
            # a shim that carries others too lies where they go before the bundle comes on it
            under += [shim for shim in shims if not one.apart or shim in one.parts]
        bonds = self._bring((*dict.fromkeys(under), *brings, *([part] if part else ())), down)
        area = sum(bond.area_mm2 for bond in bonds)
        glue = self._glue_for(part)
        seconds = self.practice.seconds_per_piece + max(area - QUICKLY_SPREAD_MM2, 0.0) / SPREAD_MM2_PER_SECOND
        held = glue.clamp_minutes if glue.held_by_hand and bonds else 0.0
        self.steps.append(
            GlueStep(
                len(self.steps) + 1,
                part,
                one.key,
                1,
                tuple(map(str, placed.touches)),
                reason,
                tuple(dict.fromkeys(under)),
                whole,
                bonds,
                glue.code,
                seconds / 60 + held,
                placed.closed,
                placed.closes,
            )
        )

    def _bring(self, keys: Iterable[str], down: dict[str, None]) -> tuple[Contact, ...]:
        """What is glued when these go down onto what is down."""
        found = []
        for key in keys:
            down[key] = None
            for i in self._bonds.get(key, ()):
                bond = self._every[i]
                if i not in self._glued and bond.a in down and bond.b in down:
                    self._glued.add(i)
                    found.append(bond)
        return tuple(found)

    def _glue_for(self, part: str) -> Glue:
        """A piece's own glue, that for small parts, or the usual one."""
        practice, own = self.practice, self.job.composition.decisions.assembly.glues
        if part.isdecimal():
            if int(part) in own:
                return glue_of(own[int(part)], practice)
            if practice.glue_small != "same" and is_tiny(self.job, int(part)):
                return glue_of(practice.glue_small, practice)
        return self.glue

    def _cut(self, one: Assembly, begun: int) -> None:
        """The batches of an assembly: as much as goes down while its first drop is open. What goes on as one is a
        batch of its own; what is held by hand may go down within another's."""
        own, groups = self.steps[begun:], list[tuple[Glue, list[GlueStep]]]()
        spent = 0.0
        for step in own:
            glue = glue_of(step.glue, self.practice)
            if groups and not step.whole and not groups[-1][1][-1].whole:
                main, going = groups[-1]
                clamped = main if not main.held_by_hand else glue
                same = main.code == glue.code or glue.held_by_hand
                if same and (clamped.held_by_hand or spent + step.minutes <= clamped.open_minutes + 1e-9):
                    going.append(step)
                    spent += step.minutes
                    continue
            groups.append((glue, [step]))
            spent = step.minutes
        numbered = [replace(step, batch=n) for n, (_, steps) in enumerate(groups, 1) for step in steps]
        self.steps[begun:] = numbered
        at = 0
        for n, (glue, steps) in enumerate(groups, 1):
            mine = tuple(numbered[at : at + len(steps)])
            at += len(steps)
            name = f"on-{mine[0].whole}" if mine[0].whole else f"glue-{one.key.removeprefix('layer-')}-{n}"
            self.batches.append(Batch(name, one.key, n, mine, glue))


def is_tiny(job: Job, key: int) -> bool:
    """Too small for a clamp to press on it."""
    coverage = job.composition.home[key].coverage
    return 2 * coverage.spots[key].radius_mm < job.composition.practice.hold_mm


def _together(coverage: Coverage, lead: dict[int, int], mine: set[int]) -> Coverage:
    """A layer in which each bundle is one piece, under the key of its first; what went into a bundle of another layer
    is left out."""
    if not lead and len(mine) == len(coverage):
        return coverage

    def compute() -> Coverage:
        groups: dict[int, list[shapely.Polygon]] = {}
        for key, outline in coverage.by_key.items():
            home = lead.get(key, key)
            if home in mine:
                groups.setdefault(home, []).append(outline)
        outlines = []
        for own in groups.values():
            made = own[0] if len(own) == 1 else shapely.coverage_union_all(np.array(own, object))
            outlines.append(max(shapely.get_parts(made).tolist(), key=lambda part: part.area))
        return Coverage(list(groups), outlines)

    return coverage.once(("together", tuple(sorted(lead.items())), frozenset(mine)), compute)


def _order(coverage: Coverage, anchor: int | None) -> list[Placed]:
    """Pieces of a layer as they touch each other."""
    return coverage.once(("glue order", anchor), lambda: placing_order(coverage, anchor))


def _under(job: Job) -> dict[str, tuple[str, ...]]:
    """By piece the shims that it stands on, the lowest first: each goes down before the first piece it carries."""
    found: dict[str, list[str]] = {}
    for shim in sorted(job.shims, key=lambda s: s.floor_mm):
        for key in job.carried[shim.key]:
            found.setdefault(str(key), []).append(shim.key)
    return {key: tuple(own) for key, own in found.items()}


def _touching(placed: Placed) -> str:
    return f"touches {len(placed.touches)} already down" if placed.touches else ""


def _reason(one: Assembly, layer: Layer, placed: Placed, own: bool, first: bool) -> str:
    if own:
        return "your anchor"
    if placed.closed:
        return f"dropped in: {len(placed.touches)} lie round it"
    if placed.closes:
        return f"touches {len(placed.touches)} already down, and closes a ring"
    if placed.touches:
        return _touching(placed)
    if layer.fitted and len(layer.without_openings.pieces) > 1:
        return "anchor" if first else "stands alone: measure it in from the edge"
    return one.why
