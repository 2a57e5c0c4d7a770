"""Verbs that say what stands in front of what, and how high a piece is to be."""

import json
from collections.abc import Iterable

from ..errors import BadChoice
from ..keys import keys_in, runs
from ..work.change import Edit, decided
from ..work.composition import Composition, Piece
from ..work.decisions import Order
from ..work.parts import job_of
from ..work.register import Values, verb
from ..work.setting import length_of, named, number, of, set_fields
from ..work.view import Target
from .suggested import suggested_orders

MOST_ORDERS = 20_000
LEAST_TOP_MM, MOST_TOP_MM = 0.5, 300.0


@verb("order", on="pieces")
def order(target: Target, values: Values) -> Edit:
    """The chosen pieces stand in front of those under `behind`, or are `level` with them; `whole`: each stands for all
    of its part. What was said of the same pieces before goes."""
    composition = target.composition
    other = _pieces(composition, values.get("behind"), values.get("numbers"))
    front = list(target.made)
    if values.get("whole") == "yes":
        front, other = _whole(composition, front), _whole(composition, other)
        both = {p.key for p in front} & {p.key for p in other}
        if both:
            raise BadChoice("A part cannot stand in front of itself. Choose a piece of another part.")
    level = values.get("level") == "yes"
    other = [p for p in other if p.key not in {one.key for one in front}] if level else other
    if not other:
        raise BadChoice("Choose what it stands in front of: another piece.")
    if {p.key for p in front} & {p.key for p in other}:
        raise BadChoice("A piece cannot stand in front of itself.")
    made = Order(runs(p.key for p in front), runs(p.key for p in other), level)
    return _with(composition, [made], f"{_spoken(front)} {'level with' if level else 'in front of'} {_spoken(other)}")


def _with(composition: Composition, made: Iterable[Order], label: str) -> Edit:
    """Orders said last, in place of what was said of the same pieces."""
    new = list(made)
    about = {frozenset((one.front, one.behind)) for one in new}
    relief = composition.decisions.relief
    kept = [one for one in relief.orders if frozenset((one.front, one.behind)) not in about]
    if len(kept) + len(new) > MOST_ORDERS:
        raise BadChoice(f"A picture can hold up to {MOST_ORDERS} orders. Say some of whole parts.")
    refused = tuple(one for one in relief.refused if frozenset((one.front, one.behind)) not in about)
    return decided(composition, label[:110], "relief", orders=(*kept, *new), refused=refused)


def _spoken(pieces: list[Piece]) -> str:
    """A whole part by its name, pieces by their numbers."""
    parts = {p.part for p in pieces}
    return parts.pop() if len(pieces) > 1 and len(parts) == 1 and "" not in parts else of(pieces)


def _pieces(composition: Composition, text, numbers=None) -> list[Piece]:
    """Pieces by their keys, or by their numbers as somebody typed them."""
    if numbers:
        return _numbered(composition, str(numbers))
    try:
        keys = keys_in(str(text or ""))
    except ValueError:
        raise BadChoice("The pieces behind could not be read. Choose them again.") from None
    missing = [key for key in keys if key not in composition.by_key]
    if missing:
        raise BadChoice("A piece behind is no longer in this picture. Choose again.")
    return [p for key in keys if not (p := composition.by_key[key]).opening]


def _numbered(composition: Composition, text: str) -> list[Piece]:
    try:
        wanted = set(keys_in(text.replace("and", ",")))
    except ValueError:
        raise BadChoice(f"“{text[:40]}” are no piece numbers: type them as 36, 56.") from None
    found = [p for p in composition.made if p.number in wanted]
    missing = wanted - {p.number for p in found}
    if missing:
        raise BadChoice(f"There is no piece {min(missing)} in this picture.")
    return found


def _whole(composition: Composition, pieces: list[Piece]) -> list[Piece]:
    """All pieces of the parts that these belong to; one of no part stands for itself."""
    parts = {p.part for p in pieces} - {""}
    keys = {p.key for p in pieces}
    return [p for p in composition.made if p.key in keys or p.part in parts]


@verb("drop_order")
def drop_order(target: Target, values: Values) -> Edit:
    """Orders are unsaid: those at these places in the list, or with none named all that speak of the chosen pieces."""
    composition = target.composition
    orders = composition.decisions.relief.orders
    if values.get("orders") not in (None, ""):
        gone = _places(values["orders"], len(orders))
    else:
        chosen = {p.key for p in target.pieces}
        gone = {i for i, one in enumerate(orders) if chosen & {*keys_in(one.front), *keys_in(one.behind)}}
    if not gone:
        raise BadChoice("Nothing was said of these pieces.")
    left = tuple(one for i, one in enumerate(orders) if i not in gone)
    return decided(
        composition, "an order dropped" if len(gone) == 1 else f"{len(gone)} orders dropped", "relief", orders=left
    )


