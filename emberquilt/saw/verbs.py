"""Verbs that decide what is sawn when: each a pure function from what is acted on and values to an `Edit`."""

from ..errors import BadChoice
from ..work.change import Edit, decided
from ..work.register import Values, verb
from ..work.setting import of, whole_number
from ..work.view import Target
from .stacks import MOST_HIGH, together_of


@verb("saw_first", on="pieces")
def saw_first(target: Target, _values: Values) -> Edit:
    chosen = tuple(target.keys)
    rest = tuple(k for k in target.composition.decisions.saw.first if k not in chosen)
    return decided(target.composition, f"first cuts: {of(target.pieces)}", "saw", first=chosen + rest)


@verb("saw_in_turn", on="pieces")
def saw_in_turn(target: Target, _values: Values) -> Edit:
    chosen = set(target.keys)
    rest = tuple(k for k in target.composition.decisions.saw.first if k not in chosen)
    return decided(target.composition, f"cut of {of(target.pieces)} in its turn", "saw", first=rest)


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
