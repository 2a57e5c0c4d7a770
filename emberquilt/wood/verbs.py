"""Verbs that choose woods: each a pure function from what is acted on and values to an `Edit`."""

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from ..colour import rgb_of
from ..errors import BadChoice
from ..keys import keys_in, runs
from ..picture.light import GLOSS
from ..picture.parts import Frame
from ..rack.coats import COLOURED, coat_of
from ..work.change import Edit, decided
from ..work.composition import Composition, Piece, Placement
from ..work.decisions import Look, PackChoice, Palette
from ..work.register import Values, verb
from ..work.setting import length_of, number, of, set_fields
from ..work.view import Target
from .axis import long_axis_deg
from .colour import closest
from .match import Answer, Problem, problem_of, solve
from .packs import MOST_WOODS, Pack, pack_in

MOST_PALETTES = 12


def give(composition: Composition, label: str, pieces: Iterable[Piece], code_of: dict[int, str]) -> Edit:
    """Pieces in other woods, by key: an arrow along those that have none, and no board of the wood that each had."""
    some = list(pieces)

    def change(p: Piece) -> dict[str, Any]:
        code = code_of[p.key]
        if p.grain_deg is None and code:
            return {"wood": code, "grain_deg": long_axis_deg(composition.home[p.key].coverage.by_key[p.key])}
        return {"wood": code}

    other = {str(p.key) for p in some if code_of[p.key] != p.wood}
    off: dict[str, Placement | None] = {key: None for key in composition.placements if key.partition("/")[0] in other}
    return replace(set_fields(label, some, change), placements=off)


@verb("wood", on="pieces")
def give_wood(target: Target, values: Values) -> Edit:
    """Give a wood (empty takes it away). A piece without an arrow gets one along its length."""
    code = str(values.get("wood", ""))
    if code:
        target.composition.rack.shelf.wood(code)
    return give(target.composition, "wood", target.pieces, dict.fromkeys(target.keys, code))


@verb("nearest", on="pieces")
def nearest_wood(target: Target, _values: Values) -> Edit:
    """Each piece gets the wood nearest to its colour in the drawing; pieces without one are left alone."""
    coloured = [p for p in target.pieces if p.colour]
    if not coloured:
        raise BadChoice("The drawing gives these pieces no colour to match.")
    seen = target.composition.seen
    nearest = {colour: closest(colour, seen, most=1)[0][0].code for colour in {p.colour for p in coloured}}
    return give(target.composition, "nearest wood", coloured, {p.key: nearest[p.colour] for p in coloured})


@verb("colour", on="pieces")
def give_colour(target: Target, values: Values) -> Edit:
    """The colour a piece is to have, for a drawing that has none; woods are matched to it."""
    text = str(values.get("colour", "")).strip().lower()
    if text:
        rgb_of(text)
    return set_fields("colour", target.pieces, lambda p: {"colour": text[:7]})


@verb("coat", on="pieces")
def give_coat(target: Target, values: Values) -> Edit:
    """Stain, dye by coats, paint, or a finish of its own."""
    kind = str(values.get("coat", ""))
    colour = str(values.get("tint", "")).strip()
    text = kind
    if kind == "dye":
        text = f"{kind} {colour} {number(values.get('coats') or 4, 'coats'):.0f}"
    elif kind in COLOURED:
        text = f"{kind} {colour}"
    coat = coat_of(text)
    return set_fields("coat", target.pieces, lambda p: {"coat": coat.text})


def matched(target: Target, values: Values) -> tuple[Problem, Answer]:
    """The woods that suit the chosen pieces (or, with none chosen, all that are seen) best together."""
    by = "piece" if values.get("by") == "piece" else "colour"
    task = problem_of(target.composition, target.made, values.get("scope") == "own", by)
    return task, solve(task)


def answered(task: Problem, answer: Answer) -> dict[int, str]:
    """The wood of every piece that an answer leaves free."""
    pairs = zip(task.groups, answer.choice, strict=True)
    return {key: task.codes[w] for group, w in pairs if not group.fixed for key in group.pieces}


@verb("suggest")
def suggest(target: Target, values: Values) -> Edit:
    """Take the woods that suit best together."""
    code = answered(*matched(target, values))
    return give(target.composition, "best woods", [target.composition.by_key[key] for key in code], code)


@verb("swap")
def swap(target: Target, values: Values) -> Edit:
    """All of one wood into another; locked pieces stay."""
    shelf = target.composition.rack.shelf
    before, after = shelf.wood(str(values.get("from", ""))), shelf.wood(str(values.get("to", "")))
    pieces = [p for p in replace(target, pieces=()).made if p.wood == before.code and not p.locked]
    if not pieces:
        raise BadChoice(f"No piece is of {before.name.lower()}, or all of them are locked.")
    made = give(target.composition, "", pieces, dict.fromkeys([p.key for p in pieces], after.code))
    return replace(made, label=f"{before.name.lower()} to {after.name.lower()}")


