"""Ink is not wood: which dark shapes are lines between things, which are broad enough to be pieces, and which part
nothing."""

from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from skimage import morphology

FROM_USUAL, UNEVEN = 1.7, 0.003
"""Lines are up to so many times as wide as the usual one, and this share of the figure's size more."""
WIDEST_LINE = 0.065
"""No line is wider than this share of the figure's size (the root of width times height), unless asked for."""
FEW, RARE = 0.4, 0.12
"""A width that this share of the commonest has is common enough to be that of the lines; of other lines beside them."""
TIP_INSIDE, TIP_OUTSIDE = 1.5, 4.0
"""A dark shape that hangs on a line is more than the line's tip when it is so many times as long as wide."""
TWO_SORTS = 1.4
"""Lines of two widths no farther apart than this power of two are both lines."""
LARGE_PX = 4_000_000
"""Larger pictures look for the middle of their lines at half the size."""
LEAST_BETWEEN = 0.7
"""Dark shapes are lines when the areas between them are at least this share of their own."""


@dataclass(frozen=True)
class Ink:
    """`mask` of what is line; `up_to` the width in pixels up to which dark shapes are lines, `usual` the usual one."""

    mask: np.ndarray
    up_to: float
    usual: float


@dataclass(frozen=True)
class Middle:
    """The middle lines of what is dark: `skeleton` on every `shrink`-th pixel, `half` the distance of each pixel to the
    edge, `widths` those along the middle, in pixels."""

    half: np.ndarray
    skeleton: np.ndarray
    shrink: int
    widths: np.ndarray


NO_INK = Ink(np.zeros((0, 0), bool), 0.0, 0.0)


def middle_of(dark: np.ndarray, large: int = LARGE_PX, least: int = 3) -> Middle:
    """Pictures of more pixels than `large` are looked at by half; `least` of four pixels must be dark for one of those:
    3 keeps gaps open (and is done only where lines are wide enough), 1 keeps thin lines whole."""
    half = cv2.distanceTransform(dark.astype(np.uint8), cv2.DIST_L2, 5)
    # across a line of width w the distance to its edge is w/4 in the mean
    wide = least == 1 or (dark.any() and 4 * float(half[dark].mean()) >= 4)
    shrink = 2 if dark.size > large and wide else 1
    skeleton = morphology.skeletonize(dark if shrink == 1 else halved(dark, least))
    there = np.argwhere(skeleton) * shrink
    return Middle(half, skeleton, shrink, 2 * half[there[:, 0], there[:, 1]])


