"""What presses a batch until its glue holds: clamps along the edge, cauls where these do not reach, a board with
weights, a sand bag over what is uneven, a hand, or nothing but a part's own weight."""

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import shapely

from ..work.contacts import Contact
from ..work.parts import Job, Part
from .glueup import Batch, GluePlan, is_tiny

SPRING_OPENS_MM = 40.0
"""Thicker than this no spring clamp goes over it."""
UNEVEN_MM = 0.5
"""Tops that differ by more than this are pressed by no flat board."""
WEIGHT_MM2 = 20000.0
"""One weight of 5 kg presses so much under a board."""
BAG_MM2 = 45000.0
"""A sand bag of 250 by 180 mm."""
LEAST_MIDDLE_MM2 = 400.0
"""A smaller place out of the clamps' reach is pressed by what is round it. These five: common practice, no source."""
TAPE_APART_MM = 60.0
CLAMPS, WEIGHTS, BAG, HAND, GRAVITY, TAPE, NOTHING = "clamps", "weights", "bag", "hand", "gravity", "tape", "nothing"
HOLDS = {
    "spring": "spring clamps",
    "screw": "screw clamps",
    "cauls": "cauls right across",
    "weights": "a board and weights",
    "bag": "a sand bag",
    "hand": "held by hand",
}
"""What a person can choose for a part."""
UNEVEN = "uneven"
MITRES = "tape or a strap round it, square by its two diagonals"


@dataclass(frozen=True, slots=True)
class Clamp:
    """One clamp at the edge: where it stands (mm), and the way its jaw points inwards, in degrees from the right,
    y downwards."""

    kind: str
    x_mm: float
    y_mm: float
    heading_deg: float


@dataclass(frozen=True, slots=True)
class Hold:
    """What presses a batch. `how` is clamps, weights, bag, hand, gravity, tape or nothing; `clamps` along the edge,
    `cauls` as lines in mm, each with two screw clamps; `weights` and `bags` by number; `wanted` clamps along the edge,
    weights or bags that were asked for, also where there are not so many."""

    how: str
    why: str
    clamps: tuple[Clamp, ...] = ()
    cauls: tuple[tuple[float, float, float, float], ...] = ()
    weights: int = 0
    bags: int = 0
    wanted: int = 0
    cauls_wanted: int = 0

    def count(self, kind: str) -> int:
        """Spring or screw clamps that are in use, those of the cauls among them."""
        own = sum(1 for clamp in self.clamps if clamp.kind == kind)
        return own + (2 * len(self.cauls) if kind == "screw" else 0)

    @property
    def there(self) -> int:
        """Of what was wanted what the shop has."""
        return self.weights or self.bags or len(self.clamps)

    @property
    def missing(self) -> int:
        """Clamps, weights or bags that are not there, the clamps of cauls among them."""
        return max(self.wanted - self.there, 0) + 2 * max(self.cauls_wanted - len(self.cauls), 0)

    @property
    def share_missing(self) -> float:
        """The same as a share of all that was wanted."""
        return self.missing / max(self.wanted + 2 * self.cauls_wanted, 1)


def held_by(hold: Hold) -> tuple[tuple[str, int], ...]:
    """What a batch holds until its glue does."""
    counts = {
        "spring clamps": hold.count("spring"),
        "screw clamps": hold.count("screw"),
        "cauls": len(hold.cauls),
        "weights": hold.weights,
        "sand bags": hold.bags,
    }
    return tuple((thing, count) for thing, count in counts.items() if count)


def hold_of(job: Job, plan: GluePlan, batch: Batch) -> Hold:
    """What presses a batch, as far as the shop has it."""
    return job.once(("hold", batch.key), lambda: _hold(job, plan, batch))


