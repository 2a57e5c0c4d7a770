"""What a hand does to fields: routed from one board, how deep, with what bit, filled with what."""

import re
from dataclasses import replace

import shapely

from ..colour import lab_of
from ..errors import BadChoice
from ..work.change import Edit, decided, with_decisions
from ..work.lowered import BITS, Pool
from ..work.register import Values, verb
from ..work.setting import length_of
from ..work.view import Target
from .routing import LEFT_BELOW_MM

MOST_LEVELS = 12
COLOUR = re.compile(r"#[0-9a-fA-F]{6}")


@verb("routed")
def routed(target: Target, values: Values) -> Edit:
    """A layer's pieces as fields of one board; or pieces of their own again (`off`)."""
    composition, layer = target.composition, target.one_layer
    if values.get("off") == "yes":
        if layer.kind != "routed":
            raise BadChoice("These pieces are no fields of a board.")
        now = composition.decisions
        mine = set(layer.by_key)
        kept = {key: mm for key, mm in now.fields.depths.items() if key not in mine}
        then = replace(now, fields=replace(now.fields, depths=kept))
        kind = "sheet" if layer.openings else "mosaic"
        return Edit("pieces of their own", {}, with_decisions({}, now, then), layers={layer.key: {"kind": kind}})
    if layer.kind == "routed":
        raise BadChoice("These are fields of one board already.")
    if layer.kind in ("kit", "face"):
        raise BadChoice("Parts that stand are not routed into one board.")
    if not layer.without_openings.pieces:
        raise BadChoice("This layer holds only openings.")
    if len(shapely.get_parts(layer.without_openings.coverage.outside)) > 1:
        raise BadChoice("These pieces do not hang together: one board cannot be all of them.")
    own = {p.key: {"thickness_mm": None, "shim_mm": 0.0} for p in layer.pieces if p.thickness_mm or p.shim_mm}
    given = [p.thickness_mm for p in layer.without_openings.pieces if p.thickness_mm]
    thick = max(given, default=0.0) or layer.thickness_mm or composition.practice.stock_mm
    fields = {"kind": "routed", "thickness_mm": thick}
    return Edit("fields of one board", own, layers={layer.key: fields})


@verb("rout", on="pieces")
def rout(target: Target, values: Values) -> Edit:
    """How deep the chosen fields are routed, and with what kind of bit; nothing leaves them at the face."""
    composition, keys = target.composition, [p.key for p in target.made]
    home = composition.home
    if any(home[key].kind != "routed" for key in keys):
        raise BadChoice("These pieces are no fields of a board. Say first that they are routed from one.")
    now = composition.decisions.fields
    depths, bits = dict(now.depths), dict(now.bits)
    if "by_mm" in values:
        steps = {key: depths.get(key, 0.0) + _step(values) for key in keys}
    elif "depth" in values:
        mm = length_of(values, composition, "depth", 0.0, 200.0, 0.0)
        steps = dict.fromkeys(keys, mm)
    else:
        steps = {key: depths.get(key, 0.0) for key in keys}
    say = composition.practice.say
    for key, mm in steps.items():
        thick = home[key].thickness_mm or composition.practice.stock_mm
        if mm > thick - 0.2:
            raise BadChoice(
                f"{say(mm)} goes through: the board is {say(thick)} thick. Leave at least {say(LEFT_BELOW_MM)} below."
            )
        if mm > 0:
            depths[key] = round(mm, 3)
        else:
            depths.pop(key, None)
    bit = str(values.get("bit", ""))
    if bit:
        if bit not in (*BITS, "any"):
            raise BadChoice("A field is routed with an end mill, a V-bit or a ball nose.")
        for key in keys:
            if bit == "any":
                bits.pop(key, None)
            else:
                bits[key] = bit
    return decided(
        composition, f"depth of {len(keys)} field{'s' if len(keys) > 1 else ''}", "fields", depths=depths, bits=bits
    )


def _step(values: Values) -> float:
    try:
        return max(-100.0, min(100.0, float(values["by_mm"])))
    except (TypeError, ValueError):
        raise BadChoice("That is no step in millimetres.") from None


@verb("rout_tones")
def rout_tones(target: Target, values: Values) -> Edit:
    """All fields of a board by how light their colour is: the darkest deepest, or the lightest, in so many levels."""
    composition, layer = target.composition, target.one_layer
    if layer.kind != "routed":
        raise BadChoice("These pieces are no fields of a board. Say first that they are routed from one.")
    deepest = length_of(values, composition, "deepest", 0.1, 200.0, 6.0)
    thick = layer.thickness_mm or composition.practice.stock_mm
    if deepest > thick - 0.2:
        raise BadChoice(f"{composition.practice.say(deepest)} goes through the board.")
    text = str(values.get("levels") or "4")
    if not text.isdecimal() or not 2 <= int(text[:3]) <= MOST_LEVELS:
        raise BadChoice(f"Two to {MOST_LEVELS} levels can be routed.")
    levels = int(text)
    light = {p.key: lab_of(p.colour)[0] for p in layer.without_openings.pieces if p.colour}
    if len(set(light.values())) < 2:
        raise BadChoice("These fields have no two colours: their depths cannot follow from tones.")
    low, high = min(light.values()), max(light.values())
    depths = dict(composition.decisions.fields.depths)
    for key, value in light.items():
        share = (value - low) / (high - low)
        share = share if values.get("deep") == "light" else 1.0 - share
        level = min(int(share * levels), levels - 1)
        mm = round(deepest * level / (levels - 1), 3)
        depths.pop(key, None)
        if mm > 0:
            depths[key] = mm
    return decided(composition, f"depths by tone, {levels} levels", "fields", depths=depths)


@verb("pool")
def pool(target: Target, values: Values) -> Edit:
    """The chosen openings, or lowered fields, are filled with resin of a colour; or not any more (`off`)."""
    composition = target.composition
    chosen = [p for p in target.pieces if p.opening or composition.home[p.key].kind == "routed"]
    if not chosen:
        raise BadChoice("Choose openings or routed fields to fill.")
    pools = dict(composition.decisions.fields.pools)
    if values.get("off") == "yes":
        for p in chosen:
            pools.pop(p.key, None)
        return decided(composition, "no resin", "fields", pools=pools)
    colour = str(values.get("tint") or "#2a6f8a").lower()
    if not COLOUR.fullmatch(colour):
        raise BadChoice("That is no colour.")
    deep = length_of(values, composition, "pool_depth", 0.0, 200.0, 0.0)
    pools |= {p.key: Pool(colour, round(deep, 3)) for p in chosen}
    return decided(composition, f"resin in {len(chosen)} pool{'s' if len(chosen) > 1 else ''}", "fields", pools=pools)
