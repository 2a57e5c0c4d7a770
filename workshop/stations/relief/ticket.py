"""What the Relief station says."""

from emberquilt.keys import runs
from emberquilt.wood.contrast import STEP_MM
from workshop.stations.desk import Desk

PRACTICE = ("stock_mm", "shim_inset_mm", "shim_material")


def context(desk: Desk) -> dict:
    relief, composition = desk.plan.relief, desk.composition
    one = desk.chosen.one if desk.chosen else None
    return {
        "relief": relief,
        "step_mm": STEP_MM,
        "step_down_mm": -STEP_MM,
        "all_seen": runs(p.key for p in desk.pieces),
        "height_mm": desk.job.lifted_mm(one) if one else None,
        "rests_mm": desk.job.rests_mm[one.key] - desk.job.ground_mm if one else None,
        "layer": desk.layer,
        "can_stand_off": desk.layer is not composition.layers[0],
        "stand_off_mm": composition.decisions.relief.stand_off_mm(desk.layer.key),
        "spacers": sum(1 for part in desk.job.stands if part.id.layer == desk.layer.key),
        "rails": composition.decisions.relief.rails,
        "base": composition.decisions.relief.base,
    }
