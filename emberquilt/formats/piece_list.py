"""The piece list and the parts list as CSV, for a spreadsheet."""

import csv
import io
from collections.abc import Iterable, Sequence

from ..plan import Plan
from ..relief.heights import undecided
from ..stock.parts_list import material_name, parts_list
from ..work.parts import Job

COLUMNS = (
    "number",
    "layer",
    "part",
    "wood",
    "grain_deg",
    "thickness_mm",
    "shim_mm",
    "height_mm",
    "area_mm2",
    "coat",
    "board",
    "board_x_mm",
    "board_y_mm",
    "saw_order",
    "blade",
    "cut_mm",
    "minutes",
    "pilot_holes",
    "copy",
    "glue_order",
)
PARTS_COLUMNS = (
    "part",
    "role",
    "layer",
    "material",
    "thickness_mm",
    "count",
    "width_mm",
    "height_mm",
    "area_mm2",
    "weight_kg",
    "keys",
)


def piece_list_csv(plan: Plan) -> str:
    """One row a piece, in number order. Words that a spreadsheet could take for a formula are quoted with an
    apostrophe."""
    composition, job, cuts, glue = plan.composition, plan.job, plan.saw.by_piece, plan.glue.by_part
    rows = []
    for p in sorted(composition.made, key=lambda p: p.number):
        cut, place, row = cuts.get(p.key), composition.placed(p.key), glue.get(str(p.key))
        x, y = (place.point if place else None) or (None, None)
        known = not undecided(job, p.key)
        rows.append(
            [
                p.number,
                _safe(composition.home[p.key].name),
                _safe(p.part),
                composition.rack.shelf[job.material[p.key]].name if job.known(p.key) else _safe(job.material[p.key]),
                _or_empty(p.grain_deg),
                _or_empty(job.thickness_mm[p.key] if known else None),
                _or_empty(job.shim_mm.get(p.key, 0.0)),
                _or_empty(job.lifted_mm(p) if known else None),
                round(job.pieces[p.key].area_mm2, 1),
                p.coat,
                _safe(place.board if place else ""),
                _or_empty(x),
                _or_empty(y),
                cut.order if cut else "",
                cut.blade.no if cut else "",
                round(cut.length_mm, 1) if cut else "",
                round(cut.minutes, 1) if cut else "",
                len(cut.holes) if cut else "",
                "ABCD"[plan.paper[p.key] - 1],
                row.order if row else "",
            ]
        )
    return _csv(COLUMNS, rows)


def parts_list_csv(job: Job) -> str:
    """The parts list, one row a line; `count` is for all copies, with spares."""
    shelf, names = job.composition.rack.shelf, {layer.key: layer.name for layer in job.composition.layers}
    rows = (
        [
            _safe(line.name),
            line.role,
            _safe(names.get(line.layer, "")),
            _safe(material_name(shelf, line.material)),
            _or_empty(line.thickness_mm),
            line.count,
            round(line.width_mm, 1),
            round(line.height_mm, 1),
            round(line.area_mm2, 1),
            "" if line.weight_kg is None else round(line.weight_kg, 4),
            " ".join(line.keys),
        ]
        for line in parts_list(job)
    )
    return _csv(PARTS_COLUMNS, rows)


def _csv(columns: Sequence[str], rows: Iterable[list]) -> str:
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\r\n")
    writer.writerow(columns)
    writer.writerows(rows)
    return buffer.getvalue()


def _safe(text: str) -> str:
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def _or_empty(value: float | None) -> float | str:
    """A length or an angle to a thousandth: what scaling leaves behind it is no measure."""
    return "" if value is None else round(value, 3)
