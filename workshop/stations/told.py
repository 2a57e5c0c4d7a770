"""What the shelf says of a work without planning it: kept with the work, each time a page has worked it out.

It holds for one state of the work and of its owner's rack. Where it is of an older state it is still shown, and the
tag asks for a fresh one by itself.
"""

import logging
from typing import Any

from emberquilt.plan import Plan
from workshop.compositions.models import Composition
from workshop.compositions.plans import plan_of
from workshop.compositions.told import is_fresh, keep, state_of
from workshop.shop.models import Shop

from .rule import NAMES, next_station

log = logging.getLogger(__name__)


def tell(row: Composition, shop: Shop, plan: Plan) -> dict[str, Any]:
    """Keep what this plan says of the work, where that is not kept already."""
    if is_fresh(row, shop):
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
            "left": {s: n for s, n in plan.counts.items() if n},
            "pieces": len(composition.made),
            "layers": len(composition.layers),
            "copies": composition.decisions.whole.copies,
            "wooded": any(p.wood for p in composition.pieces()),
            "short": short,
        },
    )


def tell_afresh(row: Composition, shop: Shop) -> dict[str, Any]:
    """Work it out. A work that cannot be planned or shown is told as broken, and stays reachable."""
    try:
        return tell(row, shop, plan_of(row))
    except Exception:
        log.exception("The work %s cannot be planned.", row.uid)
        return keep(row, {"state": state_of(row, shop), "broken": True})


def shelf_entry(row: Composition, shop: Shop) -> dict[str, Any]:
    """What the shelf shows of a work. It is not begun while nothing was ever decided about it."""
    told = row.told
    station = told.get("station", "pattern")
    left = told.get("left", {})
    return {
        "row": row,
        "told": told,
        "fresh": is_fresh(row, shop),
        "broken": is_fresh(row, shop) and told.get("broken", False),
        "station": station,
        "station_name": NAMES[station],
        "left": left.get(station, 0),
        "rule": [(2 + i * 21.0, bool(left.get(s)), s == station) for i, s in enumerate(NAMES)] if told else [],
        "layered": told.get("layers", 1) > 1,
        "begun": bool(row.cursor) or told.get("wooded", False),
    }
