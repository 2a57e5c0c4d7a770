"""Edits a person can make, each a pure function from a composition to the change it needs."""

import datetime as dt
from collections.abc import Callable, Sequence
from typing import Any

from .change import Edit
from .composition import Composition, Piece
from .errors import BadChoice
from .findings import name_pieces
from .layering import LAYERING
from .reshaping import RESHAPING
from .units import Length
from .wood.axis import long_axis_deg
from .wood.colour import closest
from .wood.woods import wood

THICKEST_MM = 200.0


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


def _of(pieces: list[Piece]) -> str:
    return name_pieces(sorted(p.number for p in pieces), 2) if len(pieces) <= 2 else f"{len(pieces)} pieces"


def _set(label: str, pieces: list[Piece], change: Callable[[Piece], dict[str, Any]]) -> Edit:
    """An edit of those fields that really change."""
    changes = {}
    for p in pieces:
        fields = {name: value for name, value in change(p).items() if getattr(p, name) != value}
        if fields:
            changes[p.key] = fields
    return Edit(f"{label} of {_of(pieces)}", changes)


def give_wood(composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    """Give a wood (empty takes it away). A piece without an arrow gets one along its length."""
    code = str(values.get("wood", ""))
    if code:
        wood(code)
    outlines = composition.in_hand.coverage.by_key

    def change(p: Piece) -> dict:
        if p.grain_deg is None and code:
            return {"wood": code, "grain_deg": long_axis_deg(outlines[p.key])}
        return {"wood": code}

    return _set("wood", pieces, change)


def nearest_wood(composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    """Each piece gets the wood nearest to its colour in the drawing; pieces without one are left alone."""
    coloured = [p for p in pieces if p.colour]
    if not coloured:
        raise BadChoice("The drawing gives these pieces no colour to match.")
    outlines = composition.in_hand.coverage.by_key
    nearest = {colour: closest(colour, most=1)[0][0].code for colour in {p.colour for p in coloured}}

    def change(p: Piece) -> dict:
        grain = long_axis_deg(outlines[p.key]) if p.grain_deg is None else p.grain_deg
        return {"wood": nearest[p.colour], "grain_deg": grain}

    return _set("nearest wood", coloured, change)


def set_grain(_composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    degrees = _number(values.get("deg"), "degrees") % 360
    return _set("arrow", pieces, lambda p: {"grain_deg": round(degrees, 1) % 360})


def turn_grain(_composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    by = _number(values.get("by"), "degrees")
    return _set("arrow", pieces, lambda p: {"grain_deg": round(((p.grain_deg or 0.0) + by) % 360, 1) % 360})


def grain_as_beside(composition: Composition, pieces: list[Piece], _values: dict) -> Edit:
    """The arrow of the neighbour with the longest shared seam that has one."""
    layer = composition.in_hand

    def change(p: Piece) -> dict:
        seams = sorted(layer.coverage.neighbours[p.key].items(), key=lambda item: -item[1].length_mm)
        angles = [layer.by_key[k].grain_deg for k, _ in seams if layer.by_key[k].grain_deg is not None]
        return {"grain_deg": angles[0]} if angles else {}

    return _set("arrow", pieces, change)


def grain_along(composition: Composition, pieces: list[Piece], _values: dict) -> Edit:
    outlines = composition.in_hand.coverage.by_key
    return _set("arrow", pieces, lambda p: {"grain_deg": long_axis_deg(outlines[p.key])})


def set_thickness(composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    mm = _length(values, composition, "thickness")
    if mm <= 0:
        raise BadChoice("A stock thickness must be more than zero.")
    return _set("thickness", pieces, lambda p: {"thickness_mm": mm})


def set_shim(composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    mm = _length(values, composition, "shim")
    return _set("shim", pieces, lambda p: {"shim_mm": mm})


def lift(composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    """Raise by a shim; a piece without stock thickness gets the usual stock."""
    by = _number(values.get("by_mm"), "millimetres")
    usual = composition.practice.stock_mm

    def change(p: Piece) -> dict:
        shim = round(min(max(p.shim_mm + by, 0.0), THICKEST_MM), 3)
        return {"shim_mm": shim, "thickness_mm": usual if p.thickness_mm is None else p.thickness_mm}

    return _set("height", pieces, change)


def thicken(composition: Composition, pieces: list[Piece], _values: dict) -> Edit:
    """Thicker stock in place of the shim: the same height without one."""
    usual = composition.practice.stock_mm
    return _set(
        "stock", pieces, lambda p: {"thickness_mm": round((p.thickness_mm or usual) + p.shim_mm, 3), "shim_mm": 0.0}
    )


def name_part(_composition: Composition, pieces: list[Piece], values: dict) -> Edit:
    name = " ".join(str(values.get("part", "")).split())[:80]
    return _set("part", pieces, lambda p: {"part": name})


def saw_first(composition: Composition, pieces: list[Piece], _values: dict) -> Edit:
    before = [k for k in composition.pins.get("saw_first", []) if k not in {p.key for p in pieces}]
    return _pin(composition, f"first cuts: {_of(pieces)}", saw_first=[p.key for p in pieces] + before)


def saw_in_turn(composition: Composition, pieces: list[Piece], _values: dict) -> Edit:
    rest = [k for k in composition.pins.get("saw_first", []) if k not in {p.key for p in pieces}]
    return _pin(composition, f"cut of {_of(pieces)} in its turn", saw_first=rest)


def set_anchor(composition: Composition, pieces: list[Piece], _values: dict) -> Edit:
    if len(pieces) != 1:
        raise BadChoice("An anchor is one piece. Choose one.")
    return _pin(composition, f"anchor on {pieces[0].number}", anchor=pieces[0].key)


def accept(composition: Composition, _pieces: list[Piece], values: dict) -> Edit:
    """Remember that a finding was seen and is all right, with its reason."""
    finding = str(values.get("finding", ""))[:300]
    if not finding:
        raise BadChoice("No finding was named.")
    reason = str(values.get("reason", "")).strip()[:400] or "accepted as it is"
    return _pin(composition, "a finding accepted", accepted=composition.accepted | {finding: reason})


def open_again(composition: Composition, _pieces: list[Piece], values: dict) -> Edit:
    rest = {k: v for k, v in composition.accepted.items() if k != values.get("finding")}
    return _pin(composition, "a finding opened again", accepted=rest)


def set_start(composition: Composition, _pieces: list[Piece], values: dict) -> Edit:
    try:
        day = dt.date.fromisoformat(str(values.get("start", "")))
    except ValueError:
        raise BadChoice("Type the first day as year-month-day, for example 2026-12-01.") from None
    return _pin(composition, f"start on {day:%d %b}", start=day.isoformat())


def _pin(composition: Composition, label: str, **pins) -> Edit:
    changed = composition.pins | pins
    return Edit(label, {}, {"pins": changed} if changed != composition.pins else {})


def set_practice(composition: Composition, _pieces: list[Piece], values: dict) -> Edit:
    """Change one or several of the composition's own practices; lengths may be typed."""
    practice = composition.practice
    typed = {
        k: (Length.parse(str(v), practice.unit).mm if k.endswith("_mm") and isinstance(v, str) else v)
        for k, v in values.items()
    }
    changed = practice.changed(**typed).as_dict()
    words = ", ".join(name.removesuffix("_mm").replace("_", " ") for name in values)
    return Edit(f"practice: {words}"[:80], {}, {"practice": changed} if changed != practice.as_dict() else {})


def rename(composition: Composition, _pieces: list[Piece], values: dict) -> Edit:
    name = " ".join(str(values.get("name", "")).split())[:120]
    if not name:
        raise BadChoice("Give the picture a name.")
    return Edit("name", {}, {"name": name} if name != composition.name else {})


def _number(value: Any, what: str) -> float:
    try:
        number = float(str(value).replace("°", "").replace(",", ".").strip())
    except ValueError:
        raise BadChoice(f"“{value}” is not a number of {what}.") from None
    if not abs(number) < 1e6:
        raise BadChoice(f"“{value}” is not a number of {what}.")
    return number


def _length(values: dict, composition: Composition, what: str) -> float:
    """A length given in mm by a command, or typed by a person in the shop's unit."""
    if "mm" in values:
        mm = _number(values["mm"], "millimetres")
    else:
        text = str(values.get("length", "")).strip()
        mm = Length.parse(text, composition.practice.unit).mm
    if not 0 <= mm <= THICKEST_MM:
        raise BadChoice(f"A {what} of {mm:g} mm cannot be right: up to {THICKEST_MM:g} mm can be planned.")
    return round(mm, 3)


PIECE_VERBS: dict[str, Verb] = {
    "wood": give_wood,
    "nearest": nearest_wood,
    "grain": set_grain,
    "turn": turn_grain,
    "beside": grain_as_beside,
    "along": grain_along,
    "thickness": set_thickness,
    "shim": set_shim,
    "lift": lift,
    "thicken": thicken,
    "part": name_part,
    "saw_first": saw_first,
    "saw_in_turn": saw_in_turn,
    "anchor": set_anchor,
}
VERBS: dict[str, Verb] = (
    PIECE_VERBS
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
