"""What is left to decide about woods and grain, and what will go wrong with them."""

from ..composition import Layer, Piece
from ..findings import Finding, Fix, name_pieces
from ..pattern.coverage import Seam
from ..practice import Practice
from .colour import between
from .necks import necks
from .strength import HANDLING_NMM, angle_to_grain_deg, neck_moment_nmm, width_to_bear_mm
from .woods import wood, woods

MELTS_DE = 4.0
"""Below this two neighbours cannot be told apart by colour; to `practice.reads_de` they shade. Common practice, no source."""
STEP_MM = 1.5
"""A step in height that the eye reads: 1/16 in. Common practice, no source."""


def wood_findings(layer: Layer, practice: Practice) -> list[Finding]:
    """Pieces without wood, seams that will not read, necks that will snap."""
    return [*_without_wood(layer), *_melting_seams(layer, practice), *_weak_necks(layer, practice)]


def _without_wood(layer: Layer) -> list[Finding]:
    bare = [p for p in layer.pieces if not p.wood]
    if not bare:
        return []
    numbers = sorted(p.number for p in bare)
    verb = "has" if len(bare) == 1 else "have"
    noun = "Piece" if len(bare) == 1 else f"{len(bare)} pieces"
    words = (
        f"{noun} {name_pieces(numbers)} {verb} no wood yet."
        if len(bare) == 1
        else f"{noun} {verb} no wood yet: {name_pieces(numbers)}."
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


def seam_reading(a: Piece, b: Piece, practice: Practice) -> tuple[str, float]:
    """How the seam of two pieces reads, reads | shades | melts, and the CIEDE2000 of their finished woods.

    A step in height or, within one wood, a turned grain separates what colour does not.
    """
    if not (a.wood and b.wood):
        return "open", 0.0
    apart = between(a.wood, b.wood)
    if apart >= practice.reads_de:
        return "reads", apart
    stepped = abs((a.height_mm or 0) - (b.height_mm or 0)) >= STEP_MM and None not in (a.height_mm, b.height_mm)
    turned = angle_to_grain_deg(a.grain_deg or 0, b.grain_deg or 0) >= practice.turn_apart_deg
    if apart >= MELTS_DE:
        return "shades", apart
    return ("shades" if stepped or turned else "melts"), apart


def _melting_seams(layer: Layer, practice: Practice) -> list[Finding]:
    found = []
    for seam in layer.coverage.seams:
        a, b = layer.by_key[seam.a], layer.by_key[seam.b]
        reading, apart = seam_reading(a, b, practice)
        if reading == "melts":
            found.append((seam.length_mm, seam, a, b, apart))
    found.sort(key=lambda item: -item[0])
    return [_melting(seam, a, b, apart, practice) for _, seam, a, b, apart in found]


def _melting(seam: Seam, a: Piece, b: Piece, apart: float, practice: Practice) -> Finding:
    first, second = sorted((a, b), key=lambda p: p.number)
    turn = angle_to_grain_deg(a.grain_deg or 0, b.grain_deg or 0)
    same = a.wood == b.wood
    woods_here = (
        f"both {woods()[a.wood].name.lower()}"
        if same
        else f"{wood(first.wood).name.lower()} beside {wood(second.wood).name.lower()}, {apart:.1f} apart"
    )
    front = max((a, b), key=lambda p: p.height_mm or 0)
    return Finding(
        "melts",
        "wood",
        f"{first.number} and {second.number} are {woods_here}, grain {turn:.0f}° apart, along {practice.say(seam.length_mm)}: "
        f"they will read as one. Lift one {practice.say(STEP_MM)} or turn its arrow {practice.turn_apart_deg:.0f}°.",
        f"Two neighbours need a colour difference of {practice.reads_de:g} (CIEDE2000), a step of {practice.say(STEP_MM)} or a turned grain.",
        (first.key, second.key),
        seam.middle,
        amount=round(apart, 1),
        limit=practice.reads_de,
        unit="dE00",
        fix=Fix(f"Lift {front.number} by {practice.say(STEP_MM)}", "lift", {"pieces": [front.key], "by_mm": STEP_MM}),
    )


def _weak_necks(layer: Layer, practice: Practice) -> list[Finding]:
    findings = []
    for neck in neck_table(layer, practice).values():
        piece = layer.by_key[neck.key]
        if not piece.wood:
            continue
        chosen, grain = wood(piece.wood), piece.grain_deg or 0.0
        thickness = piece.thickness_mm or practice.stock_mm
        angle = angle_to_grain_deg(neck.along_deg, grain)
        if neck_moment_nmm(chosen, neck.width_mm, thickness, angle) >= HANDLING_NMM:
            continue
        needed = width_to_bear_mm(chosen, thickness, angle)
        turned = neck_moment_nmm(chosen, neck.width_mm, thickness, 0) >= HANDLING_NMM
        advice = (
            f"Turn the arrow {angle:.0f}° or widen it to {practice.say(needed)}."
            if turned and angle >= 5
            else f"Widen it to {practice.say(needed)} or glue a backing under it first."
        )
        findings.append(
            Finding(
                "neck",
                "wood",
                f"Neck of {piece.number} is {practice.say(neck.width_mm)} across, {angle:.0f}° to the grain of {chosen.name.lower()}: it will snap. {advice}",
                "Hankinson's formula with the wood's bending strength, against the moment of a hand that sands.",
                (piece.key,),
                (round(neck.x_mm, 2), round(neck.y_mm, 2)),
                amount=round(neck.width_mm, 1),
                limit=round(needed, 1),
                unit="mm",
                fix=Fix(
                    f"Turn the arrow of {piece.number}", "grain", {"pieces": [piece.key], "deg": round(neck.along_deg)}
                )
                if turned and angle >= 5
                else None,
            )
        )
    return findings


def neck_table(layer: Layer, practice: Practice):
    """Necks of a layer, worked out once for its outlines and the limit."""
    table = layer.coverage.each(
        ("neck", practice.neck_mm), lambda keys, outlines: necks(keys, outlines, practice.neck_mm)
    )
    return {key: neck for key in layer.coverage.keys if (neck := table[key]) is not None}
