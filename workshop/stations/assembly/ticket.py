"""What the Fit and glue station says."""

from collections.abc import Sequence

from emberquilt.assembly.alike import alike_of
from emberquilt.assembly.bonds import bundle_of
from emberquilt.assembly.clamping import HOLDS, NOTHING, hold_of
from emberquilt.assembly.finishing import BEFORE, WITH_THEM, Coating, coatings_of, glued_faces
from emberquilt.assembly.knots import Knot, knot_at, knots_of
from emberquilt.assembly.squeeze import squeezed_out
from emberquilt.assembly.supplies import glue_of, glues
from emberquilt.assembly.told import amount_words, hold_words, spoken
from emberquilt.assembly.tree import Assembly
from emberquilt.assembly.tried import states_of
from emberquilt.calendar.meanwhile import dead_minutes, waits_of
from emberquilt.calendar.schedule import Slot
from emberquilt.drawing.lifted import lifted
from emberquilt.errors import BadChoice
from emberquilt.keys import runs
from emberquilt.work.copies import among
from emberquilt.work.parts import Job
from workshop.stations.desk import Desk

PRACTICE = (
    "glue",
    "glue_small",
    "glue_seams",
    "seconds_per_piece",
    "shop_c",
    "shop_humid",
    "anchor",
    "align",
    "backer_inset_mm",
    "least_glue_mm2",
    "drop_mm",
    "spring_clamps",
    "screw_clamps",
    "clamp_reach_mm",
    "clamp_apart_mm",
    "cauls",
    "weights",
    "sand_bags",
    "finish",
    "finish_when",
    "coats",
    "prime",
    "used",
    "paper_off",
)
LIFTED, COATS = "lifted", "coats"
MOST_WAITS = 12
SHORT = {
    "fit": "Dry fit",
    "paper": "Patterns off",
    "shape": "Shape",
    "mark": "Mark",
    "trim": "Trim",
    "cure": "Clamps off",
    "hang": "Hang",
}
IN_PX = {"hatch": 9, "hatch_wide": 2.4, "name_size": 17, "said_size": 14.5, "caul_wide": 12, "caul_inner": 9}
"""Hatching of faces that get glue, letters and cauls, in px of a panel of 870."""


def context(desk: Desk) -> dict:
    glue = desk.plan.glue
    knots = knots_of(desk.plan.steps, glue)
    knot = None if desk.chosen else knot_at(knots, desk.asked.get("knot", ""))
    row = glue.by_part.get(str(desk.chosen.one.key)) if desk.chosen and desk.chosen.one else None
    told = {
        "glue": glue,
        "knot": knot,
        "knots": _line(desk, knots, knot),
        "row_down": row,
        "several": len(desk.composition.layers) > 1,
        "copies": desk.job.copies,
        "tree": [_branch(desk, one) for one in glue.tree.inside],
    }
    if knot is not None:
        told |= _of_knot(desk, knot, knots)
    elif row is not None:
        told |= _of_piece(desk, row)
    elif knots:
        told |= {"next_knot": knots[0].key, **_waits(desk)}
    if desk.show == COATS and not desk.chosen:
        told |= _tried(desk)
    if desk.show == LIFTED and glue.steps:
        lit = frozenset(p.key for p in desk.chosen.pieces) if desk.chosen else frozenset()
        apart = lifted(desk.plan, knot, knots, lit)
        told |= {
            "apart": apart,
            "apart_words": knot.step.label if knot else "all sheets, back to front",
            **{name: round(px * apart["unit"], 3) for name, px in IN_PX.items()},
        }
    return told


def _tried(desk: Desk) -> dict:
    """The coats one after the other, to be looked at, and what dries meanwhile."""
    states, asked = states_of(desk.job), desk.asked.get("coat", "")
    at = int(asked) if asked.isdecimal() and len(asked) < 4 else len(states) - 1
    at = min(at, len(states) - 1)
    made = coatings_of(desk.job)
    return {
        "coat_at": at,
        "coat_states": [
            {"at": i, "words": words, "coating": made[i - 1] if i else None} for i, words in enumerate(states)
        ],
        "coat_next": (at + 1) % len(states),
        "coat_count": len(made),
        "used_words": WITH_THEM.get(desk.composition.practice.used, ""),
    }


def _waits(desk: Desk) -> dict:
    """What is done while things dry, and the hours in which nothing can be."""
    try:
        plan = desk.plan.schedule
    except BadChoice:
        return {"waits": (), "dead_minutes": None}
    week = desk.composition.practice.hours
    own = {s.key for s in desk.plan.steps if s.station == "assembly"}
    return {
        "waits": [wait for wait in waits_of(plan, week) if wait.step in own][:MOST_WAITS],
        "dead_minutes": dead_minutes(plan, week),
    }


def _slots(desk: Desk) -> dict[str, Slot]:
    """When each step begins, by its key; nothing where no dates can be."""
    try:
        slots = desk.plan.schedule.slots
    except BadChoice:
        return {}
    found: dict[str, Slot] = {}
    for slot in slots:
        found.setdefault(slot.step.key, slot)
    return found


