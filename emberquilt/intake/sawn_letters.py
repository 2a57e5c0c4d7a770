"""Letters as sawyers make them fit to be sawn: strokes widened, tiny eyes closed, dots joined to their letter, centres
held by bridges; and which centres and dots are too small."""

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np
import shapely

from ..findings import Finding
from ..outline.bridges import best_bridges, bodies
from ..outline.coverage import Coverage, largest_circle
from .finish import Say
from .knobs import Knobs
from .lettering import Lettering, apart

LOOSE_MM, OPEN_MM = 6.0, 3.0
"""A part by itself is too small to hold below the first, an opening to be sawn out below the second: common practice,
no source."""
STEM = 0.7
"""A dot's stem is so many times as wide as the dot."""


@dataclass(frozen=True)
class Small:
    """What of which letter is too small, and how wide it is in mm."""

    letter: str
    what: str
    mm: float


def fit_to_saw(lettering: Lettering, mm: float, knobs: Knobs) -> Lettering:
    """The letters after what the knobs ask for; `mm` is what an em measures."""
    drawn = []
    for letter, shape in lettering.drawn:
        made = shape.buffer(knobs.widen_mm / mm / 2, quad_segs=12) if knobs.widen_mm else shape
        if knobs.eyes_mm:
            made = _without_eyes(made, knobs.eyes_mm / mm)
        if knobs.dots == "joined":
            made = _with_stems(made)
        drawn.append((letter, made))
    return replace(lettering, drawn=tuple(drawn), letters=apart([shape for _, shape in drawn]))


def _parts(shape: shapely.Geometry) -> list[shapely.Polygon]:
    return [p for p in shapely.get_parts(shape) if p.geom_type == "Polygon" and not p.is_empty]


def _across(shape: shapely.Polygon) -> float:
    return 2 * largest_circle(shape).radius_mm


def _without_eyes(shape: shapely.Geometry, least: float) -> shapely.Geometry:
    kept = []
    for part in _parts(shape):
        rings = [ring for ring in part.interiors if _across(shapely.Polygon(ring)) >= least]
        kept.append(shapely.Polygon(part.exterior, rings))
    return shapely.union_all(np.array(kept)) if kept else shape


def _with_stems(shape: shapely.Geometry) -> shapely.Geometry:
    """Dots and marks joined to the body of their letter by a stem."""
    parts = sorted(_parts(shape), key=lambda p: -p.area)
    if len(parts) < 2:
        return shape
    whole = parts[0]
    for dot in parts[1:]:
        a, b = shapely.get_coordinates(shapely.shortest_line(dot, whole))
        spot = largest_circle(dot)
        # from the dot's middle, so that the stem grows out of it and not off its edge
        middle = np.array([spot.x_mm, spot.y_mm])
        stem = shapely.LineString([middle, a, b, b + (b - a) * 0.2]).buffer(STEM * spot.radius_mm, cap_style="flat")
        whole = shapely.union_all(np.array([whole, dot, stem]))
    return whole


def small_parts(lettering: Lettering, mm: float, letters: str, held: bool) -> list[Small]:
    """Centres and dots that are too small: loose ones to hold, openings to be sawn out. `held`: centres hang on
    bridges."""
    found = []
    for letter, shape in lettering.drawn:
        parts = sorted(_parts(shape), key=lambda p: -p.area)
        eyes = [shapely.Polygon(ring) for part in parts for ring in part.interiors]
        for what, own in (("eye", eyes), ("dot", parts[1:])):
            least = _least_mm(what, letters, held)
            found += [Small(letter, what, w) for part in own if (w := _across(part) * mm) < least]
    return found


def _least_mm(what: str, letters: str, held: bool) -> float:
    """Eyes fall out of a sheet as loose parts unless they are held, and are openings in a letter that stands by itself;
    with dots it is the other way round."""
    loose = (what == "dot") == (letters == "letters")
    return LOOSE_MM if loose and not held else OPEN_MM


def told(small: list[Small], width_mm: float, letters: str, say: Say) -> list[Finding]:
    """One sentence about all of them, with what is done about it."""
    if not small:
        return []
    words = []
    for what, offer in (("eye", "close the eyes"), ("dot", "join the dots to their letters")):
        own = [s for s in small if s.what == what]
        if own:
            names = list(dict.fromkeys(f"“{s.letter}”" for s in own))
            shown = ", ".join(names[:6]) + (" and others" if len(names) > 6 else "")
            words.append((f"the {what}s of {shown} down to {say(min(s.mm for s in own))}", offer))
    times = max(_least_mm(s.what, letters, False) / max(s.mm, 0.1) for s in small)
    offers = ", ".join(dict.fromkeys(offer for _, offer in words))
    sentence = (
        f"Too small at this size: {'; '.join(w for w, _ in words)}. Widen the strokes, {offers}, or make it about "
        f"{say(5.0 * math.ceil(width_mm * times / 5))} wide."
    )
    rule = f"Parts under {say(LOOSE_MM)} are hard to hold, openings under {say(OPEN_MM)} to saw out."
    return [Finding("small-letters", "pattern", sentence, rule, amount=len(small), limit=LOOSE_MM, unit="mm")]


def bridged(
    faces: list[shapely.Polygon], openings: Iterable[int], width_mm: float, count: int
) -> tuple[list[shapely.Polygon], set[int], list[tuple[float, float]]]:
    """Faces in mm with what no wood holds joined to the rest by bridges; which of them are openings; and where the
    bridges are."""
    open_ones = set(openings)
    coverage = Coverage(range(len(faces)), faces)
    solid = set(range(len(faces))) - open_ones
    found = bodies(coverage, solid)
    strips: list[shapely.Polygon] = []
    for body in found[1:]:
        strips += best_bridges(coverage, body, solid - body, width_mm, count)
    if not strips:
        return faces, open_ones, []
    over = shapely.union_all(np.array(strips))
    air = shapely.union_all(np.array([faces[i] for i in sorted(open_ones)]))
    wood = shapely.union_all(np.array([*(faces[i] for i in sorted(solid)), shapely.intersection(over, air)]))
    left = shapely.difference(air, over)
    made = [p for p in _parts(wood) if p.area > 1e-3]
    many = len(made)
    made += [p for p in _parts(left) if p.area > 1e-3]
    return made, set(range(many, len(made))), [(s.centroid.x, s.centroid.y) for s in strips]
