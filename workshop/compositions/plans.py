"""The plan of a composition as its owner's shop stands now. Plans are kept while nothing they hang on changes."""

import datetime as dt
import logging
from dataclasses import replace
from typing import Any

from emberquilt.calendar.schedule import Kept as KeptDates
from emberquilt.calendar.shop import means_of
from emberquilt.errors import EmberError
from emberquilt.hours import first_moment
from emberquilt.plan import Beside, Plan
from workshop.bench.actions import Learned, done_keys, learned_by
from workshop.kept import Kept
from workshop.shop.actions import practice_of, shop_of
from workshop.shop.clock import now_in, zone_of
from workshop.shop.models import Shop

from . import store, worked_out
from .models import Composition, DatePlan
from .told import is_endless


def _pieces_in(plan: Plan) -> int:
    return store.pieces_in(plan.composition)


log = logging.getLogger(__name__)
_wholes = Kept(store.KEPT, _pieces_in, store.PIECES_KEPT)
_plans = Kept(store.KEPT, _pieces_in, store.PIECES_KEPT)
_at_any_pace = Kept(store.KEPT, _pieces_in, store.PIECES_KEPT)


def plan_of(row: Composition) -> Plan:
    """The plan of the whole work, its dates beside those of the works that are planned with it."""
    shop = shop_of(row.owner)
    alone, key = _alone(row, shop)
    uids = [str(uid) for uid in shop.together]
    if str(row.uid) not in uids or len(uids) < 2:
        return alone
    rows = {str(one.uid): one for one in row.owner.compositions.filter(uid__in=uids)}
    known = {uid: _beside(rows[uid], shop) if uid != str(row.uid) else (alone, key) for uid in uids if uid in rows}
    others = {uid: found for uid, found in known.items() if found is not None}
    if len(others) < 2:
        return alone
    keys = tuple(key for _, key in others.values())

    start = min(plan.start for plan, _ in others.values())

    def beside() -> Plan:
        works = tuple(plan.work_dates(uid, start) for uid, (plan, _) in others.items())
        shared = Beside(str(row.uid), works, means_of(practice_of(row.owner)), start)
        return alone.at(alone.start, alone.done, alone.kept, shared)

    return _plans.get((key, "beside", keys), beside)


def _beside(row: Composition, shop: Shop) -> tuple[Plan, tuple] | None:
    """Another work that is planned at once; None where no dates can be given to it, for whatever reason: it keeps no
    other from its own."""
    try:
        plan, key = _alone(row, shop)
        plan.work_dates(str(row.uid), plan.start)
    except Exception:
        log.warning("The work %s cannot be planned, so others are planned without it.", row.uid, exc_info=True)
        return None
    return plan, key


def _alone(row: Composition, shop: Shop) -> tuple[Plan, tuple]:
    """The plan of a work by itself, and what it hangs on."""
    if is_endless(row, shop):
        raise TooMuch(ENDLESS)
    learned = learned_by(row.owner)
    # on the shop's own clock, through its changes of the clock
    start = first_moment(row.decisions.get("calendar", {}).get("start"), now_in(shop)).replace(tzinfo=zone_of(shop))
    version, sittings = DatePlan.objects.filter(composition=row).values_list("version", "sittings").first() or (0, {})
    done = frozenset(done_keys(row))
    state = store.state(row, shop)
    key = (*state, learned.pace.stamp, learned.lessons, *learned.blade_lasts.items())
    whole = _wholes.get(key, lambda: worked_out.read(row, (*key, row.updated)) or _make(row, learned))
    _at_any_pace.keep(state, whole)
    full = (*key, start, done, version)
    return _plans.get(full, lambda: whole.at(start, done, kept_from(sittings))), full


def keep_whole(row: Composition, plan: Plan) -> None:
    """Keep what was worked out for this work, for other processes and for later: under what it was made of, which may
    be other things by now."""
    whole = plan.base or plan
    key = _wholes.key_of(whole)
    if key is not None:
        worked_out.keep(row, (*key, row.updated), whole)


class TooMuch(EmberError):
    """Planning a work would take longer, or more memory, than a page is given."""


ENDLESS = (
    "This work could not be planned in the time that a page is given, so it is not tried again by itself. Try it once "
    "more where the computer had much else to do, take back the last change, or take the work along as a file and "
    "throw it away here."
)


def plan_at_any_pace(row: Composition) -> Plan:
    """A plan of the work as it stands, at whatever pace the log had when it was made: which cards there are, and what
    they are done on, does not hang on that."""
    known = _at_any_pace.known(store.state(row, shop_of(row.owner)))
    return known if known is not None else plan_of(row)


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


def _make(row: Composition, learned: Learned) -> Plan:
    pace = learned.pace if any(learned.pace.counts.values()) else None
    return Plan(replace(store.load(row), pace=pace, lessons=learned.lessons, blade_lasts=learned.blade_lasts))
