"""Verbs that decide heights: each a pure function from what is acted on and values to an `Edit`."""

import re
from dataclasses import replace

from ..errors import BadChoice
from ..plain import HIDDEN
from ..units import Length
from ..work.change import Edit, decided
from ..work.composition import Composition, Piece
from ..work.decisions import Base, Rails, StandOff
from ..work.parts import job_of
from ..work.register import Values, verb
from ..work.setting import length_of, number, set_fields, whole_number
from ..work.view import Target
from .hanging import HANGERS

THICKEST_MM = 200.0
MOST_SIDES = 12
MOST_WRITTEN, MOST_WRITTEN_LINES = 120, 8


@verb("thickness", on="pieces")
def set_thickness(target: Target, values: Values) -> Edit:
    mm = _length(values, target.composition, "thickness")
    if mm <= 0:
        raise BadChoice("A stock thickness must be more than zero.")
    return set_fields("thickness", target.pieces, lambda p: {"thickness_mm": mm})


@verb("shim", on="pieces")
def set_shim(target: Target, values: Values) -> Edit:
    mm = _length(values, target.composition, "shim")
    return set_fields("shim", target.pieces, lambda p: {"shim_mm": mm})


@verb("lift", on="pieces")
def lift(target: Target, values: Values) -> Edit:
    """Raise by a shim. A piece whose thickness nobody decided keeps the one it was reckoned with."""
    by = number(values.get("by_mm"), "millimetres")
    job = job_of(target.composition)

    def change(p: Piece) -> dict:
        shim = round(min(max(p.shim_mm + by, 0.0), THICKEST_MM), 3)
        known = p.thickness_mm is not None or target.composition.home[p.key].thickness_mm
        return {"shim_mm": shim, "thickness_mm": p.thickness_mm if known else job.thickness_mm[p.key]}

    return set_fields("height", target.pieces, change)


@verb("thicken", on="pieces")
def thicken(target: Target, _values: Values) -> Edit:
    """Thicker stock in place of the shim: the same height without one."""
    thickness = job_of(target.composition).thickness_mm
    return set_fields(
        "stock", target.pieces, lambda p: {"thickness_mm": round(thickness[p.key] + p.shim_mm, 3), "shim_mm": 0.0}
    )


SHEETS = re.compile(r"\s*(\d{1,2})\s*[x×]\s*(.+)")


@verb("stand_off")
def stand_off(target: Target, values: Values) -> Edit:
    """A layer stands off what lies behind it, on hidden spacers, by a length or by so many sheets (``2 x 1/8 in``);
    nothing or zero lays it down again."""
    composition, layer = target.composition, target.one_layer
    sheets = SHEETS.fullmatch(str(values.get("mm_off", "")))
    times = int(sheets[1]) if sheets else 1
    told = {"mm_off": sheets[2]} if sheets else values
    mm = round(times * length_of(told, composition, "mm_off", 0.0, THICKEST_MM, 0.0), 3)
    if mm > THICKEST_MM:
        raise BadChoice(f"A layer stands off by at most {composition.practice.say(THICKEST_MM)}.")
    if mm and layer is composition.layers[0]:
        raise BadChoice("Nothing lies behind this layer: it cannot stand off.")
    rest = tuple(s for s in composition.decisions.relief.stand_offs if s.layer != layer.key)
    label = f"{layer.name} stands off {composition.practice.say(mm)}" if mm else f"{layer.name} laid down"
    return decided(composition, label, "relief", stand_offs=(*rest, StandOff(layer.key, mm)) if mm else rest)


BUILT = {"": "mouldings", "strips": "strips", "groove": "strips with a groove"}


@verb("rails")
def rails(target: Target, values: Values) -> Edit:
    """A frame of mitred lengths round the work, four or as many as a polygon has; `rabbet` is how far its lip reaches
    over the work's edge; `built` whether its sides are mouldings, or built up of strips. Without a material it goes;
    with nothing but how it is built the frame that there is is built so."""
    composition = target.composition
    kept, built = composition.decisions.relief.rails, str(values.get("built", ""))
    if built not in BUILT:
        raise BadChoice(f"“{built[:40]}” is no way to build a frame.")
    if kept is not None and built and "material" not in values:
        return decided(composition, f"frame of {BUILT[built]}", "relief", rails=replace(kept, built=built))
    code = str(values.get("material", ""))
    if not code:
        return decided(composition, "no frame", "relief", rails=None)
    wood = composition.rack.shelf.wood(code)
    width = length_of(values, composition, "rail_width", 3.0, 300.0, 25.4)
    thick = length_of(values, composition, "rail_thickness", 1.0, THICKEST_MM, composition.practice.stock_mm)
    lip = length_of(values, composition, "rabbet", 0.0, 100.0, 0.0)
    if lip >= width:
        raise BadChoice("A lip cannot reach farther over the work than the rail is wide.")
    sides = whole_number(values.get("sides") or 4, 3, MOST_SIDES)
    made = Rails(wood.code, round(width, 3), round(thick, 3), round(lip, 3), sides, built)
    return decided(composition, f"frame of {wood.name.lower()}", "relief", rails=made)


@verb("base")
def base(target: Target, values: Values) -> Edit:
    """A board that the work stands on; without a material it goes."""
    composition = target.composition
    code = str(values.get("material", ""))
    if not code:
        return decided(composition, "no base", "relief", base=None)
    wood = composition.rack.shelf.wood(code)
    long = length_of(values, composition, "base_length", 10.0, 5000.0, composition.width_mm)
    deep = length_of(values, composition, "base_depth", 10.0, 2000.0, max(60.0, composition.height_mm / 4))
    thick = length_of(values, composition, "base_thickness", 1.0, THICKEST_MM, composition.practice.stock_mm)
    made = Base(wood.code, round(long, 3), round(deep, 3), round(thick, 3))
    return decided(composition, f"base of {wood.name.lower()}", "relief", base=made)


@verb("hanger")
def hanger(target: Target, values: Values) -> Edit:
    """How it hangs, or that it stands; nothing chosen leaves it to its width."""
    kind = str(values.get("hanger", ""))
    if kind and kind not in HANGERS:
        raise BadChoice(f"“{kind[:40]}” is no way to hang it.")
    label = HANGERS.get(kind, "hanger as usual")
    return decided(target.composition, label, "relief", hanger=kind)


@verb("back")
def back(target: Target, values: Values) -> Edit:
    """What is written on the back: name, date, a verse."""
    lines = [" ".join(line.split()) for line in str(values.get("written", "")).splitlines()]
    text = "\n".join(lines).strip()
    if len(text) > MOST_WRITTEN or text.count("\n") >= MOST_WRITTEN_LINES or HIDDEN.search(text):
        raise BadChoice(f"Up to {MOST_WRITTEN} letters in {MOST_WRITTEN_LINES} lines can stand on the back.")
    return decided(target.composition, "words on the back", "relief", back=text)


def _length(values: Values, composition: Composition, what: str) -> float:
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
