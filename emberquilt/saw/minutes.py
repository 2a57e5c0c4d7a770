"""Minutes at the saw: feed along the line, corners by their kind, threading, drilling. All common practice, no source,
until the shop's own log corrects it."""

from collections.abc import Sequence

import numpy as np

from ..practice import Practice
from ..rack.blades import Blade
from .way import Stroke

USUAL_STOCK_MM = 19.05
USUAL_HARDNESS_LBF = 950.0
"""Cherry: the wood that `practice.saw_mm_per_minute` speaks of."""
DRILL_MINUTES = 0.4
"""A pilot hole, the burr sanded off."""
THREAD_MINUTES = 0.8
"""To thread the blade through, clamp and tension it."""
CORNER_SECONDS = {
    "pivot": 3.0,
    "spin": 4.0,
    "loop": 6.0,
    "back": 6.0,
    "other side": 5.0,
    "edge": 15.0,
    "back out": 15.0,
}
"""What a corner takes beyond its length."""
SECONDS_PER_RADIAN = 1.5
"""Steering through a curve: a full circle takes nine seconds more than its length straight on."""
FINE_SLOWER = 0.25
"""A blade half as broad as a No. 5 is fed slower by this share."""
USUAL_WIDTH_MM = 0.97


def feed_mm_per_minute(practice: Practice, thickness_mm: float, hardness_lbf: float) -> float:
    """Feed along the line: slower in thicker wood (power 0.8) and harder wood (square root); own assumption, no source.

    With the defaults a scene of 35 pieces in 6 mm pine takes about 40 minutes, as workers report.
    """
    slower = (thickness_mm / USUAL_STOCK_MM) ** 0.8 * (hardness_lbf / USUAL_HARDNESS_LBF) ** 0.5
    return practice.saw_mm_per_minute / slower


def stroke_minutes(strokes: Sequence[Stroke], feed: float, blade: Blade) -> float:
    """Along all strokes: their length, what they turn while they flow, and their corners."""
    finer = 1.0 + FINE_SLOWER * max(0.0, 2 * (1 - blade.width_mm / USUAL_WIDTH_MM))
    minutes = 0.0
    for stroke in strokes:
        minutes += stroke.length_mm / feed * finer
        seconds = SECONDS_PER_RADIAN * turned_rad(stroke.path) + CORNER_SECONDS.get(stroke.corner, 0.0)
        minutes += seconds / 60
    return minutes


def turned_rad(path: np.ndarray) -> float:
    """How much a path turns in all, to and fro."""
    step = np.diff(path, axis=0)
    if len(step) < 2:
        return 0.0
    cross = step[:-1, 0] * step[1:, 1] - step[:-1, 1] * step[1:, 0]
    dot = (step[:-1] * step[1:]).sum(axis=1)
    return float(np.abs(np.arctan2(cross, dot)).sum())
