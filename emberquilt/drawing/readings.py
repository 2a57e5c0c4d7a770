"""How each station reads the panel: what the pieces wear and which marks lie over them."""

from collections.abc import Callable
from dataclasses import replace

from ..findings import Finding
from ..layers.stacked import VIEWS, stacked
from ..outline.paths import path_of
from ..plan import Plan
from ..rack.boards import to_board
from ..units import format_length
from ..wood.contrast import contrast_of
from ..wood.judgement import neck_table
from ..work.composition import Composition, Piece
from ..work.scene import Dress, Mark, Scene, scene_of

Reading = Callable[[Plan], tuple[dict[int, Dress], tuple[Mark, ...]]]


def _each(composition: Composition, tone: str, label=lambda p: "", arrow=False, strong=lambda p: False):
    return {
        p.key: dress_of(composition, p, tone, label(p), arrow and bool(p.wood), strong(p))
        for p in composition.in_hand.pieces
    }


def dress_of(
    composition: Composition, p: Piece, tone: str, label: str = "", arrow: bool = False, strong: bool = False
) -> Dress:
    """What a piece wears in its wood, with its coat, and its place on a board."""
    coat = composition.seen.hex(p) if p.coat and p.wood else ""
    return Dress(p.wood, p.grain_deg or 0.0, tone, label, arrow, strong, p.colour, coat, _face(composition, p))


def _face(composition: Composition, p: Piece) -> tuple:
    board = composition.rack.by_name.get(p.board)
    if board is None or p.board_x_mm is None or p.board_y_mm is None:
        return ()
    spot = composition.in_hand.coverage.spots[p.key]
    move = to_board((spot.x_mm, spot.y_mm), board, p.grain_deg or 0.0, p.board_x_mm, p.board_y_mm)
    return board.name, *(round(v, 5) for v in move.ravel().tolist())


def numbers(plan: Plan):
    """The bare pattern with its numbers, openings seen through."""
    return _open(plan.composition) | _each(plan.composition, "plain", lambda p: str(p.number)), ()


def colours(plan: Plan):
    """The drawing's own colours, which woods are matched to."""
    dress = {
        p.key: Dress("", 0.0, "tint" if p.colour else "plain", str(p.number), colour=p.colour)
        for p in plan.composition.in_hand.pieces
    }
    return _open(plan.composition) | dress, ()


def _open(composition: Composition) -> dict[int, Dress]:
    return {key: Dress(tone="open") for key in composition.whole.openings}


def woods(plan: Plan):
    """Woods as they will look."""
    return _each(plan.composition, "full"), ()


def woods_and_seams(plan: Plan):
    """Woods as they will look, seams that melt and were not accepted marked."""
    return _each(plan.composition, "full"), _melting(plan)


def greys(plan: Plan):
    """Does it read without colour?"""
    return _each(plan.composition, "grey"), _melting(plan)


def blind(plan: Plan):
    """Does it read for those who cannot tell red from green?"""
    return _each(plan.composition, "blind"), _melting(plan)


def aged(plan: Plan):
    """After about a year of room light."""
    composition, older = plan.composition, plan.composition.seen.older
    dress = _each(composition, "full")
    for p in composition.in_hand.pieces:
        if p.wood and composition.rack.shelf[p.wood].aged:
            dress[p.key] = replace(dress[p.key], coat=older.hex(p))
    return dress, ()


def contrast(plan: Plan):
    """Every seam as it will read: thin where two things are separate, dotted where they shade, dashed where they are lost."""
    rated = contrast_of(plan.composition)
    marks = [
        Mark(f"seam-{reading}", path=" ".join(r.seam.path for r in rows))
        for reading in ("reads", "shades", "melts")
        if (rows := rated.of(reading))
    ]
    return _each(plan.composition, "pale"), tuple(marks)


def picture(plan: Plan):
    """The picture of the result."""
    return _each(plan.composition, "clear"), ()


def flows(plan: Plan):
    """Arrows, with the lines they follow and the necks that are weak."""
    composition = plan.composition
    lines = [
        Mark("guide", path="M" + " L".join(f"{x:g} {y:g}" for x, y in f["line"]))
        for f in composition.pins.get("flows", [])
    ]
    necks = [
        Mark("neck", n.x_mm, n.y_mm, piece=key)
        for key, own in neck_table(composition.in_hand, composition.practice).items()
        for n in own
    ]
    return _each(composition, "full", arrow=True), (*lines, *necks, *_melting(plan))


def numbered_woods(plan: Plan):
    return _each(plan.composition, "pale", lambda p: str(p.number)), ()


def _melting(plan: Plan) -> tuple[Mark, ...]:
    coverage = plan.composition.in_hand.coverage

    melting = [f for f in plan.findings("wood") if f.code == "melts"]
    return tuple(Mark("melt", path=coverage.neighbours[a][b].path) for a, b in (f.pieces for f in melting))


def heights(plan: Plan):
    """The top of every piece above the backer; the highest set strongly."""
    practice = plan.composition.practice
    top = plan.relief.highest_mm

    def label(p) -> str:
        if p.height_mm is None:
            return "?"
        return format_length(p.height_mm, practice.unit, practice.denominator, with_unit=False)

    return _each(plan.composition, "pale", label, strong=lambda p: p.height_mm == top), ()


