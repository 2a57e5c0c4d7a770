"""The plan as plain values, as `emberquilt plan` prints it. See docs/formats.md."""

from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from typing import Any

import shapely

from ..calendar.schedule import Schedule, Slot
from ..errors import BadChoice
from ..plan import Plan
from ..relief.frame import FramePlan
from ..relief.orders_judged import why_of
from ..saw.cuts import SawPlan
from ..stock.milling import Mill, Size
from ..work.composition import Piece
from ..work.contacts import Contact, contacts_of
from ..work.parts import Job, Part
from ..work.shaped import edge_of
from ..work.standing import said_pairs
from ..work.steps import Step
from .assembly_json import assembly_json
from .rings import rings_of
from .space_json import space_json
from .steps_json import calendar_json


def plan_json(plan: Plan) -> dict[str, Any]:
    """Everything that is worked out for a work. Where its hours hold no plan, nothing is dated and a finding says
    why."""
    job = plan.job
    number = {p.key: p.number for p in plan.composition.pieces()}
    dated: Schedule | None = None
    with suppress(BadChoice):
        dated = plan.schedule
    slots: Sequence[Slot] = dated.slots if dated else ()
    finish = max((slot.ready for slot in slots), default=None)
    return {
        "name": plan.composition.name,
        "copies": job.copies,
        "parts": [_part(job, part) for part in job.parts()],
        "contacts": [_contact(c.of_copy(n)) for n in range(1, job.copies + 1) for c in contacts_of(job)],
        "steps": _steps(plan.left, slots),
        "needs": [
            {
                "wood": n.material,
                "thickness_mm": round(n.thickness_mm, 3),
                "count": n.count,
                "net_mm2": n.net_mm2,
                "rough_mm2": n.rough_mm2,
                "board_feet": n.board_feet,
                "bought_as": "sheet" if n.sheet else f"{n.quarters}/4",
                "bought_board_feet": n.bought_feet,
                "short_mm2": n.short_mm2,
            }
            for n in plan.needs
        ],
        "milling": [_mill(n, one) for n, one in enumerate(plan.milling.mills, 1)],
        **_relief(plan),
        "saw": _cuts(plan.saw, number),
        **_way(plan.saw),
        **assembly_json(plan),
        **space_json(job),
        "tasks": [
            {"label": s.label, "begin": s.begin.isoformat(), "end": s.end.isoformat(), "ready": s.ready.isoformat()}
            for s in slots
        ],
        "finish": finish.isoformat() if finish else None,
        **calendar_json(dated),
        "findings": [f.as_dict() for f in plan.every_finding],
    }


def _mill(number: int, one: Mill) -> dict[str, Any]:
    """One thing done to one board; sizes in mm as length, width and thickness."""

    def told(size: Size) -> list[float]:
        return [round(v, 3) for v in (size.long_mm, size.wide_mm, size.thick_mm)]

    return {
        "order": number,
        "board": one.board,
        "how": one.how,
        "label": one.label,
        "before_mm": told(one.before),
        "after_mm": told(one.after),
        "blanks": one.blanks,
        "count": one.count,
        "rest_mm": told(one.rest) if one.rest else None,
        "lost_mm3": round(one.lost_mm3, 1),
        "minutes": round(one.minutes, 3),
        "parts": list(one.parts),
        "instead": one.instead,
    }


def _cuts(saw: SawPlan, number: Mapping[int, int]) -> list[dict[str, Any]]:
    return [
        {
            "order": c.order,
            "piece": number.get(c.piece, 0),
            "part": c.part,
            "what": c.what,
            "blank": c.blank + 1,
            "blade": c.blade.no,
            "kind": c.blade.kind,
            "why_blade": c.why_blade,
            "fresh": c.fresh,
            "cut_mm": c.length_mm,
            "inside_mm": c.inside_mm,
            "minutes": c.minutes,
            "runs": c.runs,
            "holes": len(c.holes),
            "reason": c.reason,
        }
        for c in saw.cuts
    ]


