"""What the Relief station says."""

from emberquilt.colour import words_of
from emberquilt.drawing.loop import loop_of
from emberquilt.drawing.section import drawn
from emberquilt.drawing.shaped import shaped_drawing
from emberquilt.errors import BadChoice
from emberquilt.fields.resin import USABLE, pours_of
from emberquilt.fields.routing import routings_of
from emberquilt.findings import name_pieces
from emberquilt.keys import runs
from emberquilt.relief.bevel import bevels_of
from emberquilt.relief.hanging import HANGERS, hung_words
from emberquilt.relief.layered import lies_on
from emberquilt.relief.orders_judged import circle_numbers, relations_of, spoken, why_of
from emberquilt.relief.shaping import usual_edge_mm
from emberquilt.relief.suggested import Suggestion, suggested_orders
from emberquilt.solid.slices import ALONG_WORDS
from emberquilt.space.block import compounds_of
from emberquilt.space.order import together_of
from emberquilt.space.slices import true_thickness
from emberquilt.space.slot_verbs import coupon_clearances
from emberquilt.space.standing import stand_of
from emberquilt.space.told import ways_at
from emberquilt.wood.contrast import STEP_MM
from emberquilt.work.in_space import Body
from emberquilt.work.joints import clearance_mm, joints_of, slots_of
from emberquilt.work.parts import USUAL_KERF_MM, Job
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
    "end_mills_mm",
    "v_deg",
    "ball_mm",
    "router_base_mm",
    "resin_ratio",
    "resin_by",
    "pot_minutes",
    "pour_mm",
    "colour_share",
    "cure_hours",
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
        "glance_template": "relief/stands_glance.html" if composition.stands else "relief/glance.html",
        "tall_strip": not composition.stands,
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
        "stands": in_space(desk),
        **fields_told(desk),
        **({} if composition.stands else section(job, desk.asked.get("cut", ""), chosen)),
    }


def in_space(desk: Desk) -> dict | None:
    """What is said of parts that stand in space; nothing where all lie flat."""
    space = desk.composition.decisions.space
    if not desk.composition.stands:
        return None
    body = space.body_of(desk.layer.key) or (space.bodies[0] if len(space.bodies) == 1 else None)
    told = scene_told(desk)
    return {"body": body_told(desk, body), **told} if body is not None else told


def fields_told(desk: Desk) -> dict:
    """What is routed and poured; of one chosen field its depth and bit."""
    job, decided = desk.job, desk.composition.decisions.fields
    routing = next((one for one in routings_of(job) if one.layer == desk.layer.key), None)
    chosen = [p.key for p in desk.chosen.pieces] if desk.chosen else []
    in_board = bool(chosen) and all(desk.composition.home[key].kind == "routed" for key in chosen)
    depths = {decided.depths.get(key, 0.0) for key in chosen}
    bits = {decided.bits.get(key, "") for key in chosen}
    return {
        "routing": routing,
        "in_board": in_board,
        "field_mm": depths.pop() if len(depths) == 1 else 0.0,
        "field_bit": bits.pop() if len(bits) == 1 else "",
        "field": routing.by_piece.get(chosen[0]) if routing and len(chosen) == 1 else None,
        "pours": poured(job),
        "pool": decided.pools.get(chosen[0]) if len(chosen) == 1 else None,
    }


def poured(job: Job) -> dict | None:
    pours = pours_of(job)
    if pours is None:
        return None
    return {
        "batches": [(batch, words_of(batch.colour)) for batch in pours.batches][:MOST_RUNGS],
        "usable": USABLE * pours.pot_minutes,
        "hours": pours.cure_minutes / 60,
    }


def scene_told(desk: Desk) -> dict:
    """What is joined to what, how the slots fit, and whether it stays standing."""
    job, composition = desk.job, desk.composition
    chosen = [p.key for p in desk.chosen.pieces] if desk.chosen else []
    joints = [joint for _, joint in joints_of(composition)]
    slots = [s for s in slots_of(composition, job.thickness_mm) if not chosen or {s.piece, s.takes} & set(chosen)]
    number = {key: part.number for key, part in job.pieces.items()}
    goes = {
        one.key: one for layer in composition.layers if layer.kind == "kit" for one in together_of(job, layer).order
    }
    return {
        "compound": compounds_of(job)[0] if compounds_of(job) else None,
        "joints": len(joints),
        "stand": stand_of(job),
        "clearance_mm": clearance_mm(composition),
        "coupon": enumerate(coupon_clearances(composition), 1),
        "corners": composition.decisions.space.corners,
        "order": [{"key": one.key, "number": number[one.key], "why": one.why} for one in goes.values()][:MOST_RUNGS],
        "slots": [(number[s.piece], number[s.takes], s.wide_mm, s.long_mm, s.deep_mm) for s in slots][:MOST_RUNGS],
        "kerf_mm": usual_kerf(desk),
        "tabbed": any(joint.tab in chosen for joint in joints),
        "joined": any({joint.tab, joint.slot} & set(chosen) for joint in joints),
        "lean_deg": next((joint.lean_deg for joint in joints if joint.tab in chosen), 0.0),
        "upright": bool(chosen) and set(chosen) <= set(composition.decisions.space.upright),
        "two": [number[key] for key in chosen if key in number] if len(chosen) == 2 else [],
        "goes": goes.get(chosen[0]) if len(chosen) == 1 else None,
    }


def usual_kerf(desk: Desk) -> float:
    """What the blade that saws most of the parts takes away."""
    kerfs = [cut.blade.kerf_mm for cut in desk.plan.saw.cuts if cut.piece]
    return max(kerfs, key=kerfs.count) if kerfs else USUAL_KERF_MM


def body_told(desk: Desk, body: Body) -> dict:
    ways = ways_at(desk.job, body)
    most = max((way.wood_mm3 for way in ways), default=0.0)
    one = desk.chosen.one if desk.chosen else None
    mine = body.by_piece.get(one.key) if one else None
    return {
        "body": body,
        "words": ALONG_WORDS[body.along],
        "true_mm": true_thickness(desk.job.thickness_mm, body),
        "ways": [(way, 100 * way.lost, 100 * (1 - way.wood_mm3 / most) if most else 0.0) for way in ways],
        "slice": mine,
        "number": mine.level + 1 if mine else 0,
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
