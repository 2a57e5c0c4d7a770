"""What the Calendar station says."""

from emberquilt.errors import BadChoice
from workshop.stations.desk import Desk

PRACTICE = ("fit_minutes", "shape_minutes")


def context(desk: Desk) -> dict:
    hours = desk.composition.practice.hours
    try:
        schedule = desk.plan.schedule
    except BadChoice:
        return {"schedule": None, "days": [], "hours": hours}
    days: dict = {}
    for slot in schedule.slots:
        days.setdefault(slot.begin.date(), []).append(slot)
    return {
        "schedule": schedule,
        "days": sorted(days.items()),
        "hours": hours,
        "hands": sum(step.minutes for step in desk.plan.left),
        "waits": sum(step.wait_minutes for step in desk.plan.left),
        "copies": desk.composition.decisions.whole.copies,
    }
