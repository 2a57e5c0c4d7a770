"""Bodies in slices and parts in space, as `emberquilt plan` prints them."""

from typing import Any

import shapely

from ..fields.resin import Pours, pours_of
from ..fields.routing import Routing, routings_of
from ..solid.compound import bodies_of
from ..solid.mesh import Mesh, unpacked
from ..solid.slices import Way, mirrored_pairs
from ..space.block import Compound, compounds_of
from ..space.order import together_of
from ..space.slices import to_height, true_thickness
from ..space.standing import hidden_of, stand_of
from ..space.told import ways_at
from ..work.in_space import Body
from ..work.joints import Slot, clearance_mm, joints_of, slots_of, tab_out_mm
from ..work.parts import Job
from ..work.poses import poses_of
from .rings import rings_of


def space_json(job: Job) -> dict[str, Any]:
    space = job.composition.decisions.space
    return {
        "slices": [_body(job, body) for body in space.bodies],
        "joints": _joints(job),
        "space": _standing(job),
        "compound": [_compound(job, one) for one in compounds_of(job)],
        "fields": [_routing(job, one) for one in routings_of(job)],
        "pours": _pours(pours_of(job)),
    }


def _routing(job: Job, one: Routing) -> dict[str, Any]:
    return {
        "board": one.board.key,
        "thickness_mm": round(one.board.thickness_mm, 4),
        "gauges_mm": list(one.gauges_mm),
        "minutes": round(one.minutes, 3),
        "passes": [
            {
                "bit": group.bit.kind,
                "size": group.bit.size,
                "name": group.bit.name,
                "fields": [f.piece for f in group.fields],
                "minutes": round(group.minutes, 3),
            }
            for group in one.passes
        ],
        "fields": [
            {
                "piece": f.piece,
                "number": job.composition.by_key[f.piece].number,
                "depth_mm": f.depth_mm,
                "bit": f.bit.kind,
                "size": f.bit.size,
                "passes_mm": list(f.passes),
                "wide_mm": round(f.wide_mm, 3),
                "reaches": round(f.reaches, 5),
                "corners": [list(point) for point in f.corners],
                "islands": list(f.islands),
                "rides": f.rides,
                "tips": list(f.tips) if f.tips else None,
                "base_mm": round(f.base_mm, 2),
            }
            for f in one.fields
        ],
    }


def _pours(pours: Pours | None) -> dict[str, Any] | None:
    if pours is None:
        return None
    return {
        "pot_minutes": pours.pot_minutes,
        "cure_minutes": pours.cure_minutes,
        "by_colour_ml": {colour: round(ml, 3) for colour, ml in pours.by_colour.items()},
        "pools": [
            {
                "piece": one.piece,
                "colour": one.colour,
                "area_mm2": one.area_mm2,
                "deep_mm": one.deep_mm,
                "ml": round(one.ml, 4),
                "through": one.through,
                "floor": one.floor,
                "rim_mm": one.rim_mm,
                "layers": one.layers,
                "floaters": list(one.floaters),
            }
            for one in pours.pools
        ],
        "batches": [
            {
                "order": one.number,
                "colour": one.colour,
                "layer": one.layer,
                "pieces": list(one.pieces),
                "ml": one.ml,
                "resin": one.resin,
                "hardener": one.hardener,
                "colour_ml": one.colour_ml,
                "unit": one.unit,
                "minutes": one.minutes,
            }
            for one in pours.batches
        ],
    }


def _compound(job: Job, one: Compound) -> dict[str, Any]:
    block = one.block
    return {
        "front": block.front,
        "side": block.side,
        "block_mm": [block.wide_mm, block.deep_mm, block.long_mm],
        "dowel": {"bore_mm": block.dowel_mm, "x_mm": block.dowel_x, "z_mm": block.dowel_z} if block.dowel_mm else None,
        "volume_mm3": one.whole.volume_mm3 if len(one.whole) else 0.0,
        "bodies": len(bodies_of(one.whole)),
        "columns": [{"from_mm": low, "to_mm": high, "count": n} for low, high, n in one.columns],
        "above_mm2": one.above_mm2,
        "turns": one.turns,
        "parts": [
            {
                "name": part.name,
                "front": part.front,
                "side": part.side,
                "volume_mm3": part.boxes.volume_mm3,
                "bounds_mm": part.boxes.bounds.round(4).tolist(),
                "turn": part.freed.turn,
                "way": part.freed.way,
            }
            for part in one.in_order
        ],
    }


