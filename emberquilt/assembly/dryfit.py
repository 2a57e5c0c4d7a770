"""The dry fit: seam by seam in an order that closes rings late, what to sand where one is tight, and what follows.

Pieces are laid one after the other as they will be glued, and each new one is tried against those that lie. Of two
pieces at a tight seam that one is sanded which takes nothing away from a seam that was found right.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass

import shapely

from ..findings import name_pieces
from ..outline.coverage import Coverage, Seam
from ..work.decisions import Fit
from ..work.fitted import fits_of, off_at
from ..work.parts import Job
from .glueup import GluePlan, is_tiny
from .placing import placing_order

FOUND = {"ok": "it fits", "tight": "tight", "gap": "a gap"}
USUAL_MM = 0.2
"""What a seam is taken to be off by where nobody said: own choice."""
HIDES_MM = 0.25
"""A gap as wide as this closes to the eye once the edges are rounded: common practice, no source."""
JOINS_MM = 0.6
"""Ends of seams nearer than this are one junction."""
SIDES = ("right", "lower right", "lower side", "lower left", "left", "upper left", "upper side", "upper right")


@dataclass(frozen=True, slots=True)
class FitSeam:
    """One seam in the order of the dry fit: the piece that is `laid` against one that `lies`; `closes`: the two hang
    together already by other seams, so it tells what a whole ring comes to."""

    order: int
    layer: int
    laid: int
    lies: int
    length_mm: float
    closes: bool

    @property
    def pair(self) -> tuple[int, int]:
        return min(self.laid, self.lies), max(self.laid, self.lies)


def fit_order(job: Job, glue: GluePlan) -> tuple[FitSeam, ...]:
    """Every seam of the fitted layers, once."""
    return job.once("fit order", lambda: tuple(_order(job, glue)))


def _order(job: Job, glue: GluePlan) -> Iterable[FitSeam]:
    count = 0
    for layer in job.composition.layers:
        coverage = layer.without_openings.coverage
        if not layer.fitted or not coverage.seams:
            continue
        for laid, seams in _layer(coverage, glue.anchors.get(f"layer-{layer.key}")):
            for i, seam in enumerate(seams):
                count += 1
                other = seam.a if seam.b == laid else seam.b
                yield FitSeam(count, layer.key, laid, other, seam.length_mm, closes=i > 0)


def _layer(coverage: Coverage, anchor: int | None) -> Iterable[tuple[int, list[Seam]]]:
    """Each piece with its seams against those that lie, the longest, which locates it, first."""
    first = anchor if anchor in coverage.by_key else coverage.keys[0]
    for placed in placing_order(coverage, first):
        own = coverage.neighbours[placed.key]
        yield placed.key, sorted((own[k] for k in placed.touches), key=lambda seam: (-seam.length_mm, seam.a, seam.b))


@dataclass(frozen=True, slots=True)
class Advice:
    """What to do about a seam. `sand` is the piece to take `mm` off at `side`, 0 where nothing is sanded; `spare` the
    one that is left as it is; `reason` and `chain` why, and what follows; `remake` the piece to make again."""

    words: str
    sand: int = 0
    spare: int = 0
    mm: float = 0.0
    side: str = ""
    reason: str = ""
    chain: tuple[str, ...] = ()
    remake: int = 0


def advice_for(job: Job, glue: GluePlan, fit: Fit) -> Advice | None:
    """What to do about a seam that is tight or gapes; None where it fits."""
    home = job.composition.home.get(fit.a)
    coverage = home.without_openings.coverage if home else None
    if fit.found == "ok" or coverage is None or fit.b not in coverage.neighbours.get(fit.a, {}):
        return None
    seam = coverage.neighbours[fit.a][fit.b]
    if fit.found == "tight":
        return _tight(job, glue, coverage, seam, fit)
    return _gap(job, glue, coverage, seam, fit)


def _tight(job: Job, glue: GluePlan, coverage: Coverage, seam: Seam, fit: Fit) -> Advice:
    composition = job.composition
    number, say = composition.by_key, composition.practice.say
    place = {step.piece: step.order for step in glue.steps if step.piece}
    known = {(one.a, one.b) for one in fits_of(composition) if one.found == "ok" and one.copy == fit.copy}
    meets = {key: _meets(coverage, seam, key) for key in (seam.a, seam.b)}
    right = {key: [k for k in meets[key] if (min(k, key), max(k, key)) in known] for key in meets}

    def rank(key: int) -> tuple:
        # fewest seams that are right, then fewest at all, then what was laid later, then the larger
        return len(right[key]), len(meets[key]), -place.get(key, 0), -coverage.area_mm2[key]

    sand, spare = sorted((seam.a, seam.b), key=rank)
    mm = fit.mm or USUAL_MM
    side = side_of(coverage, sand, seam)
    own, other = number[sand].number, number[spare].number
    also = right[spare] or meets[spare]
    if also and len(right[spare]) >= len(right[sand]):
        names = name_pieces([number[k].number for k in also], 3)
        reason = f"not {other}: {other} also meets {names} there"
    else:
        reason = f"{own} was laid after {other}"
    chain = [
        f"Try {own} against {number[k].number} again: it meets {other} at the same corner"
        for k in (right[sand] or meets[sand])[:3]
    ]
    if is_tiny(job, sand):
        chain.append(f"{own} is tiny: hold it in a clip, or sand {other} after all")
    gone = off_at(composition, sand, fit.copy).get(spare, 0.0) + mm
    if gone > composition.practice.shim_inset_mm:
        chain.append(f"With this {say(gone)} is off it in all: its shim has to be smaller")
    return Advice(f"Sand {own} on its {side} by {say(mm)}", sand, spare, mm, side, reason, tuple(chain))


def _gap(job: Job, glue: GluePlan, coverage: Coverage, seam: Seam, fit: Fit) -> Advice:
    composition = job.composition
    number, say = composition.by_key, composition.practice.say
    mm = fit.mm or USUAL_MM
    if not seam_seen(job, seam):
        return Advice("Fill it with sawdust and glue when it is glued", reason="nobody will see it", mm=mm)
    if mm <= HIDES_MM:
        return Advice("Leave it", reason=f"{say(mm)} closes to the eye once both edges are rounded", mm=mm)
    place = {step.piece: step.order for step in glue.steps if step.piece}
    later, earlier = sorted((seam.a, seam.b), key=lambda key: -place.get(key, 0))
    own = number[later].number
    lie = [k for k in coverage.neighbours[later] if k != earlier and place.get(k, 0) < place.get(later, 0)]
    if not lie:
        words = f"Push {own} over by {say(mm)}"
        return Advice(
            words, spare=earlier, mm=mm, side=side_of(coverage, later, seam), reason="nothing else holds it yet"
        )
    chain = tuple(f"Its seam with {number[k].number} was cut for where it lies now" for k in lie[:3])
    small = min((seam.a, seam.b), key=lambda key: coverage.area_mm2[key])
    words = f"Make {number[small].number} again, {say(mm)} larger on its {side_of(coverage, small, seam)}"
    reason = f"it is the smaller one, the gap is seen, and {own} is held by {len(lie)} more: it cannot be pushed over"
    return Advice(words, spare=earlier if small == later else later, mm=mm, reason=reason, chain=chain, remake=small)


def _meets(coverage: Coverage, seam: Seam, key: int) -> list[int]:
    """Neighbours of a piece, besides the one across the seam, whose seams with it begin where this one ends."""
    ends = shapely.boundary(seam.line)
    if ends.is_empty:
        return []
    other = seam.b if key == seam.a else seam.a
    return [
        k for k, own in coverage.neighbours[key].items() if k != other and shapely.dwithin(own.line, ends, JOINS_MM)
    ]


def side_of(coverage: Coverage, key: int, seam: Seam) -> str:
    """On which side of a piece a seam lies, in words."""
    spot, (x, y) = coverage.by_key[key].centroid, seam.middle
    turn = round(math.atan2(y - spot.y, x - spot.x) / (math.pi / 4)) % 8
    return SIDES[turn]


def seam_seen(job: Job, seam: Seam) -> bool:
    """Whether a seam shows from the front."""
    seen = shapely.union_all([job.seen_of[key] for key in (seam.a, seam.b) if key in job.seen_of])
    return bool(shapely.intersection(seam.line, seen).length > JOINS_MM)


def open_fits(job: Job) -> list[Fit]:
    """Seams that were found tight or open and are not settled yet."""
    fits = job.composition.decisions.assembly.fits
    return [fit for fit in fits if fit.found != "ok" and fit.copy <= job.copies]
