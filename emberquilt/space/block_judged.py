"""What is wrong with a block that is sawn through two faces: what comes apart, what cannot be freed, wood too hard."""

from collections.abc import Iterator

from ..findings import Finding, Fix
from ..solid.compound import bodies_of
from ..work.parts import Job, Part
from ..work.register import judgement
from .block import Compound, compounds_of
from .one_wood import of_one_wood

HARD_TIMES_THICK = 1000.0 * 32.0
"""Side hardness in lbf times thickness in mm beyond which a scroll saw burns and wanders: poplar of 38 mm is well
below, cherry about there, hard maple above. Common practice, no source."""
MOST_OFFERED = 3


@judgement("relief")
def judge(job: Job, plan) -> list[Finding]:
    found: list[Finding] = []
    for one, part in zip(compounds_of(job), job.blocks, strict=False):
        found += _apart(job, one)
        found += _columns(job, one)
        found += _locked(one)
        found += _hard(job, part)
        found += _woods(job, one)
    return found


def _apart(job: Job, one: Compound) -> Iterator[Finding]:
    bodies = bodies_of(one.whole)
    if len(bodies) < 2:
        return
    small = sum(body.volume_mm3 for body in bodies[1:]) / max(one.whole.volume_mm3, 1e-9)
    yield Finding(
        "block-in-parts",
        "relief",
        f"What both outlines leave hangs together in {len(bodies)} bodies; the smaller ones are {100 * small:.1f} % "
        "of it.",
        "Where one outline is broken off at a height the other has wood at, nothing holds the two.",
        layer=one.block.front,
        amount=len(bodies),
        limit=1,
    )


def _columns(job: Job, one: Compound) -> Iterator[Finding]:
    many = [entry for entry in one.columns if entry[2] > 2]
    if not many:
        return
    low, high, count = max(many, key=lambda entry: (entry[2], entry[1] - entry[0]))
    say = job.composition.practice.say
    yield Finding(
        "block-columns",
        "relief",
        f"Between {say(low)} and {say(high)} above the block's foot stand {count} columns: each outline shows fewer, "
        "and neither can take one of them away.",
        "Two legs from the front and two from the side are four legs.",
        layer=one.block.front,
        amount=count,
    )


def _locked(one: Compound) -> Iterator[Finding]:
    if not one.locked:
        return
    names = ", ".join(part.name for part in one.locked[:6])
    yield Finding(
        "block-locked",
        "relief",
        f"{names} cannot be slid out in any order: seams hook into each other from the front and from the side.",
        "A part comes out straight along a face of the block once nothing that is left stands before it.",
        tuple(dict.fromkeys(part.front for part in one.locked)),
        amount=len(one.locked),
    )


def _hard(job: Job, part: Part) -> Iterator[Finding]:
    shelf = job.composition.rack.shelf
    wood = shelf.get(part.material)
    thick = max(part.thickness_mm, part.outline.bounds[2])
    if wood is None or wood.hardness_lbf * thick <= HARD_TIMES_THICK:
        return
    softer = sorted(
        (one for one in shelf.values() if one.kind != "sheet" and one.hardness_lbf * thick <= 0.7 * HARD_TIMES_THICK),
        key=lambda one: -one.hardness_lbf,
    )
    names = ", ".join(one.name.lower() for one in softer[:MOST_OFFERED])
    keys = tuple(p.key for p in job.composition.layer(part.id.layer).without_openings.pieces)
    yield Finding(
        "block-hard",
        "relief",
        f"{wood.name} is too hard for {job.composition.practice.say(thick)}: the blade burns and leans"
        + (f". Softer: {names}." if names else "."),
        "Thick blocks are sawn in soft wood, slowly, with a fresh blade for each face.",
        keys,
        amount=round(wood.hardness_lbf * thick),
        limit=HARD_TIMES_THICK,
        fix=Fix(f"Take {softer[0].name.lower()}", "wood", {"wood": softer[0].code}) if softer else None,
    )


def _woods(job: Job, one: Compound) -> Iterator[Finding]:
    keys = [
        p.key
        for layer in (one.block.front, one.block.side)
        for p in job.composition.layer(layer).without_openings.pieces
    ]
    rule = "Parts of one block are told apart by stain or paint."
    yield from of_one_wood(job, "block", keys, "one block is of one wood.", rule)
