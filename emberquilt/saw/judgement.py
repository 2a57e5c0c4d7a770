"""What will go wrong at the saw."""

from functools import partial

import numpy as np
import shapely

from ..composition import Composition
from ..findings import Finding, Fix, name_pieces
from .cuts import SawPlan

DEEP_MM = 0.4
"""An inner corner counts when the blade leaves more than this standing in it."""


def saw_findings(composition: Composition, plan: SawPlan) -> list[Finding]:
    return [
        *_too_small(composition),
        *_undrillable(composition, plan),
        *_tight_corners(composition, plan),
        *_row_growth(plan),
    ]


def _too_small(composition: Composition) -> list[Finding]:
    layer, limit = composition.in_hand, composition.practice.hold_mm
    spots = layer.coverage.spots
    small = sorted((p for p in layer.pieces if 2 * spots[p.key].radius_mm < limit), key=lambda p: p.number)
    if not small:
        return []
    worst = min(2 * spots[p.key].radius_mm for p in small)
    several = len(small) > 1
    named = name_pieces([p.number for p in small])
    say = composition.practice.say
    return [
        Finding(
            "too-small",
            "saw",
            f"{named} {'are' if several else 'is'} {say(worst)}{' or little more' if several else ''} at the fattest: too small "
            f"to hold beside the blade. Stick {'them' if several else 'it'} to a carrier board; {say(limit)} is safe to hold.",
            "Thickest place of the piece (largest circle that fits) against what fingers can hold.",
            tuple(p.key for p in small),
            amount=round(worst, 1),
            limit=limit,
            unit="mm",
            fix=Fix("Saw on a carrier", "accept", {"reason": "sawn on a carrier board"}),
        )
    ]


def _undrillable(composition: Composition, plan: SawPlan) -> list[Finding]:
    number = {p.key: p.number for p in composition.in_hand.pieces}
    return [
        Finding(
            "no-bit-fits",
            "saw",
            f"An opening of {number[cut.piece]} is {hole.room_mm:.1f} mm at its fattest: no bit fits that lets "
            f"No. {cut.blade.no} through. Take a finer blade there.",
            "The bit leaves 0.5 mm of waste round it and is 0.1 mm wider than the blade.",
            (cut.piece,),
            (round(hole.x_mm, 2), round(hole.y_mm, 2)),
            amount=round(hole.room_mm, 1),
            unit="mm",
        )
        for cut in plan.cuts
        for hole in cut.holes
        if hole.bit_mm is None
    ]


def _tight_corners(composition: Composition, plan: SawPlan) -> list[Finding]:
    """Inner corners that a blade cannot turn, gathered by blade: what is left when a disc of its radius rolls along."""
    coverage = composition.in_hand.coverage
    number = {p.key: p.number for p in composition.in_hand.pieces}
    findings = []
    for blade in dict.fromkeys(cut.blade for cut in plan.cuts):
        rests = coverage.each(("corners", blade.no), partial(corner_rests, blade.tightest_mm))
        left = {key: rest for key in coverage.keys if (rest := rests[key]) is not None}
        keys = [cut.piece for cut in plan.cuts if cut.blade == blade and cut.piece in left]
        if not keys:
            continue
        keys.sort(key=lambda key: number[key])
        worst = max(keys, key=lambda key: left[key][0])
        several = len(keys) > 1
        findings.append(
            Finding(
                "tight-corner",
                "saw",
                f"{'Inner corners' if several else 'An inner corner'} of {name_pieces([number[k] for k in keys])} "
                f"{'are' if several else 'is'} tighter than No. {blade.no} turns ({blade.tightest_mm:.1f} mm). "
                "Saw into them from both sides, or take a finer blade.",
                "The blade's width in its own kerf bounds the radius it can follow.",
                tuple(keys),
                left[worst][1],
                amount=round(left[worst][0], 1),
                limit=round(blade.tightest_mm, 1),
                unit="mm",
                fix=Fix("Saw in from both sides", "accept", {"reason": "sawn into from both sides"}),
            )
        )
    return findings


Rest = tuple[float, tuple[float, float]]


def corner_rests(radius_mm: float, _keys: list[int], outlines: np.ndarray) -> list[Rest | None]:
    """For each outline with inner corners tighter than the radius: the radius of the largest rest, and where."""
    closed = shapely.buffer(shapely.buffer(outlines, radius_mm, quad_segs=4), -radius_mm, quad_segs=4)
    rests = shapely.difference(closed, outlines)
    # a disc given as a 16-gon falls short of the circle by r (1 - cos(pi/16)), under 2 % of r
    deep = shapely.buffer(rests, -DEEP_MM / 2, quad_segs=2)
    found: list[Rest | None] = []
    for rest, core in zip(rests, deep, strict=True):
        if core.is_empty:
            found.append(None)
            continue
        part = max(shapely.get_parts(core), key=lambda g: g.area)
        centre = part.representative_point()
        owner = next((g for g in shapely.get_parts(rest) if g.intersects(part)), rest)
        depth = float(shapely.minimum_bounding_radius(owner))
        found.append((depth, (round(centre.x, 2), round(centre.y, 2))))
    return found


def _row_growth(plan: SawPlan) -> list[Finding]:
    if plan.row_growth_mm < 2.0:
        return []
    return [
        Finding(
            "row-growth",
            "saw",
            f"Each joint opens by {plan.gap_mm:.2f} mm; over {plan.row_joints} joints in the longest row that is "
            f"{plan.row_growth_mm:.1f} mm. Saw beside the line, or stack cut.",
            "Cut on the line, every joint opens by one kerf, and the kerfs add up along a row.",
            amount=round(plan.row_growth_mm, 1),
            limit=2.0,
            unit="mm",
        )
    ]
