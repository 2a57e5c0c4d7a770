"""What is wrong with routed fields and pools before anything is cut or poured."""

from collections.abc import Iterator

import shapely

from ..findings import Finding, Fix, name_pieces
from ..space.one_wood import of_one_wood
from ..work.parts import Job
from ..work.pools import fills_of
from ..work.register import judgement
from .resin import THIN_MM, TOUCH_MM, Filled, pours_of
from .routing import LEFT_BELOW_MM, REACHES, ROUND_MM, Routed, Routing, routings_of

SHALLOW_MM = 1.0


@judgement("relief")
def judge(job: Job, plan) -> list[Finding]:
    found: list[Finding] = []
    for routing in routings_of(job):
        found += _woods(job, routing)
        for one in routing.fields:
            found += _field(job, routing, one)
    found += _pools(job)
    return found


def _number(job: Job, key: int) -> str:
    piece = job.composition.by_key[key]
    return str(piece.number) if piece.number else "an opening"


def _woods(job: Job, routing: Routing) -> Iterator[Finding]:
    keys = tuple(p.key for p in job.composition.layer(routing.layer).without_openings.pieces)
    rule = "One board is of one wood; fields are told apart by depth, stain or paint."
    yield from of_one_wood(job, "board", keys, "fields that are routed are all of one board.", rule)


def _field(job: Job, routing: Routing, one: Routed) -> Iterator[Finding]:
    say, thick = job.composition.practice.say, routing.board.thickness_mm
    said = job.composition.decisions.fields.depths.get(one.piece, 0.0)
    number = _number(job, one.piece)
    if said > thick - LEFT_BELOW_MM:
        through = said >= thick
        yield Finding(
            "rout-through",
            "relief",
            f"{number} is to be {say(said)} deep, the board is {say(thick)} thick: it "
            + ("goes through." if through else f"leaves {say(thick - said)}."),
            f"Leave at least {say(LEFT_BELOW_MM)} of wood below, or cut it out as an opening.",
            (one.piece,),
            amount=round(said, 3),
            limit=round(thick - LEFT_BELOW_MM, 3),
            unit="mm",
            fix=Fix(
                f"{say(max(thick - LEFT_BELOW_MM, 0.1))} deep",
                "rout",
                {"depth": f"{max(thick - LEFT_BELOW_MM, 0.1):g} mm"},
            ),
        )
    if one.reaches < REACHES:
        yield Finding(
            "rout-corners",
            "relief",
            f"{one.bit.name.capitalize()} reaches {100 * one.reaches:.0f} % of {number}: "
            f"{len(one.corners)} corner{'s' if len(one.corners) != 1 else ''} stay to be cut with a chisel.",
            "A round bit leaves its own radius in inner corners.",
            (one.piece,),
            one.corners[0] if one.corners else None,
            round(one.reaches, 4),
            REACHES,
        )
    if one.bit.kind == "v" and said - one.depth_mm > 0.05:
        yield Finding(
            "rout-v-depth",
            "relief",
            f"A {one.bit.name} goes {say(one.depth_mm)} deep in {number}, not {say(said)}: deeper it would be wider "
            "than its line.",
            "Of a V-bit the width of a line says how deep it is.",
            (one.piece,),
            amount=round(one.depth_mm, 3),
            limit=round(said, 3),
            unit="mm",
            fix=Fix("With an end mill", "rout", {"depth": f"{said:g} mm", "bit": "flat"}),
        )
    if not one.rides:
        yield Finding(
            "rout-tips",
            "relief",
            f"Over {number} the router's base of {say(job.composition.practice.router_base_mm)} finds no wood on all "
            f"sides: it tips in. A base of {say(one.base_mm)} rides, or leave wood standing there until the end.",
            f"The base rides on the face round a field; {say(ROUND_MM)} of waste stay round the board until last.",
            (one.piece,),
            one.tips,
            job.composition.practice.router_base_mm,
            one.base_mm,
            "mm",
        )


def _pools(job: Job) -> Iterator[Finding]:
    pours = pours_of(job)
    if pours is None:
        return
    fills = fills_of(job)
    outlines = {one.piece.key: one.layer.coverage.by_key[one.piece.key] for one in fills}
    colour = {one.piece.key: one.colour for one in fills}
    home = {one.piece.key: one.layer.key for one in fills}
    keys = sorted(outlines)
    for i, a in enumerate(keys):
        for b in keys[i + 1 :]:
            if home[a] == home[b] and colour[a] != colour[b]:
                yield from _wall(job, a, b, float(shapely.distance(outlines[a], outlines[b])))
    for one in pours.pools:
        yield from _pool(job, one)


def _wall(job: Job, a: int, b: int, apart: float) -> Iterator[Finding]:
    say = job.composition.practice.say
    if apart >= THIN_MM:
        return
    touch = apart < TOUCH_MM
    yield Finding(
        "pools-touch" if touch else "pool-wall",
        "relief",
        "Two pools of different colours touch: they run into each other."
        if touch
        else f"Between two pools of different colours stand only {say(apart)} of wood: pour the second when the first "
        "is solid.",
        "Between two colours stands wood, or the first is solid before the second is poured.",
        (a, b),
        amount=round(apart, 2),
        limit=THIN_MM,
        unit="mm",
        more=(
            Fix(
                "Both of one colour",
                "pool",
                {"pieces": [a, b], "tint": job.composition.decisions.fields.pools[a].colour},
            ),
        ),
    )


def _pool(job: Job, one: Filled) -> Iterator[Finding]:
    say = job.composition.practice.say
    where = _number(job, one.piece)
    layer = job.composition.home[one.piece]
    if not one.floor:
        yield Finding(
            "pool-no-floor",
            "relief",
            "Nothing closes this opening from below: resin runs out. Glue a backer under it, or tape it tightly on a "
            "waxed board.",
            "A pool has a floor, sealed all round.",
            (one.piece,),
        )
    sealed = set(job.composition.decisions.assembly.sealed)
    rim = [k for k in layer.coverage.neighbours[one.piece] if k in job.pieces]
    bare = tuple(k for k in rim if k not in sealed)
    if one.through and one.floor and bare:
        names = name_pieces([job.pieces[k].number for k in bare])
        yield Finding(
            "pool-leaks",
            "relief",
            f"{names} {'is' if len(bare) == 1 else 'are'} not glued over the whole face: resin creeps under what it "
            "does not find glued.",
            "Glue goes over the whole face round a pool, then a bead along its lower edge.",
            (one.piece, *bare),
            fix=Fix("Glue over the whole face", "seal", {"pieces": list(bare)}),
        )
    open_ones = [
        (fit.a, fit.b, fit.mm)
        for fit in job.composition.decisions.assembly.fits
        if fit.found == "gap" and {fit.a, fit.b} & set(rim)
    ]
    for a, b, mm in open_ones:
        yield Finding(
            "pool-gap",
            "relief",
            f"The seam between {_number(job, a)} and {_number(job, b)} beside a pool gapes by {say(mm)}: "
            "resin runs out through it.",
            "A gap beside a pool is filled and sealed before anything is poured.",
            (one.piece, a, b),
            amount=round(mm, 2),
            limit=0.0,
            unit="mm",
        )
    if 0 < one.deep_mm < SHALLOW_MM:
        yield Finding(
            "pool-shallow",
            "relief",
            f"The pool in {where} is only {say(one.deep_mm)} deep: resin that thin draws back from its edges.",
            "A pool is at least a millimetre deep.",
            (one.piece,),
            amount=round(one.deep_mm, 2),
            limit=SHALLOW_MM,
            unit="mm",
        )
