"""How far a hand drifted from the line, measured on a photo of a practice sheet that was sawn and laid on something
dark."""

from dataclasses import dataclass

import cv2
import numpy as np

from ..errors import BadChoice
from ..intake.marked_sheet import PX_PER_MM, straightened
from ..intake.raster_source import read_picture
from .practice_sheet import exercises

REACH_MM = 4.0
"""A cut is looked for so far to either side of its line."""
EVERY_MM = 1.0
LEAST_FOUND = 0.5
"""Of all lines at least so much must be seen as sawn."""
DARK = 0.5
"""A cut is darker than this share of the paper beside it. Looked at in red light, in which the printed line fades."""


@dataclass(frozen=True, slots=True)
class Drift:
    """Over all lines: the middle of all distances from the line, and what one in twenty is worse than (mm); the share
    of the lines that was seen as sawn; and the middle distance by exercise."""

    level: int
    middle_mm: float
    worst_mm: float
    seen: float
    by_exercise: tuple[tuple[str, float], ...]


def drift_of(data: bytes, level: int) -> Drift:
    """Raises `BadDrawing` for what is no picture, `BadChoice` where the sheet's marks or the cuts are not found."""
    asked = exercises(level)
    picture = read_picture(data)
    red = picture.rgb[..., 0] if picture.rgb is not None else picture.grey
    flat = straightened(np.ascontiguousarray(red))
    found: list[tuple[str, np.ndarray]] = []
    wanted = 0
    for exercise in asked:
        for line in exercise.lines:
            apart, count = _apart(flat, line)
            wanted += count
            found.append((exercise.name, apart))
    every = np.concatenate([apart for _, apart in found])
    seen = len(every) / max(wanted, 1)
    if seen < LEAST_FOUND:
        raise BadChoice(
            f"Only {seen:.0%} of the lines are seen as sawn. Lay the sheet on something dark, so that the cuts show, "
            "and photograph it from above in even light."
        )
    names = list(dict.fromkeys(name for name, _ in found))
    by_name = []
    for name in names:
        own = np.concatenate([apart for other, apart in found if other == name])
        if len(own):
            by_name.append((name, round(float(np.median(np.abs(own))), 2)))
    middle, worst = np.quantile(np.abs(every), [0.5, 0.95])
    return Drift(level, round(float(middle), 2), round(float(worst), 2), round(seen, 3), tuple(by_name))


def _apart(flat: np.ndarray, line: np.ndarray) -> tuple[np.ndarray, int]:
    """How far beside a line its cut lies, every millimetre where one is seen (mm, to the right positive), and at how
    many places it was looked for."""
    step = np.diff(line, axis=0)
    long = np.hypot(*step.T)
    along = np.concatenate([[0.0], np.cumsum(long)])
    where = np.arange(EVERY_MM, along[-1] - EVERY_MM, EVERY_MM)
    # at a corner no one can say which way is beside
    corner = along[1:-1][_sharp(step)]
    where = where[np.all(np.abs(where[:, None] - corner[None, :]) > 2.0, axis=1)] if len(corner) else where
    if not len(where):
        return np.empty(0), 0
    n = np.clip(np.searchsorted(along, where, side="right") - 1, 0, len(step) - 1)
    ahead = step[n] / long[n][:, None]
    places = line[n] + ahead * (where - along[n])[:, None]
    beside = np.stack([-ahead[:, 1], ahead[:, 0]], axis=1)
    offsets = np.arange(-REACH_MM, REACH_MM + 1e-9, 1 / PX_PER_MM)
    xy = (places[:, None, :] + offsets[None, :, None] * beside[:, None, :]) * PX_PER_MM
    seen = cv2.remap(
        flat, xy[..., 0].astype(np.float32), xy[..., 1].astype(np.float32), cv2.INTER_LINEAR, borderValue=255
    ).astype(float)
    paper = np.quantile(seen, 0.8, axis=1)
    dark = seen < DARK * paper[:, None]
    found = []
    for row, light in zip(dark, seen, strict=True):
        if not row.any():
            continue
        # of several dark stretches the one nearest to the line is its cut
        at = np.flatnonzero(row)
        runs = np.split(at, np.flatnonzero(np.diff(at) > 1) + 1)
        best = min(runs, key=lambda run: abs(offsets[run].mean()))
        weight = light.max() - light[best] + 1.0
        found.append(float((offsets[best] * weight).sum() / weight.sum()))
    return np.array(found), len(where)


def _sharp(step: np.ndarray) -> np.ndarray:
    cross = step[:-1, 0] * step[1:, 1] - step[:-1, 1] * step[1:, 0]
    return np.abs(np.arctan2(cross, (step[:-1] * step[1:]).sum(axis=1))) > 0.5
