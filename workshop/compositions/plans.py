"""The plan of a composition as its owner's shop stands now. Plans are kept while nothing they hang on changes."""

from dataclasses import replace

from emberquilt.hours import first_moment
from emberquilt.plan import Plan
from workshop.bench.actions import done_keys, sawing_ratio
from workshop.kept import Kept
from workshop.shop.actions import shop_of
from workshop.shop.clock import now_in

from . import store
from .models import Composition

_wholes = Kept(store.KEPT)
_plans = Kept(store.KEPT)


def plan_of(row: Composition) -> Plan:
    """The plan of the whole work."""
    ratio = round(sawing_ratio(row.owner), 4)
    shop = shop_of(row.owner)
    start = first_moment(row.decisions.get("calendar", {}).get("start"), now_in(shop))
    done = frozenset(done_keys(row))
    key = (row.uid, row.revision, shop.pk, shop.revision, shop.spoken, ratio)
    whole = _wholes.get(key, lambda: _make(row, ratio))
    return _plans.get((*key, start, done), lambda: whole.at(start, done))


def _make(row: Composition, ratio: float) -> Plan:
    composition = store.load(row)
    return Plan(replace(composition, practice=composition.practice.changed(estimate_ratio=ratio)))
