"""What the Pattern station says."""

from emberquilt.work.composition import LAYER_KINDS
from workshop.stations.desk import Desk, by_part

PRACTICE = ("unit", "denominator", "paper", "ruler_across_mm", "ruler_down_mm", "throat_mm")


def context(desk: Desk) -> dict:
    layer = desk.layer
    return {
        "by_part": by_part(desk),
        "layers": desk.composition.layers,
        "layer": layer,
        "made": layer.without_openings.pieces if not desk.view.stacked else desk.pieces,
        "layer_kinds": LAYER_KINDS,
        "sheets": [wood for wood in desk.composition.rack.shelf.values() if wood.kind == "sheet"],
        "coloured": any(p.colour for p in desk.pieces),
        "fitted": any(one.kind in ("mosaic", "overlay") for one in desk.view.layers(desk.composition)),
        "pool": desk.composition.decisions.fields.pools.get(desk.chosen.one.key)
        if desk.chosen and desk.chosen.one
        else None,
        "stand_off_mm": desk.composition.decisions.relief.stand_off_mm(layer.key),
    }
