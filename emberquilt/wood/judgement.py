"""What is left to decide about woods and grain, and what will go wrong with them."""

from collections import defaultdict

import numpy as np
import shapely

from ..findings import Finding, Fix, name_pieces
from ..outline.coverage import Seam
from ..practice import Practice
from ..rack.boards import DEFECTS, laid
from ..rack.woods import Shelf
from ..work.composition import Composition, Layer, Piece
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
CLEAR_MM2 = 2.0
"""A piece may hang over a board's edge or a defect by this area before it is said."""


def wood_findings(composition: Composition) -> list[Finding]:
    """Pieces without wood, seams that will not read or age badly, grain that strays, necks that snap, bad places on boards."""
    layer, practice, shelf = composition.in_hand, composition.practice, composition.rack.shelf
    today = contrast_of(composition)
    return [
        *_without_wood(layer),
        *_melting_seams(composition, today),
        *_strays(composition),
        *_weak_necks(layer, practice, shelf),
        *_on_boards(composition),
        *_ageing_seams(composition, today),
    ]


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


def _melting_seams(composition: Composition, today: Contrast) -> list[Finding]:
    lost = today.of("melts")
    table, shelf, step = composition.in_hand.by_key, composition.rack.shelf, composition.practice.say(STEP_MM)
    return [
        _melting(r.seam, table[r.seam.a], table[r.seam.b], r.apart, composition.practice, shelf, step) for r in lost
    ]


def _melting(seam: Seam, a: Piece, b: Piece, apart: float, practice: Practice, shelf: Shelf, step: str) -> Finding:
    first, second = sorted((a, b), key=lambda p: p.number)
    turn = angle_to_grain_deg(a.grain_deg or 0, b.grain_deg or 0)
    same = a.wood == b.wood
    woods_here = (
        f"both {shelf.name(a.wood)}"
        if same
        else f"{shelf.name(first.wood)} beside {shelf.name(second.wood)}, {apart:.1f} apart"
    )
    front = max((a, b), key=lambda p: p.height_mm or 0)
    return Finding(
        "melts",
        "wood",
        f"{first.number} and {second.number} are {woods_here}, grain {turn:.0f}° apart, along {practice.say(seam.length_mm)}: "
        f"they will read as one. Lift one {step} or turn its arrow {practice.turn_apart_deg:.0f}°.",
        f"Two neighbours need a colour difference of {practice.reads_de:g} (CIEDE2000), a step of {step} or a turned grain.",
        (first.key, second.key),
        seam.middle,
        amount=round(apart, 1),
        limit=practice.reads_de,
        unit="dE00",
        fix=Fix(f"Lift {front.number} by {step}", "lift", {"pieces": [front.key], "by_mm": STEP_MM}),
    )


def _ageing_seams(composition: Composition, today: Contrast) -> list[Finding]:
    """Seams that read today and will be lost after a year of light, told once for two woods, where they are longest."""
    layer, seen, shelf = composition.in_hand, composition.seen, composition.rack.shelf
    if not any(shelf[p.wood].aged for p in layer.pieces if p.wood in shelf):
        return []
    older = contrast_of(composition, seen.older)
    worst: dict[tuple[str, str], tuple] = {}
    for i in np.flatnonzero(today.which("reads", "shades") & older.which("melts")).tolist():
        now, later = today[i], older[i]
        a, b = layer.by_key[later.seam.a], layer.by_key[later.seam.b]
        pair = (min(a.wood, b.wood), max(a.wood, b.wood))
        if pair not in worst or later.seam.length_mm > worst[pair][0].seam.length_mm:
            worst[pair] = (later, now, a, b)
    found = []
    for later, now, a, b in worst.values():
        first, second = sorted((a, b), key=lambda p: p.number)
        front = max((a, b), key=lambda p: p.height_mm or 0)
        found.append(
            Finding(
                "ages",
                "wood",
                f"{shelf.wood(first.wood).name} {first.number} on {shelf.name(second.wood)} {second.number} reads {now.apart:.0f} today, "
                f"about {later.apart:.0f} after a year of light. A step of {composition.practice.say(STEP_MM)} keeps the line.",
                "Colours of the table of woods as they are after about a year of room light: own estimate.",
                (first.key, second.key),
                later.seam.middle,
                amount=round(later.apart, 1),
                limit=composition.practice.reads_de,
                unit="dE00",
                fix=Fix(f"Lift {front.number} by {composition.practice.say(STEP_MM)}", "lift",
                        {"pieces": [front.key], "by_mm": STEP_MM}),
            )
        )  # fmt: skip
    return found


