"""The log of the bench as a project file holds it."""

import datetime as dt

from emberquilt.errors import BadChoice
from workshop.compositions.models import Composition

from .models import Event

MORE = ("why", "who", "text", "sawn_seconds", "made_of")
"""What stands in a file only where there is something to say."""


def log_of(row: Composition) -> tuple[dict, ...]:
    told = []
    for e in row.events.all():
        entry = {
            "part": e.part,
            "step": e.step,
            "what": e.what,
            "minutes": e.minutes,
            "estimate_minutes": e.estimate_minutes,
            "at": e.at.astimezone(dt.UTC).isoformat(),
        }
        entry |= {name: value for name in MORE if (value := getattr(e, name))}
        if e.x_mm is not None and e.y_mm is not None:
            entry["place"] = [e.x_mm, e.y_mm]
        told.append(entry)
    return tuple(told)


def keep_log(row: Composition, log) -> None:
    """Events of a project file; dates that cannot be read raise `BadChoice` and nothing is kept."""
    events = []
    for entry in log:
        try:
            at = dt.datetime.fromisoformat(entry["at"])
        except ValueError:
            raise BadChoice("A date in this file's log is damaged.") from None
        at = at if at.tzinfo else at.replace(tzinfo=dt.UTC)
        x, y = entry.get("place", (None, None))
        events.append(
            Event(
                composition=row,
                part=entry["part"],
                step=entry["step"],
                what=entry["what"],
                minutes=entry["minutes"],
                estimate_minutes=entry.get("estimate_minutes"),
                at=at,
                x_mm=x,
                y_mm=y,
                **{name: entry[name] for name in MORE if name in entry},
            )
        )
    Event.objects.bulk_create(events)
