"""The cards at the bench: every piece sawn, then shaped, then glued, one card at a time."""

from dataclasses import dataclass, replace

from ..findings import name_pieces
from ..plan import Plan
from ..rack.boards import Board
from ..work.composition import Piece

STEPS = {"saw": "Saw", "shape": "Shape", "glue": "Glue"}
SAW_CAUTION = "Eye protection, hearing, dust mask. Fingers beside the blade, never in its line. Unplug to change it."
SHAPE_CAUTION = "Dust mask and extraction. A piece too small to hold goes on a carrier."


@dataclass(frozen=True, slots=True)
class Card:
    """One thing to do now. `estimate_minutes` holds the shop's correction, `base_minutes` does not."""

    step: str
    piece: int
    verb: str
    lines: tuple[str, ...]
    estimate_minutes: float
    base_minutes: float
    caution: str

    @property
    def key(self) -> tuple[str, int]:
        return self.step, self.piece


def _where(plan: Plan, piece: Piece) -> str:
    """How far along the board, and from its near edge, the piece's fattest spot lies."""
    if piece.board_x_mm is None or piece.board_y_mm is None or piece.board not in plan.composition.rack.by_name:
        return ""
    say = plan.composition.practice.say
    return f", {say(piece.board_x_mm)} along and {say(piece.board_y_mm)} down to the middle of its fattest spot"


@dataclass(frozen=True, slots=True)
class Remake:
    """What a piece that is made again asks for: `lines` in words, and boards it could come from with how far each is off
    the one it came from (CIEDE2000; None where that is not known), nearest first."""

    lines: tuple[str, ...]
    boards: tuple[tuple[str, float | None], ...]


SEEN_DE = 2.0
"""Two boards nearer than this look alike once finished: common practice, no source."""


def remake_of(plan: Plan, key: int) -> Remake:
    """The same board, the same tone, the same arrow: and what to think of any other board."""
    composition = plan.composition
    piece = composition.in_hand.by_key[key]
    rack, seen = composition.rack, composition.seen
    like = [board for board in rack.boards if board.wood == piece.wood]
    mine = rack.by_name.get(piece.board)
    lines = [f"The arrow as shown, {piece.grain_deg or 0:.0f}°, and not turned round"]
    if not piece.board:
        beside = [composition.in_hand.by_key[k].number for k in composition.in_hand.coverage.neighbours[key]][:3]
        lines.insert(0, f"No board was noted for it: hold the wood against {name_pieces(beside)} before you saw")
    elif mine is None:
        lines.insert(0, f"Board {piece.board} is no longer on the rack")
    else:
        lines.insert(0, f"The same board, {piece.board}, near its first place")

    def apart(board: Board) -> float | None:
        if mine is None or board.name == mine.name:
            return 0.0 if mine is not None else None
        if mine.lab is None or board.lab is None:
            return None
        return round(seen.between(piece, replace(piece, board=board.name)), 1)

    offers = [(board.name, apart(board)) for board in like]
    return Remake(tuple(lines), tuple(sorted(offers, key=lambda o: (o[1] is None, o[1] or 0.0, o[0]))))


def other_board(plan: Plan, key: int, name: str) -> str:
    """The warning for a remake that comes from another board than the piece did; empty where none is due."""
    composition = plan.composition
    piece = composition.in_hand.by_key[key]
    if not name or not piece.board or name == piece.board:
        return ""
    apart = dict(remake_of(plan, key).boards).get(name)
    if apart is None:
        return f"{piece.number} came from {piece.board} and is now from {name}: no photo tells how they differ. Hold them together in daylight."
    if apart < SEEN_DE:
        return f"{piece.number} is now from {name}, {apart:g} off {piece.board}: hardly to be seen."
    return f"{piece.number} came from {piece.board} and is now from {name}, {apart:g} off: it will look different beside its neighbours."


def cards(plan: Plan) -> tuple[Card, ...]:
    """All cards in order: sawing order, then the highest pieces shaped first, then gluing order."""
    layer, practice, shelf = plan.composition.in_hand, plan.composition.practice, plan.composition.rack.shelf
    table = []
    for cut in plan.saw.cuts:
        piece = layer.by_key[cut.piece]
        lines = []
        bits = [hole.bit_mm for hole in cut.holes if hole.bit_mm]
        if cut.holes:
            size = f" {min(bits):g} mm" if bits else ""
            where = " on the line" if cut.holes[0].on_line else ""
            plural = "s" if len(cut.holes) > 1 else ""
            lines.append(f"Drill {len(cut.holes)}{size} pilot hole{plural}{where}, saw the inside first")
        lines.append(f"No. {cut.blade.no}, {cut.teeth_in_cut:.0f} teeth in the cut; start at the marked point")
        if piece.board:
            lines.append(f"From board {piece.board}{_where(plan, piece)}, the arrow along its grain")
        dust = shelf.wood(piece.wood).dust
        caution = f"{SAW_CAUTION} {dust}".strip()
        base = cut.minutes / practice.estimate_ratio
        table.append(Card("saw", cut.piece, STEPS["saw"], tuple(lines), cut.minutes, base, caution))
    highest_first = sorted(
        (c.piece for c in plan.saw.cuts), key=lambda k: (-(layer.by_key[k].height_mm or 0.0), layer.by_key[k].number)
    )
    for key in highest_first:
        piece = layer.by_key[key]
        lines = ["Sand to the line, round over what shows: 100, 150, 220, 320 grit"]
        if piece.shim_mm:
            lines.insert(
                0,
                f"Shim of {practice.say(piece.shim_mm)} under it, {practice.say(practice.shim_inset_mm)} in from the edge",
            )
        minutes = practice.shape_minutes + practice.fit_minutes
        table.append(
            Card(
                "shape",
                key,
                STEPS["shape"],
                tuple(lines),
                minutes,
                minutes,
                f"{SHAPE_CAUTION} {shelf.wood(piece.wood).dust}".strip(),
            )
        )
    sawn = {c.piece for c in plan.saw.cuts}
    for step in plan.glue.steps:
        if step.piece not in sawn:
            continue
        touching = [layer.by_key[k].number for k in step.touches[:4]]
        where = f"Against {', '.join(map(str, touching))}" if touching else "The anchor: on its line, checked twice"
        glue = plan.glue.glue.name.lower()
        how = "hold it until it sets" if plan.glue.one_by_one else f"batch {step.batch} of {len(plan.glue.batches)}"
        lines = [where, f"{glue[:1].upper()}{glue[1:]}, {how}"]
        minutes = plan.glue.minutes_each(practice)
        table.append(Card("glue", step.piece, STEPS["glue"], tuple(lines), minutes, minutes, plan.glue.glue.caution))
    return tuple(table)
