"""What is left to decide about woods and grain, and what will go wrong with them."""

from collections import defaultdict

import numpy as np

from ..findings import Finding, Fix, name_pieces
from ..outline.coverage import Seam
from ..practice import Practice
from ..work.composition import Composition, Layer, Piece
from ..work.parts import Job, job_of
from ..work.register import judgement
from .contrast import STEP_MM, Contrast, contrast_of
from .necks import Neck, necks
from .strength import (
    HANDLING_NMM,
    angle_to_grain_deg,
    neck_moment_nmm,
    strong_grain_deg,
    weakest_nmm,
    width_to_bear_mm,
)

STRAYS_DEG = 20.0
"""Grain of one body strays by less than this before it shows: own assumption, no source."""


@judgement("wood")
def wood_findings(job: Job, _plan=None) -> list[Finding]:
    """Pieces without wood, seams that will not read or age badly, grain that strays, necks that snap: layer by
    layer."""
    composition = job.composition
    found = [*_without_wood(job)]
    for layer in composition.layers:
        if layer.kind == "face":
            continue
        today = contrast_of(composition, layer)
        found += _melting_seams(composition, layer, today)
        found += _strays(composition, layer)
        found += _weak_necks(job, layer.without_openings)
        found += _ageing_seams(composition, layer, today)
    return found


def _without_wood(job: Job) -> list[Finding]:
    bare = [p for p in job.composition.made if not job.material[p.key]]
    if not bare:
        return []
    numbers = sorted(p.number for p in bare)
    words = (
        f"Piece {name_pieces(numbers)} has no wood yet."
        if len(bare) == 1
        else f"{len(bare)} pieces have no wood yet: {name_pieces(numbers)}."
    )
    keys = tuple(p.key for p in bare)
    return [
        Finding(
            "no-wood",
            "wood",
            words,
            "Stock, saw and dates need a wood for every piece.",
            keys,
            amount=len(bare),
            limit=0,
            fix=Fix("Select them", "select", {"pieces": list(keys)}),
        )
    ]


def _melting_seams(composition: Composition, layer: Layer, today: Contrast) -> list[Finding]:
    return [_melting(composition, layer, r.seam, r.apart) for r in today.of("melts")]


def _melting(composition: Composition, layer: Layer, seam: Seam, apart: float) -> Finding:
    practice, shelf = composition.practice, composition.rack.shelf
    a, b = layer.by_key[seam.a], layer.by_key[seam.b]
    step = practice.say(STEP_MM)
    first, second = sorted((a, b), key=lambda p: p.number)
    turn = angle_to_grain_deg(a.grain_deg or 0, b.grain_deg or 0)
    here, there = shelf.name(composition.wood_of(first)), shelf.name(composition.wood_of(second))
    woods_here = f"both {here}" if here == there else f"{here} beside {there}, {apart:.1f} apart"
    front = _higher(composition, a, b)
    return Finding(
        "melts",
        "wood",
        f"{first.number} and {second.number} are {woods_here}, grain {turn:.0f}° apart, along "
        f"{practice.say(seam.length_mm)}: they will read as one. Lift one {step} or turn its arrow "
        f"{practice.turn_apart_deg:.0f}°.",
        f"Two neighbours need a colour difference of {practice.reads_de:g} (CIEDE2000), a step of {step} or a turned "
        "grain.",
        (first.key, second.key),
        seam.middle,
        amount=round(apart, 1),
        limit=practice.reads_de,
        unit="dE00",
        fix=Fix(f"Lift {front.number} by {step}", "lift", {"pieces": [front.key], "by_mm": STEP_MM}),
    )


def _higher(composition: Composition, a: Piece, b: Piece) -> Piece:
    """The one of two that stands higher, the first where they are level."""
    job = job_of(composition)
    return max((a, b), key=job.lifted_mm)


def _ageing_seams(composition: Composition, layer: Layer, today: Contrast) -> list[Finding]:
    """Seams that read today and will be lost after a year of light, told once for two woods, where they are longest."""
    shelf = composition.rack.shelf
    wood = {p.key: composition.wood_of(p) for p in layer.without_openings.pieces}
    if not any(shelf[code].aged for code in wood.values() if code in shelf):
        return []
    older = contrast_of(composition, layer, composition.seen.older)
    worst: dict[tuple[str, str], tuple] = {}
    for i in np.flatnonzero(today.which("reads", "shades") & older.which("melts")).tolist():
        now, later = today[i], older[i]
        one, two = wood[later.seam.a], wood[later.seam.b]
        pair = (min(one, two), max(one, two))
        if pair not in worst or later.seam.length_mm > worst[pair][0].seam.length_mm:
            worst[pair] = (later, now, layer.by_key[later.seam.a], layer.by_key[later.seam.b])
    found = []
    for later, now, a, b in worst.values():
        first, second = sorted((a, b), key=lambda p: p.number)
        front, step = _higher(composition, a, b), composition.practice.say(STEP_MM)
        found.append(
            Finding(
                "ages",
                "wood",
                f"{shelf.wood(wood[first.key]).name} {first.number} on {shelf.name(wood[second.key])} {second.number} "
                f"reads {now.apart:.0f} today, about {later.apart:.0f} after a year of light. A step of {step} keeps "
                "the line.",
                "Colours of the table of woods as they are after about a year of room light: own estimate.",
                (first.key, second.key),
                later.seam.middle,
                amount=round(later.apart, 1),
                limit=composition.practice.reads_de,
                unit="dE00",
                fix=Fix(f"Lift {front.number} by {step}", "lift", {"pieces": [front.key], "by_mm": STEP_MM}),
            )
        )
    return found


