"""From where a work hangs: on the vertical through its centre of mass, high, inside the backer, off seams and thin
places."""

from dataclasses import dataclass, replace

import numpy as np
import shapely

from ..errors import BadChoice
from ..lazy import lazy
from ..work.decisions import Rails
from ..work.parts import Job, Part, framing, region_of
from .mass import Mass, hung, mass_of

HANGERS = {
    "sawtooth": "saw-tooth hanger",
    "keyhole": "keyhole slot",
    "wire": "two rings and wire",
    "stand": "a stand",
    "none": "no hanger",
}
NEEDS_MM = {"sawtooth": 6.0, "keyhole": 12.0, "wire": 8.0}
"""What is needed of wood behind it: screws of 5 mm, a slot of 9 mm with a web in front, screw eyes. Common practice, no
source."""
MARGIN_MM = 12.0
"""A hanger stays so far inside the edge of what holds it: common practice, no source."""
SMALL_MARGIN_MM = 3.0
"""Or so far, where it is too small for that: own choice."""
RAIL_MARGIN = 0.3
"""And on the side of a frame this share of its width: own choice."""
OFF_SEAM_MM = 5.0
"""Screws that reach the pieces keep so far from seams: own choice."""
WIDE_MM = 400.0
"""Wider work hangs from two, so that it does not tilt: common practice, no source."""
APART = 0.5
"""Two hangers are this share of the width apart: common practice, no source."""
HIGH = 0.22
"""Hangers sit this share of the height below the top: common practice, a fifth to a quarter."""
LOWEST = 0.8
"""And at most this share of the way from the top down to the centre of mass."""
STEP_MM = 2.0


@dataclass(frozen=True, slots=True)
class Hanger:
    """A place on the back, in mm as on the picture from the front. `behind_mm` what lies over it: backer, shims and
    piece; `body` which backer it belongs to, from 0."""

    x_mm: float
    y_mm: float
    kind: str
    body: int
    behind_mm: float
    seam_mm: float


@dataclass(frozen=True)
class Body:
    """What hangs as one: its outline where a hanger can hold, its parts and their mass."""

    outline: shapely.Geometry
    parts: tuple[Part, ...]
    mass: Mass

    @lazy
    def tree(self) -> shapely.STRtree:
        return shapely.STRtree([part.outline for part in self.parts])


@dataclass(frozen=True)
class Hanging:
    """`hangers` none where it stands, or where there is no room; `said` what is to know of them."""

    kind: str
    bodies: tuple[Body, ...]
    hangers: tuple[Hanger, ...]
    said: tuple[str, ...]


def hanging_of(job: Job) -> Hanging:
    """Where it hangs, by the kind that was decided, or the usual one for its width."""
    bodies = tuple(bodies_of(job))
    decided = job.composition.decisions.relief.hanger
    if decided and decided not in HANGERS:
        raise BadChoice(f"“{decided[:40]}” is no way to hang it.")
    wide = max((_width(body.outline) for body in bodies), default=0.0)
    # what is smaller than a hanger with its margins is pinned, worn or given away
    small = all(_narrowness(body.outline) < 2 * MARGIN_MM for body in bodies)
    usual = "none" if small else "wire" if wide > WIDE_MM else "sawtooth"
    kind = decided or ("stand" if job.composition.stands else usual)
    if kind in ("none", "stand") or not bodies:
        return Hanging(kind, bodies, (), ())
    hangers: list[Hanger] = []
    said: list[str] = []
    for n, body in enumerate(bodies):
        own, words = _of_body(job, body, n, kind)
        hangers += own
        said += [words] if words else []
    return Hanging(kind, bodies, tuple(hangers), tuple(said))


def hung_words(job: Job, hanging: Hanging) -> str:
    """Where it hangs, in a sentence."""
    name, say = HANGERS[hanging.kind].capitalize(), job.composition.practice.say
    words = []
    for n, body in enumerate(hanging.bodies):
        own = [hanger for hanger in hanging.hangers if hanger.body == n]
        if own:
            left, top, _, _ = shapely.bounds(body.outline).tolist()
            across = " and ".join(say(hanger.x_mm - left) for hanger in own)
            words.append(f"{name}: {say(own[0].y_mm - top)} down, {across} in from the left, seen from the front.")
    return " ".join((*words, *hanging.said)) or f"{name}."


