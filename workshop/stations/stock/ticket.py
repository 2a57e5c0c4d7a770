"""What the Stock station says."""

from emberquilt.keys import runs
from emberquilt.saw.copies import MOST_COPIES
from emberquilt.stock.parts_list import material_name, parts_list
from workshop.stations.desk import Desk

PRACTICE = ("board_use", "backer_material", "backer_mm")
MOST_LINES = 60


def context(desk: Desk) -> dict:
    plan, composition, shelf = desk.plan, desk.composition, desk.composition.rack.shelf
    chosen = {str(p.key) for p in desk.chosen.pieces} if desk.chosen else set()
    largest = max((n.rough_mm2 for n in plan.needs), default=1.0)
    needs = [
        {
            "need": n,
            "name": material_name(shelf, n.material),
            "keys": runs(n.pieces),
            "chosen": bool(chosen & set(n.parts)),
            "grow": 1 + round(19 * n.rough_mm2 / largest),
        }
        for n in plan.needs
    ]
    shown = next((n for n in needs if n["chosen"]), None) or (needs[0] if needs else None)
    lines = _lines(desk)
    return {
        "by_board": _by_board(desk, shown["need"].parts if shown and shown["chosen"] else tuple(desk.job.by_key)),
        "needs": needs,
        "shown_need": shown,
        "paper": max(plan.paper.values(), default=0),
        "paper_bound": MOST_COPIES,
        "lines": lines[:MOST_LINES],
        "more_lines": max(0, len(lines) - MOST_LINES),
        "parts_count": sum(line["line"].count for line in lines),
        "weight_kg": plan.relief.weight_kg,
        "copies": composition.decisions.whole.copies,
    }


def _by_board(desk: Desk, parts: tuple[str, ...]) -> list[tuple[str, int, str]]:
    """Boards that some of these parts lie on, with the keys of the pieces."""
    here, found = set(parts), {}
    for key, place in desk.composition.placements.items():
        name = key.partition("/")[0]
        if name in here and name.isdecimal():
            found.setdefault(place.board, []).append(int(name))
    return [(board, len(keys), runs(set(keys))) for board, keys in sorted(found.items())]


def _lines(desk: Desk) -> list[dict]:
    """The parts list, with what is chosen told."""
    shelf = desk.composition.rack.shelf
    layers = {layer.key: layer.name for layer in desk.composition.layers}
    chosen = {p.key for p in desk.chosen.pieces} if desk.chosen else set()
    return [
        {
            "line": line,
            "material": material_name(shelf, line.material),
            "layer": layers.get(line.layer, ""),
            "keys": runs(line.pieces),
            "chosen": bool(chosen & set(line.pieces)),
        }
        for line in parts_list(desk.job)
    ]