def _hold(job: Job, plan: GluePlan, batch: Batch) -> Hold:
    bonds = [bond for step in batch.steps for bond in step.bonds]
    if not bonds:
        return Hold(NOTHING, "nothing is glued yet")
    if batch.held:
        return Hold(HAND, "pressed down" if batch.glue.is_tape else "it sets while it is held")
    said = [own for key in _pieces(plan, batch) if (own := job.composition.decisions.assembly.holds.get(key))]
    if said:
        return _chosen(job, plan, batch, bonds, said[0])
    region = region_of(job, bonds)
    if region.is_empty:
        count = max(1, math.ceil(sum(bond.length_mm for bond in bonds) / TAPE_APART_MM))
        return Hold(TAPE, MITRES if batch.assembly == "frame" else f"tape across the seams, {count} strips, both faces")
    parts = [job.by_key[str(key)] for key in _pieces(plan, batch)]
    if all(part.id.piece and is_tiny(job, part.id.piece) for part in parts):
        return Hold(GRAVITY, "too small for any clamp: set down, pressed once, left alone")
    uneven = len(parts) > 1 and max(p.top_mm for p in parts) - min(p.top_mm for p in parts) > UNEVEN_MM
    flat = (_edges, _weights, _bag) if len(parts) < 3 else (_weights, _bag, _edges)
    kind = UNEVEN if uneven else ""
    holds = [hold for way in ((_bag, _weights) if uneven else flat) if (hold := way(job, plan, batch, region, kind))]
    if not holds and uneven:
        # clamps press what is uneven at the edge alone
        holds = [hold for hold in [_edges(job, plan, batch, region, kind)] if hold]
    if not holds:
        return Hold(NOTHING, "the shop has no clamps, no weights and no sand bag")
    # what the shop has enough of, or else most of
    return min(holds, key=lambda hold: hold.share_missing)


def _pieces(plan: GluePlan, batch: Batch) -> list[int]:
    """Keys of the pieces that a batch puts down."""
    if batch.whole:
        return [int(key) for key in plan.by_assembly[batch.whole].all_parts if key.isdecimal()]
    return [step.piece for step in batch.steps if step.piece]


def _chosen(job: Job, plan: GluePlan, batch: Batch, bonds: list[Contact], kind: str) -> Hold:
    region = region_of(job, bonds)
    if kind == "hand" or region.is_empty:
        return Hold(HAND, "as you chose")
    made = {"weights": _weights, "bag": _bag}.get(kind, _edges)(job, plan, batch, region, kind)
    return made or Hold(NOTHING, f"you chose {HOLDS[kind]}, and the shop has none")


def region_of(job: Job, bonds: Iterable[Contact]) -> shapely.Geometry:
    """Where these faces lie on each other, in the picture's mm."""
    faces = [bond for bond in bonds if bond.kind == "face"]
    if not faces:
        return shapely.Polygon()
    lower = np.array([job.by_key[face.a].outline for face in faces], object)
    upper = np.array([job.by_key[face.b].outline for face in faces], object)
    return shapely.union_all(shapely.intersection(lower, upper))


def _weights(job: Job, _plan: GluePlan, _batch: Batch, region: shapely.Geometry, kind: str = "") -> Hold | None:
    practice = job.composition.practice
    if not practice.weights:
        return None
    wanted = max(1, math.ceil(region.area / WEIGHT_MM2))
    why = "packers on what is low, a board, weights on it" if kind == UNEVEN else "waxed paper, a board, weights on it"
    return Hold(WEIGHTS, why, weights=min(wanted, practice.weights), wanted=wanted)


def _bag(job: Job, _plan: GluePlan, _batch: Batch, region: shapely.Geometry, _kind: str = "") -> Hold | None:
    practice = job.composition.practice
    if not practice.sand_bags:
        return None
    wanted = max(1, math.ceil(region.area / BAG_MM2))
    return Hold(BAG, "heights differ: a sand bag presses them all", bags=min(wanted, practice.sand_bags), wanted=wanted)


@dataclass(frozen=True, slots=True)
class Body:
    """What lies on the bench with a batch: its outline, and between which heights (mm)."""

    outline: shapely.Geometry
    low_mm: float
    high_mm: float

    def with_parts(self, parts: list[Part]) -> "Body":
        if not parts:
            return self
        made = shapely.union_all(np.array([self.outline, *(part.outline for part in parts)], object))
        low = min(self.low_mm, *(part.floor_mm for part in parts))
        return Body(made, low, max(self.high_mm, *(part.top_mm for part in parts)))


def _bodies(job: Job, plan: GluePlan) -> dict[str, Body]:
    """For each batch what lies there with it: all that is down, or of a sub-assembly what of it is together."""
    empty = Body(shapely.Polygon(), math.inf, -math.inf)
    down = {"": empty.with_parts(list(job.grounds))}
    table: dict[str, Body] = {}
    for batch in plan.batches:
        one = plan.by_assembly[batch.assembly]
        home = one.key if one.apart else ""
        keys = [key for step in batch.steps for key in step.under]
        keys += plan.by_assembly[batch.whole].all_parts if batch.whole else batch.part_keys
        table[batch.key] = down[home] = down.get(home, empty).with_parts([job.by_key[key] for key in keys])
    return table


