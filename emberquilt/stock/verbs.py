"""Verbs that lay parts on boards: each a pure function from what is acted on and values to an `Edit`."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from ..errors import BadChoice
from ..layout.effort import Effort
from ..rack.boards import DEFECTS
from ..work.change import Edit, decided
from ..work.composition import Composition, Placement
from ..work.copies import any_copy
from ..work.parts import Job, Part, job_of
from ..work.register import Values, verb
from ..work.setting import length_of, number, of, whole_number
from ..work.view import Target
from .caliper import THICKEST_MM, THINNEST_MM, measured, stretch_of
from .laying import Laying, turns_of
from .leaves import leaf_of, leaves_of

MOST_WITHIN_DEG = 45.0
MOST_LEAVES = 20
NEARLY_DEG = 0.6


@verb("lay")
def lay(target: Target, values: Values) -> Edit:
    """Everything that is not nailed laid anew: as `places` say, where a search has found them already."""
    composition = target.composition
    made = values.get("places")
    if made is None:
        made = Laying(job_of(composition)).laid(Effort(0.0)).placements
    elif not isinstance(made, dict) or not all(isinstance(place, Placement) for place in made.values()):
        raise BadChoice("Where the parts are to lie could not be read. Lay them again.")
    return laid_edit(composition, made)


def laid_edit(composition: Composition, made: Mapping[str, Placement]) -> Edit:
    """Parts lie as `made` says; what is nailed stays, what was laid before and is not there is taken off."""
    job, now = job_of(composition), composition.placements
    places: dict[str, Placement | None] = {}
    for key, place in now.items():
        if place.point is None or place.nailed or key in made:
            continue
        places[key] = None
    for key, place in made.items():
        held = now.get(key)
        nailed = held is not None and held.nailed and held.point is not None
        if job.part(key) is not None and not nailed and held != place:
            places[key] = place
    boards = len({place.board for place in made.values()})
    return Edit(f"{len(made)} parts laid on {boards} board{'' if boards == 1 else 's'}", placements=places)


def _meant(target: Target, values: Values) -> list[str]:
    """The parts that are meant: one that is named, or those of the chosen pieces, in all copies or in one."""
    job = job_of(target.composition)
    name = str(values.get("part", ""))
    if name:
        if job.part(name) is None:
            raise BadChoice("That part is no longer in this work.")
        return [name]
    keys = {str(p.key) for p in target.pieces}
    if not keys:
        raise BadChoice("Choose a part on a board first.")
    return [key for key in target.composition.placements if any_copy(key) in keys]


def _names(job: Job, keys: list[str]) -> str:
    parts = [job.by_key[any_copy(key)] for key in keys]
    names = list(dict.fromkeys(part.name for part in parts))
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


@verb("nail")
def nail(target: Target, values: Values) -> Edit:
    """Parts stay where they lie when the rest is laid again, or (`keep` no) need not stay any longer."""
    now, keep = target.composition.placements, values.get("keep") != "no"
    keys = [key for key in _meant(target, values) if key in now and now[key].point is not None]
    if not keys:
        raise BadChoice("It lies on no board yet. Lay the parts first, then nail what is to stay.")
    places: dict[str, Placement | None] = {
        key: replace(now[key], nailed=keep) for key in keys if now[key].nailed != keep
    }
    return Edit(f"{_names(job_of(target.composition), keys)} {'nailed' if keep else 'let go'}", placements=places)


@verb("set_down")
def set_down(target: Target, values: Values) -> Edit:
    """One part by hand at a place (`x`, `y` mm, or the `middle`) of a board and leaf (`where` both at once), turned by
    so much beyond its arrow; it stays there."""
    composition = target.composition
    job, key = job_of(composition), str(values.get("part", ""))
    part = job.part(key)
    if part is None:
        raise BadChoice("Choose the part that is to be moved.")
    leaf_text, name = values.get("leaf") or 0, str(values.get("board", ""))
    if where := str(values.get("where", "")):
        leaf_text, _, name = where.partition(":")
    board = composition.rack.board(name)
    if board.wood != part.material:
        shelf = composition.rack.shelf
        raise BadChoice(
            f"{part.name} is of {shelf.name(part.material)}, board {board.name} is {shelf.name(board.wood)}."
        )
    if values.get("middle"):
        x, y = board.length_mm / 2, board.width_mm / 2
    else:
        x, y = number(values.get("x"), "millimetres"), number(values.get("y"), "millimetres")
    if not (-board.length_mm <= x <= 2 * board.length_mm and -board.width_mm <= y <= 2 * board.width_mm):
        raise BadChoice(f"That place is far off board {board.name}.")
    turned = (number(values.get("turned") or 0, "degrees") + 180) % 360 - 180
    _may_turn(job, part, turned)
    leaf = whole_number(leaf_text, 0, MOST_LEAVES)
    kept = composition.decisions.stock.whole
    leaves = leaves_of(board, part.thickness_mm, composition.practice, composition.rack, kept)
    place = Placement(board.name, round(x, 2), round(y, 2), round(turned, 2), leaf_of(leaf, leaves))
    places: dict[str, Placement | None] = {key: place} if composition.placements.get(key) != place else {}
    return Edit(f"{part.name} moved on board {board.name}", placements=places)


def _may_turn(job: Job, part: Part, turned_deg: float) -> None:
    """Raises `BadChoice` where the grain would run as it may not."""
    if part.turn == "any":
        return
    allowed = turns_of(job, part)
    within = max((min(abs(turn), abs(180 - abs(turn))) for turn in allowed), default=0.0) + NEARLY_DEG
    off = abs(turned_deg) if part.turn == "fixed" else min(abs(turned_deg), 180 - abs(turned_deg))
    if off > within:
        half = "a half-turn would show: its figure flashes" if part.turn == "fixed" else "a half-turn is no matter"
        raise BadChoice(
            f"{part.name} would lie {off:.0f}° off its arrow; {half}. Give it more tolerance first if you want that."
        )


@verb("take_off")
def take_off(target: Target, values: Values) -> Edit:
    """Parts taken off their boards: those that are meant, or (`all`) everything that is not nailed."""
    composition = target.composition
    now = composition.placements
    if values.get("all"):
        keys = [key for key, place in now.items() if not place.nailed and place.point is not None]
        words = "boards cleared of what is not nailed"
    else:
        keys = [key for key in _meant(target, values) if key in now]
        words = f"{_names(job_of(composition), keys)} taken off the board" if keys else "nothing taken off"
    return Edit(words, placements=dict.fromkeys(keys))


@verb("within", on="pieces")
def within(target: Target, values: Values) -> Edit:
    """By how many degrees these pieces may be turned off their arrows on a board; empty for the practice's own."""
    table: dict[int, Any] = dict(target.composition.decisions.stock.within)
    text = str(values.get("deg", "")).strip()
    if text:
        deg = number(text, "degrees")
        if not 0 <= deg <= MOST_WITHIN_DEG:
            raise BadChoice(f"A part may be turned off its arrow by 0 to {MOST_WITHIN_DEG:g} degrees, not {deg:g}.")
        table |= dict.fromkeys(target.keys, round(deg, 1))
    else:
        table = {key: deg for key, deg in table.items() if key not in set(target.keys)}
    return decided(target.composition, f"grain tolerance of {of(target.pieces)}", "stock", within=table)


