"""Verbs that decide about dates."""

from ..hours import day_of
from ..work.change import Edit, decided
from ..work.register import Values, verb
from ..work.view import Target


@verb("start")
def set_start(target: Target, values: Values) -> Edit:
    day = day_of(str(values.get("start", "")))
    return decided(target.composition, f"start on {day:%d %b}", "calendar", start=day.isoformat())
