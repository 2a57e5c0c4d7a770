"""Edits a person can make, each a pure function from a composition to the change it needs."""

from collections.abc import Callable, Sequence
from typing import Any

from ..errors import BadChoice
from ..hours import day_of
from ..layers.verbs import LAYERING
from ..pattern.verbs import RESHAPING
from ..units import Length
from ..wood.grain_verbs import GRAINING
from ..wood.verbs import ON_ALL, ON_PIECES
from .change import Edit
from .composition import Composition, Piece
from .setting import number, of, pin, set_fields

THICKEST_MM = 200.0
MOST_ID = 600
"""Letters of a finding's id: forty keys of seven digits, a place and a layer."""


Verb = Callable[..., Edit]


def edit(composition: Composition, verb: str, keys: Sequence[int], values: dict[str, Any]) -> Edit:
    """The changes that a verb with its values makes. Raises `BadChoice` or `BadLength` and then changes nothing."""
    if verb not in VERBS:
        raise BadChoice(f"There is no verb “{verb}”.")
    layer = composition.whole
    missing = [key for key in keys if key not in layer.by_key]
    if missing:
        raise BadChoice("A chosen piece is no longer in this picture. Choose again.")
    pieces = [layer.by_key[key] for key in keys]
    if verb in PIECE_VERBS:
        pieces = [piece for piece in pieces if not piece.opening]
        if not pieces:
            raise BadChoice("Choose a piece first: click it on the picture.")
    return VERBS[verb](composition, pieces, values)


def set_thickness(composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    mm = _length(values, composition, "thickness")
    if mm <= 0:
        raise BadChoice("A stock thickness must be more than zero.")
    return set_fields("thickness", pieces, lambda p: {"thickness_mm": mm})


def set_shim(composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    mm = _length(values, composition, "shim")
    return set_fields("shim", pieces, lambda p: {"shim_mm": mm})


def lift(composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    """Raise by a shim; a piece without stock thickness gets the usual stock."""
    by = number(values.get("by_mm"), "millimetres")
    usual = composition.practice.stock_mm

    def change(p: Piece) -> dict:
        shim = round(min(max(p.shim_mm + by, 0.0), THICKEST_MM), 3)
        return {"shim_mm": shim, "thickness_mm": usual if p.thickness_mm is None else p.thickness_mm}

    return set_fields("height", pieces, change)


def thicken(composition: Composition, pieces: list[Piece], _values: dict) -> Edit:
    """Thicker stock in place of the shim: the same height without one."""
    usual = composition.practice.stock_mm
    return set_fields(
        "stock", pieces, lambda p: {"thickness_mm": round((p.thickness_mm or usual) + p.shim_mm, 3), "shim_mm": 0.0}
    )


def name_part(_composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    name = " ".join(str(values.get("part", "")).split())[:80]
    return set_fields("part", pieces, lambda p: {"part": name})


def saw_first(composition: Composition, pieces: list[Piece], _values: dict) -> Edit:
    before = [k for k in composition.pins.get("saw_first", []) if k not in {p.key for p in pieces}]
    return pin(composition, f"first cuts: {of(pieces)}", saw_first=[p.key for p in pieces] + before)


def saw_in_turn(composition: Composition, pieces: list[Piece], _values: dict) -> Edit:
    rest = [k for k in composition.pins.get("saw_first", []) if k not in {p.key for p in pieces}]
    return pin(composition, f"cut of {of(pieces)} in its turn", saw_first=rest)


def set_anchor(composition: Composition, pieces: list[Piece], _values: dict) -> Edit:
    if len(pieces) != 1:
        raise BadChoice("An anchor is one piece. Choose one.")
    return pin(composition, f"anchor on {pieces[0].number}", anchor=pieces[0].key)


def accept(composition: Composition, _pieces: list[Piece], values: dict) -> Edit:
    """Remember that a finding was seen and is all right, with its reason."""
    finding = str(values.get("finding", ""))[:MOST_ID]
    if not finding:
        raise BadChoice("No finding was named.")
    reason = str(values.get("reason", "")).strip()[:400] or "accepted as it is"
    return pin(composition, "a finding accepted", accepted=composition.accepted | {finding: reason})


def open_again(composition: Composition, _pieces: list[Piece], values: dict) -> Edit:
    rest = {k: v for k, v in composition.accepted.items() if k != values.get("finding")}
    return pin(composition, "a finding opened again", accepted=rest)


def set_start(composition: Composition, _pieces: list[Piece], values: dict) -> Edit:
    day = day_of(str(values.get("start", "")))
    return pin(composition, f"start on {day:%d %b}", start=day.isoformat())


def set_practice(composition: Composition, _pieces: list[Piece], values: dict) -> Edit:
    """Change one or several of the composition's own practices; lengths may be typed."""
    practice = composition.practice
    changed = practice.changed(**practice.typed(**values)).as_dict()
    words = ", ".join(name.removesuffix("_mm").replace("_", " ") for name in values)
    return Edit(f"practice: {words}"[:80], {}, {"practice": changed} if changed != practice.as_dict() else {})


def rename(composition: Composition, _pieces: list[Piece], values: dict) -> Edit:
    name = " ".join(str(values.get("name", "")).split())[:120]
    if not name:
        raise BadChoice("Give the picture a name.")
    return Edit("name", {}, {"name": name} if name != composition.name else {})


def _length(values: dict, composition: Composition, what: str) -> float:
    """A length given in mm by a command, or typed by a person in the shop's unit."""
    if "mm" in values:
        mm = number(values["mm"], "millimetres")
    else:
        text = str(values.get("length", "")).strip()
        mm = Length.parse(text, composition.practice.unit).mm
    if not 0 <= mm <= THICKEST_MM:
        say = composition.practice.say
        raise BadChoice(f"A {what} of {say(mm)} cannot be right: up to {say(THICKEST_MM)} can be planned.")
    return round(mm, 3)


OWN: dict[str, Verb] = {
    "thickness": set_thickness,
    "shim": set_shim,
    "lift": lift,
    "thicken": thicken,
    "part": name_part,
    "saw_first": saw_first,
    "saw_in_turn": saw_in_turn,
    "anchor": set_anchor,
}
PIECE_VERBS: dict[str, Verb] = ON_PIECES | GRAINING | OWN
VERBS: dict[str, Verb] = (
    PIECE_VERBS
    | ON_ALL
    | RESHAPING
    | LAYERING
    | {
        "accept": accept,
        "open_again": open_again,
        "start": set_start,
        "practice": set_practice,
        "rename": rename,
    }
)
