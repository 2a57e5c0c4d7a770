"""The sawing plan: for each piece blade, holes, length of cut and minutes, in an order with its reasons."""

from dataclasses import dataclass
from functools import partial
from heapq import heappop, heappush
from itertools import groupby

import numpy as np
import shapely

from ..constants import GRID_MM
from ..outline.coverage import Coverage
from ..practice import Practice
from ..rack.woods import Shelf
from ..wood.packs import MOST_WOODS
from ..work.composition import Composition, Layer, Piece
from .blades import DETAIL_STEPS, Blade, choose_blade, finer_blades
from .corners import rests_of
from .holes import PilotHole, hole_in, hole_on, pilot_holes

USUAL_STOCK_MM = 19.05
USUAL_HARDNESS_LBF = 950.0
"""Cherry: the wood that `practice.saw_mm_per_minute` speaks of."""
MINUTES_PER_HOLE = 1.2
"""Drill, thread the blade, clamp it again: common practice, no source."""


@dataclass(frozen=True, slots=True)
class Cut:
    """One piece to saw. `order` counts from 1; `minutes` holds the shop's own correction; start is a point in mm."""

    order: int
    piece: int
    blade: Blade
    chapter: int
    length_mm: float
    minutes: float
    holes: tuple[PilotHole, ...]
    start_mm: tuple[float, float]
    teeth_in_cut: float
    reason: str


@dataclass(frozen=True, slots=True)
class Chapter:
    """Cuts that share a blade, one after another."""

    number: int
    blade: Blade
    pieces: tuple[int, ...]
    minutes: float


@dataclass(frozen=True, slots=True)
class SawPlan:
    """`boards` lie on each other and are sawn as one: minutes, lengths and blades are those of the whole pack."""

    cuts: tuple[Cut, ...]
    chapters: tuple[Chapter, ...]
    gap_mm: float
    row_growth_mm: float
    row_joints: int
    boards: int = 1

    @property
    def minutes(self) -> float:
        return sum(cut.minutes for cut in self.cuts)

    @property
    def by_piece(self) -> dict[int, Cut]:
        return {cut.piece: cut for cut in self.cuts}


@dataclass(frozen=True, slots=True)
class Blank:
    """What lies on the saw table for one cut: wood of this thickness and hardness."""

    thickness_mm: float
    hardness_lbf: float


def saw_plan(composition: Composition) -> SawPlan:
    """Every piece of the mosaic that has a wood, in sawing order."""
    layer, practice, shelf = composition.in_hand, composition.practice, composition.rack.shelf
    chosen = [p for p in layer.pieces if p.wood]
    first = {key: i for i, key in enumerate(composition.pins.get("saw_first", []))}
    inside = layer.coverage.once("inside", lambda: _enclosed(layer))
    packed = practice.fit == "stack"
    blank_of, boards = _stack(composition, chosen) if packed else (_single(chosen, practice, shelf), 1)
    blade_of = _blades(layer, practice, blank_of)
    area = layer.coverage.area_mm2

    def rank(p: Piece):
        pinned = first.get(p.key, len(first))
        own = () if packed else (p.wood, _thickness(p, practice))
        return (pinned, blade_of[p.key].size, *own, -inside.get(p.key, 0), area[p.key])

    ordered = sorted(chosen, key=rank)
    if packed:
        ordered = _from_the_edge(layer, ordered, inside, {p.key: rank(p)[:2] for p in chosen})
    lengths, holes = _alone(layer, ordered, blade_of) if not packed else _together(layer, ordered, blade_of)
    cuts: list[Cut] = []
    chapter = 0
    for i, piece in enumerate(ordered):
        blade = blade_of[piece.key]
        if not cuts or cuts[-1].blade != blade:
            chapter += 1
        before = ordered[i - 1] if i else None
        reason = _reason(piece, before, piece.key in first, inside, blade, blade_of, None if packed else shelf)
        cuts.append(
            _cut(
                i + 1,
                piece.key,
                layer,
                blade,
                chapter,
                practice,
                blank_of[piece.key],
                lengths[piece.key],
                holes[piece.key],
                reason,
            )
        )
    gap, joints = joint_gap_mm(practice, cuts), layer.coverage.once("joints", lambda: _longest_row(layer))
    return SawPlan(tuple(cuts), _chapters(cuts), gap, gap * joints, joints, boards)