def _joints(job: Job) -> list[dict[str, Any]]:
    """Every joint with its slots as they are sawn."""
    slots: dict[int, list[Slot]] = {}
    for slot in slots_of(job.composition, job.thickness_mm):
        slots.setdefault(slot.joint, []).append(slot)
    rows = []
    for n, joint in joints_of(job.composition):
        rows.append(
            {
                "kind": joint.kind,
                "tab": joint.tab,
                "slot": joint.slot,
                "numbers": [job.pieces[joint.tab].number, job.pieces[joint.slot].number],
                "foot": [list(point) for point in joint.foot],
                "tab_out_mm": round(tab_out_mm(joint, job.thickness_mm[joint.slot]), 4) if joint.kind == "tab" else 0.0,
                "clearance_mm": clearance_mm(job.composition),
                "lean_deg": joint.lean_deg,
                "behind": joint.behind,
                "drawn_mm": joint.wide_mm,
                "slots": [
                    {
                        "piece": slot.piece,
                        "takes": slot.takes,
                        "takes_mm": round(job.thickness_mm[slot.takes], 4),
                        "middle": [list(point) for point in slot.middle],
                        "width_mm": round(slot.wide_mm, 4),
                        "length_mm": round(slot.long_mm, 4),
                        "deep_mm": slot.deep_mm or round(job.thickness_mm[slot.piece], 4),
                        "blind": bool(slot.deep_mm),
                        "ring": rings_of(slot.area)[0],
                    }
                    for slot in slots.get(n, ())
                ],
            }
        )
    return rows


def _standing(job: Job) -> dict[str, Any] | None:
    """Where parts stand, in which order they go together, and whether the whole stays standing."""
    stand = stand_of(job)
    if stand is None:
        return None
    orders = [together_of(job, layer) for layer in job.composition.layers if layer.kind == "kit"]
    return {
        "poses": {str(key): pose.rows for key, pose in poses_of(job).items()},
        "order": [
            {"part": str(g.key), "touches": list(map(str, g.touches)), "way": list(g.way), "why": g.why}
            for one in orders
            for g in one.order
        ],
        "trapped": [n for one in orders for n in one.trapped],
        "weight_kg": round(stand.weight_kg, 6),
        "middle_mm": [round(v, 3) for v in stand.middle],
        "feet": rings_of(stand.feet)[0] if stand.feet.geom_type == "Polygon" else [],
        "lean_deg": round(stand.lean_deg, 3),
        "stands": stand.stands,
        "hidden": [
            {"part": str(one.key), "share": round(one.share, 4), "behind": list(map(str, one.behind))}
            for one in hidden_of(job)
        ],
    }


def _body(job: Job, body: Body) -> dict[str, Any]:
    thick = true_thickness(job.thickness_mm, body)
    text = job.composition.decisions.meshes.meshes.get(body.layer)
    mesh: Mesh | None = to_height(unpacked(text), body.height_mm) if text else None
    levels: dict[int, list[tuple[int, shapely.Geometry]]] = {}
    for one in body.slices:
        if one.piece in job.pieces:
            at = (one.x_mm, one.y_mm)
            own = shapely.transform(job.pieces[one.piece].outline, lambda xy, at=at: (xy - at) * (1, -1))
            levels.setdefault(one.level, []).append((one.piece, own))
    first = -body.count * body.thickness_mm / 2
    return {
        "layer": body.layer,
        "along": body.along,
        "thickness_mm": round(body.thickness_mm, 4),
        "stock_mm": round(thick, 4),
        "height_mm": body.height_mm,
        "count": body.count,
        "volume_mm3": None if mesh is None else mesh.volume_mm3,
        "sliced_mm3": sum(own.area for parts in levels.values() for _, own in parts) * body.thickness_mm,
        "ways": [_way(way) for way in ways_at(job, body)],
        "pins": [
            {"side_mm": body.pin_mm, "x_mm": p.x_mm, "y_mm": p.y_mm, "first": p.first + 1, "last": p.last + 1}
            for p in body.pins
        ],
        "slices": [
            {
                "slice": level + 1,
                "middle_mm": round(first + (level + 0.5) * body.thickness_mm, 4),
                "pinned": sum(p.first <= level <= p.last for p in body.pins),
                "parts": [
                    {"piece": key, "number": job.pieces[key].number, "area_mm2": own.area, "rings": rings_of(own)}
                    for key, own in parts
                ],
            }
            for level, parts in sorted(levels.items())
        ],
        "pairs": _pairs(job, body),
    }


def _pairs(job: Job, body: Body) -> list[dict[str, Any]]:
    keys = [one.piece for one in body.slices if one.piece in job.pieces]
    outlines = [job.pieces[key].outline for key in keys]
    return [{"pieces": [keys[a], keys[b]], "mirrored": mirrored} for a, b, mirrored in mirrored_pairs(outlines)]


def _way(way: Way) -> dict[str, Any]:
    return {
        "along": way.along,
        "words": way.words,
        "count": way.count,
        "lost_share": way.lost,
        "step_mm": way.step_mm,
        "wood_mm2": way.wood_mm2,
        "wood_mm3": way.wood_mm3,
    }
