"""The sawing plan: for each piece blade, holes, length of cut and minutes, in an order with its reasons."""

from dataclasses import dataclass

import numpy as np
import shapely

from ..composition import Composition, Layer, Piece
from ..practice import Practice
from ..rack.woods import Shelf, Wood
from .blades import Blade, choose_blade
from .holes import PilotHole, pilot_holes

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
    cuts: tuple[Cut, ...]
    chapters: tuple[Chapter, ...]
    gap_mm: float
    row_growth_mm: float
    row_joints: int

    @property
    def minutes(self) -> float:
        return sum(cut.minutes for cut in self.cuts)

    @property
    def by_piece(self) -> dict[int, Cut]:
        return {cut.piece: cut for cut in self.cuts}


def saw_plan(composition: Composition) -> SawPlan:
    """Every piece of the mosaic that has a wood, in sawing order."""
    layer, practice, shelf = composition.in_hand, composition.practice, composition.rack.shelf
    chosen = [p for p in layer.pieces if p.wood]
    first = {key: i for i, key in enumerate(composition.pins.get("saw_first", []))}
    inside = layer.coverage.once("inside", lambda: _enclosed(layer))
    spots = layer.coverage.spots
    blade_of = {
        p.key: choose_blade(
            practice,
            _thickness(p, practice),
            shelf.wood(p.wood).hardness_lbf,
            2 * spots[p.key].radius_mm < practice.hold_mm,
        )
        for p in chosen
    }
    area = layer.coverage.area_mm2

    def rank(p: Piece):
        pinned = first.get(p.key, len(first))
        return (pinned, blade_of[p.key].size, p.wood, _thickness(p, practice), -inside.get(p.key, 0), area[p.key])

    ordered = sorted(chosen, key=rank)
    cuts: list[Cut] = []
    chapter = 0
    for i, piece in enumerate(ordered):
        blade = blade_of[piece.key]
        if not cuts or cuts[-1].blade != blade:
            chapter += 1
        reason = _reason(piece, ordered[i - 1] if i else None, piece.key in first, inside, blade, blade_of, shelf)
        cuts.append(_cut(i + 1, piece, layer, blade, chapter, practice, shelf.wood(piece.wood), reason))
    gap, joints = joint_gap_mm(practice, cuts), layer.coverage.once("joints", lambda: _longest_row(layer))
    return SawPlan(tuple(cuts), _chapters(cuts), gap, gap * joints, joints)


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
    piece: Piece, before: Piece | None, pinned: bool, inside: dict, blade: Blade, blade_of: dict, shelf: Shelf
) -> str:
    if pinned:
        return "you put it first"
    if before is None or blade_of[before.key] != blade:
        return f"first with No. {blade.no}"
    if before.wood != piece.wood:
        return f"{shelf.name(piece.wood)} together"
    if inside.get(piece.key):
        return "inside before outside"
    return "small before large"


def feed_mm_per_minute(practice: Practice, thickness_mm: float, chosen: Wood) -> float:
    """Feed along the line: slower in thicker wood (power 0.8) and harder wood (square root); own assumption, no source.

    With the defaults a scene of 35 pieces in 6 mm pine takes about 40 minutes, as workers report.
    """
    slower = (thickness_mm / USUAL_STOCK_MM) ** 0.8 * (chosen.hardness_lbf / USUAL_HARDNESS_LBF) ** 0.5
    return practice.saw_mm_per_minute / slower


def _cut(
    order, piece: Piece, layer: Layer, blade: Blade, chapter: int, practice: Practice, chosen: Wood, reason
) -> Cut:
    thickness = _thickness(piece, practice)
    coverage, outline = layer.coverage, layer.coverage.by_key[piece.key]
    # all rings of a polygon make up its length
    length = float(outline.length)
    holes = coverage.of(piece.key, ("holes", blade.no), lambda own: pilot_holes(own, blade))
    minutes = length / feed_mm_per_minute(practice, thickness, chosen)
    minutes += practice.minutes_per_cut + MINUTES_PER_HOLE * len(holes)
    return Cut(
        order,
        piece.key,
        blade,
        chapter,
        length,
        minutes * practice.estimate_ratio,
        holes,
        coverage.of(piece.key, "start", start_point),
        blade.teeth_in_cut(thickness),
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
    """How far a joint opens: one kerf when each piece is cut on the line, none when sanded to it, one when stacked."""
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