@verb("lock", on="pieces")
def lock(target: Target, values: Values) -> Edit:
    """Their woods stay whatever is suggested or swapped, until unlocked (`keep` no)."""
    keep = values.get("keep") != "no"
    return set_fields("lock" if keep else "unlock", target.pieces, lambda _: {"locked": keep})


@verb("palette_keep")
def palette_keep(target: Target, values: Values) -> Edit:
    """Remember the woods as they are now, under a name, to be seen beside others."""
    composition = target.composition
    name = " ".join(str(values.get("name", "")).split())[:40]
    kept = [p for p in composition.decisions.wood.palettes if p.name != name]
    if not name:
        raise BadChoice("Give this palette a name.")
    if len(kept) >= MOST_PALETTES:
        raise BadChoice(f"{MOST_PALETTES} palettes are kept already. Let one go first.")
    by: dict[str, list[int]] = {}
    for p in composition.made:
        by.setdefault(p.wood, []).append(p.key)
    woods = tuple((code, runs(keys)) for code, keys in sorted(by.items()) if code)
    if not woods:
        raise BadChoice("There is no wood in this picture to keep.")
    return decided(composition, f"palette “{name}”", "wood", palettes=(*kept, Palette(name, woods)))


def palette_named(composition: Composition, name: str) -> dict[int, str]:
    """The woods of a kept palette by piece. Raises `BadChoice`."""
    shelf = composition.rack.shelf
    for kept in composition.decisions.wood.palettes:
        if kept.name == name:
            return {key: code for code, keys in kept.woods if code in shelf for key in keys_in(keys)}
    raise BadChoice(f"No palette is called “{name[:40]}”.")


@verb("palette_use")
def palette_use(target: Target, values: Values) -> Edit:
    name = str(values.get("name", ""))
    woods = palette_named(target.composition, name)
    pieces = [p for p in target.composition.made if p.key in woods and not p.locked]
    return replace(give(target.composition, "", pieces, woods), label=f"palette “{name}” taken")


@verb("palette_drop")
def palette_drop(target: Target, values: Values) -> Edit:
    name = str(values.get("name", ""))
    palette_named(target.composition, name)
    rest = tuple(p for p in target.composition.decisions.wood.palettes if p.name != name)
    return decided(target.composition, f"palette “{name}” let go", "wood", palettes=rest)


def _with_pack(target: Target, label: str, pack: PackChoice | None) -> Edit:
    """The pack of this layer decided anew."""
    rest = tuple(p for p in target.composition.decisions.wood.packs if p.layer != target.layer.key)
    return decided(target.composition, label, "wood", packs=(*rest, pack) if pack else rest)


@verb("pack")
def pack(target: Target, values: Values) -> Edit:
    """Cut these woods as one pack; which piece goes where is worked out, and can be changed piece by piece."""
    codes = tuple(dict.fromkeys(code for code in str(values.get("woods", "")).replace(" ", "").split(",") if code))
    if not 2 <= len(codes) <= MOST_WOODS:
        raise BadChoice(f"A pack is of 2 to {MOST_WOODS} different woods; these are {len(codes)}.")
    shelf = target.composition.rack.shelf
    for code in codes:
        shelf.wood(code)
    names = ", ".join(shelf.name(code) for code in codes)
    return _with_pack(target, f"pack of {names}"[:80], PackChoice(target.one_layer.key, codes))


def _pack(target: Target) -> tuple[Pack, PackChoice]:
    found = pack_in(target.composition, target.layer)
    kept = target.composition.decisions.wood.pack(target.layer.key)
    if found is None or kept is None:
        raise BadChoice("No pack is cut for this picture.")
    return found, kept


@verb("pack_turn", on="pieces")
def pack_turn(target: Target, _values: Values) -> Edit:
    """The chosen pieces move on to the next picture of the pack."""
    target.one_layer  # noqa: B018  refuses pieces of several layers
    now, kept = _pack(target)
    turn = dict(kept.turn) | {p.key: (now.turn[p.key] + 1) % len(now.codes) for p in target.pieces}
    return _with_pack(target, f"{of(target.pieces)} handed on", replace(kept, turn=turn))


@verb("pack_use")
def pack_use(target: Target, values: Values) -> Edit:
    """This picture is one of the pack's: its woods are given."""
    now, _ = _pack(target)
    which = int(number(values.get("which") or 0, "pictures"))
    if not 0 <= which < len(now.codes):
        raise BadChoice(f"This pack gives {len(now.codes)} pictures.")
    made = give(target.composition, "", target.layer.without_openings.pieces, now.picture(which))
    return replace(made, label=f"woods of picture {which + 1} of the pack")


