"""What will fall out, snap, stay unglued or never be seen, in sheets with openings and in stacks of layers."""

import numpy as np
import shapely

from ..constants import HOLE_WASTE_MM, SMALLEST_BIT_MM
from ..findings import Finding, Fix, name_pieces
from ..outline.bridges import bodies
from ..outline.coverage import largest_circle
from ..work.composition import IN_SPACE, Composition, Layer
from ..work.parts import Job, region_of
from ..work.register import judgement

GLUE_MM = 5.0
"""Least strip that a sheet is glued on by. Common practice, no source."""
SEEN_MM = 0.1
"""A strip thinner than this cannot be told from the line beside it: own assumption, no source."""
SPAN_RATIO = 6.0
"""A strip this many times as long as it is wide, held at its ends, is a weak span. Common practice, no source."""
MOST_SPANS = 8


@judgement("pattern")
def layer_findings(job: Job, _plan=None) -> list[Finding]:
    """What each layer lets fall, breaks, or hides, and how the layers lie on each other."""
    composition = job.composition
    found: list[Finding] = []
    for layer in composition.layers:
        if layer.kind in IN_SPACE:
            continue
        if layer.openings or layer.kind in ("sheet", "overlay"):
            below = _below(composition, layer)
            found += _floaters(layer, below)
            found += _weak_spans(composition, layer)
            found += _small_openings(layer)
            if below is not None:
                found += _unglued(composition, layer, below)
        found += _hidden(job, layer)
    return found


def _below(composition: Composition, layer: Layer) -> Layer | None:
    place = composition.layers.index(layer)
    return composition.layers[place - 1] if place else None


def _floaters(layer: Layer, below: Layer | None) -> list[Finding]:
    """Parts of a sheet that nothing in it holds. Those that lie on the layer below can be glued to it."""
    solid = {p.key for p in layer.without_openings.pieces}
    loose = bodies(layer.coverage, solid)[1:]
    if not loose:
        return []
    ground = region_of(below) if below is not None else None
    if ground is not None:
        shapely.prepare(ground)
    resting: list[set[int]] = []
    hanging: list[set[int]] = []
    for body in loose:
        part = shapely.coverage_union_all(np.array([layer.coverage.by_key[k] for k in body]))
        (resting if ground is not None and _rests(part, ground) else hanging).append(body)
    found = [_floater(layer, body) for body in hanging]
    if resting and below is not None:
        keys = sorted(k for body in resting for k in body)
        found.append(
            Finding(
                "glued-parts",
                "pattern",
                f"{len(resting)} part{'' if len(resting) == 1 else 's'} of {layer.name} "
                f"hold{'s' if len(resting) == 1 else ''} on nothing in their own sheet; {below.name} lies under them. "
                "Number them on the back and glue them there.",
                "What an opening encloses falls out of the sheet when it is sawn.",
                tuple(keys),
                amount=len(resting),
                fix=Fix(f"Glue them to {below.name}"[:60], "accept", {"reason": f"glued to {below.name}"[:80]}),
            )
        )
    return found


def _floater(layer: Layer, body: set[int]) -> Finding:
    key = max(body, key=lambda k: layer.coverage.area_mm2[k])
    spot = layer.coverage.spots[key]
    number = layer.by_key[key].number
    return Finding(
        "floater",
        "pattern",
        f"{number} falls out of {layer.name}: an opening runs all round it. Bridge it, or lift it off as an overlay.",
        "Everything that stays must hang together, or lie on something.",
        tuple(sorted(body)),
        (round(spot.x_mm, 2), round(spot.y_mm, 2)),
        fix=Fix(f"Bridge {number}", "bridge", {"pieces": [key]}),
        more=(Fix("Make it an overlay", "overlay", {"pieces": [key], "how": "move"}),),
    )


def _rests(part: shapely.Geometry, ground: shapely.Geometry) -> bool:
    """Whether a part lies on the ground with enough to glue on."""
    on = shapely.intersection(part, ground)
    width = min(GLUE_MM, 0.6 * shapely.minimum_clearance(part) if part.area < GLUE_MM**2 else GLUE_MM)
    return on.area >= 0.3 * part.area or not shapely.is_empty(shapely.buffer(on, -width / 2))


