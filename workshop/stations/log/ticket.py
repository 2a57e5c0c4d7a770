"""What the Log station says: what the bench wrote down, the shop's pace, and what went on here."""

from collections import Counter
from typing import Any

from emberquilt.bench.mending import HOWS
from emberquilt.log.hours import hours_of, summed, timed_in
from emberquilt.plan import Plan
from emberquilt.work.copies import any_copy, copy_of
from workshop.bench.actions import happened, learned_by
from workshop.bench.models import Event
from workshop.compositions.models import Composition
from workshop.shop.actions import shop_of
from workshop.stations.desk import Desk
from workshop.stations.rule import NAMES

PRACTICE = ()
MOST_LISTED = 200
MOST_CORRECTED = 60
"""Entries whose time can be corrected: older ones have taught already."""
GROUP_WORDS = {
    "verb": "What is done",
    "wood": "Woods",
    "thickness": "Thickness",
    "blade": "Blades",
    "corner": "Corners, were a cut nothing else",
    "who": "Hands",
}
WHAT_WORDS = {"note": "note", "blade": "a new blade", "paper": "a new sheet of paper"}


def context(desk: Desk) -> dict:
    return {}


def logged(row: Composition, plan: Plan) -> dict:
    """What the log of a work says beside its plan."""
    events = list(row.events.all())
    known = [happened(event) for event in events]
    hours = hours_of(plan.cards, known, plan.marks_left)
    taken, guessed = timed_in(known)
    return {
        "events": [
            _told(plan, event) | {"corrects": i < MOST_CORRECTED and event.what == Event.What.DONE}
            for i, event in enumerate(reversed(events[-MOST_LISTED:]))
        ],
        "more_events": max(0, len(events) - MOST_LISTED),
        "hours": [(NAMES.get(one.station, one.station), one) for one in hours],
        "all_hours": summed(hours),
        "taken": taken,
        "guessed": guessed,
        "pace": _pace(plan),
        "overall": plan.composition.pace.factor("saw", {}) if plan.composition.pace else 1.0,
        "blades": sorted(learned_by(row.owner).blades.items()),
        "skill": shop_of(row.owner).skills.first(),
        "snapshots": row.snapshots.defer("jpeg"),
        "counted": _counted(events),
    }


def _pace(plan: Plan) -> list[tuple[str, list]]:
    """What the shop's log makes of a minute, group by group."""
    pace, shelf = plan.composition.pace, plan.composition.rack.shelf
    if pace is None:
        return []
    table = []
    for group, words in GROUP_WORDS.items():
        rows = [
            (shelf[name].name if group == "wood" and name in shelf else name or "the workshop's own", *rest)
            for name, *rest in pace.told(group)
        ]
        if len(rows) > (group == "who"):
            table.append((words, rows))
    return table


def _counted(events: list[Event]) -> dict[str, Any]:
    """Blades, sheets of paper and coats that the bench counted, and parts made again with their causes."""
    whats = [event.what for event in events]
    coats = {e.step for e in events if e.what == Event.What.DONE and "coat" in e.step}
    return {
        "blades": whats.count(Event.What.BLADE),
        "sheets": whats.count(Event.What.PAPER),
        "remakes": whats.count(Event.What.BROKE),
        "mended": whats.count(Event.What.MENDED),
        "coats": len(coats),
        "causes": Counter(HOWS[e.why] for e in events if e.what == Event.What.BROKE and e.why in HOWS).most_common(),
    }


def _told(plan: Plan, event: Event) -> dict:
    """What an event was about: the part's name and copy, the piece to be shown, or the step's own words."""
    told = {"event": event, "why": HOWS.get(event.why, ""), "what": WHAT_WORDS.get(event.what, "")}
    part = plan.job.by_key.get(any_copy(event.part)) if event.part else None
    if part is None:
        step = next((s for s in plan.steps if s.key == event.step), None)
        return told | {"name": "", "words": step.label if step else event.step, "key": ""}
    copy = f", copy {copy_of(event.part)}" if plan.job.copies > 1 else ""
    key = any_copy(event.part)
    return told | {"name": part.name, "words": event.step + copy, "key": key if key.isdecimal() else ""}
