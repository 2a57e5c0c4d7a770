"""The sawing plan: for each part blade, holes, length of cut and minutes, in an order with its reasons."""

import math
from dataclasses import dataclass
from functools import partial
from itertools import count

import numpy as np
import shapely

from ..outline.coverage import Coverage
from ..practice import Practice
from ..rack.blades import DETAIL_STEPS, Blade, choose_blade, finer_blades
from ..rack.woods import Shelf
from ..work.parts import Job, Part
from .blanks import Blank, blanks_of
from .corners import rests_of, rests_of_outlines
from .holes import PilotHole, pilot_holes
from .lines import from_the_edge, sawn_together, start_point

USUAL_STOCK_MM = 19.05
USUAL_HARDNESS_LBF = 950.0
"""Cherry: the wood that `practice.saw_mm_per_minute` speaks of."""
MINUTES_PER_HOLE = 1.2
"""Drill, thread the blade, clamp it again: common practice, no source."""


Lengths = tuple[float, float, tuple[PilotHole, ...]]
"""Of one cut: its length, how much of it goes round openings (mm), and its pilot holes."""


@dataclass(frozen=True, slots=True)
class Cut:
    """One part to saw, and what its line sets free besides (`frees`). `order` counts from 1; `runs` how often it is
    sawn for all copies; `first_minutes` and `again_minutes`, with the shop's own correction, of the first run and of
    each further one; start is a point in mm; `inside_mm` of the length goes round openings."""

    order: int
    part: str
    frees: tuple[str, ...]
    blank: int
    blade: Blade
    chapter: int
    length_mm: float
    inside_mm: float
    first_minutes: float
    again_minutes: float
    runs: int
    holes: tuple[PilotHole, ...]
    start_mm: tuple[float, float]
    teeth_in_cut: float
    reason: str

    @property
    def piece(self) -> int:
        """Key of the piece that it saws; 0 for a backer, shim, spacer or base."""
        return int(self.part) if self.part.isdecimal() else 0

    @property
    def minutes(self) -> float:
        """For all copies."""
        return self.first_minutes + (self.runs - 1) * self.again_minutes


@dataclass(frozen=True, slots=True)
class Chapter:
    """Cuts that share a blade, one after another; `late` those that wait for the fitted pieces."""

    number: int
    blade: Blade
    parts: tuple[str, ...]
    minutes: float
    late: bool = False

    @property
    def pieces(self) -> tuple[int, ...]:
        return tuple(int(key) for key in self.parts if key.isdecimal())


@dataclass(frozen=True, slots=True)
class Row:
    """Of a layer of fitted pieces the row that crosses most joints, and by how much it grows."""

    layer: int
    joints: int
    growth_mm: float


@dataclass(frozen=True)
class SawPlan:
    """`copies` of the work are sawn, `high` at a time; lengths are those of one run, minutes those of all."""

    cuts: tuple[Cut, ...]
    chapters: tuple[Chapter, ...]
    blanks: tuple[Blank, ...]
    rows: tuple[Row, ...]
    gap_mm: float
    copies: int = 1
    high: int = 1

    @property
    def minutes(self) -> float:
        return sum(cut.minutes for cut in self.cuts)

    @property
    def by_part(self) -> dict[str, Cut]:
        """The cut that sets each part of one copy free."""
        return {key: cut for cut in self.cuts for key in cut.frees}

    @property
    def by_piece(self) -> dict[int, Cut]:
        return {int(key): cut for key, cut in self.by_part.items() if key.isdecimal()}

    @property
    def pieces(self) -> tuple[int, ...]:
        """Keys of the pieces that are sawn, in order."""
        return tuple(int(key) for cut in self.cuts for key in cut.frees if key.isdecimal())

    @property
    def boards(self) -> int:
        """Most boards that lie on each other in a pack."""
        return max((blank.stack for blank in self.blanks if blank.pack), default=1)

    @property
    def row(self) -> Row | None:
        """The row that grows most."""
        return max(self.rows, key=lambda row: row.growth_mm, default=None)

    def minutes_of_blank(self, blank: int) -> float:
        """Minutes of all that comes out of one blank, in all copies."""
        return sum(cut.minutes for cut in self.cuts if cut.blank == blank)

    def after(self, cut: Cut | None) -> int | None:
        """Key of the piece that is sawn after a cut, the first one after the last."""
        order = [c.piece for c in self.cuts if c.piece]
        if not order:
            return None
        return order[(order.index(cut.piece) + 1) % len(order)] if cut is not None and cut.piece in order else order[0]

    def run_copies(self, cut: Cut, run: int) -> tuple[int, ...]:
        """Numbers of the copies that a run (from 1) of a cut is for."""
        each = self.at_once(cut)
        return tuple(range((run - 1) * each + 1, min(run * each, self.copies) + 1))

    def at_once(self, cut: Cut) -> int:
        blank = self.blanks[cut.blank]
        return blank.stack if blank.pack else self.high


