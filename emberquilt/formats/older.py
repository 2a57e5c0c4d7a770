"""Documents of versions 1 to 8 as those of today: what was pinned loosely is decided, boards stand beside the
pieces."""

from typing import Any

from ..work.decisions import from_pins

LAST_WITHOUT_DEPTH = 4


def modern(document: dict[str, Any]) -> dict[str, Any]:
    """A document of an earlier version, once it has been checked, as one of today. Versions 5 to 9 only added:
    to what can be decided about depth, to where parts lie on boards, to what is decided at the saw, at fit and glue,
    and of parts that stand in space."""
    if document["version"] >= LAST_WITHOUT_DEPTH:
        return document | {"version": 9}
    rest = {name: value for name, value in document.items() if name not in ("pins", "layers", "log")}
    layers, placements = [], {}
    for layer in document["layers"]:
        pieces = []
        for piece in layer["pieces"]:
            if piece.get("board"):
                placements[str(piece["key"])] = placement_of(piece)
            pieces.append({name: value for name, value in piece.items() if not name.startswith("board")})
        layers.append(layer | {"pieces": pieces})
    log = [
        {"part": str(event["piece"])} | {n: v for n, v in event.items() if n != "piece"} for event in document["log"]
    ]
    decided = from_pins(document["pins"], usual_layer(document["layers"])).as_dict()
    return rest | {"version": 9, "layers": layers, "log": log, "decisions": decided, "placements": placements}


def placement_of(piece: dict[str, Any]) -> dict[str, Any]:
    """Where a piece came from, as it stood among its fields."""
    return {"board": piece["board"], "x_mm": piece.get("board_x_mm"), "y_mm": piece.get("board_y_mm")}


def usual_layer(layers: list[dict[str, Any]]) -> int:
    """The layer that decisions without one were about: the front one of fitted pieces, or the front one."""
    front_first = layers[::-1]
    wooden = [one for one in front_first if any(not p.get("opening") for p in one["pieces"])] or front_first
    found = next((one for one in wooden if one["kind"] == "mosaic"), wooden[0] if wooden else None)
    return found["key"] if found else 0
