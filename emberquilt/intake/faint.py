"""Faint, uneven and pencilled lines: found by local contrast along them, with hysteresis."""

import cv2
import numpy as np
from skimage import morphology

SIDE = 1500
"""Pencil is looked for along this many pixels: its grain says nothing finer."""
LENGTH, WAYS = 13, 12
"""Pixels along which a line is felt for, and in how many directions."""
GROUND_PX = 61
"""Paper is the median of its surroundings of this size."""
LINE_PX, BESIDE_PX, BESIDE = 1.1, 3.5, 0.4
"""Half widths of a line and of what lies beside it, and how much of that counts against it."""
WEAK = 3.2
"""Deviations above what bare paper gives from which a place may belong to a line."""
STRONG_SHARE = 0.5
"""A line has a place so dark, as a share of the usual line's darkness."""
LEAST_PX = 25
SPUR_PX = 9
CRUMB_PX, CRUMBS = 30, 0.012
"""Dots smaller than this are crumbs; so many for each pixel of line are too many."""
GAPS = 2.0
"""Gaps in pencil are so many times as wide as those in ink."""


def faint_lines(grey: np.ndarray) -> np.ndarray:
    """Middle lines, three pixels wide, of what is darker than its surroundings along a line; bool, as `grey` (uint8,
    evenly lit, no longer than `SIDE`)."""
    response = _felt(_darker(grey))
    middle = float(np.median(response))
    noise = 1.4826 * float(np.median(np.abs(response - middle)))
    weak = response > middle + WEAK * max(noise, 0.5)
    if not weak.any():
        return weak
    usual = float(np.percentile(response[weak], 75))
    count, part, stats, _ = cv2.connectedComponentsWithStats(weak.astype(np.uint8), connectivity=8)
    strong = np.zeros(count, bool)
    strong[part[response > STRONG_SHARE * usual]] = True
    strong &= stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].max(axis=1) >= LEAST_PX
    strong[0] = False
    middle_lines = _pruned(morphology.skeletonize(strong[part]))
    return cv2.dilate(middle_lines.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0


def is_ragged(ink: np.ndarray) -> bool:
    """Whether one threshold made crumbs of the lines, as it does of pencil: many small dots for the length of all."""
    _, _, stats, _ = cv2.connectedComponentsWithStats(ink.astype(np.uint8), connectivity=8, ltype=cv2.CV_32S)
    crumbs = int((stats[1:, cv2.CC_STAT_AREA] < CRUMB_PX).sum())
    if not crumbs:
        return False
    half = cv2.distanceTransform(ink.astype(np.uint8), cv2.DIST_L2, 3)
    # across a line of width w the distance to its edge is w/4 in the mean
    return bool(crumbs > CRUMBS * ink.sum() / max(4 * float(half[ink].mean()), 1.0))


def _darker(grey: np.ndarray) -> np.ndarray:
    """By how much each pixel is darker than the paper round it."""
    small = cv2.resize(grey, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    ground = cv2.medianBlur(small, GROUND_PX // 4 | 1)
    ground = cv2.resize(ground, (grey.shape[1], grey.shape[0]), interpolation=cv2.INTER_LINEAR)
    return ground.astype(np.float32) - grey


def _felt(darker: np.ndarray) -> np.ndarray:
    """The mean darkness along the direction in which it is greatest, less what lies beside it."""
    best = np.full(darker.shape, -np.inf, np.float32)
    for way in range(WAYS):
        np.maximum(best, cv2.filter2D(darker, -1, _kernel(np.pi * way / WAYS)), out=best)
    return best


def _kernel(angle: float) -> np.ndarray:
    reach = LENGTH // 2 + 3
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float32)
    along = x * np.cos(angle) + y * np.sin(angle)
    across = -x * np.sin(angle) + y * np.cos(angle)
    stretch = 1 / (1 + np.exp((np.abs(along) - LENGTH / 2) * 2))
    line, beside = (stretch * np.exp(-((across / sigma) ** 2) / 2) for sigma in (LINE_PX, BESIDE_PX))
    return line / line.sum() - BESIDE * beside / beside.sum()


def _pruned(skeleton: np.ndarray) -> np.ndarray:
    """Without the short spurs that the edge's roughness makes; true ends grow back."""
    left = skeleton.copy()
    for _ in range(SPUR_PX):
        left &= ~_tips(left)
    tips = _tips(left)
    for _ in range(SPUR_PX):
        tips = skeleton & ~left & (cv2.dilate(tips.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0)
        left |= tips
    return left


def _tips(skeleton: np.ndarray) -> np.ndarray:
    around = cv2.filter2D(skeleton.astype(np.uint8), -1, np.ones((3, 3), np.float32), borderType=cv2.BORDER_CONSTANT)
    return skeleton & (around <= 2)
