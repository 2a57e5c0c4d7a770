"""What every kind of intake is given, and how what it found becomes a proposal."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from ..colour import hex_apart
from ..errors import BadDrawing
from ..findings import Finding
from ..outline.coverage import Coverage, on_grid
from ..outline.cut import joined, small_joins
from ..outline.details import detail_of
from ..outline.linework import noded
from ..outline.numbering import reading_order
from .knobs import Knobs, Size
from .proposal import Progress, Proposal, ReadAs

MOST_MARKED = 12
"""Loose ends are told one by one up to this many; beyond, one finding counts them."""
LAID_IN_MM = 3.0
"""A dark shape inside one region is laid in as a piece from this width on; what is finer is a detail."""
Say = Callable[[float], str]


@dataclass
class Intake:
    """What every kind of intake is given."""

    size: Size
    knobs: Knobs
    progress: Progress
    say: Say


@dataclass(frozen=True)
class Drawn:
    """Pieces in mm by a drawing's own lines, before they are made a proposal; colours ``#rrggbb`` or empty."""

    outlines: list[shapely.Polygon]
    colours: list[str]
    source_box_mm: tuple[float, float, float, float]
    findings: list[Finding]
    left_out: tuple[str, ...] = ()
    traces: tuple[tuple[str, float, float], ...] = ()


def finished(
    drawn: Drawn,
    words: str,
    read_as: ReadAs,
    work: Intake,
    up_to_mm: float | None = None,
    lines: Sequence[np.ndarray] = (),
) -> Proposal:
    return finish(
        drawn.outlines,
        words,
        drawn.source_box_mm,
        drawn.findings,
        work,
        drawn.left_out,
        drawn.colours,
        drawn.traces,
        read_as=read_as,
        up_to_mm=up_to_mm,
        lines=lines,
    )


def finish(
    outlines,
    kind,
    source_box,
    findings,
    work: Intake,
    left_out,
    colours,
    traces: Sequence = (),
    openings: set[int] = frozenset(),  # type: ignore[assignment]
    *,
    read_as: ReadAs,
    lines: Sequence[np.ndarray] = (),
    up_to_mm: float | None = None,
) -> Proposal:
    rounded = [shapely.normalize(p) for p in on_grid(np.array(outlines))]
    draft = Coverage(range(len(rounded)), rounded)
    if not draft.is_valid:
        rounded, kept = _mended(rounded)
        colours = [colours[i] for i in kept]
        openings = {n for n, i in enumerate(kept) if i in openings}
        draft = Coverage(range(len(rounded)), rounded)
    traces = list(traces)
    merged: list[tuple[float, float]] = []
    if work.knobs.smallest_mm > 0 and not openings:
        draft, merged = _without_small(draft, colours, work)
        traces += [("merged", x, y) for x, y in merged]
    order = reading_order(draft)
    x, y, w, h = source_box
    coverage = Coverage(range(1, len(order) + 1), [draft.by_key[key] for key in order])
    _, _, right, bottom = coverage.bounds_mm
    if merged:
        findings = [*findings, _merged(merged, work)]
    proposal = Proposal(
        coverage,
        round(right, 3),
        round(bottom, 3),
        kind,
        len(rounded) - len(merged),
        (round(float(x), 3), round(float(y), 3), round(float(w), 3), round(float(h), 3)),
        tuple(findings),
        colours={i: colours[key] for i, key in enumerate(order, 1) if colours[key]},
        openings=tuple(i for i, key in enumerate(order, 1) if key in openings),
        left_out=tuple(left_out),
        traces=tuple((what, round(float(x), 2), round(float(y), 2)) for what, x, y in traces),
        read_as=read_as,
        lines=tuple(detail_of(line) for line in lines),
        lines_up_to_mm=None if up_to_mm is None else round(float(up_to_mm), 2),
    )
    if not proposal.is_valid:
        raise BadDrawing(
            "The lines of this drawing cross so closely that its pieces could not be told apart without gaps. "
            "Simplify the drawing or make the finished width larger."
        )
    return proposal