def _single(chosen: list[Piece], practice: Practice, shelf: Shelf) -> dict[int, Blank]:
    """Each piece from its own board."""
    return {p.key: Blank(_thickness(p, practice), shelf.wood(p.wood).hardness_lbf) for p in chosen}


def _stack(composition: Composition, chosen: list[Piece]) -> tuple[dict[int, Blank], int]:
    """Every piece out of one pack: of the woods that were decided for it, otherwise of those in use, as many as a pack
    holds."""
    shelf, practice = composition.rack.shelf, composition.practice
    decided = [code for code in composition.pins.get("pack", {}).get("woods", ()) if code in shelf]
    codes = decided if len(decided) > 1 else list(dict.fromkeys(p.wood for p in chosen))[:MOST_WOODS]
    thick = max((_thickness(p, practice) for p in chosen), default=practice.stock_mm) * max(1, len(codes))
    hard = max((shelf.wood(code).hardness_lbf for code in codes), default=USUAL_HARDNESS_LBF)
    return {p.key: Blank(thick, hard) for p in chosen}, max(1, len(codes))


def _blades(layer: Layer, practice: Practice, blank_of: dict[int, Blank]) -> dict[int, Blade]:
    """For each piece the usual blade of its blank, or the first finer one that turns its tightest inner corner. A
    corner that none turns is sawn from both sides with the usual one."""
    usual = {key: choose_blade(practice, b.thickness_mm, b.hardness_lbf) for key, b in blank_of.items()}
    offers = {key: finer_blades(practice, usual[key], b.thickness_mm) for key, b in blank_of.items()}
    blade_of = dict(usual)
    waiting = list(blank_of)
    for step in range(DETAIL_STEPS + 1):
        tried: dict[Blade, list[int]] = {}
        for key in waiting:
            if step < len(offers[key]):
                tried.setdefault(offers[key][step], []).append(key)
        waiting = []
        for blade, keys in tried.items():
            left = rests_of(layer.coverage, blade.line_mm(practice.fit), keys)
            waiting += left
            blade_of |= {key: blade for key in keys if key not in left}
    return blade_of


Holes = dict[int, tuple[PilotHole, ...]]


def _alone(layer: Layer, ordered: list[Piece], blade_of: dict[int, Blade]) -> tuple[dict[int, float], Holes]:
    """Cut lengths and holes where every piece is sawn from its own board: all of its outline, a hole in each
    opening."""
    coverage = layer.coverage
    lengths, holes = {}, {}
    for p in ordered:
        blade = blade_of[p.key]
        # all rings of a polygon make up its length
        lengths[p.key] = float(coverage.by_key[p.key].length)
        holes[p.key] = coverage.of(p.key, ("holes", blade.no), partial(pilot_holes, blade=blade))
    return lengths, holes


