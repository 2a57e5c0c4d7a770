"""The sawing plan: its cuts with blade, holes, strokes and minutes, in an order with its reasons."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..lazy import lazy
from ..rack.blades import Blade
from ..work.parts import Job
from .blades import INSIDE
from .blanks import Blank
from .holes import PilotHole
from .kerf import Row, gaps_of
from .network import Net
from .room import Room
from .throat import Hit, Sweep, hits_by_path, swept
from .way import Stroke


@dataclass(frozen=True, slots=True)
class Cut:
    """One part to saw, and what its line sets free besides (`frees`). `what` of it: everything, its openings or then
    its outline, where they want different blades. `order` counts from 1; `runs` how often it is sawn for all copies;
    `first_minutes` and `again_minutes`, with the shop's own correction, of the first run and of each further one; start
    is a point in mm; `length_mm` of its drawn lines, of which `inside_mm` go round openings; `strokes`: the way of the
    blade; `fresh`: a fresh blade is mounted for it."""

    order: int
    part: str
    what: str
    frees: tuple[str, ...]
    blank: int
    blade: Blade
    why_blade: str
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
    strokes: tuple[Stroke, ...] = ()
    tilt_deg: float = 0.0
    fresh: bool = False
    lines: tuple[int, ...] = ()
    """Of its blank's net, where lines are shared there."""
    change_minutes: float = 0.0
    """Of its minutes those for the blade that is mounted, and the table that is tilted or set back, before it."""
    wears: float = 0.0
    """The share of a blade's life that all its runs take."""
    pace: float = 1.0
    """The shop's own correction in its minutes."""
    made_of: Mapping[str, Any] = field(default_factory=dict, compare=False)
    """What the log learns by (see `work.pace.terms_of`)."""

    @property
    def parts(self) -> tuple[str, ...]:
        """What it is about: what comes free, or the part that goes on to be sawn."""
        return self.frees or (self.part,)

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
class BladeNeed:
    """Blades of one number: how much line they saw in all runs, how many that takes, and before which cuts a fresh one
    is mounted."""

    blade: Blade
    length_mm: float
    count: int
    fresh: tuple[int, ...]

    @property
    def short(self) -> int:
        """How many are to be got, where the shop counts its blades."""
        return max(0, self.count - self.blade.at_hand)


