"""What the Calendar station says."""

import datetime as dt

from django.conf import settings

from emberquilt.calendar.forward import latest_start
from emberquilt.calendar.reasons import LITTLE_ROOM
from emberquilt.calendar.schedule import Schedule, Slot
from emberquilt.calendar.shop import held_words
from emberquilt.drawing.evenings import THUMB_PX, Block, Evenings, evenings, pieces_of
from emberquilt.errors import BadChoice
from emberquilt.hours import DAYS
from emberquilt.units import format_minutes
from workshop.compositions.models import Composition, DatePlan
from workshop.entry.allowance import has_minutes
from workshop.stations.desk import Desk

from .dates import SECONDS, works_beside

PRACTICE = (
    "fit_minutes",
    "shape_minutes",
    "buy_days",
    "pause_after",
    "pause_minutes",
    "spray_at",
    "latitude_deg",
    "outdoor_low_c",
    "outdoor_high_c",
)
NEXT_DAYS = 4


def context(desk: Desk) -> dict:
    composition = desk.composition
    decided = composition.decisions.calendar
    told: dict = {
        "hours": composition.practice.hours,
        "helpers": [
            (name, [(day, week.get(day, "")) for day in DAYS]) for name, week in composition.practice.helpers.items()
        ],
        "off": composition.practice.off,
        "decided": decided,
        "copies": composition.decisions.whole.copies,
        "pins": len(decided.pins),
    }
    try:
        plan = desk.plan.schedule
    except BadChoice as problem:
        return told | {"schedule": None, "days": [], "no_dates": str(problem)}
    drawn = evenings(plan, composition, plan.others)
    here = _here(desk, plan)
    days: dict = {}
    for slot in plan.own_slots:
        days.setdefault(slot.begin.date(), []).append(slot)
    return told | {
        "schedule": plan,
        "days": sorted(days.items()),
        "next_days": sorted(days.items())[:NEXT_DAYS],
        "hands_of": _hands_of(plan),
        "evenings": drawn,
        "evenings_json": _for_hand(drawn),
        "thumb_px": THUMB_PX,
        "standing": [_placed(b, here) for b in drawn.blocks] if drawn else [],
        **(_of_slot(desk, plan, here) if here else {}),
        **_due(plan),
        "moved": plan.moved,
        "others": plan.others,
    }


def _hands_of(plan: Schedule) -> list[tuple[str, float]]:
    """By person minutes of hands."""
    found: dict[str, float] = {}
    for slot in plan.own_slots:
        for name in slot.people:
            found[name] = found.get(name, 0.0) + slot.minutes
    return list(found.items())


def _here(desk: Desk, plan: Schedule) -> Slot | None:
    """The sitting that the ticket speaks of: the asked one, the first that handles the chosen piece, or the next."""
    asked = desk.asked.get("slot", "")
    found = next((slot for slot in plan.slots if slot.key == asked or slot.step.key == asked), None)
    if found is None and desk.chosen:
        wanted = {p.key for p in desk.chosen.pieces}
        found = next((slot for slot in plan.own_slots if wanted & set(pieces_of(slot))), None)
    return found or next(iter(plan.own_slots), None)


def _placed(block: Block, here: Slot | None) -> dict:
    looks = {
        "on": here is not None and here.key == block.slot.key,
        "chain": block.chain,
        "tight": block.tight,
        "other": bool(block.other),
        "pinned": block.slot.pinned,
    }
    return {
        "b": block,
        "looks": " ".join(word for word, so in looks.items() if so),
        "words": f"{block.slot.label}, {block.slot.begin:%a %d %b %H:%M} to {block.slot.end:%H:%M}",
    }


def _of_slot(desk: Desk, plan: Schedule, slot: Slot) -> dict:
    """What the ticket says of a sitting."""
    stand, slots = plan.stands[slot.key], plan.slots
    place = next(i for i, one in enumerate(slots) if one is slot)
    first = next(one for one in slots if one.step.key == slot.step.key)
    return {
        "slot": slot,
        "stand": stand,
        "slot_number": place + 1,
        "slot_wait": slot.wait_minutes,
        "slot_held": held_words(slot.step.held),
        "room_words": _room(stand.room),
        "pinned_to": desk.composition.decisions.calendar.pins.get(slot.step.key, ""),
        "earlier": _other_day(first.begin.date(), -1, plan),
        "later": _other_day(first.begin.date(), 1, plan),
        "this_moment": first.begin.replace(tzinfo=None).isoformat(timespec="minutes"),
    }


def _other_day(here: dt.date, by: int, plan: Schedule) -> str:
    """The day of hours before or after."""
    assert plan.planned is not None
    problem, day = plan.planned.problem, here
    open_days = {problem.clock.moment(begin).date() for windows in problem.windows for begin in windows.begins}
    for _ in range(60):
        day += dt.timedelta(days=by)
        if day in open_days:
            return day.isoformat()
    return ""


def _room(minutes: int) -> str:
    if minutes < LITTLE_ROOM:
        return "none: 15 min more moves the date"
    if minutes < 1440:
        return f"{format_minutes(minutes)} before the date moves"
    return f"{minutes // 1440} day{'' if minutes < 2880 else 's'} before the date moves"


def _due(plan: Schedule) -> dict:
    """How the end stands to the day it must be ready by."""
    due = plan.due
    if due is None or plan.finish is None:
        return {"due": None}
    return {"due": due, "spare_days": (due.date() - plan.finish.date()).days, "in_time": plan.finish <= due}


def _for_hand(drawn: Evenings | None) -> dict:
    """What the hand needs to know to move a block: hours as x from, x to, the moment at the first, minutes."""
    return {"spans": [list(span) for span in drawn.spans]} if drawn else {}


WORTH_A_LOOK = 0.01
MOST_POLISHED = 400
"""A plan farther than this share from its bound is looked through by itself, where it has no more steps than this."""


def polishing(row: Composition, plan: Schedule | None) -> dict:
    """How far the search for a better plan is, whether one begins by itself, and whether dates are kept."""
    dates = DatePlan.objects.filter(composition=row).first()
    looked = dates is not None and (dates.live or dates.revision == row.revision)
    worth = plan is not None and (plan.gap or 0.0) > WORTH_A_LOOK and len(plan.own_slots) <= MOST_POLISHED
    return {
        "polish_alone": settings.POLISH_ALONE and worth and not looked and has_minutes(row.owner),
        "dates": dates,
        "polish_live": dates is not None and dates.live,
        "polish_fresh": dates is not None and dates.revision == row.revision and bool(dates.told),
        "polish_seconds": SECONDS,
        "kept_dates": dates is not None and bool(dates.sittings),
        "beside": works_beside(row),
    }


def begin_by(desk_plan) -> str:
    """The last day on which work can begin to be ready in time; empty where there is none, or no day is set."""
    decided = desk_plan.composition.decisions.calendar
    due = desk_plan.wishes.ready_by.get("")
    if not decided.ready_by or due is None:
        return ""
    last = latest_start(desk_plan.left, desk_plan.means, desk_plan.start, due)
    return f"{last:%a %d %b}" if last else ""