def _together(layer: Layer, ordered: list[Piece], blade_of: dict[int, Blade]) -> tuple[dict[int, float], Holes]:
    """Cut lengths and holes where all pieces come out of one pack. A seam is sawn once, with the first of its two. An
    opening has its hole in the waste, drilled for the first piece beside it; a closed line with nothing open beside it
    yet has one on the line itself, since all round it is wood."""
    coverage = layer.coverage
    place = {p.key: i for i, p in enumerate(ordered)}
    holes: dict[int, list[PilotHole]] = {key: [] for key in place}
    for waste in _openings(coverage):
        beside = [key for key in place if coverage.by_key[key].intersects(waste)]
        if beside:
            first = min(beside, key=place.__getitem__)
            spot = hole_in(waste, blade_of[first])
            holes[first].append(spot if spot.bit_mm else hole_on(start_point(waste), blade_of[first]))
    lengths: dict[int, float] = {}
    sawn: set[int] = set()
    for key in place:
        neighbours = coverage.neighbours[key]
        shared = sum(seam.length_mm for other, seam in neighbours.items() if other in sawn)
        lengths[key] = max(0.0, float(coverage.by_key[key].length) - shared)
        for line, beside_line in _lines(coverage, key):
            bare = line.exterior.length - sum(neighbours[other].length_mm for other in beside_line)
            if bare <= GRID_MM and not sawn & set(beside_line):
                holes[key].append(hole_on(start_point(line), blade_of[key]))
        sawn.add(key)
    return lengths, {key: tuple(own) for key, own in holes.items()}


def _openings(coverage: Coverage) -> list[shapely.Polygon]:
    """What the pieces enclose and none of them covers; of an opening with an island in it, what lies round the
    island."""
    rings = [shapely.Polygon(ring) for part in shapely.get_parts(coverage.outside) for ring in part.interiors]
    return [part for ring in rings for part in shapely.get_parts(shapely.difference(ring, coverage.outside))]


def _lines(coverage: Coverage, key: int) -> list[tuple[shapely.Polygon, list[int]]]:
    """The closed lines of a piece, its outline and each of its openings as what they enclose, with the neighbours along
    each."""
    outline, neighbours = coverage.by_key[key], list(coverage.neighbours[key])
    found = []
    for ring in outline.interiors:
        inside = shapely.Polygon(ring)
        within = [other for other in neighbours if inside.covers(coverage.by_key[other])]
        found.append((inside, within))
        neighbours = [other for other in neighbours if other not in within]
    return [(shapely.Polygon(outline.exterior), neighbours), *found]


def _from_the_edge(layer: Layer, ranked: list[Piece], inside: dict[int, int], group: dict[int, tuple]) -> list[Piece]:
    """Pieces of a pack in an order in which each next one has something open beside it, as far as that is to be had:
    within each group in turn (`group`: what they are sorted by before all else) the first in rank that lies at an edge
    or beside one already sawn. What another encloses is sawn first all the same: its line is closed in any case."""
    coverage = layer.coverage
    border = {key: sum(s.length_mm for s in coverage.neighbours[key].values()) for key in coverage.keys}
    rank = {p.key: i for i, p in enumerate(ranked)}
    by_key = {p.key: p for p in ranked}
    ordered: list[Piece] = []
    sawn: set[int] = set()
    for _, several in groupby(ranked, key=lambda p: group[p.key]):
        waiting = {p.key for p in several}
        reached = {
            key
            for key in waiting
            if inside.get(key)
            or coverage.by_key[key].length - border[key] > GRID_MM
            or not sawn.isdisjoint(coverage.neighbours[key])
        }
        heap = sorted(rank[key] for key in reached)
        rest = sorted(rank[key] for key in waiting)[::-1]
        while waiting:
            key = ranked[heappop(heap) if heap else rest.pop()].key
            if key not in waiting:
                continue
            waiting.discard(key)
            sawn.add(key)
            ordered.append(by_key[key])
            for other in coverage.neighbours[key]:
                if other in waiting and other not in reached:
                    reached.add(other)
                    heappush(heap, rank[other])
    return ordered


def _thickness(piece: Piece, practice: Practice) -> float:
    return piece.thickness_mm or practice.stock_mm


def _enclosed(layer: Layer) -> dict[int, int]:
    """Pieces that lie in another's opening, with how deep they are nested."""
    depth: dict[int, int] = {}
    for key, outline in layer.coverage.by_key.items():
        for ring in outline.interiors:
            opening = shapely.Polygon(ring)
            shapely.prepare(opening)
            for other, polygon in layer.coverage.by_key.items():
                if other != key and opening.contains(polygon):
                    depth[other] = depth.get(other, 0) + 1
    return depth


