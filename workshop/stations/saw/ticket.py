"""What the Saw station says."""

from emberquilt.rack.blades import blades_of
from emberquilt.relief.bevel import bevels_of
from emberquilt.saw.blades import INSIDE
from emberquilt.saw.cuts import Cut, SawPlan
from emberquilt.saw.difficulty import difficulty_of
from emberquilt.saw.packs import packs_of
from emberquilt.saw.sequence import sequence_of
from emberquilt.saw.setup import CAUTION, setup_cards
from emberquilt.saw.stacks import offers_of
from emberquilt.saw.told import corners_told
from emberquilt.saw.wear import life_mm
from emberquilt.units import roman
from workshop.stations.desk import Desk

PRACTICE = (
    "blade_school",
    "one_blade",
    "blade_kind",
    "fit",
    "gap_mm",
    "accents",
    "hold_mm",
    "throat_mm",
    "opens_mm",
    "saw_mm_per_minute",
    "minutes_per_cut",
    "repeat_share",
)


def context(desk: Desk) -> dict:
    saw, composition = desk.plan.saw, desk.composition
    cut = _spoken_of(desk)
    chapters = [
        {
            "chapter": c,
            "roman": roman(c.number),
            "current": cut is not None and cut.chapter == c.number,
            "marks": [(cut.parts[0], cut.fresh) for cut in saw.cuts if cut.chapter == c.number],
            "grow": 1 + round(19 * c.minutes / (saw.minutes or 1.0)),
        }
        for c in saw.chapters
    ]
    layers = {layer.key: layer.name for layer in composition.layers}
    return {
        "saw": saw,
        "cut": cut,
        **(_of_cut(desk, cut) if cut else {}),
        "changes": _changes(saw),
        "setup": setup_cards(desk.job, saw) if cut is None else (),
        "setup_caution": CAUTION,
        "difficulty": difficulty_of(desk.job, saw) if cut is None else None,
        "chapters": chapters,
        "next_cut": saw.after(cut),
        "packs": packs_of(desk.job, saw) if cut is None else (),
        "sequence": _sequence(desk) if cut is None else {},
        "copies": composition.decisions.whole.copies,
        "way_part": cut.part if cut and desk.show == "way" else "",
        "offers": [
            {"offer": offer, "names": " and ".join(layers[key] for key in offer.layers)}
            for offer in (offers_of(desk.job, saw) if not desk.chosen else ())
        ],
        "stacks": [
            {"layer": stack[0], "names": " and ".join(layers[key] for key in stack if key in layers)}
            for stack in composition.decisions.saw.stacks
        ],
    }


def _spoken_of(desk: Desk) -> Cut | None:
    """The cut of the chosen piece; the first one of all where the way is shown and nothing is chosen."""
    saw = desk.plan.saw
    if not desk.chosen and desk.show == "way" and (asked := desk.asked.get("part", "")) in saw.by_part:
        return saw.by_part[asked]
    if desk.chosen:
        return saw.by_piece.get(desk.chosen.one.key) if desk.chosen.one else None
    return saw.cuts[0] if saw.cuts and desk.show == "way" else None


def _of_cut(desk: Desk, cut: Cut) -> dict:
    """What is told of one cut."""
    saw, composition = desk.plan.saw, desk.composition
    decided = composition.decisions.saw
    bevel = bevels_of(desk.job).get(cut.piece)
    inside = next((c.blade for c in saw.cuts if c.part == cut.part and c.what == INSIDE), None)
    return {
        "blank": _blank(desk, cut),
        "turns_mm": cut.blade.line_mm(composition.practice),
        "corners": corners_told(cut),
        "lasts_mm": life_mm(cut.blade, saw.blanks[cut.blank].thickness_mm, saw.blanks[cut.blank].hardness_lbf),
        "first_of_all": cut.piece in decided.first,
        "last_of_all": cut.piece in decided.last,
        "letter": "ABCD"[desk.plan.paper[cut.piece] - 1] if cut.piece in desk.plan.paper else "",
        "bits": sorted({h.bit_mm for h in cut.holes if h.bit_mm}),
        "table": blades_of(composition.practice),
        "own_blade": decided.blades.get(cut.piece, ""),
        "own_start": cut.piece in decided.starts,
        "spiral": cut.piece in decided.spiral,
        "inside_blade": inside,
        "bevel": bevel,
        "way_round": bevel.way if bevel else decided.ways.get(cut.piece, "clockwise"),
    }


MOST_ACTIONS = 160


def _sequence(desk: Desk) -> dict:
    """Everything at the saw one after another, as far as it is listed."""
    every = sequence_of(desk.job, desk.plan.saw)
    return {"actions": every[:MOST_ACTIONS], "count": len(every), "more": max(0, len(every) - MOST_ACTIONS)}


def _changes(saw: SawPlan) -> dict:
    """How often a blade is mounted, and how many are to be had at hand."""
    return {
        "mounted": saw.mounted,
        "holes": sum(len(cut.holes) for cut in saw.cuts),
        "needs": saw.needs,
        "tilts": saw.tilts,
    }


def _blank(desk: Desk, cut: Cut) -> dict:
    """What lies on the table for a cut: how many parts come out of it, and the minutes of all of them."""
    saw = desk.plan.saw
    blank = saw.blanks[cut.blank]
    return {
        "blank": blank,
        "parts": len(blank.parts),
        "minutes": saw.minutes_of_blank(cut.blank),
        "board": saw.rooms[cut.blank].board,
        "section": saw.rooms[cut.blank].number,
        "layer": desk.composition.layer(blank.layer).name if blank.layer else "",
    }