def _strays(composition: Composition, layer: Layer) -> list[Finding]:
    """In a part that is kept together every arrow runs one way, and none is turned by 180 degrees where that
    flashes."""
    shelf = composition.rack.shelf
    parts: dict[str, list[Piece]] = defaultdict(list)
    for p in layer.without_openings.pieces:
        if p.part in composition.decisions.wood.together and p.wood and p.grain_deg is not None:
            parts[p.part].append(p)
    found = []
    for part, members in sorted(parts.items()):
        angles = np.radians([p.grain_deg or 0.0 for p in members])
        common = np.degrees(np.angle(np.exp(2j * angles).sum())) / 2 % 180
        # which way is up the grain is what most of them say
        ahead = sum(np.cos(a - np.radians(common)) for a in angles) >= 0
        common = common if ahead else common + 180
        for p in members:
            off = angle_to_grain_deg(p.grain_deg or 0.0, common)
            back = abs((p.grain_deg or 0.0) - common + 180) % 360 - 180
            upside = off <= STRAYS_DEG and abs(back) > 90 and shelf.wood(p.wood).flash
            if off <= STRAYS_DEG and not upside:
                continue
            words = (
                f"{p.number} of {part} runs down the grain where the others run up: {shelf.name(p.wood)} will flash "
                "lighter or darker."
                if upside
                else f"The arrow of {p.number} strays {off:.0f}° from the other pieces of {part}: it will look turned."
            )
            found.append(
                Finding(
                    "strays",
                    "wood",
                    words,
                    f"This part is kept together: its arrows differ by {STRAYS_DEG:g}° at most.",
                    (p.key,),
                    amount=round(180 if upside else off),
                    limit=STRAYS_DEG,
                    unit="°",
                    fix=Fix(
                        f"Turn {p.number} with them", "grain", {"pieces": [p.key], "deg": round(float(common) % 360)}
                    ),
                )
            )
    return found


def _weak_necks(job: Job, layer: Layer) -> list[Finding]:
    findings = []
    practice, shelf = job.composition.practice, job.composition.rack.shelf
    for key, weak in neck_table(layer, practice).items():
        piece = layer.by_key[key]
        if not job.known(key):
            continue
        chosen, grain = shelf.wood(job.material[key]), piece.grain_deg or 0.0
        thickness = job.thickness_mm[key]
        for neck in weak:
            angle = angle_to_grain_deg(neck.along_deg, grain)
            if neck_moment_nmm(chosen, neck.width_mm, thickness, angle) >= HANDLING_NMM:
                continue
            needed = width_to_bear_mm(chosen, thickness, angle)
            better, bears = strong_grain_deg(chosen, thickness, weak, grain)
            turn = angle_to_grain_deg(better, grain)
            helps = weakest_nmm(chosen, thickness, weak, better) > 1.05 * weakest_nmm(chosen, thickness, weak, grain)
            advice = (
                f"Turn the arrow {turn:.0f}° or widen it to {practice.say(needed)}."
                if bears
                else f"Widen it to {practice.say(needed)} or glue a backing under it first."
            )
            findings.append(
                Finding(
                    "neck",
                    "wood",
                    f"Neck of {piece.number} is {practice.say(neck.width_mm)} across, {angle:.0f}° to the grain of "
                    f"{chosen.name.lower()}: it will snap. {advice}",
                    "Hankinson's formula with the wood's bending strength, against the moment of a hand that sands.",
                    (piece.key,),
                    (round(neck.x_mm, 2), round(neck.y_mm, 2)),
                    amount=round(neck.width_mm, 1),
                    limit=round(needed, 1),
                    unit="mm",
                    by_place=len(weak) > 1,
                    fix=Fix(f"Turn the arrow of {piece.number}", "strong", {"pieces": [piece.key]}) if helps else None,
                )
            )
    return findings


def neck_table(layer: Layer, practice: Practice) -> dict[int, tuple[Neck, ...]]:
    """Weak places of the pieces that have any, worked out once for their outlines and the limit."""
    table = layer.coverage.each(
        ("neck", practice.neck_mm), lambda keys, outlines: necks(keys, outlines, practice.neck_mm)
    )
    return {key: table[key] for key in layer.coverage.keys if table[key]}
