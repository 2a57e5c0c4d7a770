"""The piece list as CSV, one row a piece, for a spreadsheet."""

import csv
import io

from ..plan import Plan

COLUMNS = (
    "number", "part", "wood", "grain_deg", "thickness_mm", "shim_mm", "height_mm", "area_mm2",
    "coat", "board", "board_x_mm", "board_y_mm", "saw_order", "blade", "cut_mm", "minutes", "pilot_holes", "copy", "glue_order",
)  # fmt: skip


def piece_list_csv(plan: Plan) -> str:
    """Rows in number order. Words that a spreadsheet could take for a formula are quoted with an apostrophe."""
    buffer = io.StringIO()
    rows = csv.writer(buffer, lineterminator="\r\n")
    rows.writerow(COLUMNS)
    layer, cuts = plan.composition.in_hand, plan.saw.by_piece
    glue = {step.piece: step.order for step in plan.glue.steps}
    for p in sorted(layer.pieces, key=lambda p: p.number):
        cut = cuts.get(p.key)
        rows.writerow(
            [
                p.number, _safe(p.part), plan.composition.rack.shelf.wood(p.wood).name if p.wood else "", _or_empty(p.grain_deg), _or_empty(p.thickness_mm),
                _or_empty(p.shim_mm), _or_empty(p.height_mm), round(layer.coverage.area_mm2[p.key], 1),
                p.coat, _safe(p.board), _or_empty(p.board_x_mm), _or_empty(p.board_y_mm),
                cut.order if cut else "", cut.blade.no if cut else "", round(cut.length_mm, 1) if cut else "",
                round(cut.minutes, 1) if cut else "", len(cut.holes) if cut else "", "ABCD"[plan.copies[p.key] - 1],
                glue.get(p.key, ""),
            ]
        )  # fmt: skip
    return buffer.getvalue()


def _safe(text: str) -> str:
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def _or_empty(value: float | None) -> float | str:
    """A length or an angle to a thousandth: what scaling leaves behind it is no measure."""
    return "" if value is None else round(value, 3)
