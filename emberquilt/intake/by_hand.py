"""What a person does by hand to the pieces that were found, before they are kept: lines drawn, pieces joined, seams
moved, lines made details."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

import numpy as np
import shapely

from ..errors import BadChoice
from ..findings import Finding
from ..outline import cut, redraw
from ..outline.coverage import Coverage
from ..outline.details import HOWS, detail_of, nearest
from ..outline.knit import Reshape
from ..plain import read_marks
from .knobs import Point
from .proposal import Proposal, in_reading_order

SNAP_SHARE = 0.006
"""Ends meet what lies within this share of the picture's longer side."""
MOST_STROKES, MOST_POINTS = 400, 2000
ACROSS_MM = 0.2
"""A stroke that runs less than this inside a piece only touches it."""
WITHIN = 0.7
"""A seam's new line lies in its two pieces on at least this share of its length."""


@dataclass(frozen=True, slots=True)
class Stroke:
    """One deed of `DEEDS`; `points` are shares of the source picture's width and height, `how` of a detail as in
    `HOWS`, or gone."""

    do: str
    points: tuple[Point, ...]
    how: str = ""


def strokes_of(values) -> tuple[Stroke, ...]:
    """From plain values: a list of {do, points, how}. Raises `BadChoice`."""
    sentence = "What was drawn by hand could not be read. Draw it again."
    if isinstance(values, str):
        values = read_marks(values or "[]", sentence)
    try:
        made = tuple(
            Stroke(str(v["do"]), tuple((float(x), float(y)) for x, y in v["points"]), str(v.get("how") or ""))
            for v in values
        )
    except (TypeError, ValueError, KeyError, AttributeError, OverflowError):
        raise BadChoice(sentence) from None
    if len(made) > MOST_STROKES:
        raise BadChoice(f"That is more than {MOST_STROKES} lines by hand. Accept the pieces and go on at Pattern.")
    for stroke in made:
        known = stroke.do in DEEDS and (stroke.how in ("", "gone") or stroke.how in HOWS)
        if not known or not 0 < len(stroke.points) <= MOST_POINTS:
            raise BadChoice(sentence)
        if not all(-1 <= v <= 2 for point in stroke.points for v in point):
            raise BadChoice("This line lies outside the picture.")
    return made


def in_mm(proposal: Proposal, points: Iterable[Point]) -> np.ndarray:
    """Shares of the source in mm of the sheet."""
    x, y, width, height = proposal.source_box_mm
    return np.array([(x + u * width, y + v * height) for u, v in points])


def in_shares(proposal: Proposal, points: Iterable[Point]) -> list[list[float]]:
    """The other way round."""
    x, y, width, height = proposal.source_box_mm
    return [[round((u - x) / width, 6), round((v - y) / height, 6)] for u, v in points]


def by_hand(proposal: Proposal, strokes: Iterable[Stroke]) -> Proposal:
    """The proposal after each stroke in turn; one that fits no more, as when the drawing was read otherwise since, is a
    finding."""
    return told(proposal, *stroked_on(proposal, 0, strokes))


def stroked_on(made: Proposal, lost: int, strokes: Iterable[Stroke]) -> tuple[Proposal, int]:
    """More strokes on what came of earlier ones, and how many have fitted no more; keys stay."""
    for stroke in strokes:
        try:
            made = after(made, stroke)
        except BadChoice:
            lost += 1
    return made, lost


def told(proposal: Proposal, made: Proposal, lost: int) -> Proposal:
    """What was made of a proposal in the order of reading, with what is to be said about it."""
    if lost:
        words = f"{lost} of the lines drawn by hand fit{'s' if lost == 1 else ''} no more"
        sentence = f"{words}, since the drawing is read otherwise now: {'it was' if lost == 1 else 'they were'} left."
        finding = Finding("by-hand", "pattern", sentence, "Strokes are made again on what is found.", amount=lost)
        made = replace(made, findings=(*made.findings, finding))
    return made if made.coverage is proposal.coverage else in_reading_order(made)


def after(proposal: Proposal, stroke: Stroke) -> Proposal:
    """After one stroke; keys stay. Raises `BadChoice` in a sentence where it does nothing."""
    line = in_mm(proposal, stroke.points)
    _, _, right, bottom = proposal.coverage.bounds_mm
    return DEEDS[stroke.do](proposal, line, SNAP_SHARE * max(right, bottom), stroke.how)


def _line(proposal: Proposal, line: np.ndarray, snap_mm: float, _how: str) -> Proposal:
    """A line drawn on: it parts what it crosses. Where it begins or ends at a line that parts nothing, that one is part
    of it."""
    if len(line) < 2:
        raise BadChoice("This line is too short to cut along. Draw it from border to border.")
    details = list(proposal.lines)
    for end in (0, -1):
        found = nearest(tuple(details), line[end], 1.5 * snap_mm)
        if found is None:
            continue
        # a traced end wavers; it goes on as the line does
        xy = shapely.get_coordinates(shapely.simplify(details[found].geometry, snap_mm / 2))
        far = np.hypot(*(xy - line[end]).T)
        # up to the place where it is met, from its farther end
        at = int(far.argmin())
        other = xy[: at + 1] if at >= len(xy) / 2 else xy[at:][::-1]
        line = np.r_[other, line] if end == 0 else np.r_[line, other[::-1]]
        del details[found]
    made = cut.split(proposal.coverage, (), line, snap_mm)
    return replace(reshaped(proposal, made), lines=tuple(details))