def halved(ink: np.ndarray, least: int = 3) -> np.ndarray:
    """The ink at half the size, where so many of each four pixels are ink; with 3, a gap of two pixels stays one."""
    rows, columns = ink.shape[0] // 2 * 2, ink.shape[1] // 2 * 2
    fours = ink[:rows, :columns].reshape(rows // 2, 2, columns // 2, 2).sum(axis=(1, 3), dtype=np.uint8)
    return fours >= least


def ink_in(dark: np.ndarray, up_to: float | None, side: float, middle: Middle | None = None) -> Ink:
    """What of the dark is line. `up_to` in pixels, None finds it from the widths there are; `side` is the figure's
    size."""
    middle = middle or middle_of(dark)
    half = middle.half
    usual, greatest = _usual_widths(middle.widths, WIDEST_LINE * side)
    if up_to is None:
        up_to = min(FROM_USUAL * greatest + UNEVEN * side, max(WIDEST_LINE * side, greatest + 1)) if usual else 0.0
    if up_to <= 0:
        return Ink(np.zeros_like(dark), 0.0, usual)
    core = half > up_to / 2
    if not core.any():
        return Ink(dark, up_to, usual)
    away = cv2.distanceTransform((~core).astype(np.uint8), cv2.DIST_L2, 5)
    wide = dark & (away <= up_to / 2 + 0.5)
    wide = _with_corners(dark, _without_knots(dark, wide, half, up_to), away, up_to)
    return Ink(dark & ~wide, up_to, usual)


def _usual_widths(widths: np.ndarray, widest: float) -> tuple[float, float]:
    """The width that most of the middle lines have, of those that can be lines, and the greatest that some
    have; 0 where none can."""
    lines = widths[(widths <= widest) & (widths > 0)]
    if len(lines) < 8:
        return 0.0, 0.0
    # where most of their length lies, on a scale of ratios
    bins = np.arange(0, np.log2(max(widest, 2)) + 1, 0.125)
    count, _ = np.histogram(np.log2(np.maximum(lines, 1)), bins)
    soft = np.convolve(count, [0.25, 0.5, 0.75, 1, 0.75, 0.5, 0.25], "same")
    # thick and thin: the thin ones are the lines, where they are not few
    peaks = np.flatnonzero(np.r_[False, (soft[1:-1] >= soft[:-2]) & (soft[1:-1] >= soft[2:]), False])
    common = [p for p in peaks.tolist() if soft[p] >= FEW * soft.max()] or [int(soft.argmax())]
    close = [p for p in peaks.tolist() if soft[p] >= RARE * soft.max() and 0 <= bins[p] - bins[common[0]] <= TWO_SORTS]
    most = max((p for p in common if bins[p] - bins[common[0]] <= TWO_SORTS), key=lambda p: soft[p])
    return float(2 ** (bins[most] + 0.0625)), float(2 ** (bins[max([most, *close])] + 0.0625))


def _without_knots(dark: np.ndarray, wide: np.ndarray, half: np.ndarray, up_to: float) -> np.ndarray:
    """Wide areas without those that are only where lines meet or end: hardly wider than a line, and no longer than
    wide, with a line that goes on from them."""
    count, part, stats, _ = cv2.connectedComponentsWithStats(wide.astype(np.uint8), connectivity=8)
    width = np.zeros(count, np.float32)
    np.maximum.at(width, part[wide], 2 * half[wide])
    longest = stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].max(axis=1)
    small = (width <= 1.5 * up_to) & (longest <= 3 * up_to)
    # two lines that meet in a narrow angle are one dark shape for a while
    small |= (width <= 1.25 * up_to) & (longest <= 6 * up_to)
    near = cv2.dilate((dark & ~wide).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    goes_on = np.bincount(part.ravel(), near.ravel(), count) > 0
    knot = small & goes_on
    knot[0] = False
    return wide & ~knot[part]


def _with_corners(dark: np.ndarray, wide: np.ndarray, away: np.ndarray, up_to: float) -> np.ndarray:
    """Wide areas with the tips of their corners, which no disc reaches; a line that leaves them is longer."""
    count, rest = cv2.connectedComponents((dark & ~wide).astype(np.uint8), connectivity=8)
    at = rest > 0
    far, near = np.zeros(count, np.float32), np.full(count, np.inf, np.float32)
    np.maximum.at(far, rest[at], away[at])
    np.minimum.at(near, rest[at], away[at])
    tips = (far <= 1.6 * up_to) & (near <= up_to / 2 + 2)
    tips[0] = False
    return wide | tips[rest]


def inside_one(
    shared: np.ndarray, outside: int, ink: np.ndarray, middle: np.ndarray, laid_in_px: float
) -> tuple[np.ndarray, list[np.ndarray]]:
    """Ink that has one region to both its sides: what is broad enough to lay in, and the middle lines of the rest;
    `middle` the skeleton of the ink."""
    border = border_of(shared)
    away = cv2.distanceTransform((border == 0).astype(np.uint8), cv2.DIST_L2, 3)
    half = cv2.distanceTransform(ink.astype(np.uint8), cv2.DIST_L2, 5)
    lone = middle & (away > half + 2)
    count, part, stats, _ = cv2.connectedComponentsWithStats(lone.astype(np.uint8), connectivity=8)
    if count == 1:
        return np.zeros_like(ink), []
    width = np.zeros(count, np.float32)
    np.maximum.at(width, part[lone], 2 * half[lone] - 1)
    length = stats[:, cv2.CC_STAT_AREA].astype(float)
    # where a line ends or turns its tip parts nothing either: a shape that hangs on lines is longer than wide
    many, shape = cv2.connectedComponents(ink.astype(np.uint8), connectivity=8)
    hangs = np.zeros(many, bool)
    hangs[shape[ink & (border > 0)]] = True
    times = np.zeros(count)
    times[part[lone]] = np.where(hangs[shape[lone]], np.where(shared[lone] == outside, TIP_OUTSIDE, TIP_INSIDE), 0.0)
    broad = (width >= laid_in_px) & (length >= times * width)
    broad[0] = False
    laid_in = np.zeros_like(ink)
    if broad.any():
        _, nearest = cv2.distanceTransformWithLabels(
            (~middle).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
        )
        chosen = np.zeros(int(nearest.max()) + 1, bool)
        chosen[nearest[lone & broad[part]]] = True
        laid_in = ink & chosen[nearest]
    fine = ~broad & (length >= 2 * width) & (length >= 6)
    fine[0] = False
    return laid_in, _middle_lines(lone & fine[part])


def border_of(label: np.ndarray) -> np.ndarray:
    """Pixels whose right or lower neighbour has another label."""
    border = np.zeros(label.shape, np.uint8)
    border[:, :-1] |= label[:, :-1] != label[:, 1:]
    border[:-1] |= label[:-1] != label[1:]
    return border


def _middle_lines(skeleton: np.ndarray) -> list[np.ndarray]:
    """A skeleton as polylines in pixels."""
    steps = []
    for dy, dx in ((0, 1), (1, 0), (1, 1), (1, -1)):
        a = skeleton[: skeleton.shape[0] - dy, max(0, -dx) : skeleton.shape[1] - max(0, dx)]
        b = skeleton[dy:, max(0, dx) : skeleton.shape[1] + min(0, dx)]
        rows, columns = np.nonzero(a & b)
        columns = columns + max(0, -dx)
        if dx and dy:
            # a diagonal step only where no step of two straight ones does the same
            free = ~skeleton[rows + dy, columns] & ~skeleton[rows, columns + dx]
            rows, columns = rows[free], columns[free]
        steps.append(np.stack([np.c_[columns, rows], np.c_[columns + dx, rows + dy]], axis=1))
    every = np.concatenate(steps).astype(float) + 0.5
    if not len(every):
        return []
    merged = shapely.get_parts(shapely.line_merge(shapely.multilinestrings(shapely.linestrings(every))))
    return [shapely.get_coordinates(line) for line in shapely.simplify(merged, 0.8)]
