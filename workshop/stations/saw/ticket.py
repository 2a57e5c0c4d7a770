"""What the Saw station says."""

from emberquilt.saw.stacks import offers_of
from emberquilt.units import roman
from workshop.stations.desk import Desk

PRACTICE = (
    "blade_school",
    "one_blade",
    "fit",
    "hold_mm",
    "saw_mm_per_minute",
    "minutes_per_cut",
    "repeat_share",
)


def context(desk: Desk) -> dict:
    plan, saw, composition = desk.plan, desk.plan.saw, desk.composition
    cut = saw.by_piece.get(desk.chosen.one.key) if desk.chosen and desk.chosen.one else None
    chapters = [
        {
            "chapter": c,
            "roman": roman(c.number),
            "current": cut is not None and cut.chapter == c.number,
            "grow": 1 + round(19 * c.minutes / (saw.minutes or 1.0)),
        }
        for c in saw.chapters
    ]
    layers = {layer.key: layer.name for layer in composition.layers}
    return {
        "saw": saw,
        "cut": cut,
        "blank": _blank(desk, cut) if cut else None,
        "chapters": chapters,
        "turns_mm": cut.blade.line_mm(composition.practice) if cut else 0.0,
        "first_of_all": cut is not None and cut.piece in composition.decisions.saw.first,
        "next_cut": saw.after(cut),
        "letter": "ABCD"[plan.paper[desk.chosen.one.key] - 1] if cut else "",
        "bits": sorted({h.bit_mm for h in cut.holes if h.bit_mm}) if cut else [],
        "copies": composition.decisions.whole.copies,
        "offers": [
            {"offer": offer, "names": " and ".join(layers[key] for key in offer.layers)}
            for offer in (offers_of(desk.job, saw) if not desk.chosen else ())
        ],
        "stacks": [
            {"layer": stack[0], "names": " and ".join(layers[key] for key in stack if key in layers)}
            for stack in composition.decisions.saw.stacks
        ],
    }


def _blank(desk: Desk, cut) -> dict:
    """What lies on the table for a cut: how many parts come out of it, and the minutes of all of them."""
    saw = desk.plan.saw
    blank = saw.blanks[cut.blank]
    return {
        "blank": blank,
        "parts": len(blank.parts),
        "minutes": saw.minutes_of_blank(cut.blank),
        "layer": desk.composition.layer(blank.layer).name if blank.layer else "",
    }
