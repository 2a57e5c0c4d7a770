"""How the sawing plan is made: blanks, blades, order, ways, wear, one after another."""

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
import shapely

from ..outline.coverage import Coverage
from ..rack.blades import Blade
from ..rack.woods import Shelf
from ..work.parts import Job
from .blades import ALL, INSIDE, OUTLINE, Asked, Pick, picks_of
from .blanks import Blank, blanks_of
from .cuts import BladeNeed, Chapter, Cut, SawPlan
from .kerf import Row, joint_gap_mm, longest_rows
from .lines import from_the_edge, start_point
from .minutes import CORNER_SECONDS, DRILL_MINUTES, THREAD_MINUTES, feed_mm_per_minute, stroke_minutes
from .order import BLADE_MINUTES, Task, change_minutes, in_order
from .room import Room, rooms_of
from .sawing import ways_of
from .way import Sawn, Stroke
from .wear import Worn, fresh_at, life_mm, within

LATE_STAGE, SECOND_STAGE = 1_000_000, 900_000
SLENDER = 6.0
"""A part that is so many times as long as it is fat is weak, and sawn after others: own choice."""


def saw_plan(job: Job) -> SawPlan:
    """Every part that is of something, in sawing order."""
    return plan_with(job, job.composition.decisions.saw.high)


def plan_with(job: Job, high: int) -> SawPlan:
    """The plan, with so many copies sawn at once as the job's blanks say."""
    blanks = blanks_of(job)
    picks = picks_of(job, blanks)
    blade_of = {asked: pick.blade for asked, pick in picks.items()}
    order = _in_order(job, blanks, blade_of)
    ways = ways_of(job, blanks, order, blade_of)
    made = _Cuts(job, blanks, picks, ways.sawn)
    for asked, at in order:
        made.add(asked, at)
    cuts, needs = _fresh(job, made.cuts, blanks)
    gap = joint_gap_mm(job.composition.practice, [cut.blade.kerf_mm for cut in cuts if cut.piece])
    return SawPlan(
        tuple(cuts),
        _chapters(cuts, blanks),
        blanks,
        _rows(job, gap),
        gap,
        job.copies,
        high,
        ways.rooms,
        needs,
        job.composition.practice.throat_mm,
        ways.nets,
    )


def _tasks(
    job: Job, blanks: tuple[Blank, ...], blade_of: Mapping[Asked, Blade]
) -> tuple[list[Task], list[tuple[Asked, int]]]:
    """All cuts to be ordered, and which cut of which blank each is: what waits for the fitted pieces last, what a
    person put first or last there, what is enclosed before what encloses it; within that small before large, what is
    weak later."""
    home = {key: at for at, blank in enumerate(blanks) for key in blank.leads}
    entries = [(asked, home[asked[0]]) for asked in blade_of]
    place = {asked: i for i, (asked, _) in enumerate(entries)}
    encloses = _encloses(job, blanks)
    stage = _stages(job, blanks, home, encloses)
    depth = enclosed_by_key(job)

    def all_of(key: str) -> list[int]:
        return [place[key, what] for what in (ALL, INSIDE, OUTLINE) if (key, what) in place]

    rooms = rooms_of(job)
    tasks = []
    for asked, at in entries:
        key, what = asked
        blank, blade = blanks[at], blade_of[asked]
        before = [i for other in encloses.get(key, ()) for i in all_of(other)]
        if what == OUTLINE:
            before.append(place[key, INSIDE])
        own: tuple = () if blank.pack else (blank.material, blank.thickness_mm, *_section(rooms, key))
        shared = at if blank.layer else -1
        part = job.by_key[key]
        slender = _slender(job, key)
        rank = (blade.size, blade.kind, blank.pack, own, shared, -depth.get(key, 0), slender, part.area_mm2)
        tilt = dict(blank.tilts).get(key, 0.0)
        wood = (blank.material, blank.thickness_mm) if blank.material else at
        tasks.append(Task(((blade.no, blade.kind), tilt), wood, frozenset(before), rank, stage[key]))
    return tasks, entries


def saw_tasks(job: Job) -> list[Task]:
    """Everything there is to saw, with what must come before what."""
    blanks = blanks_of(job)
    tasks, _ = _tasks(job, blanks, {asked: pick.blade for asked, pick in picks_of(job, blanks).items()})
    return tasks


