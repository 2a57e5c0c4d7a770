"""What the Relief station says."""

from emberquilt.drawing.loop import loop_of
from emberquilt.drawing.section import drawn
from emberquilt.drawing.shaped import shaped_drawing
from emberquilt.errors import BadChoice
from emberquilt.findings import name_pieces
from emberquilt.keys import runs
from emberquilt.relief.bevel import bevels_of
from emberquilt.relief.hanging import HANGERS, hung_words
from emberquilt.relief.layered import lies_on
from emberquilt.relief.orders_judged import circle_numbers, relations_of, spoken, why_of
from emberquilt.relief.shaping import usual_edge_mm
from emberquilt.relief.suggested import Suggestion, suggested_orders
from emberquilt.wood.contrast import STEP_MM
from emberquilt.work.parts import Job
from emberquilt.work.shaped import edge_of
from workshop.stations.desk import Desk
from workshop.stations.faces import table_of

PRACTICE = (
    "stocks_mm",
    "shims_mm",
    "least_step_mm",
    "greatest_step_mm",
    "sanding_mm",
    "table_down",
    "stock_mm",
    "shim_inset_mm",
    "shim_material",
    "backer_inset_mm",
    "backer_mm",
    "backer_material",
    "humid_low",
    "humid_high",
)
MOST_RUNGS, MOST_OFFERED = 40, 3


def context(desk: Desk) -> dict:
    job, composition = desk.job, desk.composition
    relief = composition.decisions.relief
    one = desk.chosen.one if desk.chosen else None
    offered = suggested_orders(job)
    bevel = bevels_of(job).get(one.key) if one and one.key in relief.bevels else None
    followed = desk.chosen is not None and _followed(desk)
    chosen = frozenset(p.key for p in desk.chosen.pieces) if desk.chosen else frozenset()
    return {
        "relief": desk.plan.relief,
        "step_mm": STEP_MM,
        "step_down_mm": -STEP_MM,
        "all_seen": runs(p.key for p in desk.pieces),
        "height_mm": job.lifted_mm(one) if one else None,
        "rests_mm": job.rests_mm[one.key] - job.ground_mm if one else None,
        "layer": desk.layer,
        "can_stand_off": desk.layer is not composition.layers[0],
        "stand_off_mm": relief.stand_off_mm(desk.layer.key),
        "spacers": job.spacers_under(desk.layer.key),
        "rails": relief.rails,
        "base": relief.base,
        "depth_mm": relief.depth_mm,
        "hangers": HANGERS,
        "hanger": relief.hanger,
        "usual_edge_mm": usual_edge_mm(job) if desk.show == "edges" else None,
        "hung": hung_words(job, desk.plan.relief.hanging),
        "back": relief.back,
        "glance_template": "relief/glance.html",
        "tall_strip": True,
        "ladder": ladder(desk),
        "orders_said": len(relief.orders),
        "circles": [loop_of(job, said) for said in circle_numbers(job)],
        "suggestions": [_offer(job, one) for one in offered[:MOST_OFFERED]],
        "more_suggestions": max(0, len(offered) - MOST_OFFERED),
        "pair": job.standing.pair[one.key] if one else None,
        "lies_on": lies_on(job, one.key) if one and len(composition.layers) > 1 else (),
        "set_mm": relief.tops.get(one.key) if one else None,
        "because": why_of(job, one.key) if one else "",
        "followed": followed,
        "edge_set": relief.edges.get(one.key) if one else None,
        "edge_mm": edge_of(job, one.key)[0] if one else None,
        "shaped": shaped_drawing(job, one.key) if one else None,
        "slope": relief.slopes.get(one.key) if one else None,
        "bevel": bevel,
        "bevel_mm": abs(bevel.rise_mm) if bevel else None,
        "lift_verb": "top" if followed else "lift",
        "given_mm": desk.chosen.given_mm if desk.chosen else None,
        "related": one is not None and any(relations_of(job, one.key)),
        **section(job, desk.asked.get("cut", ""), chosen),
    }


def _followed(desk: Desk) -> bool:
    """Whether heights of what is chosen follow from what was said."""
    asked = desk.job.standing.asked
    return desk.chosen is not None and any(desk.composition.home[p.key].key in asked for p in desk.chosen.pieces)


def _offer(job: Job, one: Suggestion) -> dict:
    words = (spoken(job.composition, run) for run in (one.order.front, one.order.behind))
    between = " level with " if one.order.level else " over "
    return {"order": one.order, "why": one.why, "words": between.join(words)}


def section(job: Job, line: str, chosen: frozenset[int]) -> dict:
    """The section along a line, or a sentence that says why there is none."""
    try:
        return {"section": drawn(job, line, chosen, table_of(job.composition.rack.shelf)), "section_said": ""}
    except BadChoice as problem:
        return {"section": None, "section_said": str(problem)}


def ladder(desk: Desk) -> list[dict]:
    """Heights of tops from the front to the back: which parts stand there, and how many pieces."""
    rungs: dict[float, list] = {}
    for p in desk.pieces:
        rungs.setdefault(round(desk.job.lifted_mm(p), 3), []).append(p)
    chosen = {p.key for p in desk.chosen.pieces} if desk.chosen else set()
    rows = [
        {
            "mm": mm,
            "keys": runs(p.key for p in pieces),
            "count": len(pieces),
            "words": _named(pieces),
            "on": any(p.key in chosen for p in pieces),
        }
        for mm, pieces in sorted(rungs.items(), reverse=True)
    ]
    return rows[:MOST_RUNGS]


def _named(pieces: list) -> str:
    """The parts of some pieces, those with the most of them first; of pieces without a part their numbers."""
    count: dict[str, int] = {}
    for p in pieces:
        if p.part:
            count[p.part] = count.get(p.part, 0) + 1
    if not count:
        return name_pieces(sorted(p.number for p in pieces), 4)
    names = sorted(count, key=lambda part: -count[part])
    more = len(names) - 2 + (sum(count.values()) < len(pieces))
    return ", ".join(names[:2]) + (f" and {more} more" if more > 0 else "")
