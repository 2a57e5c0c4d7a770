"""A proposal as plain values in a draft's row, and back."""

from base64 import b64decode, b64encode

import numpy as np
import shapely

from emberquilt.findings import Finding
from emberquilt.intake.by_hand import Stroke, after, in_mm, in_shares, stroked_on, strokes_of, told
from emberquilt.intake.knobs import Knobs
from emberquilt.intake.proposal import Other, Proposal, ReadAs
from emberquilt.outline.coverage import Coverage
from emberquilt.outline.details import detail_of
from emberquilt.outline.paths import path_of
from emberquilt.work.scene import Mark

from ..kept import Kept
from .models import Draft


def pack_proposal(proposal: Proposal) -> dict:
    outlines = shapely.to_wkb(shapely.geometrycollections(np.array(proposal.coverage.outlines)))
    return {
        "outlines": b64encode(outlines).decode(),
        "width_mm": proposal.width_mm,
        "height_mm": proposal.height_mm,
        "kind": proposal.kind,
        "faces": proposal.faces,
        "source_box_mm": list(proposal.source_box_mm),
        "findings": [f.as_dict() for f in proposal.findings],
        "colours": {str(key): colour for key, colour in proposal.colours.items()},
        "left_out": list(proposal.left_out),
        "openings": list(proposal.openings),
        "traces": [list(trace) for trace in proposal.traces],
        "pages": proposal.pages,
        "read_as": [proposal.read_as.kind, proposal.read_as.why],
        "others": [
            [o.kind, o.words, o.pieces, o.likeness, dict(o.knobs), b64encode(o.picture).decode()]
            for o in proposal.others
        ],
        "lines": [[[list(point) for point in detail.line], detail.how] for detail in proposal.lines],
        "lines_up_to_mm": proposal.lines_up_to_mm,
        "corners": [list(corner) for corner in proposal.corners],
    }


def unpack_proposal(values: dict) -> Proposal:
    outlines = list(shapely.get_parts(shapely.from_wkb(b64decode(values["outlines"]))))
    return Proposal(
        Coverage(range(1, len(outlines) + 1), outlines),
        values["width_mm"],
        values["height_mm"],
        values["kind"],
        values["faces"],
        tuple(values["source_box_mm"]),
        tuple(Finding.from_dict(f) for f in values["findings"]),
        {int(key): colour for key, colour in values["colours"].items()},
        tuple(values.get("openings", ())),
        tuple((what, x, y) for what, x, y in values.get("traces", ())),
        values.get("pages", 1),
        tuple(values["left_out"]),
        ReadAs(*values.get("read_as", ("line", ""))),
        tuple(
            Other(kind, words, pieces, likeness, tuple(knobs.items()), b64decode(picture))
            for kind, words, pieces, likeness, knobs, picture in values.get("others", ())
        ),
        tuple(detail_of(line, how) for line, how in values.get("lines", ())),
        tuple(tuple(corner) for corner in values.get("corners", ())),
        values.get("lines_up_to_mm"),
    )


MADE = Kept(24)
"""What came of the strokes on the drafts that were shown last, so that each stroke is made once and not at every
showing: the proposal, and how many strokes have fitted no more."""


def _made(row: Draft, strokes: tuple[Stroke, ...]) -> tuple[Proposal, Proposal, int]:
    """What was found in a draft, what the strokes made of it, and how many have fitted no more."""
    # while it is read anew a draft still shows what was found before
    key = (row.uid, row.turn, row.state == Draft.State.READY)
    found, _ = MADE.get((*key, ()), lambda: (unpack_proposal(row.result or {}), 0))
    begun = next(n for n in range(len(strokes), -1, -1) if n == 0 or MADE.known((*key, strokes[:n])))
    made, lost = MADE.known((*key, strokes[:begun])) or (found, 0)
    for n in range(begun + 1, len(strokes) + 1):
        made, lost = stroked_on(made, lost, strokes[n - 1 : n])
        # the last two: one is taken back as often as one is added
        if n >= len(strokes) - 1:
            MADE.keep((*key, strokes[:n]), (made, lost))
    return found, made, lost


def proposed(row: Draft) -> Proposal:
    """The pieces that were found in a draft, after what was done to them by hand."""
    return told(*_made(row, strokes_of(row.knobs.get("by_hand", ()))))


def stroked(row: Draft, do: str, points: list, how: str) -> list[dict]:
    """The strokes of a draft with one more, its points in mm; or without the last one (`do` is back). Raises
    `BadChoice` in a sentence for one that does nothing."""
    strokes = list(row.knobs.get("by_hand", ()))
    if do == "back":
        return strokes[:-1]
    found, made, _ = _made(row, strokes_of(strokes))
    stroke = {"do": do, "points": in_shares(found, points), "how": how}
    after(made, strokes_of([*strokes, stroke])[-1])
    return [*strokes, stroke]


STROKES = (("figure", "inside", "guide"), ("figure", "beyond", "melt"), ("fretwork", "bridges", "guide"))


def marked_on(proposal: Proposal, knobs: Knobs) -> list[Mark]:
    """What was marked on the picture: a rectangle round a figure, strokes for in and out, bridges set by hand."""
    left, top, right, bottom = knobs.box or (0.0, 0.0, 0.0, 0.0)
    box = ((left, top), (right, top), (right, bottom), (left, bottom), (left, top))
    lines = [("guide", box)] if knobs.box and proposal.read_as.kind == "figure" else []
    for kind, name, mark in STROKES:
        if proposal.read_as.kind == kind:
            lines += [(mark, line) for line in getattr(knobs, name) if len(line) > 1]
    return [Mark(mark, path=path_of(shapely.LineString(in_mm(proposal, line)))) for mark, line in lines]