def _in_order(job: Job, blanks: tuple[Blank, ...], blade_of: Mapping[Asked, Blade]) -> list[tuple[Asked, int]]:
    """All cuts and their blanks, one after another."""
    tasks, entries = _tasks(job, blanks, blade_of)
    depth = enclosed_by_key(job)
    ordered = [entries[i] for i in in_order(tasks)]
    ranks = {entries[i][0]: task.rank for i, task in enumerate(tasks)}
    stage = {entries[i][0][0]: task.stage for i, task in enumerate(tasks)}
    for at, blank in enumerate(blanks):
        if blank.pack:
            ordered = _pack_from_the_edge(job, ordered, at, blanks, depth, ranks, stage)
    return ordered


def _section(rooms: Mapping[str, Room], key: str) -> tuple[str, int]:
    """What a part lies on the table with: one section is sawn up before the next is fetched."""
    room = rooms.get(key)
    return (room.board, room.number) if room else ("", 0)


def _slender(job: Job, key: str) -> bool:
    if not key.isdecimal():
        return False
    fat = 2 * job.composition.home[int(key)].coverage.spots[int(key)].radius_mm
    return job.by_key[key].area_mm2 > SLENDER * fat * fat


def _encloses(job: Job, blanks: tuple[Blank, ...]) -> dict[str, set[str]]:
    """Of blanks whose parts share lines: what each part runs all round. A bevelled piece lies in what it is sawn out
    of, also where that does not close round it."""
    found: dict[str, set[str]] = {}
    for blank in blanks:
        if not blank.layer:
            continue
        coverage = job.composition.layer(blank.layer).without_openings.coverage
        inside = coverage.once("encloses", lambda c=coverage: _rings_round(c))  # type: ignore[misc]
        leads = set(blank.leads)
        for outer, inner in inside.items():
            if str(outer) in leads:
                found.setdefault(str(outer), set()).update(str(k) for k in inner if str(k) in leads)
        if blank.out_of_one:
            host = blank.leads[-1]
            found.setdefault(host, set()).update(blank.leads[:-1])
    return found


def _stages(job: Job, blanks: tuple[Blank, ...], home: Mapping[str, int], encloses) -> dict[str, int]:
    """When a person wants each part, and what waits for the fitted pieces. What lies inside comes no later than what
    lies round it."""
    saw = job.composition.decisions.saw
    first = {str(key): i - len(saw.first) for i, key in enumerate(saw.first)}
    last = {str(key): i + 1 for i, key in enumerate(saw.last)}
    stage = {key: LATE_STAGE if blanks[at].late else first.get(key, last.get(key, 0)) for key, at in home.items()}
    # the second face of a block is sawn once it is taped together again
    stage |= {key: SECOND_STAGE for key, at in home.items() if blanks[at].profile == 2}
    for outer in sorted(encloses, key=lambda key: stage.get(key, 0)):
        for inner in encloses[outer]:
            stage[inner] = min(stage[inner], stage[outer])
    return stage


def _pack_from_the_edge(job: Job, ordered: list, at: int, blanks, depth: dict[str, int], ranks, stage) -> list:
    """The pieces of a pack in their places, but each next to something open where that is to be had."""
    places = [i for i, (_, blank) in enumerate(ordered) if blank == at and ordered[i][0][1] != INSIDE]
    asked = {int(ordered[i][0][0]): ordered[i][0] for i in places}
    keys = list(asked)
    coverage = job.composition.layer(blanks[at].layer).without_openings.coverage
    inside = {int(key): n for key, n in depth.items() if key.isdecimal()}
    group = {key: (stage[str(key)], ranks[asked[key]][:3]) for key in keys}
    for i, key in zip(places, from_the_edge(coverage, keys, inside, group), strict=True):
        ordered[i] = (asked[key], at)
    return ordered