def _weak_spans(composition: Composition, layer: Layer) -> list[Finding]:
    """Strips of a sheet that are long and thin between two holds."""
    if not layer.openings:
        return []
    width = composition.practice.neck_mm
    spans = layer.coverage.once(("spans", width, layer.openings), lambda: weak_spans(region_of(layer), width))
    say = composition.practice.say
    found = []
    for line, long, wide in spans[:MOST_SPANS]:
        keys = [k for k in layer.without_openings.coverage.keys if layer.coverage.by_key[k].intersects(line)]
        found.append(
            Finding(
                "weak-span",
                "pattern",
                f"A strip of {layer.by_key[keys[0]].number if keys else layer.name} is "
                f"{say(wide)} wide over {say(long)}: "
                f"it will break between its holds. Widen it to {say(width)}, bridge it half way, or saw it last.",
                "Long and thin between two holds swings with the blade.",
                tuple(keys[:1]),
                (round(line.x, 2), round(line.y, 2)),
                amount=round(wide, 1),
                limit=width,
                unit="mm",
                by_place=True,
            )
        )
    return found


def weak_spans(region: shapely.Geometry, width_mm: float) -> list[tuple[shapely.Point, float, float]]:
    """Places where a region is thinner than a width for long, with length and width, the longest first.

    What is left when a disc of that width rolls inside is thin; a thin part touches wider wood in two places or more.
    """
    wide = shapely.buffer(shapely.buffer(region, -width_mm / 2), width_mm / 2 + 0.01)
    found = []
    for part in shapely.get_parts(shapely.difference(region, wide)):
        if part.area < 0.2 * width_mm:
            continue
        across = 2 * largest_circle(part).radius_mm
        long = part.area / across
        holds = shapely.get_parts(shapely.intersection(shapely.buffer(part, 0.05), wide))
        if len(holds) >= 2 and long >= SPAN_RATIO * across:
            found.append((part.representative_point(), long, across))
    return sorted(found, key=lambda item: -item[1])


def _small_openings(layer: Layer) -> list[Finding]:
    least = SMALLEST_BIT_MM + 2 * HOLE_WASTE_MM
    spots = layer.coverage.spots
    small = [k for k in layer.openings if 2 * spots[k].radius_mm < least]
    if not small:
        return []
    spot = spots[small[0]]
    return [
        Finding(
            "small-opening",
            "pattern",
            f"{len(small)} opening{'' if len(small) == 1 else 's'} under {least:.1f} mm at the fattest: no bit leaves "
            "waste round it, so the blade cannot be threaded. Fill it, or join it to the next.",
            f"The smallest bit is {SMALLEST_BIT_MM} mm and keeps {HOLE_WASTE_MM} mm of waste round it.",
            tuple(small),
            (round(spot.x_mm, 2), round(spot.y_mm, 2)),
            amount=len(small),
            limit=least,
            unit="mm",
            fix=Fix("Fill them", "fill", {"pieces": small}),
        )
    ]


def _unglued(composition: Composition, layer: Layer, below: Layer) -> list[Finding]:
    """A layer that touches the one below by less than a strip to glue on."""
    on = shapely.intersection(region_of(layer), region_of(below))
    if not shapely.is_empty(shapely.buffer(on, -GLUE_MM / 2)):
        return []
    say = composition.practice.say
    return [
        Finding(
            "no-overlap",
            "pattern",
            f"{layer.name} lies on {below.name} by less than {say(GLUE_MM)} anywhere: there is nothing to glue it by. "
            f"Let {below.name} reach farther under it.",
            "Sheets are glued on a strip; a line of glue does not hold.",
            limit=GLUE_MM,
            unit="mm",
            layer=layer.key,
        )
    ]


def _hidden(job: Job, layer: Layer) -> list[Finding]:
    """Pieces that no eye will see."""
    if layer.kind in ("backer", "spacer") or layer is job.composition.layers[-1]:
        return []
    seen = job.seen_of
    # what is left of a border that was rounded is nothing to see
    keys = [p.key for p in layer.without_openings.pieces if shapely.is_empty(shapely.buffer(seen[p.key], -SEEN_MM / 2))]
    if not keys:
        return []
    numbers = sorted(layer.by_key[k].number for k in keys)
    them = "it" if len(keys) == 1 else "them"
    return [
        Finding(
            "hidden",
            "pattern",
            f"{name_pieces(numbers)} of {layer.name} {'is' if len(keys) == 1 else 'are'} covered completely by the "
            f"layers in front: nobody will see {them}. Keep {them} as ground to glue on, "
            f"or cut {them} away.",
            "Wood that is never seen costs the same.",
            tuple(keys),
            amount=len(keys),
            fix=Fix("Keep as ground", "accept", {"reason": "ground to glue on"}),
            more=(Fix("Cut away", "opening"),),
        )
    ]
