"""What will fall out, snap, stay unglued or never be seen, in sheets with openings and in stacks of layers."""

import numpy as np
import shapely

from ..constants import HOLE_WASTE_MM, SMALLEST_BIT_MM
from ..findings import Finding, Fix, name_pieces
from ..outline.coverage import largest_circle
from ..work.composition import Composition, Layer
from .bridges import bodies

GLUE_MM = 5.0
"""Least strip that a sheet is glued on by. Common practice, no source."""
HAIR_MM = 1.5
"""Regions thinner than this at their fattest cannot be sawn out whole. Common practice, no source."""
SPAN_RATIO = 6.0
"""A strip this many times as long as it is wide, held at its ends, is a weak span. Common practice, no source."""
MOST_SPANS = 8


def pattern_findings(composition: Composition) -> list[Finding]:
    """Findings of the Pattern station for the layer in hand, and for how the layers lie on each other."""
    layer = composition.whole
    found = [*_hairlines(composition), *_too_large(composition), *_mirrored(composition)]
    if layer.openings or layer.kind in ("sheet", "overlay"):
        below = _below(composition, layer)
        found += _floaters(composition, layer, below)
        found += _weak_spans(composition, layer)
        found += _small_openings(composition, layer)
        if below is not None:
            found += _unglued(composition, layer, below)
    return [*found, *_hidden(composition)]


def _region(layer: Layer) -> shapely.Geometry:
    """What is wood in a layer, as one region."""
    coverage = layer.solid.coverage
    return coverage.once("region", lambda: shapely.coverage_union_all(np.array(coverage.outlines)))


def _below(composition: Composition, layer: Layer) -> Layer | None:
    place = composition.layers.index(layer)
    return composition.layers[place - 1] if place else None


def _hairlines(composition: Composition) -> list[Finding]:
    layer = composition.in_hand
    thin = [p for p in layer.pieces if 2 * layer.coverage.spots[p.key].radius_mm < HAIR_MM]
    if not thin:
        return []
    say = composition.practice.say
    return [
        Finding(
            "hairline",
            "pattern",
            f"{name_pieces(sorted(p.number for p in thin))} {'is' if len(thin) == 1 else 'are'} under {say(HAIR_MM)} at the fattest: "
            "the blade leaves nothing of it. Join it to a neighbour.",
            "A kerf and the sanding beside it take more than that.",
            tuple(p.key for p in thin),
            amount=len(thin),
            limit=HAIR_MM,
            unit="mm",
            fix=Fix("Join them to their neighbours", "join_small", {"smallest": f"{HAIR_MM} mm"}),
        )
    ]


def _too_large(composition: Composition) -> list[Finding]:
    layer, throat = composition.in_hand, composition.practice.throat_mm
    across = layer.coverage.each("across", lambda _, outlines: (2 * shapely.minimum_bounding_radius(outlines)).tolist())
    large = [p for p in layer.pieces if across[p.key] > throat]
    if not large:
        return []
    widest = max(large, key=lambda p: across[p.key])
    say = composition.practice.say
    return [
        Finding(
            "throat",
            "pattern",
            f"{name_pieces(sorted(p.number for p in large))} {'is' if len(large) == 1 else 'are'} up to {say(across[widest.key])} across: "
            f"it cannot turn all the way in a throat of {say(throat)}. Split it, or saw in from both ends with a spiral blade.",
            "Work that meets the saw's rear column half way round must come out and in again.",
            tuple(p.key for p in large),
            amount=round(across[widest.key], 1),
            limit=throat,
            unit="mm",
        )
    ]


def _mirrored(composition: Composition) -> list[Finding]:
    if not (composition.pins.get("mirrored") and composition.pins.get("lettered")):
        return []
    return [
        Finding(
            "mirrored-text",
            "pattern",
            "The words in this picture read backwards: it was mirrored. Mirror it again, unless you saw it from the back.",
            "Lettering is seldom meant to be read in a mirror.",
            fix=Fix("Mirror it again", "mirror"),
        )
    ]


def _floaters(composition: Composition, layer: Layer, below: Layer | None) -> list[Finding]:
    """Parts of a sheet that nothing in it holds. Those that lie on the layer below can be glued to it."""
    solid = {p.key for p in layer.solid.pieces}
    loose = bodies(layer.coverage, solid)[1:]
    if not loose:
        return []
    ground = _region(below) if below is not None else None
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
                f"{len(resting)} part{'' if len(resting) == 1 else 's'} of {layer.name} hold{'s' if len(resting) == 1 else ''} on nothing in "
                f"their own sheet; {below.name} lies under them. Number them on the back and glue them there.",
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
    spans = layer.coverage.once(("spans", width, layer.openings), lambda: weak_spans(_region(layer), width))
    say = composition.practice.say
    found = []
    for line, long, wide in spans[:MOST_SPANS]:
        keys = [k for k in layer.solid.coverage.keys if layer.coverage.by_key[k].intersects(line)]
        found.append(
            Finding(
                "weak-span",
                "pattern",
                f"A strip of {layer.by_key[keys[0]].number if keys else layer.name} is {say(wide)} wide over {say(long)}: it will break between "
                f"its holds. Widen it to {say(width)}, bridge it half way, or saw it last.",
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


def _small_openings(composition: Composition, layer: Layer) -> list[Finding]:
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
            f"{len(small)} opening{'' if len(small) == 1 else 's'} under {least:.1f} mm at the fattest: no bit leaves waste round it, so the blade "
            "cannot be threaded. Fill it, or join it to the next.",
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
    on = shapely.intersection(_region(layer), _region(below))
    if not shapely.is_empty(shapely.buffer(on, -GLUE_MM / 2)):
        return []
    say = composition.practice.say
    return [
        Finding(
            "no-overlap",
            "pattern",
            f"{layer.name} lies on {below.name} by less than {say(GLUE_MM)} anywhere: there is nothing to glue it by. Let {below.name} reach farther under it.",
            "Sheets are glued on a strip; a line of glue does not hold.",
            limit=GLUE_MM,
            unit="mm",
            layer=layer.key,
        )
    ]


def _hidden(composition: Composition) -> list[Finding]:
    """Pieces that no eye will see."""
    layer = composition.whole
    front = composition.layers[composition.layers.index(layer) + 1 :]
    if not front or layer.kind in ("backer", "spacer"):
        return []
    cover = shapely.union_all(np.array([_region(other) for other in front]))
    shapely.prepare(cover)
    outlines = np.array(layer.solid.coverage.outlines)
    out = shapely.covers(cover, shapely.buffer(outlines, -0.05))
    keys = [k for k, gone in zip(layer.solid.coverage.keys, out.tolist(), strict=True) if gone]
    if not keys:
        return []
    numbers = sorted(layer.by_key[k].number for k in keys)
    return [
        Finding(
            "hidden",
            "pattern",
            f"{name_pieces(numbers)} of {layer.name} {'is' if len(keys) == 1 else 'are'} covered completely by the layers in front: nobody will see it. "
            "Drop it, or keep it only as ground to glue on.",
            "Wood that is never seen costs the same.",
            tuple(keys),
            amount=len(keys),
        )
    ]