@verb("whole")
def whole(target: Target, values: Values) -> Edit:
    """A board is not resawn, or (`keep` no) it may be again."""
    composition = target.composition
    board = composition.rack.board(str(values.get("board", "")))
    now, keep = composition.decisions.stock.whole, values.get("keep") != "no"
    made = tuple(sorted({*now, board.name} if keep else set(now) - {board.name}))
    words = f"{board.name} kept whole" if keep else f"{board.name} may be resawn"
    return decided(composition, words, "stock", whole=made)


@verb("want", on="pieces")
def want(target: Target, values: Values) -> Edit:
    """These pieces are to lie over a flaw of that kind, or over none (`kind` empty)."""
    kind = str(values.get("kind", ""))
    if kind and kind not in DEFECTS:
        raise BadChoice(f"“{kind[:20]}” is nothing that a board has: {', '.join(DEFECTS)}.")
    keys = set(target.keys)
    table = {key: own for key, own in target.composition.decisions.stock.wanted.items() if key not in keys}
    if kind:
        table |= dict.fromkeys(target.keys, kind)
    words = f"{DEFECTS[kind]} wanted in {of(target.pieces)}" if kind else f"no flaw in {of(target.pieces)}"
    return decided(target.composition, words, "stock", wanted=table)


@verb("caliper")
def caliper(target: Target, values: Values) -> Edit:
    """Stock as it was milled measures `length`: everything on the stretch of that `part` is so thick, less what sanding
    takes; a sheet is what it is."""
    composition = target.composition
    job, key = job_of(composition), str(values.get("part", ""))
    found = stretch_of(job, key) if job.part(key) is not None else None
    if found is None:
        raise BadChoice("That part lies on no board yet. Lay it first, then measure what it lies on.")
    mm = length_of(values, composition, "length", THINNEST_MM, THICKEST_MM)
    return measured(job, *found, mm)