def _reason(
    piece: Piece, before: Piece | None, pinned: bool, inside: dict, blade: Blade, blade_of: dict, shelf: Shelf | None
) -> str:
    """Why a piece is sawn when it is; `shelf` where pieces come from boards of their own woods."""
    if pinned:
        return "you put it first"
    if before is None or blade_of[before.key] != blade:
        return f"first with No. {blade.no}"
    if shelf is not None and before.wood != piece.wood:
        return f"{shelf.name(piece.wood)} together"
    if inside.get(piece.key):
        return "inside before outside"
    return "small before large" if shelf is not None else "from the edge inwards"


def feed_mm_per_minute(practice: Practice, thickness_mm: float, hardness_lbf: float) -> float:
    """Feed along the line: slower in thicker wood (power 0.8) and harder wood (square root); own assumption, no source.

    With the defaults a scene of 35 pieces in 6 mm pine takes about 40 minutes, as workers report.
    """
    slower = (thickness_mm / USUAL_STOCK_MM) ** 0.8 * (hardness_lbf / USUAL_HARDNESS_LBF) ** 0.5
    return practice.saw_mm_per_minute / slower


def _cut(
    order: int, key: int, layer: Layer, blade: Blade, chapter: int, practice: Practice, blank: Blank, length_mm: float,
    holes: tuple[PilotHole, ...], reason: str,
) -> Cut:  # fmt: skip
    minutes = length_mm / feed_mm_per_minute(practice, blank.thickness_mm, blank.hardness_lbf)
    minutes += practice.minutes_per_cut + MINUTES_PER_HOLE * len(holes)
    on_line = next(((h.x_mm, h.y_mm) for h in holes if h.on_line), None)
    return Cut(
        order,
        key,
        blade,
        chapter,
        length_mm,
        minutes * practice.estimate_ratio,
        holes,
        on_line or layer.coverage.of(key, "start", start_point),
        blade.teeth_in_cut(blank.thickness_mm),
        reason,
    )


def start_point(outline: shapely.Polygon) -> tuple[float, float]:
    """The sharpest outward corner: start at a point, never in the middle of a curve."""
    xy = shapely.get_coordinates(outline.exterior)[:-1]
    back, ahead = xy - np.roll(xy, 1, axis=0), np.roll(xy, -1, axis=0) - xy
    cross = back[:, 0] * ahead[:, 1] - back[:, 1] * ahead[:, 0]
    turn = np.arctan2(cross, (back * ahead).sum(axis=1))
    winding = np.sign(turn.sum()) or 1.0
    x, y = xy[int(np.argmax(turn * winding))]
    return float(x), float(y)


def _chapters(cuts: list[Cut]) -> tuple[Chapter, ...]:
    chapters = []
    for number in range(1, (cuts[-1].chapter if cuts else 0) + 1):
        own = [c for c in cuts if c.chapter == number]
        chapters.append(Chapter(number, own[0].blade, tuple(c.piece for c in own), sum(c.minutes for c in own)))
    return tuple(chapters)


def joint_gap_mm(practice: Practice, cuts: list[Cut]) -> float:
    """How far a joint opens: one kerf when each piece is cut on the line or together in a pack, none when sanded to
    it."""
    if not cuts or practice.fit == "beside":
        return 0.0
    return max(cut.blade.kerf_mm for cut in cuts)


def _longest_row(layer: Layer, lines: int = 24) -> int:
    """Most joints that any straight row or column crosses."""
    left, top, right, bottom = layer.coverage.bounds_mm
    outlines = np.array(layer.coverage.outlines)
    shapely.prepare(outlines)
    most = 0
    for t in (np.arange(lines) + 0.5) / lines:
        y, x = top + t * (bottom - top), left + t * (right - left)
        for line in (shapely.LineString([(left, y), (right, y)]), shapely.LineString([(x, top), (x, bottom)])):
            most = max(most, int(shapely.intersects(outlines, line).sum()) - 1)
    return max(most, 0)