class _Cuts:
    """The cuts as they come one after another."""

    def __init__(self, job: Job, blanks: tuple[Blank, ...], picks: Mapping[Asked, Pick], sawn: Mapping[Asked, Sawn]):
        self.job, self.blanks, self.picks, self.sawn = job, blanks, picks, sawn
        self.frees = {freed[0]: freed for blank in blanks for freed in blank.frees}
        self.tilts = {key: deg for blank in blanks for key, deg in blank.tilts}
        self.inside = enclosed_by_key(job)
        self.chapter = 0
        self.cuts: list[Cut] = []

    def add(self, asked: Asked, at: int) -> None:
        job, blank, pick, sawn = self.job, self.blanks[at], self.picks[asked], self.sawn[asked]
        (key, what), blade, practice = asked, pick.blade, self.job.composition.practice
        before = self.cuts[-1] if self.cuts else None
        if before is None or before.blade != blade or _part_of(self.blanks[before.blank]) != _part_of(blank):
            self.chapter += 1
        feed = feed_mm_per_minute(practice, blank.thickness_mm, blank.hardness_lbf)
        work = stroke_minutes(sawn.strokes, feed, blade) + (DRILL_MINUTES + THREAD_MINUTES) * len(sawn.holes)
        last = (before.blade, before.tilt_deg) if before else None
        change = change_minutes(last, (blade, self.tilts.get(key, 0.0)))
        made_of = _made_of(blank, blade, sawn, work)
        pace = job.composition.paced("saw", made_of)
        first = (work + practice.minutes_per_cut + change) * pace
        again = work * practice.repeat_share * pace
        runs = math.ceil(job.copies / (blank.stack if blank.pack else job.composition.decisions.saw.high))
        on_line = next(((h.x_mm, h.y_mm) for h in sawn.holes if h.on_line), None)
        frees = () if what == INSIDE else self.frees[key]
        sawn_mm = sum(stroke.length_mm for stroke in sawn.strokes)
        lasts = job.composition.blade_lasts.get(blade.name, 1.0)
        self.cuts.append(
            Cut(
                len(self.cuts) + 1,
                key,
                what,
                frees,
                at,
                blade,
                pick.why,
                self.chapter,
                sawn.drawn_mm,
                sawn.inside_mm,
                first,
                again,
                runs,
                sawn.holes,
                on_line or self._start(key, sawn),
                blade.teeth_in_cut(blank.thickness_mm),
                self._reason(key, what, at, before, blade),
                _with_columns(sawn.strokes, self.frees),
                self.tilts.get(key, 0.0),
                lines=sawn.lines if blank.layer else (),
                change_minutes=change * pace,
                pace=pace,
                made_of=made_of,
                wears=sawn_mm * runs / (lasts * life_mm(blade, blank.thickness_mm, blank.hardness_lbf)),
            )
        )

    def _start(self, key: str, sawn: Sawn) -> tuple[float, float]:
        line = next((stroke for stroke in reversed(sawn.strokes) if stroke.kind == "in"), None)
        if line is not None:
            x, y = line.path[-1].tolist()
            return round(x, 3), round(y, 3)
        if key.isdecimal():
            return self.job.composition.home[int(key)].coverage.of(int(key), "start", start_point)
        return start_point(max(shapely.get_parts(self.job.by_key[key].outline), key=lambda part: part.area))

    def _reason(self, key: str, what: str, at: int, before: Cut | None, blade: Blade) -> str:
        """Why a part is sawn when it is."""
        job, blank, shelf = self.job, self.blanks[at], self.job.composition.rack.shelf
        saw = job.composition.decisions.saw
        if key.isdecimal() and int(key) in saw.first:
            return "you put it first"
        if key.isdecimal() and int(key) in saw.last:
            return "you put it last"
        if blank.late and (before is None or not self.blanks[before.blank].late):
            return "traced once the pieces are fitted"
        if key in self.tilts:
            return "with the table tilted, before what it is sawn out of"
        if before is None or before.blade != blade:
            return f"first with {blade.name}"
        if blank.profile and before.blank != at:
            return "the second face, the block taped together again" if blank.profile == 2 else "the first face"
        if before.blank != at and blank.layer and not blank.pack:
            return f"{job.composition.layer(blank.layer).name} out of one sheet"
        if self.blanks[before.blank].material != blank.material and not blank.pack:
            return f"{_material(shelf, blank)} together"
        if what == INSIDE or key in self.inside:
            return "inside before outside"
        return "from the edge inwards" if blank.pack else "small before large"


def _made_of(blank: Blank, blade: Blade, sawn: Sawn, work: float) -> dict[str, Any]:
    """What the log learns of a cut by: its wood, thickness and blade, and the share of its minutes that each kind of
    corner takes."""
    corners: dict[str, float] = {}
    for stroke in sawn.strokes:
        if seconds := CORNER_SECONDS.get(stroke.corner, 0.0):
            corners[stroke.corner] = corners.get(stroke.corner, 0.0) + seconds / 60
    shares = {kind: round(minutes / work, 3) for kind, minutes in corners.items()} if work > 0 else {}
    told = {"wood": blank.material, "thickness_mm": blank.thickness_mm, "blade": blade.name, "corners": shares}
    return {name: value for name, value in told.items() if value}


