"""Verbs that decide what is sawn when: each a pure function from what is acted on and values to an `Edit`."""

from ..errors import BadChoice
from ..rack.blades import blades_of
from ..work.change import Edit, decided
from ..work.register import Values, verb
from ..work.setting import length_of, number, of, whole_number
from ..work.view import Target
from .kerf import off_square_deg
from .lines import next_corner, on_outline
from .stacks import MOST_HIGH, together_of

WAYS = ("clockwise", "counter-clockwise")


@verb("saw_first", on="pieces")
def saw_first(target: Target, _values: Values) -> Edit:
    chosen = tuple(target.keys)
    saw = target.composition.decisions.saw
    rest = tuple(k for k in saw.first if k not in chosen)
    last = tuple(k for k in saw.last if k not in chosen)
    return decided(target.composition, f"first cuts: {of(target.pieces)}", "saw", first=chosen + rest, last=last)


@verb("saw_in_turn", on="pieces")
def saw_in_turn(target: Target, _values: Values) -> Edit:
    chosen = set(target.keys)
    saw = target.composition.decisions.saw
    first, last = (tuple(k for k in keys if k not in chosen) for keys in (saw.first, saw.last))
    return decided(target.composition, f"cut of {of(target.pieces)} in its turn", "saw", first=first, last=last)


@verb("saw_last", on="pieces")
def saw_last(target: Target, _values: Values) -> Edit:
    saw = target.composition.decisions.saw
    chosen = tuple(target.keys)
    first = tuple(k for k in saw.first if k not in chosen)
    last = tuple(k for k in saw.last if k not in chosen) + chosen
    return decided(target.composition, f"last cuts: {of(target.pieces)}", "saw", first=first, last=last)


@verb("saw_start", on="pieces")
def saw_start(target: Target, values: Values) -> Edit:
    """Where the outline of a piece is begun: at a place in mm (`x`, `y`), or at the next corner round it; `how` auto
    leaves it to the plan."""
    composition = target.composition
    starts = dict(composition.decisions.saw.starts)
    if values.get("how") == "auto":
        starts = {key: point for key, point in starts.items() if key not in target.keys}
        return decided(composition, f"start of {of(target.pieces)} as planned", "saw", starts=starts)
    for p in target.made:
        if values.get("x") and values.get("y"):
            wish = number(values["x"], "millimetres"), number(values["y"], "millimetres")
            at = on_outline(composition.home[p.key].coverage.by_key[p.key], wish)
        else:
            at = next_corner(composition.home[p.key].coverage.by_key[p.key], starts.get(p.key))
        starts[p.key] = (round(at[0], 2), round(at[1], 2))
    return decided(composition, f"start of {of(target.pieces)}", "saw", starts=starts)


@verb("saw_way", on="pieces")
def saw_way(target: Target, values: Values) -> Edit:
    """Which way a piece is gone round, as seen from above; nothing said turns it round."""
    composition = target.composition
    ways = dict(composition.decisions.saw.ways)
    wanted = str(values.get("way", ""))
    if wanted and wanted not in (*WAYS, "both", "auto"):
        raise BadChoice("One goes round a piece clockwise, counter-clockwise, or both ways from its start.")
    for p in target.made:
        if p.key in composition.decisions.relief.bevels:
            raise BadChoice(f"{p.number} is bevelled: which way it is sawn decides whether it rises or sinks.")
        if wanted == "auto":
            ways.pop(p.key, None)
        else:
            ways[p.key] = wanted or WAYS[ways.get(p.key, WAYS[0]) == WAYS[0]]
    return decided(composition, f"way round {of(target.pieces)}", "saw", ways=ways)


@verb("saw_blade", on="pieces")
def saw_blade(target: Target, values: Values) -> Edit:
    """The blade that saws the chosen pieces, by its number; nothing typed leaves it to the school."""
    composition = target.composition
    wanted = str(values.get("blade", "")).strip()
    table = blades_of(composition.practice)
    if wanted and wanted not in {blade.no for blade in table}:
        raise BadChoice(f"There is no blade No. {wanted[:8]} here: {', '.join(blade.no for blade in table)}.")
    blades = {key: no for key, no in composition.decisions.saw.blades.items() if key not in target.keys}
    spiral = tuple(key for key in composition.decisions.saw.spiral if key not in target.keys)
    if wanted:
        blades |= dict.fromkeys(target.keys, wanted)
    return decided(composition, f"blade for {of(target.pieces)}", "saw", blades=blades, spiral=spiral)


@verb("saw_spiral", on="pieces")
def saw_spiral(target: Target, values: Values) -> Edit:
    """A spiral blade saws the chosen pieces, that cannot be turned; or no more (`keep` no)."""
    composition = target.composition
    rest = tuple(key for key in composition.decisions.saw.spiral if key not in target.keys)
    if values.get("keep") == "no":
        return decided(composition, f"no spiral blade for {of(target.pieces)}", "saw", spiral=rest)
    spiral = (*rest, *target.keys)
    return decided(composition, f"spiral blade for {of(target.pieces)}", "saw", spiral=spiral)


@verb("square_check")
def square_check(target: Target, values: Values) -> Edit:
    """By how much the blade is off square, from a kerf in a block of a `thickness`, turned round to the back of the
    blade: the `gap` by which it misses. Nothing typed, or no gap, is square."""
    composition = target.composition
    gap = 0.0
    if str(values.get("gap", "")).strip(" 0.,"):
        gap = length_of(values, composition, "gap", 0.0, 20.0)
    thick = length_of(values, composition, "thickness", 1.0, 120.0) if values.get("thickness") else 19.05
    degrees = round(off_square_deg(gap, thick), 2)
    practice = composition.practice.changed(square_deg=degrees)
    words = f"blade {degrees:g}° off square" if degrees else "blade square"
    same = practice == composition.practice
    return Edit(words, {}, {} if same else {"practice": practice.as_dict()})


@verb("stack_layers")
def stack_layers(target: Target, values: Values) -> Edit:
    """Layers that share their outlines are sawn as one stack, or each by itself again (`keep` no)."""
    composition = target.composition
    offers = together_of(composition)
    mine = next((offer for offer in offers if target.layer.key in offer), None)
    if mine is None:
        raise BadChoice("No other layer has the same outlines as this one: there is nothing to stack it with.")
    rest = tuple(s for s in composition.decisions.saw.stacks if not set(s) & set(mine))
    if values.get("keep") == "no":
        return decided(composition, "layers sawn one by one", "saw", stacks=rest)
    return decided(composition, f"{len(mine)} layers sawn as one stack", "saw", stacks=(*rest, mine))


@verb("stack_copies")
def stack_copies(target: Target, values: Values) -> Edit:
    """So many copies lie on each other and are sawn at once."""
    high = whole_number(values.get("high"), 1, MOST_HIGH)
    return decided(
        target.composition, f"{high} copies sawn at once" if high > 1 else "copies sawn one by one", "saw", high=high
    )