def _join(proposal: Proposal, line: np.ndarray, _snap_mm: float, _how: str) -> Proposal:
    """What a line crosses becomes one piece."""
    keys = _crossed(proposal.coverage, line)
    if len({key in proposal.openings for key in keys}) > 1:
        raise BadChoice("An opening and a piece cannot be joined.")
    if len(keys) < 2:
        raise BadChoice("Draw across the seam of the pieces that are to be one.")
    return reshaped(proposal, cut.join(proposal.coverage, keys))


def _move(proposal: Proposal, line: np.ndarray, snap_mm: float, _how: str) -> Proposal:
    """The seam that runs most like a line takes its place."""
    coverage = proposal.coverage
    drawn = shapely.LineString(line) if len(line) > 1 else shapely.Point(line[0])
    if drawn.length <= snap_mm:
        raise BadChoice("Draw the seam anew, along its whole length.")
    places = shapely.points(shapely.get_coordinates(shapely.segmentize(drawn, max(drawn.length / 40, 0.1))))
    near = [k for k in coverage.keys if coverage.by_key[k].distance(drawn) <= drawn.length / 2]
    best: tuple[float, int, int] | None = None
    for a in near:
        for b, seam in coverage.neighbours[a].items():
            if a < b and b in near:
                both = coverage.by_key[a].union(coverage.by_key[b])
                if both.intersection(drawn).length < WITHIN * drawn.length:
                    continue
                # both ways: a long line is not like a short seam that it passes
                ends = shapely.get_coordinates(seam.line)
                apart = float(shapely.distance(places, seam.line).mean() + drawn.distance(shapely.multipoints(ends)))
                apart += float(shapely.distance(shapely.points(ends), drawn).mean())
                best = min(best or (np.inf, 0, 0), (apart, a, b))
    if best is None:
        raise BadChoice("No seam runs like this line. Draw it near the seam that it replaces.")
    return reshaped(proposal, redraw.redraw_seam(coverage, best[1], best[2], line, snap_mm))


def _detail(proposal: Proposal, line: np.ndarray, snap_mm: float, how: str) -> Proposal:
    """A line drawn as a detail; or, at one place, the line there: one that parts nothing is made otherwise (or is
    gone), a seam parts no more and is kept as a detail."""
    how = how or "burnt"
    if len(line) > 1 and shapely.LineString(line).length > snap_mm:
        if how == "gone":
            raise BadChoice("Click the line that is to go.")
        return replace(proposal, lines=(*proposal.lines, detail_of(line, how)))
    found = nearest(proposal.lines, line[0], 2 * snap_mm)
    if found is not None:
        rest = [d for i, d in enumerate(proposal.lines) if i != found]
        kept = [replace(proposal.lines[found], how=how)] if how != "gone" else []
        return replace(proposal, lines=(*rest, *kept))
    seam = _seam_at(proposal.coverage, line[0], 2 * snap_mm)
    if seam is None:
        raise BadChoice("There is no line here. Click on one.")
    joined = reshaped(proposal, cut.join(proposal.coverage, (seam.a, seam.b)))
    parts = shapely.get_parts(shapely.line_merge(seam.line)) if how != "gone" else []
    return replace(joined, lines=(*joined.lines, *(detail_of(shapely.get_coordinates(p), how) for p in parts)))


DEEDS: dict[str, Callable[[Proposal, np.ndarray, float, str], Proposal]] = {
    "line": _line,
    "join": _join,
    "move": _move,
    "detail": _detail,
}


def _crossed(coverage: Coverage, line: np.ndarray) -> list[int]:
    drawn = shapely.LineString(line) if len(line) > 1 else shapely.Point(line[0])
    least = min(ACROSS_MM, 0.1 * drawn.length)
    return [k for k, o in coverage.by_key.items() if o.intersects(drawn) and o.intersection(drawn).length >= least]


def _seam_at(coverage: Coverage, at: np.ndarray, reach_mm: float):
    spot = shapely.Point(at)
    near = [k for k in coverage.keys if coverage.by_key[k].distance(spot) <= reach_mm]
    seams = {s for k in near for s in coverage.neighbours[k].values() if s.line.distance(spot) <= reach_mm}
    return min(seams, key=lambda s: s.line.distance(spot), default=None)


def reshaped(proposal: Proposal, made: Reshape) -> Proposal:
    """New pieces take after the one they were cut from."""
    outlines = {k: o for k, o in proposal.coverage.by_key.items() if k not in made.gone} | made.changed
    colours, openings = dict(proposal.colours), list(proposal.openings)
    key = max(proposal.coverage.keys) + 1
    for parent, outline in made.born:
        outlines[key] = outline
        if parent in colours:
            colours[key] = colours[parent]
        if parent in openings:
            openings.append(key)
        key += 1
    coverage = Coverage(list(outlines), list(outlines.values()))
    return replace(
        proposal,
        coverage=coverage,
        faces=len(coverage),
        colours={k: c for k, c in colours.items() if k in outlines},
        openings=tuple(k for k in openings if k in outlines),
    )
