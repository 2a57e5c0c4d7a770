"""A printed sheet with black squares at its corners, found in a photo and straightened by them."""

import math

import cv2
import numpy as np

from ..errors import BadChoice

SHEET_MM = (170.0, 220.0)
MARK_MM, FIRST_MARK_MM = 8.0, 12.0
"""Black squares at the corners; the upper left one is larger, so that it is plain which way up it was taken."""
PX_PER_MM = 8.0


def marks() -> tuple[tuple[float, float, float], ...]:
    """Middle and side of the four black squares, from the upper left clockwise."""
    wide, high = SHEET_MM
    a = FIRST_MARK_MM / 2
    return (
        (a, a, FIRST_MARK_MM),
        (wide - a, a, MARK_MM),
        (wide - a, high - a, MARK_MM),
        (a, high - a, MARK_MM),
    )


def straightened(picture: np.ndarray) -> np.ndarray:
    """The sheet in a photo (grey or RGB) as it was printed, 8 pixels to the millimetre. Raises `BadChoice` where its
    marks are not found."""
    red = np.ascontiguousarray(picture[..., 0]) if picture.ndim == 3 else picture
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
    return cv2.warpPerspective(picture, move, size, flags=cv2.INTER_AREA)


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
            "The four black squares of the sheet are not all seen. Photograph the whole sheet from above, "
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
        raise BadChoice("The black squares do not fit: is it this sheet, whole in the picture?")
    first, rest = best
    middle = (first + sum(rest)) / 4
    start = math.atan2(*(first - middle)[::-1])
    turned = sorted(rest, key=lambda p: (math.atan2(*(p - middle)[::-1]) - start) % (2 * math.pi))
    return np.array([first, *turned])
