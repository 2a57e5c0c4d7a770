"""The ways of all blanks: each blank's net, and the way of the blade through it in the order of the cuts."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256

import numpy as np
import shapely

from ..outline.coverage import Coverage
from ..rack.blades import Blade
from ..relief.bevel import bevels_of
from ..work.parts import Job
from .accents import accents_of, with_accents
from .blades import INSIDE, Asked
from .blanks import Blank
from .lines import openings_of
from .network import Line, Net, net_of_body, net_of_coverage
from .room import Room, room_round, rooms_of
from .way import Sawn, WayThrough


@dataclass(frozen=True)
class Ways:
    """What is sawn for every cut of every blank, what each blank lies in on the table, and the nets of those whose
    parts share lines."""

    sawn: Mapping[Asked, Sawn]
    rooms: Mapping[int, Room]
    nets: Mapping[int, tuple[Net, tuple[str, ...]]]


def ways_of(
    job: Job, blanks: Sequence[Blank], order: Iterable[tuple[Asked, int]], blade_of: Mapping[Asked, Blade]
) -> Ways:
    """Of all cuts, given in their order with their blank. What has been sawn out of a section stands in nobody's
    way."""
    asked: dict[int, list[Asked]] = {}
    for cut, at in order:
        asked.setdefault(at, []).append(cut)
    placed = rooms_of(job)
    gone: set[str] = set()
    sawn: dict[Asked, Sawn] = {}
    rooms: dict[int, Room] = {}
    nets: dict[int, tuple[Net, tuple[str, ...]]] = {}
    for at, cuts in asked.items():
        blank = blanks[at]
        if blank.layer:
            room = placed.get(blank.leads[-1]) if blank.out_of_one else None
            made, rooms[at], nets[at] = _together(job, blank, cuts, blade_of, room, gone)
        else:
            made, rooms[at] = _alone(job, cuts, blade_of, placed, gone)
        sawn |= made
        gone.update(blank.parts)
    return Ways(sawn, rooms, nets)


Wishes = tuple[tuple[float, float] | None, str | None]
"""Where a person begins a part, and which way round: clockwise, counter-clockwise, or both where the throat asks it."""


def _alone(job: Job, cuts: list[Asked], blade_of, placed: Mapping[str, Room], gone: set[str]):
    """Of one part out of a blank of its own, kept with its outline as long as nothing round it changes."""
    lead = cuts[0][0]
    room = placed.get(lead) or room_round(job.by_key[lead].outline)
    blades = tuple(blade_of[cut] for cut in cuts)
    others = room.others(gone)
    wishes = _wishes(job, lead)
    if not lead.isdecimal():
        return dict(zip(cuts, sawn_alone(job, cuts, blades, room, others, wishes), strict=True)), room
    stamp = (
        tuple(what for _, what in cuts),
        blades,
        _offset(job, blades),
        job.composition.practice.throat_mm,
        job.composition.practice.accents,
        tuple(accent.tobytes() for accent in accents_of(job, lead)),
        wishes,
        _hidden_seams(job, lead),
        shapely.to_wkb(room.stock),
        shapely.to_wkb(others) if others is not None else b"",
    )
    coverage = job.composition.home[int(lead)].coverage
    sawn = coverage.latest(int(lead), "way", stamp, lambda _: sawn_alone(job, cuts, blades, room, others, wishes))
    return dict(zip(cuts, sawn, strict=True)), room


def _offset(job: Job, blades: Sequence[Blade]) -> float:
    # one gap on both sides of a joint: the widest kerf decides
    return job.composition.practice.offset_mm(max(blade.kerf_mm for blade in blades))


def _wishes(job: Job, key: str) -> Wishes:
    saw = job.composition.decisions.saw
    if not key.isdecimal():
        return None, None
    return saw.starts.get(int(key)), saw.ways.get(int(key))


def sawn_alone(
    job: Job,
    cuts: Sequence[Asked],
    blades: Sequence[Blade],
    room: Room,
    others: shapely.Geometry | None,
    wishes: Wishes,
) -> tuple[Sawn, ...]:
    """The way of the blade round one part out of a blank of its own, as a person wishes it."""
    lead, offset = cuts[0][0], _offset(job, blades)
    outline = job.by_key[lead].outline
    bodies = shapely.get_parts(outline)
    nets = [net_of_body(body, offset) for body in bodies]
    kept = _kept(outline, offset, max(blade.kerf_mm for blade in blades))
    start, way = wishes
    found = WayThrough(
        nets[0] if len(nets) == 1 else _joined(nets),
        [lead] * len(bodies),
        dict(zip(cuts, blades, strict=True)),
        _with(kept, others),
        room.stock,
        start_at={lead: start} if start else {},
        clockwise={lead: way != "counter-clockwise"} if way else {},
        hidden=_hidden(job, lead),
        both_ways=job.composition.practice.throat_mm if way == "both" else 0.0,
    )
    accents = accents_of(job, lead)
    school = job.composition.practice.accents
    return tuple(
        with_accents(sawn, accents, school, found) if what != INSIDE else sawn
        for sawn, (_, what) in zip(found.of(cuts), cuts, strict=True)
    )


def _hidden(job: Job, key: str) -> Callable[[np.ndarray], bool] | None:
    """Whether an edge at a place is not seen later: a neighbour beside it stands as high or higher."""
    seams = _hidden_seams(job, key)
    if not seams:
        return None
    coverage = job.composition.home[int(key)].without_openings.coverage
    lines = shapely.union_all(np.array([coverage.neighbours[int(key)][other].line for other in seams], object))
    shapely.prepare(lines)
    return lambda point: bool(shapely.dwithin(lines, shapely.Point(point), BESIDE_MM))


def _hidden_seams(job: Job, key: str) -> tuple[int, ...]:
    if not key.isdecimal():
        return ()
    home = job.composition.home[int(key)]
    if not home.fitted:
        return ()
    top, mine = job.standing.top_mm, job.standing.top_mm(int(key))
    beside = home.without_openings.coverage.neighbours.get(int(key), {})
    return tuple(other for other in beside if job.known(other) and top(other) >= mine - 0.01)


BESIDE_MM = 1.5
"""A place on the blade's way that lies nearer than this to a seam is on it."""