def _way(saw: SawPlan) -> dict[str, Any]:
    """What lies on the table at one time, the way of the blade through each, and what that asks for. Blanks count from
    1; points are the picture's mm."""
    return {
        "blanks": [
            {
                "parts": list(blank.parts),
                "material": blank.material,
                "stack": blank.stack,
                "thickness_mm": round(blank.thickness_mm, 4),
                "tilt_deg": round(blank.tilt_deg, 4),
                "pack": blank.pack,
                "board": saw.rooms[at].board,
                "section": saw.rooms[at].number,
                "stock": shapely.get_coordinates(saw.rooms[at].stock.exterior)[:-1].round(3).tolist(),
            }
            for at, blank in enumerate(saw.blanks)
        ],
        "way": [{"blank": at + 1, "strokes": _strokes(saw, at)} for at in range(len(saw.blanks))],
        "holes": [
            {
                "x_mm": round(h.x_mm, 3),
                "y_mm": round(h.y_mm, 3),
                "bit_mm": h.bit_mm,
                "tilt_deg": round(h.tilt_deg, 4),
                "part": c.part,
                "blank": c.blank + 1,
                "on_line": h.on_line,
                "room_mm": round(h.room_mm, 3),
            }
            for c in saw.cuts
            for h in c.holes
        ],
        "throat": [
            {
                "blank": at + 1,
                "reach_mm": sweep.reach_mm,
                "hits": [
                    {"x_mm": h.x_mm, "y_mm": h.y_mm, "heading_deg": h.heading_deg, "reach_mm": h.reach_mm}
                    for h in sweep.hits
                ],
            }
            for at, sweep in sorted(saw.sweeps.items())
        ],
        "blades": [
            {
                "no": n.blade.no,
                "kind": n.blade.kind,
                "kerf_mm": round(n.blade.kerf_mm, 4),
                "turns_mm": round(n.blade.tightest_mm, 4),
                "length_mm": round(n.length_mm, 1),
                "count": n.count,
                "at_hand": n.blade.at_hand,
                "fresh_before": list(n.fresh),
            }
            for n in saw.needs
        ],
    }


def _strokes(saw: SawPlan, at: int) -> list[dict[str, Any]]:
    return [
        {
            "path": stroke.path.round(3).tolist(),
            "kind": stroke.kind,
            "corner": stroke.corner,
            "part": stroke.part,
            "frees": list(stroke.frees),
            "waste": stroke.waste,
            "tilt_deg": round(stroke.tilt_deg, 4),
            "blade": cut.blade.no,
            "kerf_mm": round(cut.blade.kerf_mm, 4),
        }
        for cut in saw.of_blank(at)
        for stroke in cut.strokes
    ]


def _relief(plan: Plan) -> dict[str, Any]:
    """How high, on what, and how it hangs."""
    job, mass = plan.job, plan.relief.mass
    return {
        "relief": [_standing(job, p) for p in sorted(job.composition.made, key=lambda p: p.number)],
        "backer": [ring for part in job.grounds for ring in rings_of(part.outline)],
        "hangers": [
            {"x_mm": h.x_mm, "y_mm": h.y_mm, "kind": h.kind, "body": h.body + 1, "behind_mm": h.behind_mm}
            for h in plan.relief.hanging.hangers
        ],
        "frame": _frame(plan.relief.frame),
        "centre_of_mass_mm": [round(v, 4) for v in (mass.x_mm, mass.y_mm, mass.z_mm)],
        "weight_kg": mass.weight_kg,
        "depth_mm": job.depth_mm,
        "orders": [_order(job, *said) for said in said_pairs(job.composition)],
    }


def _frame(frame: FramePlan | None) -> dict[str, Any] | None:
    if frame is None:
        return None
    return {
        "rabbet_deep_mm": round(frame.rabbet_deep_mm, 3),
        "rabbet_wide_mm": round(frame.rabbet_wide_mm, 3),
        "has_mm": round(frame.has_mm, 3),
        "mitre_deg": round(frame.mitre_deg, 3),
        "sides": [
            {"name": name, "count": count, "outer_mm": round(outer, 3), "inner_mm": round(inner, 3)}
            for name, count, outer, inner in frame.sides
        ],
        "strips": [{"name": name, "count": count, "width_mm": round(wide, 3)} for name, count, wide in frame.strips],
        "buy_mm": round(frame.buy_mm, 1),
    }


