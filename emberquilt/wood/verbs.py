"""Verbs that choose woods: each a pure function from a composition, the chosen pieces and values to an `Edit`."""

from typing import Any

from ..colour import rgb_of
from ..errors import BadChoice
from ..keys import keys_in, runs
from ..pattern.verbs import length_of
from ..picture.light import GLOSS
from ..picture.parts import Frame
from ..rack.coats import coat_of
from ..work.change import Edit
from ..work.composition import Composition, Piece
from ..work.setting import number, of, pin, set_fields
from .axis import long_axis_deg
from .colour import closest
from .match import Answer, Problem, problem_of, solve
from .packs import MOST_WOODS, Pack, pack_in

Values = dict[str, Any]
MOST_PALETTES = 12


def _wooded(composition: Composition, p: Piece, code: str) -> dict[str, Any]:
    """Fields of a piece in another wood: an arrow where it has none, and no board of the wood it had."""
    fields: dict[str, Any] = {"wood": code}
    if p.grain_deg is None and code:
        fields["grain_deg"] = long_axis_deg(composition.in_hand.coverage.by_key[p.key])
    if p.board and code != p.wood:
        fields |= {"board": "", "board_x_mm": None, "board_y_mm": None}
    return fields


def give_wood(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """Give a wood (empty takes it away). A piece without an arrow gets one along its length."""
    code = str(values.get("wood", ""))
    if code:
        composition.rack.shelf.wood(code)
    return set_fields("wood", pieces, lambda p: _wooded(composition, p, code))


def nearest_wood(composition: Composition, pieces: list[Piece], _values: Values) -> Edit:
    """Each piece gets the wood nearest to its colour in the drawing; pieces without one are left alone."""
    coloured = [p for p in pieces if p.colour]
    if not coloured:
        raise BadChoice("The drawing gives these pieces no colour to match.")
    nearest = {colour: closest(colour, composition.seen, most=1)[0][0].code for colour in {p.colour for p in coloured}}
    return set_fields("nearest wood", coloured, lambda p: _wooded(composition, p, nearest[p.colour]))


def give_colour(_composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """The colour a piece is to have, for a drawing that has none; woods are matched to it."""
    text = str(values.get("colour", "")).strip().lower()
    if text:
        rgb_of(text)
    return set_fields("colour", pieces, lambda p: {"colour": text[:7]})


def give_coat(_composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """Stain, dye by coats, paint, or a finish of its own."""
    kind = str(values.get("coat", ""))
    colour = str(values.get("tint", "")).strip()
    text = kind
    if kind in ("stain", "paint"):
        text = f"{kind} {colour}"
    elif kind == "dye":
        text = f"{kind} {colour} {number(values.get('coats') or 4, 'coats'):.0f}"
    coat = coat_of(text)
    return set_fields("coat", pieces, lambda p: {"coat": coat.text})


def matched(composition: Composition, pieces: list[Piece], values: Values) -> tuple[Problem, Answer]:
    """The woods that suit these pieces (or, with none chosen, all of the layer) best together."""
    own = values.get("scope") == "own"
    by = "piece" if values.get("by") == "piece" else "colour"
    chosen = pieces or list(composition.in_hand.pieces)
    task = problem_of(composition, [p for p in chosen if not p.opening], own, by)
    return task, solve(task)


def suggest(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """Take the woods that suit best together."""
    task, answer = matched(composition, pieces, values)
    code = {
        key: task.codes[w] for g, w in zip(task.groups, answer.choice, strict=True) if not g.fixed for key in g.pieces
    }
    layer = composition.in_hand
    return set_fields("best woods", [layer.by_key[k] for k in code], lambda p: _wooded(composition, p, code[p.key]))


def swap(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """All of one wood into another; locked pieces stay."""
    shelf = composition.rack.shelf
    before, after = shelf.wood(str(values.get("from", ""))), shelf.wood(str(values.get("to", "")))
    pieces = [p for p in composition.in_hand.pieces if p.wood == before.code and not p.locked]
    if not pieces:
        raise BadChoice(f"No piece is of {before.name.lower()}, or all of them are locked.")
    made = set_fields("", pieces, lambda p: _wooded(composition, p, after.code))
    return Edit(f"{before.name.lower()} to {after.name.lower()}", made.pieces)


def lock(_composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """Their woods stay whatever is suggested or swapped, until unlocked (`keep` no)."""
    keep = values.get("keep") != "no"
    return set_fields("lock" if keep else "unlock", pieces, lambda _: {"locked": keep})


def palette_keep(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """Remember the woods as they are now, under a name, to be seen beside others."""
    name = " ".join(str(values.get("name", "")).split())[:40]
    kept = [p for p in composition.pins.get("palettes", []) if p["name"] != name]
    if not name:
        raise BadChoice("Give this palette a name.")
    if len(kept) >= MOST_PALETTES:
        raise BadChoice(f"{MOST_PALETTES} palettes are kept already. Let one go first.")
    by: dict[str, list[int]] = {}
    for p in composition.in_hand.pieces:
        by.setdefault(p.wood, []).append(p.key)
    made = {"name": name, "woods": [[code, runs(keys)] for code, keys in sorted(by.items()) if code]}
    if not made["woods"]:
        raise BadChoice("There is no wood in this picture to keep.")
    return pin(composition, f"palette “{name}”", palettes=[*kept, made])


def palette_named(composition: Composition, name: str) -> dict[int, str]:
    """The woods of a kept palette by piece. Raises `BadChoice`."""
    for kept in composition.pins.get("palettes", []):
        if kept["name"] == name:
            return {
                key: code for code, keys in kept["woods"] if code in composition.rack.shelf for key in keys_in(keys)
            }
    raise BadChoice(f"No palette is called “{name[:40]}”.")


def palette_use(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    name = str(values.get("name", ""))
    woods = palette_named(composition, name)
    pieces = [p for p in composition.in_hand.pieces if p.key in woods and not p.locked]
    made = set_fields("", pieces, lambda p: _wooded(composition, p, woods[p.key]))
    return Edit(f"palette “{name}” taken", made.pieces)


def palette_drop(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    name = str(values.get("name", ""))
    palette_named(composition, name)
    rest = [p for p in composition.pins.get("palettes", []) if p["name"] != name]
    return pin(composition, f"palette “{name}” let go", palettes=rest or None)


def pack(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """Cut these woods as one pack; which piece goes where is worked out, and can be changed piece by piece."""
    codes = tuple(dict.fromkeys(code for code in str(values.get("woods", "")).replace(" ", "").split(",") if code))
    if not 2 <= len(codes) <= MOST_WOODS:
        raise BadChoice(f"A pack is of 2 to {MOST_WOODS} different woods; these are {len(codes)}.")
    for code in codes:
        composition.rack.shelf.wood(code)
    names = ", ".join(composition.rack.shelf.name(code) for code in codes)
    return pin(composition, f"pack of {names}"[:80], pack={"woods": list(codes), "turn": {}})


def _pack(composition: Composition) -> Pack:
    found = pack_in(composition)
    if found is None:
        raise BadChoice("No pack is cut for this picture.")
    return found


def pack_turn(composition: Composition, pieces: list[Piece], _values: Values) -> Edit:
    """The chosen pieces move on to the next picture of the pack."""
    now, kept = _pack(composition), composition.pins["pack"]
    turn = kept["turn"] | {str(p.key): (now.turn[p.key] + 1) % len(now.codes) for p in pieces}
    return pin(composition, f"{of(pieces)} handed on", pack=kept | {"turn": turn})


def pack_use(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """This picture is one of the pack's: its woods are given."""
    now = _pack(composition)
    which = int(number(values.get("which") or 0, "pictures"))
    if not 0 <= which < len(now.codes):
        raise BadChoice(f"This pack gives {len(now.codes)} pictures.")
    woods = now.picture(which)
    made = set_fields("", list(composition.in_hand.pieces), lambda p: _wooded(composition, p, woods[p.key]))
    return Edit(f"woods of picture {which + 1} of the pack", made.pieces)


def unpack(composition: Composition, _pieces: list[Piece], _values: Values) -> Edit:
    return pin(composition, "pack let go", pack=None)


def place(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """One piece to a place on a board: where its fattest spot lies there, and with `deg` how its arrow is turned."""
    if len(pieces) != 1:
        raise BadChoice("One piece at a time lies on a board. Choose one.")
    board = composition.rack.board(str(values.get("board", "")))
    x, y = number(values.get("x"), "millimetres"), number(values.get("y"), "millimetres")
    fields: dict[str, Any] = {
        "board": board.name,
        "wood": board.wood,
        "board_x_mm": round(x, 2),
        "board_y_mm": round(y, 2),
    }
    if not (-board.length_mm <= x <= 2 * board.length_mm and -board.width_mm <= y <= 2 * board.width_mm):
        raise BadChoice(f"That place is far off board {board.name}.")
    if str(values.get("deg", "")):
        fields["grain_deg"] = round(number(values["deg"], "degrees") % 360, 1) % 360
    elif pieces[0].grain_deg is None:
        fields["grain_deg"] = long_axis_deg(composition.in_hand.coverage.by_key[pieces[0].key])
    return set_fields(f"board {board.name} for {pieces[0].number}, place", pieces, lambda _: fields)


def from_board(composition: Composition, pieces: list[Piece], values: Values) -> Edit:
    """From which board these pieces come, without a place on it; empty for none in particular."""
    name = str(values.get("board", ""))
    if not name:
        return unplace(composition, pieces, values)
    board = composition.rack.board(name)
    other = next((p for p in pieces if p.wood and p.wood != board.wood), None)
    if other is not None:
        shelf = composition.rack.shelf
        raise BadChoice(f"Board {name} is {shelf.name(board.wood)}, but {other.number} is {shelf.name(other.wood)}.")
    return set_fields(
        f"board {name}",
        pieces,
        lambda p: (
            {"board": name, "wood": board.wood} | ({} if p.board == name else {"board_x_mm": None, "board_y_mm": None})
        ),
    )


def unplace(_composition: Composition, pieces: list[Piece], _values: Values) -> Edit:
    return set_fields("board taken", pieces, lambda _: {"board": "", "board_x_mm": None, "board_y_mm": None})


def look(composition: Composition, _pieces: list[Piece], values: Values) -> Edit:
    """How the picture of the result is shown: sheen, where the lamp stands, a frame and a wall to try."""
    now = dict(composition.pins.get("look", {}))
    if "gloss" in values:
        if values["gloss"] not in GLOSS:
            raise BadChoice(f"“{values['gloss']}” is no sheen: {', '.join(GLOSS)}.")
        now["gloss"] = values["gloss"]
    if "from_deg" in values:
        now["from_deg"] = round(number(values["from_deg"], "degrees") % 360, 1) % 360
    if "frame" in values:
        now["frame"] = str(values["frame"])
        if now["frame"]:
            composition.rack.shelf.wood(now["frame"])
    if "frame_width" in values:
        now["frame_mm"] = length_of(values, composition, "frame_width", 1.0, 300.0, Frame.width_mm)
    if "wall" in values:
        rgb_of(str(values["wall"]))
        now["wall"] = str(values["wall"]).lower()[:7]
    return pin(composition, "look of the picture", look=now)


ON_PIECES = {
    "wood": give_wood,
    "nearest": nearest_wood,
    "colour": give_colour,
    "coat": give_coat,
    "lock": lock,
    "place": place,
    "unplace": unplace,
    "from_board": from_board,
    "pack_turn": pack_turn,
}
ON_ALL = {
    "suggest": suggest,
    "swap": swap,
    "palette_keep": palette_keep,
    "palette_use": palette_use,
    "palette_drop": palette_drop,
    "pack": pack,
    "pack_use": pack_use,
    "unpack": unpack,
    "look": look,
}
