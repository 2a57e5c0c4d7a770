"""Clean lines paler than the ink of the same drawing: darker than the paper beside them, long, and no crease."""

import cv2
import numpy as np

WIDE_PX, SOFT_PX = 15, 0.7
"""Pale lines are narrower than this."""
LEAST, NOISE = 22.0, 6.0
"""Grey levels, and deviations of bare paper, by which a pale line is darker than its paper."""
LONG_PX, SHORT_PX = 24, 6
"""Shorter ones must lead from line to line."""
FROM_DARK = 50
"""Grey levels above the dark part of the ink up to which it is black beyond doubt."""
CREASE, CREASE_PX, MOST_CREASES, CREASED = 0.25, 21, 12, 0.6
"""A crease is seen along the first of the picture's shorter side at once, and along the last of the whole way."""


def dark_of(grey: np.ndarray, ink: np.ndarray) -> np.ndarray:
    """What of the ink is dark beyond doubt: what its threshold only just took may be crumbs of a pale line."""
    return ink & (grey < np.percentile(grey[ink], 25) + FROM_DARK)


def pale_lines(even: np.ndarray, dark: np.ndarray) -> np.ndarray:
    """Thin lines paler than those of dark ink; bool, as `even` (uint8, evenly lit, no longer than `faint.SIDE`).
    Creases of the paper, which run straight from edge to edge, are none."""
    hat = cv2.morphologyEx(
        cv2.GaussianBlur(even, (0, 0), SOFT_PX), cv2.MORPH_BLACKHAT, np.ones((WIDE_PX, WIDE_PX), np.uint8)
    )
    near = cv2.dilate(dark.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    bare = hat[~near]
    if not bare.size:
        return np.zeros_like(dark)
    middle = float(np.median(bare))
    noise = 1.4826 * float(np.median(np.abs(bare - middle)))
    pale = hat > max(LEAST, middle + NOISE * noise)
    alone = pale & ~near
    if not alone.any():
        return alone
    alone &= ~_creases((hat > max(LEAST / 3, middle + NOISE / 2 * noise)) & ~near, near)
    found = _drawn(alone, dark)
    # up to the ink they lead to
    return found | (pale & ~dark & (cv2.dilate(found.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0))


def _drawn(alone: np.ndarray, dark: np.ndarray) -> np.ndarray:
    """Those long enough to have been drawn, and short ones that lead from line to line."""
    rows, columns = alone.shape
    _, part, stats, _ = cv2.connectedComponentsWithStats(alone.astype(np.uint8), connectivity=8)
    left, top, wide, high = (stats[:, i] for i in range(4))
    length = np.maximum(wide, high)
    inside = (left > 1) & (top > 1) & (left + wide < columns - 1) & (top + high < rows - 1)
    inside[0] = False
    long = inside & (length >= LONG_PX)
    return (long | _between(part, inside & ~long & (length >= SHORT_PX), dark | long[part]))[part]


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