def _strays(composition: Composition) -> list[Finding]:
    """In a part that is kept together every arrow runs one way, and none is turned by 180 degrees where that flashes."""
    shelf = composition.rack.shelf
    parts: dict[str, list[Piece]] = defaultdict(list)
    for p in composition.in_hand.pieces:
        if p.part in composition.together and p.wood and p.grain_deg is not None:
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
                f"{p.number} of {part} runs down the grain where the others run up: {shelf.name(p.wood)} will flash lighter or darker."
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


def _weak_necks(layer: Layer, practice: Practice, shelf: Shelf) -> list[Finding]:
    findings = []
    for key, weak in neck_table(layer, practice).items():
        piece = layer.by_key[key]
        if not piece.wood:
            continue
        chosen, grain = shelf.wood(piece.wood), piece.grain_deg or 0.0
        thickness = piece.thickness_mm or practice.stock_mm
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
                    f"Neck of {piece.number} is {practice.say(neck.width_mm)} across, {angle:.0f}° to the grain of {shelf.name(piece.wood)}: it will snap. {advice}",
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


def outlines_on_boards(composition: Composition) -> dict[str, dict[int, shapely.Polygon]]:
    """Where pieces lie on boards of the rack: by the board's mark, then by piece."""
    layer, boards = composition.in_hand, composition.rack.by_name
    found: dict[str, dict[int, shapely.Polygon]] = defaultdict(dict)
    for p in layer.pieces:
        if p.board in boards and p.board_x_mm is not None and p.board_y_mm is not None:
            spot = layer.coverage.spots[p.key]
            found[p.board][p.key] = laid(
                layer.coverage.by_key[p.key], (spot.x_mm, spot.y_mm), boards[p.board], p.grain_deg or 0.0, p.board_x_mm, p.board_y_mm
            )  # fmt: skip
    return found


def _on_boards(composition: Composition) -> list[Finding]:
    layer, rack = composition.in_hand, composition.rack
    found = []
    placed = outlines_on_boards(composition)
    for p in layer.pieces:
        if not p.board:
            continue
        board = rack.by_name.get(p.board)
        if board is None:
            words = f"{p.number} wants board {p.board}, which is not on the rack."
        elif board.wood != p.wood:
            words = f"{p.number} is {rack.shelf.name(p.wood)}, but board {p.board} is {rack.shelf.name(board.wood)}."
        else:
            words = _bad_place(p, placed, composition)
        if words:
            found.append(
                Finding("place", "wood", words, "A piece comes whole from its place on the board.", (p.key,),
                        fix=Fix(f"Take {p.number} off the board", "unplace", {"pieces": [p.key]}))
            )  # fmt: skip
    return found


def _bad_place(p: Piece, placed: dict[str, dict[int, shapely.Polygon]], composition: Composition) -> str:
    board, layer = composition.rack.by_name[p.board], composition.in_hand
    mine = placed.get(p.board, {}).get(p.key)
    if mine is None:
        return ""
    if mine.difference(board.region).area > CLEAR_MM2:
        return f"{p.number} hangs over the edge of board {p.board}."
    hit = next((d for d in board.defects if mine.intersection(shapely.Polygon(d.ring)).area > CLEAR_MM2), None)
    if hit is not None:
        return f"{p.number} lies over {DEFECTS[hit.kind]} of board {p.board}."
    over = [k for k, o in placed[p.board].items() if k != p.key and mine.intersection(o).area > CLEAR_MM2]
    if over:
        return f"{p.number} and {name_pieces(sorted(layer.by_key[k].number for k in over))} lie over each other on board {p.board}."
    return ""