def body_of(job: Job, plan: GluePlan, batch: Batch) -> Body:
    """What lies on the bench with a batch, worked out once for all."""
    return job.once("bodies", lambda: _bodies(job, plan))[batch.key]


def _edges(job: Job, plan: GluePlan, batch: Batch, region: shapely.Geometry, kind: str = "") -> Hold | None:
    """Clamps along the outer edge as far as their jaws reach what is glued, and cauls over the rest."""
    practice, whole = job.composition.practice, body_of(job, plan, batch)
    body, thick = whole.outline, whole.high_mm - whole.low_mm
    springs = practice.spring_clamps if thick <= SPRING_OPENS_MM and kind != "screw" else 0
    screws = practice.screw_clamps if kind != "spring" else 0
    reach = practice.clamp_reach_mm
    needed = [] if kind in ("spring", "screw") else _cauls(body, region, reach, practice.clamp_apart_mm)
    # a caul lies on no two heights
    lines = [] if kind == UNEVEN else needed[: min(practice.cauls, screws // 2)]
    screws -= 2 * len(lines)
    spots = [] if kind == "cauls" else list(_spots(body, region, reach, practice.clamp_apart_mm))
    used = _thinned(spots, springs + screws)
    if not used and not lines:
        return None
    clamps = tuple(Clamp("spring" if i < springs else "screw", *spot) for i, spot in enumerate(used))
    why = "along the edge"
    if lines:
        why += f", and {len(lines)} caul{'s' if len(lines) > 1 else ''} where no jaw reaches"
    return Hold(CLAMPS, why, clamps, tuple(lines), wanted=len(spots), cauls_wanted=len(needed))


def _thinned(spots: list, count: int) -> list:
    """At most so many of them, spread as evenly as they were."""
    if len(spots) <= count:
        return spots
    return [spots[int((i + 0.5) * len(spots) / count)] for i in range(count)]


Spot = tuple[float, float, float]


def _spots(body: shapely.Geometry, region: shapely.Geometry, reach: float, apart: float) -> Iterable[Spot]:
    """Where clamps stand: evenly along every stretch of the outer edge from which a jaw reaches the glue."""
    near = shapely.buffer(region, reach)
    for part in shapely.get_parts(body):
        ring = shapely.LineString(part.exterior.coords)
        along = shapely.line_merge(shapely.intersection(ring, near))
        for line in shapely.get_parts(along):
            if line.geom_type != "LineString" or line.length < min(apart / 4, part.exterior.length / 4):
                continue
            count = max(1, math.ceil(line.length / apart - 1e-9))
            for i in range(count):
                at = (i + 0.5) * line.length / count
                spot, ahead = line.interpolate(at), line.interpolate(min(at + 1.0, line.length))
                behind = line.interpolate(max(at - 1.0, 0.0))
                dx, dy = ahead.x - behind.x, ahead.y - behind.y
                far = math.hypot(dx, dy) or 1.0
                nx, ny = -dy / far, dx / far
                if not shapely.intersects_xy(part, spot.x + 0.5 * nx, spot.y + 0.5 * ny):
                    nx, ny = -nx, -ny
                yield round(spot.x, 2), round(spot.y, 2), round(math.degrees(math.atan2(ny, nx)), 1)


def _cauls(body, region, reach: float, apart: float) -> list[tuple[float, float, float, float]]:
    """Lines right across the body, over what no jaw reaches from its edge."""
    edge = shapely.union_all([part.exterior for part in shapely.get_parts(body)])
    middle = shapely.difference(region, shapely.buffer(edge, reach))
    if middle.area < LEAST_MIDDLE_MM2:
        return []
    x0, y0, x1, y1 = middle.bounds
    left, top, right, bottom = body.bounds
    wide, high = x1 - x0, y1 - y0
    count = max(1, math.ceil(max(wide, high) / apart - 1e-9))
    lines = []
    for i in range(count):
        if wide >= high:
            at = x0 + (i + 0.5) * wide / count
            lines.append((at, top, at, bottom))
        else:
            at = y0 + (i + 0.5) * high / count
            lines.append((left, at, right, at))
    return [tuple(round(v, 2) for v in line) for line in lines]  # type: ignore[misc]
