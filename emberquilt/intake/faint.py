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
PALE_PX, PALE_SOFT_PX = 15, 0.7
"""Pale lines are narrower than this."""
PALE_LEAST, PALE_NOISE = 22.0, 6.0
"""Grey levels, and deviations of bare paper, by which a pale line is darker than its paper."""
PALE_LONG_PX, PALE_SHORT_PX = 24, 6
"""Shorter ones must lead from line to line."""
PALE_FROM_DARK = 50
CREASE, CREASE_PX, MOST_CREASES, CREASED = 0.25, 21, 12, 0.6
"""A crease is seen along the first of the picture's shorter side at once, and along the last of the whole way."""
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


def pale_lines(even: np.ndarray, ink: np.ndarray) -> np.ndarray:
    """Thin lines too pale for the threshold that made the ink, clean and long enough to be drawn; bool, as `even`
    (uint8, evenly lit, no longer than `SIDE`). Creases of the paper, which run straight from edge to edge, are none."""
    calm = cv2.GaussianBlur(even, (0, 0), PALE_SOFT_PX)
    hat = cv2.morphologyEx(calm, cv2.MORPH_BLACKHAT, np.ones((PALE_PX, PALE_PX), np.uint8))
    # what the threshold only just took may be crumbs of a pale line
    dark = ink & (even < np.percentile(even[ink], 25) + PALE_FROM_DARK)
    near = cv2.dilate(dark.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    bare = hat[~near]
    if not bare.size:
        return np.zeros_like(ink)
    middle = float(np.median(bare))
    noise = 1.4826 * float(np.median(np.abs(bare - middle)))
    pale = hat > max(PALE_LEAST, middle + PALE_NOISE * noise)
    alone = pale & ~near
    if not alone.any():
        return alone
    alone &= ~_creases((hat > max(PALE_LEAST / 3, middle + PALE_NOISE / 2 * noise)) & ~near, near)
    _, part, stats, _ = cv2.connectedComponentsWithStats(alone.astype(np.uint8), connectivity=8)
    left, top, wide, high = (stats[:, i] for i in range(4))
    rows, columns = even.shape
    length = np.maximum(wide, high)
    inside = (left > 1) & (top > 1) & (left + wide < columns - 1) & (top + high < rows - 1)
    inside[0] = False
    drawn = inside & (length >= PALE_LONG_PX)
    found = drawn[part]
    drawn |= _between(part, inside & ~drawn & (length >= PALE_SHORT_PX), dark | found)
    if not drawn.any():
        return np.zeros_like(ink)
    found = drawn[part]
    # up to the ink they lead to
    return found | (pale & ~ink & (cv2.dilate(found.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0))


def _between(part: np.ndarray, short: np.ndarray, lines: np.ndarray) -> np.ndarray:
    """By label of `part`, which of the short ones lead from one place on the lines to another."""
    if not short.any():
        return short
    near = cv2.dilate(np.where(short[part], part, 0).astype(np.float32), np.ones((9, 9))).astype(np.int32)
    _, touch = cv2.connectedComponents(((near > 0) & lines).astype(np.uint8), connectivity=8)
    ends = np.unique(np.stack([touch[touch > 0], near[touch > 0]]), axis=1)[1]
    return short & (np.bincount(ends, minlength=len(short)) >= 2)


def _creases(mask: np.ndarray, hidden: np.ndarray) -> np.ndarray:
    """What of the mask lies on nearly straight lines across the whole picture, as far as nothing hides them."""
    rows, columns = mask.shape
    found = np.zeros(mask.shape, np.uint8)
    lines = cv2.HoughLines(mask.astype(np.uint8), 2, np.pi / 180, round(CREASE * min(rows, columns)))
    for rho, theta in [] if lines is None else lines[:MOST_CREASES, 0].tolist():
        along, at = np.array([-np.sin(theta), np.cos(theta)]), np.array([np.cos(theta), np.sin(theta)]) * rho
        reach = float(rows + columns)
        first, last = ((int(x), int(y)) for x, y in (at - reach * along, at + reach * along))
        track = cv2.line(np.zeros(mask.shape, np.uint8), first, last, 1, CREASE_PX) > 0
        way = np.argwhere(track) @ along[::-1]
        place = ((way - way.min()) / CREASE_PX).astype(int)
        marked, bare = (np.bincount(place, of[track]) for of in (mask, ~hidden))
        seen = marked[bare > CREASE_PX**2 / 2] > CREASE_PX / 2
        if len(seen) and seen[0] and seen[-1] and seen.mean() > CREASED:
            found[track] = 1
    return found > 0


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