def _mended(outlines: list[shapely.Polygon]) -> tuple[list[shapely.Polygon], list[int]]:
    """Pieces whose corners fell on each other when they came onto the grid: their lines cut anew, each face given back
    to the piece it lies in, a piece that fell apart its largest part; and which of the pieces are left."""
    rings = shapely.get_rings(np.array(outlines))
    faces = shapely.get_parts(shapely.polygonize(shapely.get_parts(noded(rings))))
    spots = shapely.point_on_surface(faces)
    sound = [shapely.make_valid(o) for o in outlines]
    at, owner = shapely.STRtree(np.array(sound)).query(spots, predicate="intersects")
    groups: dict[int, list] = {}
    for face, own in sorted(dict(zip(at.tolist(), owner.tolist(), strict=True)).items()):
        groups.setdefault(own, []).append(faces[face])
    loose, whole = [], {}
    for own, members in groups.items():
        parts = shapely.get_parts(shapely.coverage_union_all(np.array(members)))
        largest = int(np.argmax(shapely.area(parts)))
        whole[own] = parts[largest]
        loose += [part for i, part in enumerate(parts) if i != largest]
    kept = sorted(whole)
    tree = shapely.STRtree(np.array([whole[k] for k in kept]))
    for part in loose:
        near = [kept[n] for n in tree.query(part, predicate="touches").tolist()]
        shared = {k: shapely.length(shapely.intersection(whole[k], part)) for k in near}
        into = max(shared, key=lambda k: shared[k], default=None)
        if into is not None and (joint := shapely.coverage_union(whole[into], part)).geom_type == "Polygon":
            whole[into] = joint
    return [shapely.normalize(whole[k]) for k in kept], kept


def _without_small(draft: Coverage, colours, work: Intake):
    """Pieces narrower than the smallest one asked for, joined to the best neighbour; and where they were."""
    spots, merged = draft.spots, []
    smallest = work.knobs.smallest_mm

    def apart(a: int, b: int) -> float:
        return hex_apart(colours[a], colours[b]) if colours[a] and colours[b] else 0.0

    for _ in range(3):
        pairs = small_joins(draft, lambda k, s=spots: 2 * s[k].radius_mm < smallest, apart)  # type: ignore[misc]
        made = joined(draft, pairs)
        if not made.gone:
            break
        merged += [(spots[k].x_mm, spots[k].y_mm) for k in made.gone]
        draft = draft.replaced(made.changed, made.gone)
        spots = draft.spots
    return draft, merged


def _merged(places, work: Intake) -> Finding:
    return Finding(
        "merged",
        "pattern",
        f"{len(places)} piece{'' if len(places) == 1 else 's'} narrower than {work.say(work.knobs.smallest_mm)} "
        f"{'was' if len(places) == 1 else 'were'} joined to a neighbour.",
        "That is the smallest piece asked for.",
        point_mm=(round(places[0][0], 2), round(places[0][1], 2)),
        amount=len(places),
        limit=work.knobs.smallest_mm,
        unit="mm",
    )


def end_findings(ends: list[tuple[float, float]], say: Say) -> list[Finding]:
    rule = "A line that stops in the open does not part two pieces; what lay on its two sides became one."
    if len(ends) > MOST_MARKED:
        words = (
            f"{len(ends)} lines end in the open: pieces there were lost into their neighbours. Bridge "
            f"wider gaps, or close them in the drawing."
        )
        return [Finding("open-gap", "pattern", words, rule, point_mm=ends[0], amount=len(ends))]
    return [
        Finding(
            "open-gap",
            "pattern",
            f"A line ends in the open {say(max(x, 0.0))} from the left and {say(max(y, 0.0))} from the top: "
            "both sides became one piece. Split it there if it should part them.",
            rule,
            point_mm=(round(x, 2), round(y, 2)),
            by_place=True,
        )
        for x, y in ends
    ]


def told_ends(
    ends: list[tuple[float, float]], bridged: list[tuple[float, float]], gap_mm: float, say: Say
) -> tuple[list[Finding], list[tuple[str, float, float]]]:
    """Findings and traces of line ends that stay loose, and of those that were drawn on to another line."""
    findings = end_findings(ends, say)
    if bridged:
        findings.append(closed_gaps(bridged, gap_mm))
    return findings, [("bridged", *p) for p in bridged] + [("lost", *p) for p in ends]


def closed_gaps(places: list[tuple[float, float]], limit_mm: float) -> Finding:
    return Finding(
        "closed-gap",
        "pattern",
        f"{len(places)} line ends stopped up to {limit_mm:.1f} mm short of the next line and were joined to it.",
        f"Ends closer than {limit_mm:.1f} mm at finished size are taken as meeting.",
        point_mm=(round(places[0][0], 2), round(places[0][1], 2)),
        amount=len(places),
        limit=round(limit_mm, 1),
        unit="mm",
    )
