"""A photographed sheet: where its corners are on the desk, and what proportion it truly has."""

import math
from collections.abc import Sequence

import cv2
import numpy as np

from ..errors import BadDrawing
from .raster_source import LEAST_SIDE, Picture, reduced

LOOK_SIDE = 900
LEAST_SHARE, MOST_SHARE = 0.2, 0.97
"""A sheet takes up between these shares of its photo, or it is no sheet on a desk."""
SOLID = 0.93
"""A sheet fills its four corners' outline to this share."""
CONTRAST = 22.0
"""Grey levels by which paper is brighter than the desk beside it, at least."""
MOST_RIM = 0.6
USUAL_FOCUS = 0.8
"""Focal length of a telephone's camera in parts of the picture's longer side: common practice, no source."""
FOCUS_SPREAD = 0.25
"""By how much focal lengths differ, as the logarithm's deviation: common practice, no source."""

Corner = tuple[float, float]


def corners_of(rgb: np.ndarray) -> tuple[Corner, ...]:
    """The corners of a bright sheet on a darker desk, from the upper left clockwise, as shares of the picture's width
    and height; none where the picture is the sheet itself, or shows no such thing. `rgb` uint8, (rows, columns, 3) or
    grey."""
    small, _ = reduced(rgb, LOOK_SIDE)
    # paper is bright in every channel, wood is not in blue
    pale = small.min(axis=2) if small.ndim == 3 else small
    height, width = pale.shape
    soft = cv2.GaussianBlur(pale, (0, 0), 2)
    _, paper = cv2.threshold(soft, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    reach = max(5, round(0.03 * max(height, width))) | 1
    framed = cv2.copyMakeBorder(paper, reach, reach, reach, reach, cv2.BORDER_CONSTANT, value=0)
    filled = cv2.morphologyEx(framed, cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8))[reach:-reach, reach:-reach]
    count, part, stats, _ = cv2.connectedComponentsWithStats(filled)
    if count < 2:
        return ()
    largest = 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())
    found, _ = cv2.findContours((part == largest).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    outline = max(found, key=cv2.contourArea)
    four = _four_sides(outline)
    if four is None:
        return ()
    area = cv2.contourArea(four.astype(np.float32))
    if not LEAST_SHARE <= area / (width * height) <= MOST_SHARE or cv2.contourArea(outline) < SOLID * area:
        return ()
    if not _stands_out(pale, four) or _on_paper(pale, four):
        return ()
    exact = _on_edges(soft.astype(np.float32), four)
    return tuple((float(x / width), float(y / height)) for x, y in _from_upper_left(exact + 0.5))


def _four_sides(outline: np.ndarray) -> np.ndarray | None:
    """The four corners of a contour that has four straight sides."""
    hull = cv2.convexHull(outline)
    around = cv2.arcLength(hull, True)
    for share in (0.015, 0.02, 0.03, 0.04, 0.06):
        corners = cv2.approxPolyDP(hull, share * around, True)
        if len(corners) == 4:
            return corners.reshape(4, 2).astype(float)
    return None


def _on_paper(pale: np.ndarray, four: np.ndarray) -> bool:
    """Whether most of the picture's rim is as bright as the sheet: then it is drawn on paper, not laid on a desk."""
    within = np.zeros(pale.shape, np.uint8)
    cv2.fillConvexPoly(within, four.round().astype(np.int32), 1)
    rim = np.concatenate([pale[0], pale[-1], pale[:, 0], pale[:, -1]])
    return bool((rim >= np.median(pale[within > 0]) - CONTRAST / 2).mean() > MOST_RIM)


def _stands_out(pale: np.ndarray, four: np.ndarray) -> bool:
    """Whether there is darker desk beside at least three sides."""
    height, width = pale.shape
    middle = four.mean(axis=0)
    seen = 0
    for a, b in zip(four, np.roll(four, -1, axis=0), strict=True):
        along = a + (b - a) * np.linspace(0.1, 0.9, 60)[:, None]
        out = along - middle
        out /= np.hypot(*out.T)[:, None]
        beyond, within = along + 12 * out, along - 12 * out
        inside = (beyond >= 0).all(axis=1) & (beyond[:, 0] < width) & (beyond[:, 1] < height)
        if inside.mean() < 0.5:
            continue
        desk, sheet = (pale[p[inside, 1].astype(int), p[inside, 0].astype(int)] for p in (beyond, within))
        seen += float(np.median(sheet)) - float(np.median(desk)) >= CONTRAST
    return seen >= 3


def _on_edges(soft: np.ndarray, four: np.ndarray) -> np.ndarray:
    """Corners where the straight edges of paper cross: each side fitted to where the picture darkens fastest."""
    height, width = soft.shape
    lines = []
    for a, b in zip(four, np.roll(four, -1, axis=0), strict=True):
        way = (b - a) / np.hypot(*(b - a))
        normal = np.array([way[1], -way[0]])
        along = a + (b - a) * np.linspace(0.06, 0.94, 120)[:, None]
        run = np.arange(-8, 8.5, 0.5)
        at = along[:, None] + normal * run[:, None]
        seen = cv2.remap(
            soft,
            at[..., 0].astype(np.float32),
            at[..., 1].astype(np.float32),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )
        fall = np.abs(np.gradient(seen, axis=1))
        shift = run[fall.argmax(axis=1)]
        keep = np.abs(shift - np.median(shift)) <= 2.0
        edge = along[keep] + normal * shift[keep, None]
        x, y, px, py = cv2.fitLine(edge.astype(np.float32), cv2.DIST_HUBER, 0, 0.01, 0.01).ravel()
        lines.append((np.array([px, py]), np.array([x, y])))
    corners = []
    for (p, d), (q, e) in zip([lines[-1], *lines[:-1]], lines, strict=True):
        cross = d[0] * e[1] - d[1] * e[0]
        if abs(cross) < 0.1:
            return four
        corners.append(p + d * (((q - p)[0] * e[1] - (q - p)[1] * e[0]) / cross))
    made = np.array(corners)
    near = np.hypot(*(made - four).T).max() <= 0.04 * max(height, width)
    return made if near else four


def _from_upper_left(four: np.ndarray) -> np.ndarray:
    """Clockwise as seen, from the corner nearest to the upper left."""
    middle = four.mean(axis=0)
    order = np.argsort(np.arctan2(four[:, 1] - middle[1], four[:, 0] - middle[0]))
    four = four[order]
    return np.roll(four, -int(four.sum(axis=1).argmin()), axis=0)


def proportion(corners: np.ndarray, width: int, height: int) -> float:
    """True width over height of a rectangle seen in perspective; corners in pixels, from the upper left clockwise.

    By two pairs of parallel sides the focal length is found, with square pixels and the picture's middle as the
    optical axis (Zhang and He, Whiteboard scanning and image enhancement, 2007, from memory). A sheet seen nearly
    straight on hardly tells it: then a usual one counts for more, as much as half a pixel in the corners would change
    what was found.
    """
    longer = max(width, height)
    at = (corners - [width / 2, height / 2]) / longer
    found = _log_focus(at)
    log_focus = math.log(USUAL_FOCUS)
    if found is not None:
        moved = []
        for corner in range(4):
            for axis in (0, 1):
                other = at.copy()
                other[corner, axis] += 0.5 / longer
                again = _log_focus(other)
                moved.append(9.0 if again is None else again - found)
        doubt = sum(m * m for m in moved)
        weight = FOCUS_SPREAD**2 / (FOCUS_SPREAD**2 + doubt)
        log_focus += weight * (found - log_focus)
    n2, n3 = _sides(at)
    focus2 = math.exp(2 * log_focus)
    return math.sqrt(
        ((n2[0] ** 2 + n2[1] ** 2) / focus2 + n2[2] ** 2) / ((n3[0] ** 2 + n3[1] ** 2) / focus2 + n3[2] ** 2)
    )


def _sides(at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The directions of the two sides of the sheet in homogeneous coordinates."""
    upper_left, upper_right, lower_right, lower_left = np.c_[at, np.ones(4)]
    across = np.cross(upper_left, lower_right)
    k2 = across @ lower_left / (np.cross(upper_right, lower_right) @ lower_left)
    k3 = across @ upper_right / (np.cross(lower_left, lower_right) @ upper_right)
    return k2 * upper_right - upper_left, k3 * lower_left - upper_left


def _log_focus(at: np.ndarray) -> float | None:
    n2, n3 = _sides(at)
    depth = n2[2] * n3[2]
    if abs(depth) < 1e-9:
        return None
    focus2 = -(n2[0] * n3[0] + n2[1] * n3[1]) / depth
    return 0.5 * math.log(focus2) if focus2 > 1e-3 else None


def straightened(picture: Picture, corners: Sequence[Corner]) -> Picture:
    """The sheet between four corners (shares of the picture, clockwise from the upper left) as if seen from above, in
    its true proportion. Raises `BadDrawing` when they enclose no sheet."""
    height, width = picture.grey.shape
    at = np.array(corners, np.float32) * np.array([width, height], np.float32)
    across = float(max(np.hypot(*(at[1] - at[0])), np.hypot(*(at[2] - at[3]))))
    down = float(max(np.hypot(*(at[3] - at[0])), np.hypot(*(at[2] - at[1]))))
    side = np.roll(at, -1, axis=0) - at
    turn = side[:, 0] * np.roll(side, -1, axis=0)[:, 1] - side[:, 1] * np.roll(side, -1, axis=0)[:, 0]
    if min(across, down) < LEAST_SIDE or turn.min() <= 0:
        raise BadDrawing("These four corners enclose no sheet. Mark them from the upper left, clockwise.")
    ratio = min(max(proportion(at.astype(float), width, height), 0.05), 20.0)
    columns, rows = round(max(across, down * ratio)), round(max(down, across / ratio))
    flat = np.array([[0, 0], [columns, 0], [columns, rows], [0, rows]], np.float32)
    # the centre of a pixel lies half a pixel from its edge
    matrix = cv2.getPerspectiveTransform(at - 0.5, flat - 0.5)

    def warp(pixels: np.ndarray) -> np.ndarray:
        return cv2.warpPerspective(
            pixels, matrix, (columns, rows), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )

    return Picture(warp(picture.grey), None if picture.rgb is None else warp(picture.rgb), picture.pixel_mm)
