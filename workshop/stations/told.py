"""What the shelf says of a work without planning it: kept with the work, each time a page has worked it out.

It holds for one state of the work and of its owner's rack. Where it is of an older state it is still shown, and the
tag asks for a fresh one by itself.
"""

import datetime as dt
import logging
from contextlib import suppress
from typing import Any

from django.utils import timezone

from emberquilt.errors import BadChoice
from emberquilt.plan import Plan
from workshop.compositions.models import Composition
from workshop.compositions.plans import keep_whole, plan_of
from workshop.compositions.store import mark_of_others
from workshop.compositions.told import is_endless, is_fresh, keep, state_of
from workshop.shop.actions import shop_of
from workshop.shop.models import Shop

from .rule import NAMES, next_station, rule_words

log = logging.getLogger(__name__)


def tell(row: Composition, shop: Shop, plan: Plan) -> dict[str, Any]:
    """Keep what this plan says of the work, where that is not kept already."""
    if is_of_today(row, shop):
        return row.told
    short: dict[str, float] = {}
    for need in plan.needs:
        if need.short_mm2 > 0:
            short[need.material] = short.get(need.material, 0.0) + need.short_mm2
    composition = plan.composition
    return keep(
        row,
        {
            "state": state_of(row, shop),
            "station": next_station(plan),
            "on": on_this_day(row, shop),
            "left": {s: n for s, n in plan.counts.items() if n},
            "words": rule_words(row, plan),
            "pieces": len(composition.made),
            "layers": len(composition.layers),
            "copies": composition.decisions.whole.copies,
            "wooded": any(p.wood for p in composition.pieces()),
            "short": short,
            "next": _following(plan),
        },
    )


def on_this_day(row: Composition, shop: Shop) -> list[str]:
    """The day, and what other works have laid on the shop's boards."""
    return [timezone.localdate().isoformat(), mark_of_others(row, shop)]


def is_of_today(row: Composition, shop: Shop) -> bool:
    """What is told of the work holds for its state, and was told today: dates come nearer, so what is left at the
    calendar is another every day, and other works lay their parts on the same boards."""
    return is_fresh(row, shop) and row.told.get("on") == on_this_day(row, shop)


def _following(plan: Plan) -> list[str]:
    """When something is to be done next, and what; without a time where dates were not asked for, or cannot be."""
    if plan.dated and (slots := plan.schedule.own_slots):
        return [slots[0].begin.isoformat(), slots[0].step.label]
    return ["", plan.left[0].label] if plan.left else []


def tell_afresh(row: Composition, shop: Shop) -> dict[str, Any]:
    """Work it out. A work that cannot be planned or shown is told as broken, and stays reachable."""
    if is_endless(row, shop):
        # it stays told so until the work is changed
        return row.told
    try:
        plan = plan_of(row)
        with suppress(BadChoice):
            _ = plan.schedule
        told = tell(row, shop, plan)
        keep_whole(row, plan)
        return told
    except Exception:
        log.exception("The work %s cannot be planned.", row.uid)
        return keep(row, {"state": state_of(row, shop), "broken": True})


def tell_endless(uid: str) -> None:
    """A page of this work found no end as the work stands: until it is changed, none of its pages is tried again."""
    row = Composition.objects.filter(uid=uid).select_related("owner").first()
    if row is not None:
        keep(row, {"state": state_of(row, shop_of(row.owner)), "broken": True, "endless": True})


def _next(told: dict[str, Any]) -> dict[str, Any] | None:
    """What is to be done next and when, as it was told; without a time that is past."""
    if not told.get("next"):
        return None
    begin, label = told["next"]
    at = dt.datetime.fromisoformat(begin) if begin else None
    return {"label": label, "at": at if at is not None and at > timezone.now() else None}


def _can_be_told(told: Any) -> bool:
    """What was kept of a work is something that a tag can say."""
    if not isinstance(told, dict) or told.get("station", "pattern") not in NAMES:
        return False
    left, then = told.get("left", {}), told.get("next") or ["", ""]
    if not isinstance(left, dict) or not isinstance(then, list) or len(then) != 2:
        return False
    try:
        return not then[0] or bool(dt.datetime.fromisoformat(then[0]))
    except (TypeError, ValueError):
        return False


def shelf_entry(row: Composition, shop: Shop) -> dict[str, Any]:
    """What the shelf shows of a work. It is not begun while nothing was ever decided about it."""
    told = row.told if _can_be_told(row.told) else {}
    station = told.get("station", "pattern")
    left = told.get("left", {})
    return {
        "row": row,
        "told": told,
        "fresh": bool(told) and is_fresh(row, shop),
        "broken": is_fresh(row, shop) and told.get("broken", False),
        "station": station,
        "station_name": NAMES[station],
        "left": left.get(station, 0),
        "next": _next(told),
        "rule": [(2 + i * 21.0, bool(left.get(s)), s == station) for i, s in enumerate(NAMES)] if told else [],
        "layered": told.get("layers", 1) > 1,
        "begun": bool(row.cursor) or told.get("wooded", False),
    }
