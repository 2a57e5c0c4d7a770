"""The plan of a composition as its owner's shop stands now. Plans are kept while nothing they hang on changes."""

import datetime as dt
from dataclasses import replace

from django.utils import timezone

from emberquilt.plan import Plan
from workshop.bench.actions import done_keys, sawing_ratio
from workshop.shop.actions import boards_of, shop_of

from . import store
from .models import Composition

_plans = store.Kept(store.KEPT)


def plan_of(row: Composition) -> Plan:
    ratio = round(sawing_ratio(row.owner), 4)
    start = row.pins.get("start") or timezone.localdate().isoformat()
    shop = shop_of(row.owner)
    done = frozenset(done_keys(row))
    key = (row.uid, row.revision, shop.pk, shop.revision, ratio, start, done)
    return _plans.get(key, lambda: _make(row, ratio, start, done))


def _make(row: Composition, ratio: float, start: str, done: frozenset) -> Plan:
    composition = store.load(row)
    corrected = replace(composition, practice=composition.practice.changed(estimate_ratio=ratio))
    return Plan(corrected, boards_of(row.owner), dt.datetime.fromisoformat(start), done)
