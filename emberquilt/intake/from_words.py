"""Typed words as lettering, and nothing at all as an empty plate."""

import numpy as np
import shapely

from ..errors import BadDrawing
from ..findings import Finding
from ..outline import linework
from ..outline.plates import plate
from . import lettering
from .finish import Intake, finish
from .proposal import Proposal, ReadAs
from .sawn_letters import bridged, fit_to_saw, small_parts, told


def from_nothing(work: Intake) -> Proposal:
    across = work.knobs.across
    scale = work.size.mm_per_unit((across, 1.0), (across, 1.0), None)
    shape = plate(work.knobs.outline, (0.0, 0.0, across * scale, scale))
    read_as = ReadAs("blank", "an outline to split by hand")
    return finish([shape], f"empty {work.knobs.outline}", tuple(shape.bounds), [], work, (), [""], read_as=read_as)


def from_text(data: bytes, font: bytes, work: Intake) -> Proposal:
    knobs = work.knobs
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        raise BadDrawing("This text is not in UTF-8. Type the words instead.") from None
    set_words = lettering.set_text(text, font or knobs.font, knobs.spacing, knobs.bend_deg)
    # what is typed at finished size depends on the size that it makes: a few rounds settle it
    as_set, share, scale = set_words, 0.0, 0.0
    for _ in range(4):
        if scale:
            set_words = fit_to_saw(as_set, scale, knobs)
        words = shapely.total_bounds(np.array(set_words.letters))
        faces, openings = lettering.lettered(set_words, knobs.letters, knobs.outline, share)
        left, top, right, bottom = shapely.total_bounds(np.array(faces))
        scale = work.size.mm_per_unit((right - left, bottom - top), (right - left, bottom - top), None)
        share = knobs.margin_mm / ((words[2] - words[0]) * scale)
    lines = shapely.transform(np.array(faces), lambda xy: (xy - [left, top]) * scale)
    matched, open_ones = _matched(list(lines), set(openings))
    held = knobs.hold == "bridged" and knobs.letters == "openings"
    bridges: list[tuple[float, float]] = []
    if held:
        made, gone, bridges = bridged(matched, open_ones, knobs.bridge_mm, knobs.bridge_count)
        matched, open_ones = _matched(made, gone)
    findings = told(small_parts(set_words, scale, knobs.letters, held), (right - left) * scale, knobs.letters, work.say)
    if set_words.missing:
        named = ", ".join(f"“{c}”" for c in set_words.missing[:8])
        findings.append(
            Finding("no-letter", "pattern", f"This font has no {named}; left out.", "A font holds only some letters.")
        )
    if set_words.lent:
        named = ", ".join(f"“{c}”" for c in set_words.lent[:8])
        findings.append(
            Finding(
                "lent-letter",
                "pattern",
                f"This font has no {named}; set in {lettering.FONTS[lettering.OTHERWISE][0].split(',')[0]}.",
                "A font holds only some letters.",
            )
        )
    kind = "letters" if knobs.letters == "letters" else "lettering in a sheet"
    box = (0.0, 0.0, (right - left) * scale, (bottom - top) * scale)
    return finish(
        matched,
        kind,
        box,
        findings,
        work,
        (),
        [""] * len(matched),
        [("bridge", x, y) for x, y in bridges],
        openings=open_ones,
        read_as=ReadAs("text", "typed words"),
    )


def _matched(faces: list[shapely.Polygon], openings: set[int]) -> tuple[list[shapely.Polygon], set[int]]:
    """Faces noded on the grid, so that they share their borders to the last bit."""
    rings = [ring for p in faces for ring in (p.exterior, *p.interiors)]
    made = shapely.get_parts(shapely.polygonize(shapely.get_parts(linework.noded(np.array(rings)))))
    made, _ = linework.without_slivers([p for p in made if p.area > 1e-3])
    tree = shapely.STRtree(np.array(faces))
    kept: list[shapely.Polygon] = []
    open_ones: set[int] = set()
    for face in made:
        home = tree.query(face.representative_point(), predicate="within").tolist()
        if not home:
            continue
        if home[0] in openings:
            open_ones.add(len(kept))
        kept.append(face)
    return kept, open_ones
