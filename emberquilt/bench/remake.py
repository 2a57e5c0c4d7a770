"""A piece that is made again: the same board, the same tone, the same arrow."""

from dataclasses import dataclass

from ..findings import name_pieces
from ..rack.boards import Board
from ..work.copies import any_copy
from ..work.parts import Job


@dataclass(frozen=True, slots=True)
class Remake:
    """What a piece that is made again asks for: `lines` in words, and boards it could come from with how far each is
    off the one it came from (CIEDE2000; None where that is not known), nearest first."""

    lines: tuple[str, ...]
    boards: tuple[tuple[str, float | None], ...]


SEEN_DE = 2.0
"""Two boards nearer than this look alike once finished: common practice, no source."""


def remake_of(job: Job, part: str) -> Remake:
    """The same board, the same tone, the same arrow: and what to think of any other board."""
    composition = job.composition
    piece = composition.by_key[int(any_copy(part))]
    wood, placed = composition.wood_of(piece), composition.placements.get(part)
    rack, seen = composition.rack, composition.seen
    like = [board for board in rack.boards if board.wood == wood]
    mine = rack.by_name.get(placed.board) if placed else None
    lines = [f"The arrow as shown, {piece.grain_deg or 0:.0f}°, and not turned round"]
    if placed is None:
        layer = composition.home[piece.key].without_openings
        beside = [layer.by_key[k].number for k in layer.coverage.neighbours[piece.key]][:3]
        against = f"hold the wood against {name_pieces(beside)}" if beside else "look at its wood in daylight"
        lines.insert(0, f"No board was noted for it: {against} before you saw")
    elif mine is None:
        lines.insert(0, f"Board {placed.board} is no longer on the rack")
    else:
        lines.insert(0, f"The same board, {placed.board}, near its first place")
    made, say = job.pieces[piece.key], composition.practice.say
    name = rack.shelf[wood].name if wood in rack.shelf else "wood"
    x0, y0, x1, y1 = made.outline.bounds
    lines.append(f"{name}, {say(made.thickness_mm)} thick, {say(x1 - x0)} by {say(y1 - y0)}")
    lines.append("Its face up as on the pattern, not mirrored")

    def apart(board: Board) -> float | None:
        if mine is None or board.name == mine.name:
            return 0.0 if mine is not None else None
        if mine.lab is None or board.lab is None:
            return None
        first, second = (seen.look(piece.wood, piece.coat, name) for name in (mine.name, board.name))
        return round(seen.between(first, second), 1)

    offers = [(board.name, apart(board)) for board in like]
    return Remake(tuple(lines), tuple(sorted(offers, key=lambda o: (o[1] is None, o[1] or 0.0, o[0]))))


def other_board(job: Job, part: str, name: str) -> str:
    """The warning for a remake that comes from another board than the piece did; empty where none is due."""
    composition = job.composition
    placed = composition.placements.get(part)
    if not name or placed is None or name == placed.board:
        return ""
    number = composition.by_key[int(any_copy(part))].number
    apart = dict(remake_of(job, part).boards).get(name)
    if apart is None:
        return (
            f"{number} came from {placed.board} and is now from {name}: no photo tells how they "
            f"differ. Hold them together "
            "in daylight."
        )
    if apart < SEEN_DE:
        return f"{number} is now from {name}, {apart:g} off {placed.board}: hardly to be seen."
    return (
        f"{number} came from {placed.board} and is now from {name}, {apart:g} off: it will look different beside its "
        "neighbours."
    )