def shims(plan: Plan):
    practice = plan.composition.practice

    def label(p) -> str:
        return format_length(p.shim_mm, practice.unit, practice.denominator, with_unit=False) if p.shim_mm else ""

    return _each(plan.composition, "pale", label), ()


def copies(plan: Plan):
    """From which paper copy each piece is cut."""
    table = plan.copies
    return _each(plan.composition, "pale", lambda p: "ABCD"[table[p.key] - 1]), ()


def cutting_order(plan: Plan):
    """Numbers in sawing order, starts and pilot holes."""
    cuts = plan.saw.by_piece
    marks = [Mark("start", *cut.start_mm, piece=cut.piece) for cut in plan.saw.cuts]
    dress = _each(plan.composition, "pale", lambda p: str(cuts[p.key].order) if p.key in cuts else "")
    return dress, (*marks, *_holes(plan))


def holes(plan: Plan):
    return _each(plan.composition, "pale", lambda p: str(p.number)), _holes(plan)


def _holes(plan: Plan) -> tuple[Mark, ...]:
    return tuple(Mark("hole", h.x_mm, h.y_mm, piece=cut.piece) for cut in plan.saw.cuts for h in cut.holes)


def glue_order(plan: Plan):
    """Numbers in gluing order, the backer's outline dashed inside, the anchor ringed."""
    order = {step.piece: step for step in plan.glue.steps}
    marks = [Mark("guide", path=path_of(plan.glue.backer))]
    if plan.glue.anchor is not None:
        spot = plan.composition.in_hand.coverage.spots[plan.glue.anchor]
        marks.append(Mark("ring", spot.x_mm, spot.y_mm, piece=plan.glue.anchor))
    first = {step.piece for step in plan.glue.steps if step.batch == 1}
    return _each(plan.composition, "pale", lambda p: str(order[p.key].order), strong=lambda p: p.key in first), tuple(
        marks
    )


def glue_batches(plan: Plan):
    batch = {step.piece: step.batch for step in plan.glue.steps}
    return _each(plan.composition, "pale", lambda p: str(batch[p.key])), ()


def done(plan: Plan):
    """What is sawn stands in its wood, the rest waits."""
    sawn = {key for step, key in plan.done if step == "saw"}
    return {
        p.key: Dress(p.wood, p.grain_deg or 0.0, "full" if p.key in sawn else "pale", str(p.number))
        for p in plan.composition.in_hand.pieces
    }, ()


def plain(plan: Plan):
    return _each(plan.composition, "plain"), ()


READINGS: dict[str, dict[str, Reading]] = {
    "pattern": {"numbers": numbers, "colours": colours, "woods": woods, "plain": plain},
    "wood": {
        "woods": woods_and_seams,
        "arrows": flows,
        "picture": picture,
        "seams": contrast,
        "greys": greys,
        "red-green": blind,
        "aged": aged,
        "numbers": numbered_woods,
    },
    "relief": {"heights": heights, "shims": shims, "woods": woods, "numbers": numbered_woods},
    "stock": {"woods": woods, "copies": copies, "numbers": numbered_woods},
    "saw": {"order": cutting_order, "holes": holes, "copies": copies, "woods": woods, "plain": plain},
    "assembly": {"order": glue_order, "batches": glue_batches, "heights": heights, "woods": woods},
    "calendar": {"sawn": done, "order": cutting_order, "woods": woods},
    "log": {"sawn": done, "numbers": numbered_woods},
}


def readings_of(composition: Composition, station: str) -> list[str]:
    """The readings a station offers; a picture of several layers can also be seen as a stack."""
    names = list(READINGS[station])
    return names + list(VIEWS) if station == "pattern" and len(composition.layers) > 1 else names


MOST_FINDINGS = 12
"""So many findings are listed and pinned at a time; the rest is counted until these are settled."""


def read(plan: Plan, station: str, show: str, findings: list[Finding]) -> Scene:
    """The scene of a station in one of its readings, its findings pinned where they are."""
    if show in VIEWS:
        return stacked(plan.composition, show)
    readings = READINGS[station]
    dress, marks = readings.get(show, next(iter(readings.values())))(plan)
    pins = tuple(
        Mark("pin", *place, text=str(i), piece=f.pieces[0] if f.pieces else 0)
        for i, f in enumerate(findings[:MOST_FINDINGS], 1)
        for place in _places(plan, f)
    )
    scene = scene_of(plan.composition, dress, (*marks, *pins))
    return replace(scene, rendered=True) if show == "picture" else scene


MOST_PINS = 4
"""A finding about more pieces than this is pinned nowhere: choosing it shows them all."""


def _places(plan: Plan, finding: Finding) -> list[tuple[float, float]]:
    if finding.point_mm is not None:
        return [finding.point_mm]
    if len(finding.pieces) > MOST_PINS:
        return []
    spots = plan.composition.in_hand.coverage.spots
    # what intake found may speak of a piece that is gone since, or lies in another layer
    return [(spots[key].x_mm, spots[key].y_mm) for key in finding.pieces if key in spots]
