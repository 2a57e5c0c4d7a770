"""How far a hand drifted from the line, measured on a photo of a practice sheet that was sawn and laid on something
dark."""

import math
from dataclasses import dataclass

import cv2
import numpy as np

from ..errors import BadChoice
from ..intake.raster_source import read_picture
from .practice_sheet import SHEET_MM, exercises, marks

PX_PER_MM = 8.0
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
    flat = _straight(np.ascontiguousarray(red))
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


def _straight(red: np.ndarray) -> np.ndarray:
    """The sheet as it was printed, 8 pixels to the millimetre."""
    middles, corners = _marks_in(red)
    goal = np.array([[x, y] for x, y, _ in marks()], np.float32) * PX_PER_MM
    rough = cv2.getPerspectiveTransform(goal, middles.astype(np.float32))
    # every mark has four corners: told apart by where they must lie, they say it far better than the marks' middles
    ends = [[x + a * s / 2, y + b * s / 2] for x, y, s in marks() for a in (-1, 1) for b in (-1, 1)]
    wanted = np.array(ends, np.float32) * PX_PER_MM
    near = cv2.perspectiveTransform(wanted[:, None], rough)[:, 0]
    exact = corners[np.argmin(np.hypot(*(near[:, None] - corners[None]).transpose(2, 0, 1)), axis=1)].astype(np.float32)
    reach = max(3, round(0.12 * float(np.hypot(*(near[0] - near[1])))))
    stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 40, 0.01)
    fine = cv2.cornerSubPix(red, exact.reshape(-1, 1, 2).copy(), (reach, reach), (-1, -1), stop)[:, 0]
    move, _ = cv2.findHomography(fine, wanted, cv2.RANSAC, 3.0)
    size = round(SHEET_MM[0] * PX_PER_MM), round(SHEET_MM[1] * PX_PER_MM)
    return cv2.warpPerspective(red, move, size, flags=cv2.INTER_AREA)


def _marks_in(red: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The middles of the four black squares, from the largest one clockwise as the sheet is read, and the corners of
    all dark squares."""
    scale = min(1.0, 1600 / max(red.shape))
    small = cv2.resize(red, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    _, dark = cv2.threshold(cv2.GaussianBlur(small, (3, 3), 0), 0, 255, cv2.THRESH_BINARY_INV + cv2.THRESH_OTSU)
    contours, _ = cv2.findContours(dark, cv2.RETR_LIST, cv2.CHAIN_APPROX_SIMPLE)
    squares: list[tuple[float, np.ndarray]] = []
    corners: list[np.ndarray] = []
    least = (0.012 * max(small.shape)) ** 2
    for contour in contours:
        area = cv2.contourArea(contour)
        outline = cv2.approxPolyDP(contour, 0.06 * cv2.arcLength(contour, True), True)
        if area < least or area > 0.03 * small.size or len(outline) != 4 or not cv2.isContourConvex(outline):
            continue
        sides = np.hypot(*(outline[:, 0] - np.roll(outline[:, 0], 1, axis=0)).T)
        mask = np.zeros(small.shape, np.uint8)
        cv2.fillPoly(mask, [contour], 255)
        solid = cv2.mean(dark, mask)[0] > 200
        if sides.max() < 1.7 * sides.min() and solid:
            squares.append((float(area), outline[:, 0].mean(axis=0) / scale))
            corners.append(outline[:, 0] / scale)
    if len(squares) < 4:
        raise BadChoice(
            "The four black squares of the practice sheet are not all seen. Photograph the whole sheet from above, "
            "with its corners on it."
        )
    return _best_four(squares), np.concatenate(corners)


def _best_four(squares: list[tuple[float, np.ndarray]]) -> np.ndarray:
    """Of dark squares the four that are most like the sheet's own: one larger, three alike, as far apart as they go."""
    squares = sorted(squares, key=lambda one: -one[0])[:12]
    ratio = (marks()[0][2] / marks()[1][2]) ** 2
    best, least = None, math.inf
    for i, (area, first) in enumerate(squares):
        others = [one for n, one in enumerate(squares) if n != i]
        near = sorted(others, key=lambda one: abs(math.log(area / one[0] / ratio)))[:5]
        for a in range(len(near)):
            for b in range(a + 1, len(near)):
                for c in range(b + 1, len(near)):
                    three = [near[a], near[b], near[c]]
                    off = sum(abs(math.log(area / one[0] / ratio)) for one in three)
                    if off < least:
                        best, least = (first, [one[1] for one in three]), off
    if best is None or least > 1.5:
        raise BadChoice("The black squares of the practice sheet do not fit: is it this sheet, whole in the picture?")
    first, rest = best
    middle = (first + sum(rest)) / 4
    start = math.atan2(*(first - middle)[::-1])
    turned = sorted(rest, key=lambda p: (math.atan2(*(p - middle)[::-1]) - start) % (2 * math.pi))
    return np.array([first, *turned])


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
