"""A whole work from a drawing in one go, by the same verbs that the pages use."""

from dataclasses import dataclass, replace
from typing import Any

from .. import rooms  # noqa: F401  (enters every verb)
from ..errors import BadChoice
from ..intake.body_source import Brought
from ..intake.proposal import Proposal
from ..pattern.fresh import composition_of
from ..plain import read_json
from ..practice import Practice
from ..relief.orders_read import orders_read
from ..space.block import fresh_block
from ..space.slices import Cutting, fresh
from ..work.change import applied
from ..work.composition import Composition
from ..work.verbs import edit


@dataclass(frozen=True)
class Wishes:
    """What is to be decided at once; lengths as typed. `woods`: best, owned, none, or the code of one wood for all;
    `stack`: how far each sheet reaches under the next, empty for fitted pieces."""

    woods: str = "none"
    stack: str = ""
    thickness: str = ""
    copies: str = ""
    slots: bool = False
    """Pieces are parts that stand in each other's slots."""
    depths: str = ""
    """Fields of one board and how deep each is routed, as JSON: ``[{"piece": 3, "depth": "6mm", "bit": "flat"}]``."""
    pools: str = ""
    """What is filled with resin, as JSON: ``[{"piece": 2, "colour": "#2a6f8a", "deep": ""}]``; pieces of no routed
    board become openings."""
    orders: str = ""
    """What is in front of what, as JSON: ``[{"front": 12, "behind": 9}]``."""


def made_from(proposal: Proposal, name: str, wishes: Wishes, practice: Practice | None = None) -> Composition:
    """A composition of what was found in a drawing, with these wishes fulfilled. Raises `BadChoice` or `BadLength`."""
    work = composition_of(proposal, name, practice or Practice(unit="mm"))
    if wishes.slots:
        work = _do(_do(work, "kit", [], {}), "renumber", [], {})
    if wishes.stack:
        work = _do(work, "stack", [], {"by": "colour", "front": "dark", "reach": wishes.stack})
    if wishes.woods in ("best", "owned"):
        scope = "own" if wishes.woods == "owned" else "all"
        work = _do(work, "suggest", [], {"scope": scope})
    elif wishes.woods != "none":
        if wishes.woods not in work.rack.shelf:
            raise BadChoice(f"Woods are best, owned, none, or the code of one: “{wishes.woods[:40]}” is on no shelf.")
        work = _do(work, "wood", [p.key for p in work.made], {"wood": wishes.woods})
    if wishes.thickness:
        for layer in work.layers:
            if layer.kind == "sheet":
                work = _do(work, "layer", [], {"layer_thickness": wishes.thickness}, layer.key)
            else:
                keys = [p.key for p in layer.without_openings.pieces]
                work = _do(work, "thickness", keys, {"length": wishes.thickness})
    if wishes.orders:
        work = applied(work, orders_read(work, wishes.orders))
    work = _fields(work, wishes)
    if wishes.copies:
        work = _do(work, "copies", [], {"count": wishes.copies})
    return work


def _fields(work: Composition, wishes: Wishes) -> Composition:
    """Depths and pools as they are said in files, by the numbers that pieces have."""
    number = {p.number: p.key for p in work.made}
    if wishes.depths:
        if not any(layer.kind == "routed" for layer in work.layers):
            work = _do(work, "routed", [], {})
        for row in _rows(wishes.depths):
            values = {"depth": str(row.get("depth", "")), "bit": str(row.get("bit", ""))}
            work = _do(work, "rout", [_key(number, row)], values)
    if wishes.pools:
        rows = _rows(wishes.pools)
        flat = [_key(number, row) for row in rows if work.home[_key(number, row)].kind != "routed"]
        if flat:
            work = _do(work, "opening", flat, {})
        for row in rows:
            values = {"tint": str(row.get("colour", "")), "pool_depth": str(row.get("deep", "") or "0")}
            work = _do(work, "pool", [_key(number, row)], values)
    return work


def _rows(text: str) -> list[dict[str, Any]]:
    """A list of things said of pieces. Raises `BadChoice`."""
    try:
        rows = read_json(text)
    except ValueError:
        rows = None
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise BadChoice('Depths and pools are a JSON list: [{"piece": 3, "depth": "6mm"}].')
    return rows


def _key(number: dict[int, int], row: dict[str, Any]) -> int:
    piece = row.get("piece")
    if not isinstance(piece, int) or piece not in number:
        raise BadChoice(f"No piece has the number “{str(piece)[:20]}”.")
    return number[piece]


def body_from(body: Brought, name: str, how: Cutting, wishes: Wishes, practice: Practice | None = None) -> Composition:
    """A composition of a body in slices, with these wishes fulfilled. Raises `BadChoice`."""
    work = fresh(body.mesh, name, how, practice or Practice(unit="mm"))
    return _of_wood(replace(work, intake_findings=body.findings), wishes)


def block_from(
    front: Proposal,
    side: Proposal,
    name: str,
    block_mm: float,
    wishes: Wishes,
    practice: Practice | None = None,
    height_mm: float | None = None,
    stretch: bool = False,
) -> Composition:
    """A composition of a block sawn through two faces, with these wishes fulfilled. Raises `BadChoice`."""
    work = fresh_block(front, side, name, block_mm, practice or Practice(unit="mm"), height_mm, stretch)
    return _of_wood(work, wishes)


def _of_wood(work: Composition, wishes: Wishes) -> Composition:
    """All of one wood, in so many copies."""
    if wishes.woods != "none":
        if wishes.woods not in work.rack.shelf:
            raise BadChoice(f"“{wishes.woods[:40]}” is no wood of the shelf.")
        work = _do(work, "wood", [p.key for p in work.made], {"wood": wishes.woods})
    return _do(work, "copies", [], {"count": wishes.copies}) if wishes.copies else work


def _do(work: Composition, verb: str, keys: list[int], values: dict[str, Any], layer: int = 0) -> Composition:
    return applied(work, edit(work, verb, keys, values, layer))
