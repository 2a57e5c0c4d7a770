"""A proposal as plain values in a draft's row, and back."""

from base64 import b64decode, b64encode

import numpy as np
import shapely

from emberquilt.findings import Finding
from emberquilt.intake.proposal import Other, Proposal, ReadAs
from emberquilt.outline.coverage import Coverage


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
        "lines": [[list(point) for point in line] for line in proposal.lines],
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
        tuple(tuple(tuple(point) for point in line) for line in values.get("lines", ())),
        tuple(tuple(corner) for corner in values.get("corners", ())),
        values.get("lines_up_to_mm"),
    )