def saw_plan(job: Job) -> SawPlan:
    """Every part that is of something, in sawing order."""
    return plan_with(job, job.composition.decisions.saw.high)


def plan_with(job: Job, high: int) -> SawPlan:
    """The plan, with so many copies sawn at once as the job's blanks say."""
    blanks = blanks_of(job)
    blade_of = _blades(job, blanks)
    inside = enclosed_by_key(job)
    order = _in_order(job, blanks, blade_of, inside)
    of_blank: dict[int, list[str]] = {}
    for key, at in order:
        of_blank.setdefault(at, []).append(key)
    lengths: dict[str, Lengths] = {}
    for at, keys in of_blank.items():
        lengths |= _lengths(job, blanks[at], keys, blade_of)
    frees = {freed[0]: freed for blank in blanks for freed in blank.frees}
    cuts: list[Cut] = []
    counted = count(1)
    chapter = 0
    for i, (key, at) in enumerate(order):
        blank, before = blanks[at], cuts[-1] if cuts else None
        if before is None or before.blade != blade_of[key] or blanks[before.blank].late != blank.late:
            chapter = next(counted)
        reason = _reason(job, key, at, before, blanks, blade_of, inside)
        cuts.append(_cut(job, i + 1, frees[key], at, blank, blade_of[key], chapter, lengths[key], reason))
    gap = joint_gap_mm(job.composition.practice, cuts)
    return SawPlan(tuple(cuts), _chapters(cuts, blanks), blanks, _rows(job, gap), gap, job.copies, high)


def _in_order(
    job: Job, blanks: tuple[Blank, ...], blade_of: dict[str, Blade], inside: dict[str, int]
) -> list[tuple[str, int]]:
    """Leading parts and their blanks: what waits for the fitted pieces last, then what you put first, by blade, by
    material, out of one blank after the other; inside before outside, small before large."""
    first = {str(key): i for i, key in enumerate(job.composition.decisions.saw.first)}
    entries = [(key, at) for at, blank in enumerate(blanks) for key in blank.leads]

    def rank(entry: tuple[str, int]):
        key, at = entry
        blank = blanks[at]
        own = () if blank.pack else (blank.material, blank.thickness_mm)
        shared = at if blank.layer else -1
        return (
            blank.late,
            first.get(key, len(first)),
            blade_of[key].size,
            blank.pack,
            *own,
            shared,
            -inside.get(key, 0),
            job.by_key[key].area_mm2,
        )

    ranked = sorted(entries, key=rank)
    packs = [at for at, blank in enumerate(blanks) if blank.pack]
    for at in packs:
        ranked = _pack_from_the_edge(job, ranked, at, blanks, inside, rank)
    return ranked


def _pack_from_the_edge(job: Job, ranked: list, at: int, blanks, inside: dict[str, int], rank) -> list:
    """The pieces of a pack in their places, but each next to something open where that is to be had."""
    places = [i for i, (_, blank) in enumerate(ranked) if blank == at]
    keys = [int(ranked[i][0]) for i in places]
    coverage = job.composition.layer(blanks[at].layer).without_openings.coverage
    depth = {int(key): n for key, n in inside.items() if key.isdecimal()}
    group = {key: rank((str(key), at))[:3] for key in keys}
    for i, key in zip(places, from_the_edge(coverage, keys, depth, group), strict=True):
        ranked[i] = (str(key), at)
    return ranked


