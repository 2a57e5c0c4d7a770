"""The plan of a composition as its owner's shop stands now. Plans are kept while nothing they hang on changes."""

import datetime as dt
from dataclasses import replace
from typing import Any

from emberquilt.calendar.schedule import Kept as KeptDates
from emberquilt.hours import first_moment
from emberquilt.plan import Plan
from workshop.bench.actions import done_keys, sawing_ratio
from workshop.kept import Kept
from workshop.shop.actions import shop_of
from workshop.shop.clock import now_in, zone_of

from . import store
from .models import Composition, DatePlan

_wholes = Kept(store.KEPT)
_plans = Kept(store.KEPT)


def plan_of(row: Composition) -> Plan:
    """The plan of the whole work."""
    ratio = round(sawing_ratio(row.owner), 4)
    shop = shop_of(row.owner)
    # on the shop's own clock, through its changes of the clock
    start = first_moment(row.decisions.get("calendar", {}).get("start"), now_in(shop)).replace(tzinfo=zone_of(shop))
    version, sittings = DatePlan.objects.filter(composition=row).values_list("version", "sittings").first() or (0, {})
    done = frozenset(done_keys(row))
    key = (row.uid, row.revision, shop.pk, shop.revision, shop.spoken, ratio)
    whole = _wholes.get(key, lambda: _make(row, ratio))
    return _plans.get((*key, start, done, version), lambda: whole.at(start, done, kept_from(sittings)))


def kept_from(told: dict[str, Any]) -> KeptDates | None:
    """Kept dates as they lie in the database."""
    if not told:
        return None
    return KeptDates(
        {
            key: tuple(
                (dt.datetime.fromisoformat(begin), dt.datetime.fromisoformat(end), tuple(people), setup)
                for begin, end, people, setup in rows
            )
            for key, rows in told.items()
        }
    )


def _make(row: Composition, ratio: float) -> Plan:
    composition = store.load(row)
    return Plan(replace(composition, practice=composition.practice.changed(estimate_ratio=ratio)))
