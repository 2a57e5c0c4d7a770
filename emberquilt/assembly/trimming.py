"""Trimming glued sheets to one edge: a cut of its own, through all of them at once, before accents go on."""

from dataclasses import dataclass, field

import numpy as np
import shapely

from ..rack.blades import Blade, choose_blade
from ..saw.minutes import SECONDS_PER_RADIAN, feed_mm_per_minute, turned_rad
from ..saw.throat import Sweep, swept
from ..saw.wear import life_mm
from ..work.parts import Job

MINUTES_TO_TRIM = 10.0
"""To set the saw square and mark the edge: common practice, no source."""
SPARE_MM = 3.0
"""The sheets are left larger by this all round until they are trimmed: common practice, no source."""


@dataclass(frozen=True)
class Trim:
    """The cut round the glued sheets of one copy: their keys, the edge in mm, their thickness together, its blade, how
    many blades it wears, and what the throat says."""

    parts: tuple[str, ...]
    edge: shapely.Geometry = field(repr=False)
    thickness_mm: float
    blade: Blade
    minutes: float
    blades: float
    sweep: Sweep

    @property
    def length_mm(self) -> float:
        return float(sum(part.exterior.length for part in shapely.get_parts(self.edge)))

    def lines(self, job: Job) -> tuple[str, ...]:
        """What is to be heeded, as a card tells it."""
        say = job.composition.practice.say
        teeth = self.blade.teeth_in_cut(self.thickness_mm)
        told = [f"{say(self.length_mm)} along the edge, {teeth:.0f} teeth in the cut; leave the line on"]
        if self.blades > 1:
            told.append(f"It wears {self.blades:.1f} blades: have {int(np.ceil(self.blades))} at hand")
        if self.sweep.hits:
            told.append(
                f"It hits the saw's column: {say(self.sweep.reach_mm)} behind the blade. Go round the other way"
            )
        return (*told, "Then ease the edge with 120 grit, by hand")


def trim_of(job: Job) -> Trim | None:
    """The cut that trims all layers that are flagged for it, None where fewer than two parts are."""
    return job.once("trim", lambda: _trim(job))


def _trim(job: Job) -> Trim | None:
    composition = job.composition
    layers = [layer for layer in composition.layers if layer.trim_flush]
    parts = [job.pieces[p.key] for layer in layers for p in layer.without_openings.pieces]
    if not parts:
        return None
    practice, shelf = composition.practice, composition.rack.shelf
    thick = max(part.top_mm for part in parts) - min(part.floor_mm for part in parts)
    hard = max((shelf[p.material].hardness_lbf for p in parts if p.material in shelf), default=0.0)
    edge = shapely.union_all(np.array([part.outline for part in parts], object))
    rings = [np.asarray(part.exterior.coords) for part in shapely.get_parts(edge)]
    blade = choose_blade(practice, thick, hard)
    length = sum(part.exterior.length for part in shapely.get_parts(edge))
    # what is on no shelf has no hardness
    feed = feed_mm_per_minute(practice, thick, hard) if hard else practice.saw_mm_per_minute
    minutes = MINUTES_TO_TRIM + length / feed + sum(map(turned_rad, rings)) * SECONDS_PER_RADIAN / 60
    stock = shapely.buffer(edge, SPARE_MM, join_style="mitre")
    return Trim(
        tuple(part.key for part in parts),
        edge,
        round(thick, 6),
        blade,
        minutes,
        length / life_mm(blade, thick, hard),
        swept(rings, stock, practice.throat_mm),
    )