def _places(text, count: int) -> set[int]:
    try:
        places = {int(one) for one in json.loads(str(text))} if str(text).startswith("[") else {int(text)}
    except (ValueError, TypeError):
        raise BadChoice("Which order is meant could not be read. Choose it again.") from None
    if not all(0 <= place < count for place in places):
        raise BadChoice("That order is gone already.")
    return places


@verb("top", on="pieces")
def set_top(target: Target, values: Values) -> Edit:
    """How high the tops of the chosen pieces are, above what the rearmost layer lies on; nothing typed lets them follow
    again. `by_mm` raises or lowers them from where they are."""
    composition, tops = target.composition, dict(target.composition.decisions.relief.tops)
    if values.get("by_mm") not in (None, ""):
        return _moved(target, number(values["by_mm"], "millimetres"))
    if not str(values.get("length", "")).strip():
        for p in target.pieces:
            tops.pop(p.key, None)
        return decided(composition, f"height of {of(target.pieces)} follows", "relief", tops=tops)
    mm = round(length_of(values, composition, "length", LEAST_TOP_MM, MOST_TOP_MM), 4)
    job = job_of(composition)
    for p in target.pieces:
        if mm <= job.rests_mm[p.key] - job.ground_mm:
            rests = composition.practice.say(job.rests_mm[p.key] - job.ground_mm)
            raise BadChoice(f"What {p.number} lies on is {rests} high already: it must be higher than that.")
    label = f"height of {of(target.pieces)}: {composition.practice.say(mm)}"
    return decided(composition, label, "relief", tops=tops | {p.key: mm for p in target.pieces})


def _moved(target: Target, by_mm: float) -> Edit:
    composition, job = target.composition, job_of(target.composition)
    tops = dict(composition.decisions.relief.tops)
    for p in target.pieces:
        least = job.rests_mm[p.key] - job.ground_mm + LEAST_TOP_MM
        tops[p.key] = round(min(max(job.lifted_mm(p) + by_mm, least), MOST_TOP_MM), 4)
    return decided(composition, f"height of {of(target.pieces)}", "relief", tops=tops)


@verb("follow")
def follow(target: Target, _values: Values) -> Edit:
    """Whatever was set of the chosen pieces' heights (of all, with none chosen) is let go: stock, shim and height
    follow from what was said of depth."""
    composition, pieces = target.composition, target.made
    edit = set_fields("heights", pieces, lambda p: {"thickness_mm": None, "shim_mm": 0.0})
    keys = {p.key for p in pieces}
    tops = {key: mm for key, mm in composition.decisions.relief.tops.items() if key not in keys}
    fields = decided(composition, edit.label, "relief", tops=tops).composition
    return Edit(
        f"heights of {named(pieces) if len(pieces) < 4 else f'{len(pieces)} pieces'} follow", edit.pieces, fields
    )


@verb("deep")
def deep(target: Target, values: Values) -> Edit:
    """What the whole may be deep, backer included; nothing typed lets it be as deep as it comes."""
    composition = target.composition
    mm = round(length_of(values, composition, "depth", 1.0, 1000.0, 0.0), 3)
    backer = job_of(composition).ground_mm
    if mm and mm <= backer:
        say = composition.practice.say
        raise BadChoice(f"The backer alone is {say(backer)} thick: a depth of {say(mm)} leaves no room for wood.")
    label = f"up to {composition.practice.say(mm)} deep" if mm else "as deep as it comes"
    return decided(composition, label, "relief", depth_mm=mm)


@verb("take_orders")
def take_orders(target: Target, values: Values) -> Edit:
    """Suggested orders are taken: all of them, or the one between these pieces."""
    composition = target.composition
    taken = _suggestions(composition, values)
    label = f"{len(taken)} suggested orders" if len(taken) > 1 else "a suggested order"
    return _with(composition, taken, label)


@verb("refuse_orders")
def refuse_orders(target: Target, values: Values) -> Edit:
    """Suggested orders are turned down and not offered again."""
    composition = target.composition
    refused = composition.decisions.relief.refused
    gone = _suggestions(composition, values)
    return decided(composition, "a suggestion turned down", "relief", refused=(*refused, *gone))


def _suggestions(composition: Composition, values: Values) -> list[Order]:
    offered = [one.order for one in suggested_orders(job_of(composition))]
    front, behind = values.get("front"), values.get("behind")
    if front:
        offered = [one for one in offered if (one.front, one.behind) == (front, behind)]
    if not offered:
        raise BadChoice("That is not suggested any more.")
    return offered