@dataclass(frozen=True)
class SawPlan:
    """`copies` of the work are sawn, `high` at a time; lengths are those of one run, minutes those of all. `rooms`:
    what each blank lies in on the table."""

    cuts: tuple[Cut, ...]
    chapters: tuple[Chapter, ...]
    blanks: tuple[Blank, ...]
    rows: tuple[Row, ...]
    gap_mm: float
    copies: int = 1
    high: int = 1
    rooms: Mapping[int, Room] = field(default_factory=dict)
    needs: tuple[BladeNeed, ...] = ()
    throat_mm: float = 406.4
    nets: Mapping[int, tuple[Net, tuple[str, ...]]] = field(default_factory=dict)
    """Of blanks whose parts share lines: their net, and the part that each of its bodies is."""

    @lazy
    def sweeps(self) -> Mapping[int, Sweep]:
        """How every blank fares in the saw's throat."""
        # a spiral blade is not turned
        paths = {
            at: [s.path for cut in cuts if cut.blade.kind != "spiral" for s in cut.strokes]
            for at, cuts in self._by_blank.items()
        }
        return {at: swept(own, self.rooms[at].stock, self.throat_mm) for at, own in paths.items()}

    @property
    def mounted(self) -> int:
        """How often a blade is mounted: once a chapter, and wherever a fresh one is taken within it."""
        begun = {cut.chapter: cut.order for cut in reversed(self.cuts)}
        return len(self.chapters) + sum(cut.fresh and begun[cut.chapter] != cut.order for cut in self.cuts)

    def hits_of(self, cut: Cut) -> tuple[Hit, ...]:
        """Where the work stands against the saw's column in one cut."""
        return self._hits.get(cut.order, ())

    @lazy
    def _hits(self) -> dict[int, tuple[Hit, ...]]:
        """By the order of the cut; looked for only where the wood is larger than the throat is deep."""
        found: dict[int, tuple[Hit, ...]] = {}
        for at, cuts in self._by_blank.items():
            stock = self.rooms[at].stock
            x0, y0, x1, y1 = stock.bounds
            if math.hypot(x1 - x0, y1 - y0) <= self.throat_mm:
                continue
            strokes = [
                (cut.order, stroke.path)
                for cut in cuts
                if cut.blade.kind != "spiral"
                for stroke in cut.strokes
                if len(stroke.path) > 1
            ]
            for n, hits in hits_by_path([path for _, path in strokes], stock, self.throat_mm).items():
                order = strokes[n][0]
                found[order] = (*found.get(order, ()), *hits)
        return found

    def gaps(self, job: Job) -> dict[tuple[int, int], float]:
        """By how much each seam between fitted pieces opens, by their keys."""
        kerf_of = {int(key): cut.blade.kerf_mm for cut in self.cuts for key in cut.frees if key.isdecimal()}
        shared = {
            int(key): at
            for at, blank in enumerate(self.blanks)
            if blank.layer
            for key in blank.parts
            if key.isdecimal()
        }
        return gaps_of(job, kerf_of, shared)

    def of_blank(self, blank: int) -> tuple[Cut, ...]:
        """The cuts of one blank, in order."""
        return self._by_blank.get(blank, ())

    @lazy
    def _by_blank(self) -> dict[int, tuple[Cut, ...]]:
        table: dict[int, list[Cut]] = {}
        for cut in self.cuts:
            table.setdefault(cut.blank, []).append(cut)
        return {at: tuple(cuts) for at, cuts in table.items()}

    @property
    def minutes(self) -> float:
        return sum(cut.minutes for cut in self.cuts)

    @lazy
    def by_part(self) -> dict[str, Cut]:
        """The cut that sets each part of one copy free."""
        return {key: cut for cut in self.cuts for key in cut.frees}

    def cut_at(self, step: str, part: str) -> Cut:
        """The cut that a step of one blade is about, for a part: its openings and its outline may have one each."""
        number, _, inside = step.removeprefix("saw-").partition("-")
        own = [cut for cut in self._of_part.get(part, ()) if (cut.what == INSIDE) == bool(inside)]
        mine = [cut for cut in own if str(cut.chapter) == number]
        return next(iter(mine or own), self.by_part[part])

    @lazy
    def _of_part(self) -> dict[str, list[Cut]]:
        table: dict[str, list[Cut]] = {}
        for cut in self.cuts:
            for part in dict.fromkeys(cut.parts):
                table.setdefault(part, []).append(cut)
        return table

    @lazy
    def by_piece(self) -> dict[int, Cut]:
        return {int(key): cut for key, cut in self.by_part.items() if key.isdecimal()}

    @property
    def pieces(self) -> tuple[int, ...]:
        """Keys of the pieces that are sawn, in order."""
        return tuple(int(key) for cut in self.cuts for key in cut.frees if key.isdecimal())

    def made(self, job: Job) -> set[str]:
        """Keys of pieces that are there once all is sawn: those of a board that is routed come with it."""
        free = {key for cut in self.cuts for key in cut.frees}
        routed = {board.id.layer for board in job.boards if board.key in free}
        fields = {str(key) for key in job.routed if job.composition.home[key].key in routed}
        return {key for key in free if key.isdecimal()} | fields

    @property
    def boards(self) -> int:
        """Most boards that lie on each other in a pack."""
        return max((blank.stack for blank in self.blanks if blank.pack), default=1)

    @property
    def row(self) -> Row | None:
        """The row that grows most."""
        return max(self.rows, key=lambda row: row.growth_mm, default=None)

    @property
    def tilts(self) -> tuple[float, ...]:
        """Degrees to which the table is tilted, least first."""
        return tuple(sorted({round(cut.tilt_deg, 1) for cut in self.cuts if cut.tilt_deg}))

    @property
    def worst_rows(self) -> tuple[Row, ...]:
        """Of each layer the row or column that grows most."""
        layers = dict.fromkeys(row.layer for row in self.rows)
        return tuple(max((r for r in self.rows if r.layer == layer), key=lambda r: r.growth_mm) for layer in layers)

    def minutes_of_blank(self, blank: int) -> float:
        """Minutes of all that comes out of one blank, in all copies."""
        return sum(cut.minutes for cut in self.of_blank(blank))

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


@dataclass(frozen=True, slots=True)
class Drilled:
    """A pilot hole, and the part whose cut it is for."""

    part: str
    hole: PilotHole


def holes_of(plan: SawPlan) -> tuple[Drilled, ...]:
    """All holes of one copy, in sawing order."""
    return tuple(Drilled(cut.part, hole) for cut in plan.cuts for hole in cut.holes)