@verb("unpack")
def unpack(target: Target, _values: Values) -> Edit:
    return _with_pack(target, "pack let go", None)


@verb("place", on="pieces")
def place(target: Target, values: Values) -> Edit:
    """One piece to a place on a board: where its fattest spot lies there, and with `deg` how its arrow is turned.
    `copy` says which of several it is."""
    if len(target.pieces) != 1:
        raise BadChoice("One piece at a time lies on a board. Choose one.")
    piece = target.pieces[0]
    board = target.composition.rack.board(str(values.get("board", "")))
    x, y = number(values.get("x"), "millimetres"), number(values.get("y"), "millimetres")
    if not (-board.length_mm <= x <= 2 * board.length_mm and -board.width_mm <= y <= 2 * board.width_mm):
        raise BadChoice(f"That place is far off board {board.name}.")
    fields: dict[str, Any] = {"wood": board.wood}
    if str(values.get("deg", "")):
        fields["grain_deg"] = round(number(values["deg"], "degrees") % 360, 1) % 360
    elif piece.grain_deg is None:
        fields["grain_deg"] = long_axis_deg(target.layer.coverage.by_key[piece.key])
    made = set_fields(f"board {board.name} for {piece.number}, place", target.pieces, lambda _: fields)
    return _on_boards(target, made, {_copy_key(target, piece, values): Placement(board.name, round(x, 2), round(y, 2))})


def _copy_key(target: Target, piece: Piece, values: Values) -> str:
    """The part that is meant of a piece: that of a named copy, the first otherwise."""
    copy = int(number(values.get("copy") or 1, "copies"))
    if not 1 <= copy <= target.composition.decisions.whole.copies:
        raise BadChoice(f"There is no copy {copy} of this work.")
    return str(piece.key) + (f"/{copy}" if copy > 1 else "")


def _on_boards(target: Target, made: Edit, places: dict[str, Placement | None]) -> Edit:
    """An edit with other placements, as far as they are other."""
    now = target.composition.placements
    return replace(made, placements={key: place for key, place in places.items() if now.get(key) != place})


@verb("from_board", on="pieces")
def from_board(target: Target, values: Values) -> Edit:
    """From which board these pieces come, without a place on it; empty for none in particular."""
    name = str(values.get("board", ""))
    if not name:
        return unplace(target, values)
    board, shelf = target.composition.rack.board(name), target.composition.rack.shelf
    other = next((p for p in target.pieces if p.wood and p.wood != board.wood), None)
    if other is not None:
        raise BadChoice(f"Board {name} is {shelf.name(board.wood)}, but {other.number} is {shelf.name(other.wood)}.")
    keys = [_copy_key(target, p, values) for p in target.pieces]
    now = target.composition.placements
    places = {key: now[key] if key in now and now[key].board == name else Placement(name) for key in keys}
    made = set_fields(f"board {name}", target.pieces, lambda p: {"wood": board.wood})
    return _on_boards(target, made, dict(places))


@verb("unplace", on="pieces")
def unplace(target: Target, values: Values) -> Edit:
    keys = {str(p.key) for p in target.pieces}
    if values.get("copy"):
        keys = {_copy_key(target, p, values) for p in target.pieces}
    places: dict[str, Placement | None] = {
        key: None for key in target.composition.placements if key in keys or key.partition("/")[0] in keys
    }
    return _on_boards(target, Edit(f"board taken of {of(target.pieces)}"), places)


@verb("look")
def look(target: Target, values: Values) -> Edit:
    """How the picture of the result is shown: sheen, where the lamp stands, a frame and a wall to try."""
    composition = target.composition
    now: Look = composition.decisions.wood.look
    if "gloss" in values:
        if values["gloss"] not in GLOSS:
            raise BadChoice(f"“{values['gloss']}” is no sheen: {', '.join(GLOSS)}.")
        now = replace(now, gloss=str(values["gloss"]))
    if "from_deg" in values:
        now = replace(now, from_deg=round(number(values["from_deg"], "degrees") % 360, 1) % 360)
    if "frame" in values:
        if values["frame"]:
            composition.rack.shelf.wood(str(values["frame"]))
        now = replace(now, frame=str(values["frame"]))
    if "frame_width" in values:
        now = replace(now, frame_mm=length_of(values, composition, "frame_width", 1.0, 300.0, Frame.width_mm))
    if "wall" in values:
        rgb_of(str(values["wall"]))
        now = replace(now, wall=str(values["wall"]).lower()[:7])
    return decided(composition, "look of the picture", "wood", look=now)
