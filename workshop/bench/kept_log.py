"""The log of the bench as a project file holds it."""

import datetime as dt

from emberquilt.errors import BadChoice
from workshop.compositions.models import Composition

from .models import Event


def log_of(row: Composition) -> tuple[dict, ...]:
    return tuple(
        {
            "part": e.part,
            "step": e.step,
            "what": e.what,
            "minutes": e.minutes,
            "estimate_minutes": e.estimate_minutes,
            "at": e.at.astimezone(dt.UTC).isoformat(),
        }
        | ({"why": e.why} if e.why else {})
        for e in row.events.all()
    )


def keep_log(row: Composition, log) -> None:
    """Events of a project file; dates that cannot be read raise `BadChoice` and nothing is kept."""
    events = []
    for entry in log:
        try:
            at = dt.datetime.fromisoformat(entry["at"])
        except ValueError:
            raise BadChoice("A date in this file's log is damaged.") from None
        at = at if at.tzinfo else at.replace(tzinfo=dt.UTC)
        events.append(
            Event(
                composition=row,
                part=entry["part"],
                step=entry["step"],
                what=entry["what"],
                minutes=entry["minutes"],
                estimate_minutes=entry.get("estimate_minutes"),
                at=at,
                why=entry.get("why", ""),
            )
        )
    Event.objects.bulk_create(events)
