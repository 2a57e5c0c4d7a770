"""How hard a work is to saw, from 1 to 5, and why."""

from dataclasses import dataclass

import numpy as np

from ..work.parts import Job
from .cuts import Cut, SawPlan
from .practice_sheet import LEVELS

TIGHT_MM, CURVED_MM = 6.0, 25.0
"""Curves of a smaller radius are tight, up to the second one they are waves: own choice."""
TINY_OPENING_MM = 5.0
FEW = 3
"""So many of a kind make a work as hard as that kind is: one alone is taken slowly."""


@dataclass(frozen=True, slots=True)
class Difficulty:
    """`level` from 1 to 5, in words, and the reasons with their counts, hardest first."""

    level: int
    words: str
    why: tuple[str, ...]


def difficulty_of(job: Job, plan: SawPlan) -> Difficulty:
    """By what has to be sawn most: tiny openings, small parts and bevels, inner corners and points, tight curves,
    waves."""
    return job.once(("saw", "difficulty"), lambda: _difficulty(job, plan))


def _difficulty(job: Job, plan: SawPlan) -> Difficulty:
    early = [cut for cut in plan.cuts if cut.piece]
    say = job.composition.practice.say
    home, hold = job.composition.home, job.composition.practice.hold_mm
    tiny = sum(hole.room_mm < TINY_OPENING_MM for cut in early for hole in cut.holes if not hole.on_line)
    small = sum(2 * home[cut.piece].coverage.spots[cut.piece].radius_mm < hold for cut in early)
    bevels = sum(cut.tilt_deg > 0 for cut in early)
    inner = sum(stroke.corner == "back" for cut in early for stroke in cut.strokes)
    points = sum(stroke.corner == "loop" for cut in early for stroke in cut.strokes)
    finer = sum("finer" in cut.why_blade for cut in early)
    tight, curved = _curves(early)
    reasons = [
        (5, tiny, f"{_many(tiny, 'opening')} narrower than {say(TINY_OPENING_MM)}"),
        (5, small, f"{_many(small, 'part')} too small to hold"),
        (5, bevels, f"{_many(bevels, 'bevel')}"),
        (4, inner, f"{_many(inner, 'inner corner')} to be come at from both sides"),
        (4, points, f"{_many(points, 'sharp point')}"),
        (4, finer, f"{_many(finer, 'cut')} with a finer blade"),
        (3, tight, f"{_many(tight, 'tight curve')}, under {say(TIGHT_MM)} of radius"),
        (2, curved, f"{_many(curved, 'curved line')}"),
    ]
    level = max((mark for mark, count, _ in reasons if count >= FEW), default=1)
    told = tuple(words for _, count, words in reasons if count)
    return Difficulty(level, LEVELS[level], told or ("straight lines alone",))


def _many(count: int, word: str) -> str:
    return f"{count} {word}" + ("" if count == 1 else "s")


def _curves(cuts: list[Cut]) -> tuple[int, int]:
    """Strokes that flow through a tight curve, and such as bend at all."""
    tight = curved = 0
    for cut in cuts:
        for stroke in cut.strokes:
            if stroke.kind != "line" or len(stroke.path) < 4:
                continue
            radius = _tightest(stroke.path)
            tight += radius < TIGHT_MM
            curved += radius < CURVED_MM
    return tight, curved


def _tightest(path: np.ndarray) -> float:
    """The smallest radius of a flowing stroke, over stretches of some millimetres."""
    step = np.diff(path, axis=0)
    long = np.hypot(step[:, 0], step[:, 1])
    turn = np.abs(
        np.arctan2(step[:-1, 0] * step[1:, 1] - step[:-1, 1] * step[1:, 0], (step[:-1] * step[1:]).sum(axis=1))
    )
    middle = np.cumsum(long)[:-1]
    total = np.concatenate([[0.0], np.cumsum(turn)])
    low, high = np.searchsorted(middle, middle - 3.0), np.searchsorted(middle, middle + 3.0, side="right")
    within = total[high] - total[low]
    return float(6.0 / max(within.max(), 1e-6)) if len(within) else 1e6