def bodies_of(job: Job) -> list[Body]:
    """What hangs together: all that is framed, each backer with what lies on it, or the rearmost layer's bodies."""
    parts = hung(job)
    if not parts or job.rear is None:
        return []
    rails = job.composition.decisions.relief.rails
    if rails is not None:
        # what a screw meets from behind: not the lip over the work, unless a strip closes the groove
        back = rails if rails.built == "groove" else _behind_lip(rails)
        sides = framing(job.composition.width_mm, job.composition.height_mm, back)
        return [Body(shapely.union_all(sides), tuple(parts), mass_of(job, parts))]
    holders = [ground.outline for ground in job.grounds] or list(shapely.get_parts(region_of(job.rear)))
    if len(holders) == 1:
        return [Body(holders[0], tuple(parts), mass_of(job, parts))]
    near = shapely.STRtree(holders).nearest(np.array([shapely.point_on_surface(p.outline) for p in parts]))
    made = []
    for n, outline in enumerate(holders):
        own = tuple(part for part, at in zip(parts, near.tolist(), strict=True) if at == n)
        if own:
            made.append(Body(outline, own, mass_of(job, own)))
    return made


def _behind_lip(rails: Rails) -> Rails:
    return replace(rails, width_mm=rails.width_mm - rails.rabbet_mm, rabbet_mm=0.0)


def _width(outline: shapely.Geometry) -> float:
    left, _, right, _ = shapely.bounds(outline).tolist()
    return right - left


def _narrowness(outline: shapely.Geometry) -> float:
    left, top, right, bottom = shapely.bounds(outline).tolist()
    return min(right - left, bottom - top)


def _of_body(job: Job, body: Body, n: int, kind: str) -> tuple[list[Hanger], str]:
    """Its hanger on the vertical through the centre of mass, or two the same way off it and equally high."""
    outline, mass = body.outline, body.mass
    left, top, right, bottom = shapely.bounds(outline).tolist()
    wide = right - left
    rails = job.composition.decisions.relief.rails
    rail = 0.0 if rails is None else rails.width_mm if rails.built == "groove" else _behind_lip(rails).width_mm
    room = shapely.buffer(outline, -min(MARGIN_MM, RAIL_MARGIN * rail) if rail else -MARGIN_MM)
    if room.is_empty:
        room = shapely.buffer(outline, -SMALL_MARGIN_MM)
    two = kind == "wire" or wide > WIDE_MM
    if rail and kind == "wire":
        # rings sit on the upright sides
        found = _row(body, n, kind, room, (wide - rail) / 2, top, bottom)
        if found:
            return found, ""
    found = _row(body, n, kind, room, wide * APART / 2 if two else 0.0, top, bottom)
    if found:
        return found, ""
    # a hole or a bay lies on the vertical: two beside it do as well
    for share in (0.15, 0.2, 0.25, 0.1, 0.3, 0.35, 0.05):
        found = _row(body, n, kind, room, wide * share, top, bottom)
        if found:
            return found, "" if two else "Above its centre of mass there is no backer: two hangers beside it hold it."
    what = f"Body {n + 1}" if n else "The work"
    say = job.composition.practice.say
    return [], (
        f"{what} has no place for a hanger {say(MARGIN_MM)} inside its edge above its centre of mass at "
        f"{say(mass.x_mm - left)} from the left: widen its backer there, or let it stand."
    )


def _row(body: Body, n: int, kind: str, room: shapely.Geometry, off: float, top: float, bottom: float) -> list[Hanger]:
    """The best height for one hanger, or two `off` to either side; none where no height has room for all."""
    mass = body.mass
    xs = [mass.x_mm] if not off else [mass.x_mm - off, mass.x_mm + off]
    lowest = top + LOWEST * (mass.y_mm - top)
    ys = np.arange(top, max(lowest, top + STEP_MM), STEP_MM)
    fits = np.all([shapely.contains_xy(room, np.full(len(ys), x), ys) for x in xs], axis=0)
    if not fits.any():
        return []
    wanted = top + HIGH * (bottom - top)
    best: tuple[tuple[float, ...], list[Hanger]] | None = None
    for y in ys[fits].tolist():
        row = [Hanger(round(x, 2), round(y, 2), kind, n, *_behind(body, x, y)) for x in xs]
        thin = sum(max(NEEDS_MM.get(kind, 0.0) - one.behind_mm, 0.0) for one in row)
        near = sum(one.seam_mm < OFF_SEAM_MM for one in row)
        rank = (thin, float(near), abs(y - wanted))
        if best is None or rank < best[0]:
            best = rank, row
    return best[1] if best else []


def _behind(body: Body, x: float, y: float) -> tuple[float, float]:
    """Wood over a place, back to front as long as nothing but wood follows, and the nearest seam of what lies there."""
    point = shapely.Point(x, y)
    over = sorted((body.parts[i] for i in body.tree.query(point, predicate="intersects")), key=lambda p: p.floor_mm)
    high = over[0].floor_mm if over else 0.0
    for part in over:
        if part.floor_mm > high + 0.05:
            break
        high = max(high, part.top_mm)
    seam = min((float(part.outline.boundary.distance(point)) for part in over if part.id.piece), default=0.0)
    return round(high - (over[0].floor_mm if over else 0.0), 3), round(seam, 2)