def _with_columns(strokes: tuple[Stroke, ...], frees: Mapping[str, tuple[str, ...]]) -> tuple[Stroke, ...]:
    """The strokes, with every part of a stack that comes free with the one that is sawn."""
    return tuple(
        replace(stroke, frees=tuple(key for lead in stroke.frees for key in frees[lead])) if stroke.frees else stroke
        for stroke in strokes
    )


def _fresh(job: Job, cuts: list[Cut], blanks: tuple[Blank, ...]) -> tuple[list[Cut], tuple[BladeNeed, ...]]:
    """The cuts with the fresh blades they begin with, and how many blades of each number that takes."""
    made = list(cuts)
    needs = []
    for blade in dict.fromkeys(cut.blade for cut in cuts):
        own = [i for i, cut in enumerate(cuts) if cut.blade == blade]
        worn = [
            Worn(cuts[i].wears, bool(cuts[i].holes) or n == 0 or cuts[own[n - 1]].blank != cuts[i].blank)
            for n, i in enumerate(own)
        ]
        # each face of a block gets a new blade
        faces = [n for n, i in enumerate(own) if n and _new_face(blanks, cuts[own[n - 1]], cuts[i])]
        at = sorted({*fresh_at(worn), *faces})
        for n in at:
            cut = made[own[n]]
            more = BLADE_MINUTES * cut.pace
            first = cuts[own[n] - 1].blade != blade
            # where the blade is changed anyway the fresh one costs nothing more
            extra = 0.0 if first else more
            made[own[n]] = replace(
                cut,
                fresh=True,
                change_minutes=cut.change_minutes + extra,
                first_minutes=cut.first_minutes + extra,
            )
        count = 1 + len(at) + sum(within(one) for one in worn)
        long = sum(sum(stroke.length_mm for stroke in cuts[i].strokes) * cuts[i].runs for i in own)
        needs.append(BladeNeed(blade, long, count, tuple(cuts[own[n]].order for n in at)))
    return made, tuple(needs)


def enclosed_by_key(job: Job) -> dict[str, int]:
    """How many pieces of its layer run all round each piece that lies inside another."""
    depth: dict[str, int] = {}
    for layer in job.composition.layers:
        made = layer.without_openings.coverage
        round_it = made.once("encloses", lambda c=made: _rings_round(c))  # type: ignore[misc]
        for inner in round_it.values():
            for key in inner:
                depth[str(key)] = depth.get(str(key), 0) + 1
    return depth


def _rings_round(coverage: Coverage) -> dict[int, frozenset[int]]:
    """Of every piece with openings the pieces that lie in them."""
    found: dict[int, frozenset[int]] = {}
    outlines = np.array(coverage.outlines)
    tree = shapely.STRtree(outlines)
    for key, outline in coverage.by_key.items():
        if not outline.interiors:
            continue
        within_it: set[int] = set()
        for ring in outline.interiors:
            within_it |= {coverage.keys[i] for i in tree.query(shapely.Polygon(ring), predicate="contains")}
        if within_it - {key}:
            found[key] = frozenset(within_it - {key})
    return found


def _material(shelf: Shelf, blank: Blank) -> str:
    return shelf.name(blank.material) if blank.material in shelf else "stacked woods"


def _part_of(blank: Blank) -> tuple[bool, int]:
    """What is not sawn in one go with others although its blade is the same."""
    return blank.late, blank.profile


def _new_face(blanks: tuple[Blank, ...], before: Cut, cut: Cut) -> bool:
    return blanks[cut.blank].profile > 0 and before.blank != cut.blank


def _chapters(cuts: list[Cut], blanks: tuple[Blank, ...]) -> tuple[Chapter, ...]:
    chapters = []
    for number in range(1, (cuts[-1].chapter if cuts else 0) + 1):
        own = [c for c in cuts if c.chapter == number]
        parts = tuple(dict.fromkeys(key for c in own for key in c.parts))
        late = blanks[own[0].blank].late
        chapters.append(Chapter(number, own[0].blade, parts, sum(c.minutes for c in own), late))
    return tuple(chapters)


def _rows(job: Job, gap_mm: float) -> tuple[Row, ...]:
    """The longest row and column of every layer of fitted pieces."""
    rows: list[Row] = []
    for layer in job.composition.layers:
        coverage = layer.without_openings.coverage
        if layer.fitted and (pair := longest_rows(layer.key, coverage, gap_mm)):
            rows += pair
    return tuple(rows)
