"""Verbs that decide about dates."""

from ..errors import BadChoice
from ..hours import day_of
from ..work.change import Edit, decided
from ..work.register import Values, verb
from ..work.view import Target
from .task import read_pin

MOST_PINS = 500


@verb("start")
def set_start(target: Target, values: Values) -> Edit:
    day = day_of(str(values.get("start", "")))
    return decided(target.composition, f"start on {day:%d %b}", "calendar", start=day.isoformat())


@verb("ready_by")
def set_ready_by(target: Target, values: Values) -> Edit:
    """The day it must be ready by, and what for; an empty one takes it back. `today` refuses what is past."""
    text = str(values.get("ready_by", "")).strip()
    if not text:
        return decided(target.composition, "ready when it is", "calendar", ready_by="", occasion="")
    day, today = day_of(text), str(values.get("today", ""))
    if today and day <= day_of(today):
        raise BadChoice(f"{day:%a %d %b %Y} is past, or today: nothing can be made ready by then.")
    occasion = " ".join(str(values.get("occasion", "")).split())[:60]
    label = f"ready by {day:%d %b}" + (f", {occasion}" if occasion else "")
    return decided(target.composition, label, "calendar", ready_by=day.isoformat(), occasion=occasion)


@verb("pin")
def pin(target: Target, values: Values) -> Edit:
    """A step begins on that day, or at that moment: ``2026-12-03`` or ``2026-12-03T19:00``."""
    step, text = str(values.get("step", "")).strip(), str(values.get("at", "")).strip()
    if not step or len(step) > 80:
        raise BadChoice("Choose the step that is to be pinned.")
    moment = read_pin(text)
    pins = target.composition.decisions.calendar.pins
    if len(pins) >= MOST_PINS and step not in pins:
        raise BadChoice(f"{MOST_PINS} steps are pinned: unpin one first.")
    at = moment.moment.replace(tzinfo=None)
    kept = at.date().isoformat() if moment.whole_day else at.isoformat(timespec="minutes")
    words = f"pin to {at:%a %d %b}" + ("" if moment.whole_day else f" {at:%H:%M}")
    return decided(target.composition, words, "calendar", pins={**pins, step: kept})


@verb("unpin")
def unpin(target: Target, values: Values) -> Edit:
    """One step, or all of them where none is named."""
    pins, step = target.composition.decisions.calendar.pins, str(values.get("step", ""))
    if step and step not in pins:
        raise BadChoice("That step is not pinned.")
    left = {key: at for key, at in pins.items() if step and key != step}
    return decided(target.composition, "unpin" if step else "unpin all", "calendar", pins=left)