def _standing(job: Job, p: Piece) -> dict[str, Any]:
    """How a piece comes to its height; `top_mm` above what the rearmost layer lies on."""
    pair = job.standing.pair[p.key]
    return {
        "part": job.pieces[p.key].key,
        "number": p.number,
        "stock_mm": round(pair.stock_mm, 4),
        "lowered_mm": round(pair.lowered_mm, 4),
        "shim_mm": round(pair.shim_mm, 4),
        "rests_mm": round(job.rests_mm[p.key] - job.ground_mm, 4),
        "top_mm": round(job.lifted_mm(p), 4),
        "mill_mm": round(pair.stock_mm + job.composition.practice.sanding_mm, 4),
        "edge_mm": round(edge_of(job, p.key)[0], 4),
        "why": why_of(job, p.key),
    }


def _order(job: Job, said: int, front: list[int], behind: list[int], level: bool) -> dict[str, Any]:
    """An order by piece numbers, one or a list on either side; `kept` where the heights obey it."""
    top = job.standing.top_mm
    step = min(top(k) for k in front) - max(top(k) for k in behind)
    tops = {top(k) for k in (*front, *behind)}
    kept = max(tops) - min(tops) < 0.01 if level else step > job.composition.practice.least_step_mm - 0.01
    number = job.composition.by_key

    def told(keys: list[int]) -> int | list[int]:
        numbers = [number[k].number for k in keys]
        return numbers[0] if len(numbers) == 1 else numbers

    return {"front": told(front), "behind": told(behind), "level": level, "step_mm": round(step, 4), "kept": kept}


def _part(job: Job, part: Part) -> dict[str, Any]:
    seen = job.seen_of.get(part.id.piece) if part.key.partition("/")[0].isdecimal() else None
    return {
        "id": part.key,
        "role": part.role,
        "layer": part.id.layer,
        "number": part.number,
        "name": part.name,
        "material": part.material,
        "thickness_mm": round(part.thickness_mm, 6),
        "floor_mm": round(part.floor_mm, 6),
        "top_mm": part.top_mm,
        "copy": part.copy,
        "area_mm2": part.area_mm2,
        "shows_mm2": None if seen is None else float(seen.area),
        "bounds_mm": list(part.outline.bounds),
        "grain_deg": part.grain_deg,
        "turn": part.turn,
        "coat": part.coat,
        "rings": rings_of(part.outline),
    }


def _contact(contact: Contact) -> dict[str, Any]:
    told = {"edge": {"length_mm": contact.length_mm}}.get(contact.kind, {"area_mm2": contact.area_mm2})
    return {"a": contact.a, "b": contact.b, "kind": contact.kind} | told


def _steps(steps: Iterable[Step], slots: Sequence[Slot]) -> list[dict[str, Any]]:
    """Steps with their dates: from the begin of their first sitting to the end of their last."""
    of_step: dict[str, list[Slot]] = {}
    for slot in slots:
        of_step.setdefault(slot.step.key, []).append(slot)
    rows = []
    for step in steps:
        own = of_step.get(step.key, [])
        rows.append(
            {
                "key": step.key,
                "station": step.station,
                "verb": step.verb,
                "label": step.label,
                "parts": list(step.parts),
                "minutes": step.minutes,
                "wait_minutes": step.wait_minutes,
                "after": list(step.after),
                "copy": step.copy,
                "place": step.place,
                "divisible": step.divisible,
                "hands": step.hands,
                "held": dict(step.held),
                "setup": step.setup,
                "setup_minutes": step.setup_minutes,
                "within": dict(step.within),
                "why": step.why,
                "begin": own[0].begin.isoformat() if own else None,
                "end": own[-1].end.isoformat() if own else None,
            }
        )
    return rows