def _blades(job: Job, blanks: tuple[Blank, ...]) -> dict[str, Blade]:
    """For each part the usual blade of its blank, or the first finer one that turns its tightest inner corner. A
    corner that none turns is sawn from both sides with the usual one."""
    practice = job.composition.practice
    alike: dict[tuple[float, float], list[str]] = {}
    for blank in blanks:
        alike.setdefault((blank.thickness_mm, blank.hardness_lbf), []).extend(blank.leads)
    blade_of: dict[str, Blade] = {}
    for (thickness_mm, hardness_lbf), waiting in alike.items():
        usual = choose_blade(practice, thickness_mm, hardness_lbf)
        blade_of |= dict.fromkeys(waiting, usual)
        for blade in finer_blades(practice, usual, thickness_mm)[: DETAIL_STEPS + 1]:
            left = tight_corners(job, blade.line_mm(practice.fit), waiting)
            blade_of |= {key: blade for key in waiting if key not in left}
            waiting = [key for key in waiting if key in left]
            if not waiting:
                break
    return blade_of


def tight_corners(job: Job, radius_mm: float, keys: list[str]) -> dict[str, tuple[float, tuple[float, float]]]:
    """Of these parts those with inner corners tighter than the radius: how much is left standing, and where."""
    found: dict[str, tuple[float, tuple[float, float]]] = {}
    by_layer: dict[int, list[int]] = {}
    bare = [key for key in keys if not key.isdecimal()]
    for key in keys:
        if key.isdecimal():
            by_layer.setdefault(job.composition.home[int(key)].key, []).append(int(key))
    for layer, pieces in by_layer.items():
        coverage = job.composition.layer(layer).coverage
        found |= {str(key): rest for key, rest in rests_of(coverage, radius_mm, pieces).items()}
    return found | rests_of_outlines(radius_mm, {key: job.by_key[key].outline for key in bare})


def _lengths(job: Job, blank: Blank, order: list[str], blade_of: dict[str, Blade]):
    """For each leading part of a blank, sawn in this order: length, how much of it goes round openings, and its pilot
    holes. Out of its own blank a part is sawn all round; in a shared one a seam is sawn once, with the first of its
    two."""
    if blank.layer:
        coverage = job.composition.layer(blank.layer).without_openings.coverage
        return sawn_together(coverage, order, blade_of, wood_between=blank.pack)
    made = {}
    for key in order:
        part, blade = job.by_key[key], blade_of[key]
        holes = _holes_of(job, part, blade)
        whole = float(part.outline.length)
        made[key] = whole, whole - _outer_mm(part.outline), holes
    return made


def _holes_of(job: Job, part: Part, blade: Blade) -> tuple[PilotHole, ...]:
    if not part.key.isdecimal():
        return pilot_holes(part.outline, blade)
    coverage = job.composition.home[part.id.piece].coverage
    return coverage.of(part.id.piece, ("holes", blade.no), partial(pilot_holes, blade=blade))


def _outer_mm(outline: shapely.Geometry) -> float:
    return sum(float(part.exterior.length) for part in shapely.get_parts(outline))


def enclosed_by_key(job: Job) -> dict[str, int]:
    """How many pieces of its layer run all round each piece that lies inside another."""
    depth: dict[str, int] = {}
    for layer in job.composition.layers:
        made = layer.without_openings.coverage
        inside = made.once("inside", lambda c=made: _enclosed(c))  # type: ignore[misc]
        depth |= {str(key): n for key, n in inside.items()}
    return depth


def _enclosed(coverage: Coverage) -> dict[int, int]:
    depth: dict[int, int] = {}
    for key, outline in coverage.by_key.items():
        for ring in outline.interiors:
            opening = shapely.Polygon(ring)
            shapely.prepare(opening)
            for other, polygon in coverage.by_key.items():
                if other != key and opening.contains(polygon):
                    depth[other] = depth.get(other, 0) + 1
    return depth


def _reason(job: Job, key: str, at: int, before: Cut | None, blanks: tuple[Blank, ...], blade_of, inside) -> str:
    """Why a part is sawn when it is."""
    blank, shelf = blanks[at], job.composition.rack.shelf
    if key.isdecimal() and int(key) in job.composition.decisions.saw.first:
        return "you put it first"
    if blank.late and (before is None or not blanks[before.blank].late):
        return "traced once the pieces are fitted"
    if before is None or before.blade != blade_of[key]:
        return f"first with No. {blade_of[key].no}"
    if before.blank != at and blank.layer and not blank.pack:
        return f"{job.composition.layer(blank.layer).name} out of one sheet"
    if blanks[before.blank].material != blank.material and not blank.pack:
        return f"{_material(shelf, blank)} together"
    if key in inside:
        return "inside before outside"
    return "from the edge inwards" if blank.pack else "small before large"


