"""What is wrong with works that are not flat, before wood is spent."""

from collections import Counter
from collections.abc import Iterator

from ..findings import Finding, Fix, name_pieces
from ..work.contacts import contacts_of
from ..work.in_space import Body
from ..work.parts import Job
from ..work.register import judgement
from .slices import TINY_MM2, true_thickness
from .told import ways_at

OFF_MM = 0.04
"""Stock that differs by less from what a body was sliced for is that: it is within what a caliper reads."""
BETTER = 0.75
"""Another way of slicing is spoken of where its steps lose no more than this share of what they lose now."""


@judgement("relief")
def judge(job: Job, plan) -> list[Finding]:
    found: list[Finding] = []
    for body in job.composition.decisions.space.bodies:
        found += _body(job, body)
    return found


def _body(job: Job, body: Body) -> Iterator[Finding]:
    say = job.composition.practice.say
    true = true_thickness(job.thickness_mm, body)
    keys = tuple(s.piece for s in body.slices if s.piece in job.pieces)
    if abs(true - body.thickness_mm) > OFF_MM:
        off = (true - body.thickness_mm) * body.count
        yield Finding(
            "slice-thickness",
            "relief",
            f"The stock is {say(true)}, the slices were cut for {say(body.thickness_mm)}: over {body.count} slices the "
            f"body becomes {say(abs(off))} {'longer' if off > 0 else 'shorter'}.",
            "Slices are as thick as their stock by the caliper.",
            amount=round(true, 3),
            limit=body.thickness_mm,
            unit="mm",
            layer=body.layer,
            fix=Fix("Slice it again", "slice", {"slice_thickness": f"{true:g} mm"}),
        )
    yield from _ways(job, body)
    yield from _loose(job, body)
    yield from _unpinned(job, body, keys)


def _ways(job: Job, body: Body) -> Iterator[Finding]:
    ways = {way.along: way for way in ways_at(job, body)}
    now, best = ways.get(body.along), next(iter(ways.values()), None)
    if now is None or best is None or best.along == now.along or best.lost > BETTER * now.lost:
        return
    yield Finding(
        "slice-way",
        "relief",
        f"Sliced the other way, {best.words}, the steps lose {100 * best.lost:.0f} % of the body instead of "
        f"{100 * now.lost:.0f} %, with {best.count} slices instead of {now.count}.",
        "Where the surface runs along the slices its detail is lost in their steps.",
        amount=round(now.lost, 4),
        limit=round(best.lost, 4),
        layer=body.layer,
        fix=Fix("Slice it that way", "slice", {"along": best.along}),
    )


def _loose(job: Job, body: Body) -> Iterator[Finding]:
    """Parts of slices that hang on nothing, and slices that hardly touch the next."""
    number = {key: part.number for key, part in job.pieces.items()}
    count = Counter(s.level for s in body.slices if s.piece in job.pieces)
    tiny = [
        s.piece
        for s in body.slices
        if s.piece in job.pieces and count[s.level] > 1 and job.pieces[s.piece].area_mm2 < TINY_MM2
    ]
    if tiny:
        yield Finding(
            "slice-island",
            "relief",
            f"{name_pieces([number[k] for k in tiny])} {'is' if len(tiny) == 1 else 'are'} apart from the rest of "
            f"{'its' if len(tiny) == 1 else 'their'} slice and smaller than {TINY_MM2:g} mm².",
            "A tiny island is lost or set crooked: a bridge holds it until the glue does.",
            tuple(tiny),
            fix=Fix("Join small islands", "slice", {"islands": "joined"}),
        )
    glued: dict[str, float] = {}
    for contact in contacts_of(job):
        if contact.kind == "face":
            for key in (contact.a, contact.b):
                glued[key] = glued.get(key, 0.0) + contact.area_mm2
    least = job.composition.practice.least_glue_mm2
    for one in body.slices:
        if one.piece in job.pieces and len(body.slices) > 1 and glued.get(str(one.piece), 0.0) < least:
            yield Finding(
                "slice-hangs",
                "relief",
                f"{number[one.piece]} lies on {glued.get(str(one.piece), 0.0):.0f} mm² of its neighbours: "
                "no glue holds that.",
                "A slice is held by what it shares with the next one.",
                (one.piece,),
                amount=round(glued.get(str(one.piece), 0.0), 1),
                limit=least,
                unit="mm2",
            )


def _unpinned(job: Job, body: Body, keys: tuple[int, ...]) -> Iterator[Finding]:
    if not body.pin_mm and not body.pins and body.count > 1:
        return
    bare = [
        s.piece
        for s in body.slices
        if s.piece in keys and not any(pin.first <= s.level <= pin.last for pin in body.pins)
    ]
    if bare and len(bare) < len(keys):
        numbers = name_pieces([job.pieces[k].number for k in bare])
        one = len(bare) == 1
        yield Finding(
            "slice-no-pin",
            "relief",
            f"{numbers} {'has' if one else 'have'} no room for the {job.composition.practice.say(body.pin_mm)} pin: "
            f"print the placement and draw {'its' if one else 'each'} outline on the slice before it.",
            "A square pin keeps slices from turning; where none fits, marks on their edges do.",
            tuple(bare),
        )