def _kept(outline: shapely.Geometry, offset: float, kerf: float) -> shapely.Geometry:
    """What is left of wood once it is sawn round so far outside its line."""
    inset = offset - kerf / 2
    return outline if abs(inset) < 1e-6 else shapely.buffer(outline, inset)


def _with(kept: shapely.Geometry, others: shapely.Geometry | None) -> shapely.Geometry:
    """What the blade has to leave alone: what is kept, and what else is still to come out of the wood."""
    if others is None:
        return kept
    return shapely.geometrycollections([*shapely.get_parts(kept), *shapely.get_parts(others)])


def _joined(nets: Sequence[Net]) -> Net:
    """Bodies that do not touch, as one net."""
    bodies: list[shapely.Polygon] = []
    openings: list[shapely.Polygon] = []
    lines: list[Line] = []
    for net in nets:
        at, waste = len(bodies), len(openings)
        for line in net.lines:
            lines.append(line.shifted(at, waste))
        bodies += net.bodies
        openings += net.openings
    return Net(tuple(bodies), tuple(openings), tuple(lines), nets[0].offset_mm)


def _together(job: Job, blank: Blank, cuts: list[Asked], blade_of, room: Room | None, gone: set[str]):
    """Of bodies that share their lines, kept with their outlines as long as nothing that it hangs on changes. What lies
    between them is waste, but in a pack, where all is wood."""
    coverage = job.composition.layer(blank.layer).without_openings.coverage
    keys = [int(key) for key in blank.leads]
    own = coverage if len(keys) == len(coverage) else coverage.only(keys)
    blades = {cut: blade_of[cut] for cut in cuts}
    room = room or room_round(own.outside)
    others = room.others(gone)
    saw, practice = job.composition.decisions.saw, job.composition.practice
    ways = {str(key): way != "counter-clockwise" for key, way in saw.ways.items()}
    ways |= _bevelled_ways(job, blank)
    starts = {str(key): point for key, point in saw.starts.items()}
    leads = tuple(str(key) for key in own.keys)
    stamp = (
        _digest(own.outlines),
        tuple(blades.items()),
        _offset(job, tuple(blades.values())),
        practice.throat_mm,
        practice.accents,
        tuple(accent.tobytes() for cut in cuts for accent in accents_of(job, cut[0])),
        tuple((key, ways.get(key), starts.get(key)) for key in leads),
        blank.tilts,
        blank.pack,
        blank.out_of_one,
        _digest([room.stock, *([others] if others is not None else [])]),
    )

    def work_out(_: shapely.Polygon) -> tuple[list[Sawn], Net]:
        return _sawn_together(job, blank, own, blades, room.stock, others, starts, ways)

    made, net = coverage.latest(keys[0], ("ways", blank.profile), stamp, work_out)
    return dict(zip(cuts, made, strict=True)), room, (net, leads)


def _digest(outlines: Sequence[shapely.Geometry]) -> bytes:
    return sha256(b"".join(shapely.to_wkb(np.array(outlines, object)))).digest()


def _sawn_together(
    job: Job,
    blank: Blank,
    own: Coverage,
    blades: Mapping[Asked, Blade],
    stock: shapely.Polygon,
    others: shapely.Geometry | None,
    starts: Mapping[str, tuple[float, float]],
    ways: Mapping[str, bool],
) -> tuple[list[Sawn], Net]:
    """Cut by cut, and the net that they follow."""
    widest = max(blade.kerf_mm for blade in blades.values())
    offset = job.composition.practice.offset_mm(widest) if not blank.pack else 0.0
    net = own.once(("net", offset), lambda: net_of_coverage(own, openings_of(own), offset))
    kept = own.once(("kept", offset, widest), lambda: _kept(own.outside, offset, widest))
    found = WayThrough(
        net,
        tuple(str(key) for key in own.keys),
        blades,
        _with(kept, others),
        stock,
        start_at=starts,
        clockwise=ways,
        tilt_deg=dict(blank.tilts),
        wood_between=blank.pack or blank.out_of_one,
    )
    school = job.composition.practice.accents
    made = [
        with_accents(sawn, accents_of(job, cut[0]), school, found) if cut[1] != INSIDE else sawn
        for sawn, cut in zip(found.of(blades), blades, strict=True)
    ]
    return made, net


def _bevelled_ways(job: Job, blank: Blank) -> dict[str, bool]:
    """A bevel says which way round: nobody chooses."""
    cuts = bevels_of(job)
    return {key: cuts[int(key)].way == "clockwise" for key, _ in blank.tilts}
