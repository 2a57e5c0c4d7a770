"""What comes off a piece where, as a small drawing for its card."""

from dataclasses import dataclass

import numpy as np
import shapely

from ..outline.details import LEAST_DETAIL_MM
from ..outline.paths import path_of
from ..work.parts import Job
from ..work.shaped import EASED_MM, Edge, edges_of

WIDE_PX, TALL_PX, PAD_PX = 300, 112, 26
LEAST_BAND_PX = 3.0
APART_PX, SAME_PX = 26.0, 70.0


@dataclass(frozen=True)
class ShapedDrawing:
    """In pixels. `bands` lie within the outline along what is rounded, with the width that is rounded there; `words`
    radii beside them, and heights at the ends of a `slope`; `lines` that part nothing, with how they are made; `below`
    what is taken off from below."""

    wide: int
    tall: int
    outline: str
    bands: tuple[dict, ...]
    words: tuple[dict, ...]
    slope: str
    lines: tuple[dict, ...]
    below: str


def shaped_drawing(job: Job, key: int) -> ShapedDrawing:
    """Of one piece that is made of something."""
    outline = job.composition.home[key].coverage.by_key[key]
    x0, y0, x1, y1 = outline.bounds
    scale = min(WIDE_PX / max(x1 - x0, 1.0), TALL_PX / max(y1 - y0, 1.0))
    wide, tall = round((x1 - x0) * scale) + 2 * PAD_PX, round((y1 - y0) * scale) + 2 * PAD_PX

    def place(geometry):
        return shapely.transform(geometry, lambda xy: (xy - [x0, y0]) * scale + PAD_PX)

    say = job.composition.practice.short
    shown = place(outline)
    edges = edges_of(job, key)
    bands = tuple(
        {"path": path_of(place(edge.line)), "wide": round(max(2 * edge.mm * scale, LEAST_BAND_PX), 1)}
        for edge in edges
        if edge.mm > EASED_MM
    )
    words = [_word(shown, place(edge.line), say(edge.mm)) for edge in _spoken(edges)]
    slope = job.composition.decisions.relief.slopes.get(key)
    arrow = ""
    if slope is not None:
        ends = place(shapely.LineString([slope.high, slope.low]))
        arrow = _arrow(*np.asarray(ends.coords))
        for (x, y), mm in zip(ends.coords, (slope.high_mm, slope.low_mm), strict=True):
            words.append({"x": round(x, 1), "y": round(y - 9, 1), "words": say(mm), "inside": True})
    lines = tuple(
        {"path": path_of(place(own)), "how": detail.how}
        for detail in job.composition.decisions.pattern.details
        if (own := shapely.intersection(detail.geometry, outline)).length > LEAST_DETAIL_MM
    )
    lowered = job.standing.pair[key].lowered_mm
    below = job.composition.practice.say(lowered) if lowered else ""
    return ShapedDrawing(wide, tall, path_of(shown), bands, tuple(_apart(words)), arrow, lines, below)


def _spoken(edges: list[Edge]) -> list[Edge]:
    """Stretches whose radius is told: those that are rounded, the longest of each radius first."""
    rounded = sorted((e for e in edges if e.mm > EASED_MM), key=lambda e: -e.line.length)
    first = {round(e.mm, 2): e for e in reversed(rounded)}
    return [*first.values(), *(e for e in rounded if e not in first.values())]


def _word(outline: shapely.Geometry, line: shapely.Geometry, words: str) -> dict:
    """Beside the middle of a stretch, outside the piece."""
    longest = max(shapely.get_parts(shapely.line_merge(line)).tolist(), key=lambda part: part.length)
    at, on = (np.array(longest.interpolate(share, normalized=True).coords[0]) for share in (0.5, 0.52))
    way = (on - at) / max(float(np.hypot(*(on - at))), 1e-9)
    out = np.array([way[1], -way[0]])
    if outline.contains(shapely.Point(*(at + 2 * out))):
        out = -out
    x, y = at + 15 * out
    return {"x": round(float(x), 1), "y": round(float(y), 1), "words": words, "inside": False}


def _apart(words: list[dict]) -> list[dict]:
    """Without those that would lie on one before, or say the same close by."""
    kept: list[dict] = []
    for word in words:
        away = [(np.hypot(word["x"] - own["x"], word["y"] - own["y"]), own) for own in kept]
        if all(far > (SAME_PX if own["words"] == word["words"] else APART_PX) for far, own in away):
            kept.append(word)
    return kept


def _arrow(high: np.ndarray, low: np.ndarray) -> str:
    """A wedge, wide where it is high."""
    way = (low - high) / max(float(np.hypot(*(low - high))), 1e-9)
    side = 7 * np.array([way[1], -way[0]])
    return "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in (high + side, low, high - side)) + "z"
