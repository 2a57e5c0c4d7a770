"""What the log of the bench says: what is done, and how long cuts take here."""

from collections.abc import Iterable

from emberquilt.log.learning import ratio_from
from emberquilt.saw.minutes import spread
from emberquilt.saw.steps import SAW_VERBS
from workshop.compositions.models import Composition

from .models import Event

RECENT = 400
Mark = tuple[str, str]


def done_keys(row: Composition) -> set[Mark]:
    """What is ticked."""
    return done_after(row.events.values_list("step", "part", "what"))


def done_after(events: Iterable[tuple[str, str, str]]) -> set[Mark]:
    """What is done after these (step, part, what), in the order in which they happened; breaking a part undoes
    everything done to it before."""
    done: set[Mark] = set()
    for step, part, what in events:
        if what == Event.What.DONE:
            done.add((step, part))
        elif what == Event.What.BROKE:
            done = {key for key in done if key[1] != part}
    return done


def sawing_ratio(owner) -> float:
    """Minutes taken per minute estimated, over this owner's recent sawing."""
    return ratio_from(_sawn(owner))


def sawing_spread(owner) -> tuple[float, float] | None:
    """Between what the middle half of this owner's recent cuts took, per minute estimated before any correction."""
    return spread(taken / estimated for taken, estimated in _sawn(owner) if taken > 0 and estimated > 0)


def _sawn(owner):
    """Minutes taken and estimated of this owner's recent cuts."""
    return (
        Event.objects.filter(
            composition__owner=owner,
            step__in=SAW_VERBS,
            what=Event.What.DONE,
            minutes__isnull=False,
            estimate_minutes__isnull=False,
        )
        .order_by("-at")[:RECENT]
        .values_list("minutes", "estimate_minutes")
    )
