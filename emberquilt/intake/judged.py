"""What a sawyer would say of a proposal before it is kept: what is too thin, and how long it will take."""

import numpy as np
import shapely

from ..practice import Practice
from .proposal import Proposal

THIN_MM = 6.0
"""Pieces narrower than this at their fattest are hard to hold and to shape: common practice, no source."""
SHARP_DEG = 20.0
"""Corners sharper than this break off, and no blade turns in them: common practice, no source."""
SHORT_MM, WAVER_MM = 1.0, 0.2
"""Sides shorter than the first make no corner that counts; a line may waver by the second: own choice."""
EVENING_MINUTES = 120.0
"""An evening in the shop, for saying how many there will be."""


def too_thin(proposal: Proposal) -> list[int]:
    """Pieces that are nowhere as wide as `THIN_MM`."""
    return [
        k for k, spot in proposal.coverage.spots.items() if 2 * spot.radius_mm < THIN_MM and k not in proposal.openings
    ]


def sharp_corners(proposal: Proposal) -> int:
    """Corners sharper than `SHARP_DEG`, each counted in the piece that has it."""
    found = 0
    for outline in shapely.simplify(np.array(proposal.coverage.outlines), WAVER_MM):
        for ring in shapely.get_rings(outline):
            xy = shapely.get_coordinates(ring)[:-1]
            if len(xy) < 3:
                continue
            back, ahead = np.roll(xy, 1, axis=0) - xy, np.roll(xy, -1, axis=0) - xy
            long = np.minimum(np.hypot(*back.T), np.hypot(*ahead.T)) >= SHORT_MM
            turn = (back * ahead).sum(axis=1) / np.maximum(np.hypot(*back.T) * np.hypot(*ahead.T), 1e-9)
            found += int((long & (turn > np.cos(np.radians(SHARP_DEG)))).sum())
    return found


def minutes(proposal: Proposal, practice: Practice) -> float:
    """Sawing along every outline, and the handwork a piece takes, at the shop's own pace."""
    coverage = proposal.coverage
    solid = [k for k in coverage.keys if k not in proposal.openings]
    along = sum(coverage.by_key[k].length for k in solid)
    if practice.fit == "stack":
        along = sum(s.length_mm for s in coverage.seams)
    sawing = along / practice.saw_mm_per_minute + practice.minutes_per_cut * len(solid)
    by_hand = practice.shape_minutes + practice.fit_minutes + practice.seconds_per_piece / 60
    return sawing * practice.estimate_ratio + by_hand * len(solid)


def said(proposal: Proposal, practice: Practice) -> list[str]:
    """Sentences for before the pieces are kept: how long, how many are thin, how many corners are sharp."""
    count = len(proposal.coverage) - len(proposal.openings)
    evenings = max(1, round(minutes(proposal, practice) / EVENING_MINUTES))
    sentences = [
        f"{count} piece{'' if count == 1 else 's'}: about {evenings} evening{'' if evenings == 1 else 's'} "
        "of two hours at your pace."
    ]
    if thin := len(too_thin(proposal)):
        sentences.append(
            f"{thin} {'is' if thin == 1 else 'are'} thinner than {practice.say(THIN_MM)}: hard to hold and to shape."
        )
    if sharp := sharp_corners(proposal):
        sentences.append(
            f"{sharp} corner{'' if sharp == 1 else 's'} so sharp that no blade turns there or the tip breaks off."
        )
    return sentences