def _line(desk: Desk, knots: Sequence[Knot], here: Knot | None) -> list[dict]:
    """The knots on the string under the panel: how long the hands are busy, how long it waits, the nights between."""
    slots, rows = _slots(desk), []
    day = None
    for knot in knots:
        slot = slots.get(knot.key)
        new_day = slot.begin.date() if slot else None
        batch = knot.batch
        rows.append(
            {
                "knot": knot,
                "name": _short(desk, knot),
                "grow": max(1, min(12, round(knot.step.minutes / 6))),
                "wait": knot.step.wait_minutes,
                "night": day is not None and new_day is not None and new_day != day,
                "day": slot.begin if slot and new_day != day else None,
                "aside": batch is not None and desk.plan.glue.by_assembly[batch.assembly].apart,
                "current": here is not None and here.key == knot.key,
            }
        )
        day = new_day or day
    return rows


def _short(desk: Desk, knot: Knot) -> str:
    """A name of one or two words."""
    batch = knot.batch
    if batch is None:
        coating = _coating(desk, knot)
        coat = coating.name if coating else knot.step.label.partition(" on ")[0]
        return {"coat": coat, "glue": "Mount"}.get(knot.kind, SHORT.get(knot.step.verb, knot.step.label))
    one = desk.plan.glue.by_assembly[batch.whole or batch.assembly]
    several = len(desk.plan.glue.batches_of[batch.assembly]) > 1 and not batch.whole
    plain = len(desk.composition.layers) == 1 and not one.apart
    return f"Batch {batch.number}" if plain else one.name + (f", {batch.number}" if several else "")


def _of_knot(desk: Desk, knot: Knot, knots: Sequence[Knot]) -> dict:
    """One step: glue or coat, amounts, clamps, what then, and why it stands there."""
    place = knots.index(knot)
    told: dict = {
        "slot": _slots(desk).get(knot.key),
        "place": place + 1,
        "knot_label": knot.step.label.removesuffix(among(knot.step.copy, desk.job.copies)),
        "next_knot": knots[(place + 1) % len(knots)].key,
        "knot_before": knots[place - 1].key,
        "knot_keys": runs(int(key) for key in knot.moves if key.isdecimal()),
        "coating": None,
    }
    if knot.batch is not None:
        hold = hold_of(desk.job, desk.plan.glue, knot.batch)
        told |= {
            "batch": knot.batch,
            "hold": hold,
            "hold_words": hold_words(hold) if hold.how != NOTHING else hold.why,
            "pressed": hold.how != NOTHING,
            "amount": amount_words(knot.batch.ml),
            "squeeze": _squeeze(desk, knot),
        }
    else:
        coating = _coating(desk, knot)
        told |= {"coating": coating, "coating_at": coatings_of(desk.job).index(coating) + 1 if coating else 0}
    return told


def _squeeze(desk: Desk, knot: Knot) -> str:
    """On which seen faces glue that squeezes out would lie, and along how much edge, in words."""
    if knot.batch is None:
        return ""
    found = squeezed_out(desk.job, knot.batch)
    names = [*dict.fromkeys(spoken(desk.job, key) for key in found)]
    long = desk.composition.practice.say(sum(found.values()))
    return f"{', '.join(names[:4])}{' …' if len(names) > 4 else ''}, along {long} of edge" if found else ""


def _coating(desk: Desk, knot: Knot) -> Coating | None:
    return next((one for one in coatings_of(desk.job) if knot.key in one.step_keys()), None)


def _of_piece(desk: Desk, row) -> dict:
    """One piece: when it goes down, against what, with which glue, and what to heed."""
    key, job = row.piece, desk.job
    batch = desk.plan.glue.batch_of[row.part]
    order = [s.piece for s in desk.plan.glue.steps if s.piece]
    decisions = desk.composition.decisions.assembly
    number = desk.number
    return {
        "touches": [number[int(k)] for k in row.touches],
        "batch": batch,
        "row_glue": glue_of(row.glue, desk.composition.practice),
        "hold_words": hold_words(hold_of(job, desk.plan.glue, batch)),
        "next_step": order[(order.index(key) + 1) % len(order)],
        "warning": alike_of(job).warning(job, row.part),
        "bundled": bundle_of(job).get(row.part) is not None,
        "masked": key not in decisions.unmasked,
        "glued_mm2": glued_faces(job).get(row.part, 0.0) if _coated_early(job, row.part) else 0.0,
        "draft_deg": decisions.drafts.get(key, 0.0),
        "glues": {code: glue.name for code, glue in glues().items()},
        "own_glue": decisions.glues.get(key, ""),
        "holds": HOLDS,
        "own_hold": decisions.holds.get(key, ""),
        "sealed": key in decisions.sealed,
    }


def _coated_early(job: Job, key: str) -> bool:
    """It is coated before something is glued on it."""
    return any(one.when == BEFORE and key in one.parts for one in coatings_of(job))


def _branch(desk: Desk, one: Assembly) -> dict:
    """An assembly for the tree: its name, how many parts, why it stands there, what is put together before."""
    pieces = [int(key) for key in one.parts if key.isdecimal()]
    return {
        "name": one.name,
        "count": len(pieces),
        "keys": runs(pieces),
        "derived": _derived(desk, one),
        "why": one.why,
        "accent": one.accent,
        "inside": [_branch(desk, inner) for inner in one.inside],
    }


def _derived(desk: Desk, one: Assembly) -> str:
    """Backer, shims and spacers of an assembly, counted."""
    count: dict[str, int] = {}
    for key in one.parts:
        if not key.isdecimal():
            role = desk.job.by_key[key].role
            count[role] = count.get(role, 0) + 1
    return ", ".join(
        role if n == 1 and role == "backer" else f"{n} {role}{'s' if n > 1 else ''}" for role, n in count.items()
    )
