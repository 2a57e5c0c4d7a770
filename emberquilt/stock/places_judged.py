"""What is wrong with the places that parts have on boards."""

from collections.abc import Mapping

import shapely

from ..findings import Finding, Fix, name_pieces
from ..rack.boards import DEFECTS, Board
from ..work.composition import Composition
from ..work.copies import any_copy
from ..work.on_boards import Lying
from ..work.parts import Job, Part
from .leaves import is_sheet, leaves_of, serves

CLEAR_MM2 = 2.0
"""A part may hang over a board's edge or a defect by this area before it is said."""


def bad_places(job: Job, placed: Mapping[str, list[Lying]]) -> list[Finding]:
    """Parts that want a board that is not there or of another wood, that hang over its edge or lie over a flaw, over
    what another work has spoken for, or over each other."""
    found = []
    for key, place in job.composition.placements.items():
        part = job.by_key.get(any_copy(key))
        words = _words(job.composition, part, key, place.board, placed) if part is not None else ""
        if part is not None and words:
            found.append(_finding(part, key, words))
    return found


def _finding(part: Part, key: str, words: str) -> Finding:
    copy = key.partition("/")[2]
    pieces = (part.id.piece,) if any_copy(key).isdecimal() else ()
    values = {"part": key} if not pieces else {"pieces": list(pieces)} | ({"copy": copy} if copy else {})
    return Finding(
        "place",
        "stock",
        words + (f" That is copy {copy}." if copy else ""),
        "A part comes whole from its place on the board.",
        pieces,
        part=key if copy or not pieces else "",
        fix=Fix(f"Take {part.name} off the board", "unplace" if pieces else "take_off", values),
    )


def _words(composition: Composition, part: Part, key: str, name: str, placed: Mapping[str, list[Lying]]) -> str:
    rack = composition.rack
    board = rack.by_name.get(name)
    if board is None:
        return f"{part.name} wants board {name}, which is not on the rack."
    if board.wood != part.material:
        made = rack.shelf.name(part.material) if part.material in rack.shelf else part.material or "nothing yet"
        return f"{part.name} is {made}, but board {name} is {rack.shelf.name(board.wood)}."
    if not serves(board, part.material, part.thickness_mm, rack):
        say, what = composition.practice.say, "sheet" if is_sheet(rack, board.wood) else "board"
        return f"{part.name} wants {say(part.thickness_mm)}, and {what} {name} has {say(board.thickness_mm)}."
    return _lies_badly(composition, part, key, board, placed.get(name, []))


def _lies_badly(composition: Composition, part: Part, key: str, board: Board, lying: list[Lying]) -> str:
    mine = next((one for one in lying if one.key == key), None)
    if mine is None:
        return ""
    leaves = leaves_of(
        board, part.thickness_mm, composition.practice, composition.rack, composition.decisions.stock.whole
    )
    if mine.place.leaf > leaves:
        count = f"only {leaves} leaves" if leaves > 1 else "no leaves"
        return f"{part.name} wants leaf {mine.place.leaf} of board {board.name}, which gives {count} so thick."
    if mine.outline.difference(board.region).area > CLEAR_MM2:
        return f"{part.name} hangs over the edge of board {board.name}."
    wanted = composition.decisions.stock.wanted.get(part.id.piece) if any_copy(key).isdecimal() else None
    hits = [d for d in board.defects if mine.outline.intersection(shapely.Polygon(d.ring)).area > CLEAR_MM2]
    hit = next((d for d in hits if d.kind != wanted), None)
    if hit is not None:
        return f"{part.name} lies over {DEFECTS[hit.kind]} of board {board.name}."
    if wanted and not any(d.kind == wanted for d in hits):
        return f"{part.name} wants {DEFECTS[wanted]} in it, and lies over none on board {board.name}."
    spoken = composition.rack.spoken_on.get(board.name, ())
    theirs = next((one for one in spoken if mine.outline.intersection(one.outlines).area > CLEAR_MM2), None)
    if theirs is not None:
        return f"{part.name} lies where {theirs.work} has spoken for board {board.name}."
    over = [
        one.part
        for one in lying
        if one.key != key and one.place.meets(mine.place) and mine.outline.intersection(one.outline).area > CLEAR_MM2
    ]
    if not over:
        return ""
    numbers = sorted({other.number for other in over if other.number})
    named = name_pieces(numbers) if numbers else over[0].name
    return f"{part.name} and {named} lie over each other on board {board.name}."