def _material(shelf: Shelf, blank: Blank) -> str:
    return shelf.name(blank.material) if blank.material in shelf else "stacked woods"


def feed_mm_per_minute(practice: Practice, thickness_mm: float, hardness_lbf: float) -> float:
    """Feed along the line: slower in thicker wood (power 0.8) and harder wood (square root); own assumption, no source.

    With the defaults a scene of 35 pieces in 6 mm pine takes about 40 minutes, as workers report.
    """
    slower = (thickness_mm / USUAL_STOCK_MM) ** 0.8 * (hardness_lbf / USUAL_HARDNESS_LBF) ** 0.5
    return practice.saw_mm_per_minute / slower


def _cut(
    job: Job,
    order: int,
    frees: tuple[str, ...],
    at: int,
    blank: Blank,
    blade: Blade,
    chapter: int,
    lengths: Lengths,
    reason: str,
) -> Cut:
    key = frees[0]
    practice = job.composition.practice
    length, inside, holes = lengths
    work = length / feed_mm_per_minute(practice, blank.thickness_mm, blank.hardness_lbf) + MINUTES_PER_HOLE * len(holes)
    first = (work + practice.minutes_per_cut) * practice.estimate_ratio
    again = work * practice.repeat_share * practice.estimate_ratio
    runs = math.ceil(job.copies / (blank.stack if blank.pack else job.composition.decisions.saw.high))
    on_line = next(((h.x_mm, h.y_mm) for h in holes if h.on_line), None)
    return Cut(
        order,
        key,
        frees,
        at,
        blade,
        chapter,
        length,
        inside,
        first,
        again,
        runs,
        holes,
        on_line or _start(job, key),
        blade.teeth_in_cut(blank.thickness_mm),
        reason,
    )


def _start(job: Job, key: str) -> tuple[float, float]:
    if key.isdecimal():
        return job.composition.home[int(key)].coverage.of(int(key), "start", start_point)
    return start_point(max(shapely.get_parts(job.by_key[key].outline), key=lambda part: part.area))


def _chapters(cuts: list[Cut], blanks: tuple[Blank, ...]) -> tuple[Chapter, ...]:
    chapters = []
    for number in range(1, (cuts[-1].chapter if cuts else 0) + 1):
        own = [c for c in cuts if c.chapter == number]
        parts = tuple(key for c in own for key in c.frees)
        late = blanks[own[0].blank].late
        chapters.append(Chapter(number, own[0].blade, parts, sum(c.minutes for c in own), late))
    return tuple(chapters)


def joint_gap_mm(practice: Practice, cuts: list[Cut]) -> float:
    """How far a joint opens: one kerf when each piece is cut on the line or together in a pack, none when sanded to
    it."""
    own = [cut for cut in cuts if cut.piece]
    if not own or practice.fit == "beside":
        return 0.0
    return max(cut.blade.kerf_mm for cut in own)


def _rows(job: Job, gap_mm: float) -> tuple[Row, ...]:
    rows = []
    for layer in job.composition.layers:
        coverage = layer.without_openings.coverage
        if layer.fitted and len(coverage):
            joints = coverage.once("joints", lambda c=coverage: _longest_row(c))  # type: ignore[misc]
            rows.append(Row(layer.key, joints, gap_mm * joints))
    return tuple(rows)


def _longest_row(coverage: Coverage, lines: int = 24) -> int:
    """Most joints that any straight row or column crosses."""
    left, top, right, bottom = coverage.bounds_mm
    outlines = np.array(coverage.outlines)
    shapely.prepare(outlines)
    most = 0
    for t in (np.arange(lines) + 0.5) / lines:
        y, x = top + t * (bottom - top), left + t * (right - left)
        for line in (shapely.LineString([(left, y), (right, y)]), shapely.LineString([(x, top), (x, bottom)])):
            most = max(most, int(shapely.intersects(outlines, line).sum()) - 1)
    return max(most, 0)


def holes_of(plan: SawPlan) -> dict[str, list[tuple[float, float]]]:
    """Where pilot holes are drilled, in the work's mm, by the part whose cut they are for."""
    return {cut.part: [(hole.x_mm, hole.y_mm) for hole in cut.holes] for cut in plan.cuts if cut.holes}
