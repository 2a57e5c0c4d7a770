"""What helps where the work would hit the saw's column."""

from collections.abc import Sequence
from dataclasses import replace

from ..findings import Fix
from ..work.parts import Job, job_of
from .cuts import Cut, SawPlan
from .lines import next_corner
from .room import Room, rooms_of
from .sawing import Wishes, sawn_alone
from .throat import kept_way, swept

MOST_STARTS, MOST_OFFERS = 3, 4
MOST_PARTS = 8
"""Of so many parts of one section ways round the column are tried."""
SHORTER = 0.7
"""A board is cut into sections no longer than this share of the throat: own choice."""
TURNED = {"clockwise": "counter-clockwise", "counter-clockwise": "clockwise"}


Served = tuple[str, tuple[float, float] | None]
"""Which way round, or else which other start, keeps a part clear of the column; neither where none does."""


def throat_offers(job: Job, plan: SawPlan, cuts: Sequence[Cut]) -> list[Fix]:
    """Ways round the column for parts of one blank or section, each tried before it is offered: the other way round,
    from both sides, another start, shorter sections of the board, a spiral blade that needs no turning."""
    known = [cut for cut in cuts if cut.piece][:MOST_PARTS]
    alone = [cut for cut in known if not plan.blanks[cut.blank].layer]
    tried = {cut.piece: _tried(job, plan, cut) for cut in alone}
    offers: list[Fix] = []
    for way in ("counter-clockwise", "clockwise", "both"):
        if keys := [key for key, one in tried.items() if one[0] == way]:
            words = "Saw from both sides of the start" if way == "both" else "Go round the other way"
            offers.append(Fix(_said(job, words, keys, known), "saw_way", {"pieces": keys, "way": way}))
    for key, (_, start) in tried.items():
        if start and len(offers) < MOST_OFFERS:
            values = {"pieces": [key], "x": round(start[0], 2), "y": round(start[1], 2)}
            offers.append(Fix(_said(job, "Start at another corner", [key], known), "saw_start", values))
    if alone and (fix := _shorter_sections(job, plan, alone)):
        offers.append(fix)
    stuck = [cut for cut in known if not any(tried.get(cut.piece, ()))]
    free = [cut.piece for cut in stuck if _without_turning(plan, cut)]
    if free:
        offers.append(Fix(_said(job, "Take a spiral blade", free, known), "saw_spiral", {"pieces": free}))
    return offers


def _said(job: Job, words: str, keys: Sequence[int], known: Sequence[Cut]) -> str:
    if len(keys) == len(known):
        return words
    numbers = [job.composition.by_key[key].number for key in keys]
    return f"{words}: " + (f"{numbers[0]}" if len(numbers) == 1 else f"{len(numbers)} of them")


def _tried(job: Job, plan: SawPlan, cut: Cut) -> Served:
    saw = job.composition.decisions.saw
    now = saw.ways.get(cut.piece, "clockwise")
    start = saw.starts.get(cut.piece)
    for way in dict.fromkeys((TURNED.get(now, "counter-clockwise"), "both")):
        if way != now and _clears(job, plan, cut, (start, way)):
            return way, None
    at: tuple[float, float] = cut.start_mm
    outline = job.composition.home[cut.piece].coverage.by_key[cut.piece]
    for _ in range(MOST_STARTS):
        at = next_corner(outline, at)
        if _clears(job, plan, cut, (at, now)):
            return "", at
    return "", None


def _clears(job: Job, plan: SawPlan, cut: Cut, wishes: Wishes) -> bool:
    """Whether the work goes through the throat all the way, sawn as wished."""
    room: Room = plan.rooms[cut.blank]
    own = [one for one in plan.of_blank(cut.blank) if one.part == cut.part]
    gone = {part for one in plan.cuts if one.order < own[0].order for part in one.frees}
    sawn = sawn_alone(
        job, [(one.part, one.what) for one in own], [one.blade for one in own], room, room.others(gone), wishes
    )
    mine = sawn[own.index(cut)]
    return not swept([stroke.path for stroke in mine.strokes], room.stock, plan.throat_mm).hits


def _without_turning(plan: SawPlan, cut: Cut) -> bool:
    paths = [stroke.path for stroke in cut.strokes]
    return kept_way(paths, plan.rooms[cut.blank].stock, plan.throat_mm) is not None


def _shorter_sections(job: Job, plan: SawPlan, cuts: Sequence[Cut]) -> Fix | None:
    """Sections so short that the work turns, where the board can be cut between its parts."""
    practice = job.composition.practice
    most = round(SHORTER * practice.throat_mm, 1)
    if most >= practice.section_mm or any(plan.rooms[cut.blank].section is None for cut in cuts):
        return None
    there = job.once(
        "rooms in shorter sections",
        lambda: rooms_of(job_of(replace(job.composition, practice=practice.changed(section_mm=most)))),
    )
    for cut in cuts:
        paths = [stroke.path for stroke in cut.strokes if stroke.kind != "in"]
        if cut.part not in there or swept(paths, there[cut.part].stock, practice.throat_mm).hits:
            return None
    return Fix("Cut the board into shorter sections", "practice", {"section_mm": practice.written(most)})
