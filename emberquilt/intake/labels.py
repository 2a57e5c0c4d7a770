"""Line art to a label picture: every pixel gets the number of the paper region it belongs to."""

from dataclasses import dataclass

import cv2
import numpy as np
from skimage import measure, morphology

from ..errors import BadDrawing
from .proposal import Progress, no_progress

SPECK_PX = 12
"""Paper regions smaller than this are scanning noise."""
MOST_REGIONS = 15_000
MOST_DOTS = 50_000
"""A picture whose ink lies in more dots and strokes than this is grain."""
TINT = 24
"""Paper whose colour channels differ by this much is coloured in, not yellowed."""
LARGE_PX = 4_000_000
"""Larger pictures look for the ends of their lines at half the size."""
SPECKS_PER_REGION = 5
"""A picture with more specks than this for each region is grain or a printer's screen, not lines."""
GAP_PX = 6.0
"""Gaps up to this are bridged unless said otherwise (own prototype's figure)."""
GAP_MM = 1.2
"""The same in what is drawn by numbers, at finished size."""
FAN_DEG = 50.0
LIGHT_SIDE, LIGHT_SHARE = 480, 0.06


@dataclass(frozen=True)
class Labels:
    """`picture` int32, 0 = outside the work, 1..count regions. `ends` are loose line ends, `bridged` those that were
    joined to another line, (x, y) in pixels; `ink_px` the usual width of a line."""

    picture: np.ndarray
    count: int
    specks: int
    ends: list[tuple[float, float]]
    bridged: list[tuple[float, float]]
    ink_px: float


def ink_of(grey: np.ndarray, darkness: int = 0) -> np.ndarray:
    """Where the picture is inked: Otsu's threshold after uneven light is taken out; `darkness` -10..10 takes less or
    more for ink. Raises `BadDrawing` for what is blank or mostly dark."""
    low, high = int(grey.min()), int(grey.max())
    if high - low < 40:
        raise BadDrawing("This picture is blank: no dark line stands out from its paper.")
    even = evenly_lit(grey)
    level, _ = cv2.threshold(even, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    ink = even <= np.clip(level + 6 * darkness, 1, 254)
    share = float(ink.mean())
    if share > 0.6:
        raise BadDrawing(
            f"{share:.0%} of this picture is dark: it is no line drawing. Bring dark lines on "
            f"light paper, or read it as a photo."
        )
    if not ink.any():
        raise BadDrawing("No line is dark enough at this setting. Turn the ink darkness up.")
    return ink


def evenly_lit(grey: np.ndarray) -> np.ndarray:
    """The picture as if the light fell evenly: divided by the paper round each place, found in a small copy."""
    height, width = grey.shape
    shrink = min(1.0, LIGHT_SIDE / max(height, width))
    size = (max(8, round(width * shrink)), max(8, round(height * shrink)))
    small = cv2.resize(grey, size, interpolation=cv2.INTER_AREA)
    reach = max(3, round(LIGHT_SHARE * max(size))) | 1
    paper = cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8))
    paper = cv2.GaussianBlur(paper, (0, 0), reach / 2).astype(np.float32)
    bright = float(np.percentile(paper, 95))
    if paper.min() >= 0.93 * bright:
        return grey
    # a filled black shape is wider than the reach: it is ink, not paper in shadow
    paper = np.maximum(paper, 0.4 * bright)
    return cv2.divide(grey, cv2.resize(paper, (width, height)).astype(np.uint8), scale=235)


def _halved(ink: np.ndarray) -> np.ndarray:
    """The ink at half the size, where more than half of each four pixels is ink: a gap of two pixels stays one."""
    rows, columns = ink.shape[0] // 2 * 2, ink.shape[1] // 2 * 2
    fours = ink[:rows, :columns].reshape(rows // 2, 2, columns // 2, 2).sum(axis=(1, 3), dtype=np.uint8)
    return fours > 2


def label_regions(
    ink: np.ndarray, outside: str = "auto", gap_px: float = GAP_PX, progress: Progress = no_progress
) -> Labels:
    """Close gaps in the lines, label the paper, decide what is outside, give each ink pixel to its nearest region."""
    _refuse_grain(ink)
    progress(0.1, "bridging gaps in the lines")
    tips, half, ink_px = _tips(ink)
    ink, bridged, ends = bridge(ink, tips, half, gap_px) if gap_px > 0 else (ink, [], [tip[:2] for tip in tips])
    progress(0.6, "telling the regions apart")
    count, label, stats, _ = cv2.connectedComponentsWithStats((~ink).astype(np.uint8), connectivity=4, ltype=cv2.CV_32S)
    small = stats[:, cv2.CC_STAT_AREA] < SPECK_PX
    small[0] = False
    keep = ~small
    keep[0] = False
    _refuse_many(int(keep.sum()), int(small.sum()))
    outer = _outside_regions(label, ink, count, outside)
    if not (keep & ~outer).any():
        raise BadDrawing("No closed region was found in this drawing. Its lines must enclose the pieces.")
    # the outside keeps a label of its own while ink is shared out, so that it takes half of the outer line
    lut = np.zeros(count, np.int32)
    inner = np.flatnonzero(keep & ~outer)
    lut[inner] = np.arange(1, len(inner) + 1)
    lut[outer] = len(inner) + 1
    shared = regrown(grown(lut[label]), len(inner) + 1)
    shared[shared == len(inner) + 1] = 0
    return Labels(shared, len(inner), int(small.sum()), ends, bridged, ink_px)


def _refuse_grain(ink: np.ndarray) -> None:
    """Regions and loose dots are counted before anything is made of them."""
    dots = cv2.connectedComponents(ink.astype(np.uint8), connectivity=8, ltype=cv2.CV_32S)[0] - 1
    if dots > MOST_DOTS:
        raise BadDrawing(
            f"This picture falls into {dots:,} dots and strokes: it looks like grain or a screened print. "
            "Bring dark lines on light paper, or read it as a photo."
        )
    _, _, stats, _ = cv2.connectedComponentsWithStats((~ink).astype(np.uint8), connectivity=4, ltype=cv2.CV_32S)
    areas = stats[1:, cv2.CC_STAT_AREA]
    _refuse_many(int((areas >= SPECK_PX).sum()), int((areas < SPECK_PX).sum()))


def _refuse_many(regions: int, specks: int) -> None:
    if regions > MOST_REGIONS or specks > 200 + SPECKS_PER_REGION * regions:
        raise BadDrawing(
            f"This picture falls into {regions + specks:,} regions: it looks like a photo or a screened print. "
            "Bring dark lines on light paper."
        )


def _tips(ink: np.ndarray) -> tuple[list[tuple[float, float, float]], np.ndarray, float]:
    """Loose ends of the lines, half their width at each pixel, and their usual width."""
    half = cv2.distanceTransform(ink.astype(np.uint8), cv2.DIST_L2, 3)
    # across a line of width w the distance to its edge is w/4 in the mean
    shrink = 2 if ink.size > LARGE_PX and ink.any() and 4 * float(half[ink].mean()) >= 4 else 1
    skeleton = morphology.skeletonize(ink if shrink == 1 else _halved(ink))
    there = np.argwhere(skeleton) * shrink
    ink_px = 2 * float(np.median(half[there[:, 0], there[:, 1]])) if len(there) else 1.0
    wide = half if shrink == 1 else half[::2, ::2][: skeleton.shape[0], : skeleton.shape[1]] / 2
    return [(x * shrink, y * shrink, way) for x, y, way in loose_ends(skeleton, wide)], half, ink_px


def bridged_ink(ink: np.ndarray, gap_px: float) -> tuple:
    """As `bridge`, from the ink alone."""
    tips, half, _ = _tips(ink)
    return bridge(ink, tips, half, gap_px)


def region_colours(labels: Labels, picture: np.ndarray) -> dict[int, str]:
    """Mean colour of each region that is coloured in, ``#rrggbb`` by label. `picture` is uint8 RGB.

    Pixels near another region, where the line and its soft edge lie, do not count.
    """
    inside = cv2.erode(labels.picture.astype(np.float32), np.ones((9, 9))) == labels.picture
    inside &= cv2.dilate(labels.picture.astype(np.float32), np.ones((9, 9))) == labels.picture
    flat = np.where(inside, labels.picture, 0).ravel()
    count = np.bincount(flat, minlength=labels.count + 1)
    sums = [np.bincount(flat, picture[..., c].ravel(), labels.count + 1) for c in range(3)]
    mean = np.stack(sums, axis=1) / np.maximum(count, 1)[:, None]
    return {
        label: "#" + "".join(f"{round(v):02x}" for v in mean[label].tolist())
        for label in range(1, labels.count + 1)
        if count[label] and np.ptp(mean[label]) >= TINT
    }


def _outside_regions(label: np.ndarray, ink: np.ndarray, count: int, outside: str) -> np.ndarray:
    """Which paper regions are not part of the work.

    auto: a single region that goes round the whole border (nine tenths of the paper along it) is the page, unless
    ink itself frames the picture.
    """
    outer = np.zeros(count, bool)
    if outside == "keep":
        return outer
    border = np.concatenate([label[0], label[-1], label[:, 0], label[:, -1]])
    paper = border[border > 0]
    if not len(paper) or (outside == "auto" and len(paper) < 0.5 * len(border)):
        return outer
    regions, length = np.unique(paper, return_counts=True)
    if outside == "drop" or length.max() >= 0.9 * len(paper):
        outer[regions] = True
    return outer


def grown(label: np.ndarray) -> np.ndarray:
    """Every 0 pixel takes the label of the nearest labelled pixel."""
    source = (label == 0).astype(np.uint8)
    if not source.any():
        return label
    _, nearest = cv2.distanceTransformWithLabels(source, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    lut = np.zeros(int(nearest.max()) + 1, np.int32)
    seeds = source == 0
    lut[nearest[seeds]] = label[seeds]
    return lut[nearest]


def regrown(label: np.ndarray, count: int) -> np.ndarray:
    """Growing can leave pixels cut off from their region (the distance is approximate): give them away again."""
    for _ in range(4):
        parts, many = measure.label(label, connectivity=1, background=-1, return_num=True)
        if many <= count:
            return label
        area = np.bincount(parts.ravel(), minlength=many + 1)
        owner = np.zeros(many + 1, np.int32)
        owner[parts.ravel()] = label.ravel()
        order = np.lexsort((-area[1:], owner[1:])) + 1
        largest = np.r_[True, owner[order][1:] != owner[order][:-1]]
        lost = np.zeros(many + 1, bool)
        lost[order[~largest]] = True
        label = grown(np.where(lost[parts], 0, label).astype(np.int32))
    return label


def loose_ends(skeleton: np.ndarray, half_width: np.ndarray) -> list[tuple[float, float, float]]:
    """Tips of the ink's skeleton that lie in the open, a line that stops before it meets another: x, y in pixels and
    the direction in which it was going, in radians.

    A tip counts when the line behind it is at least three times as long as it is wide; otherwise it is a dot or a
    thickening of the line.
    """
    around = cv2.filter2D(skeleton.astype(np.uint8), -1, np.ones((3, 3), np.float32), borderType=cv2.BORDER_CONSTANT)
    rows, columns = np.nonzero(skeleton & (around == 2))
    height, width = skeleton.shape
    ends = []
    for row, column in zip(rows.tolist(), columns.tolist(), strict=True):
        reach = int(3 * 2 * half_width[row, column]) + 2
        if not (3 < row < height - 4 and 3 < column < width - 4):
            continue
        top, left = max(0, row - reach), max(0, column - reach)
        window = skeleton[top : row + reach + 1, left : column + reach + 1]
        parts = measure.label(window, connectivity=2)
        own = parts == parts[row - top, column - left]
        if own.sum() >= reach and not _has_branch(own):
            behind = np.argwhere(own)
            way = np.array([row - top, column - left]) - behind.mean(axis=0)
            ends.append((column + 0.5, row + 0.5, float(np.arctan2(way[0], way[1]))))
    return ends


def bridge(
    ink: np.ndarray, tips: list[tuple[float, float, float]], half_width: np.ndarray, gap_px: float
) -> tuple[np.ndarray, list[tuple[float, float]], list[tuple[float, float]]]:
    """Draw each loose end on to the nearest ink ahead of it, within 50 degrees and the gap: the ink with its bridges,
    the ends that were joined and those that were not."""
    height, width = ink.shape
    drawn = ink.astype(np.uint8)
    joined, loose = [], []
    fan = np.radians(np.linspace(-FAN_DEG, FAN_DEG, 21))
    for x, y, way in tips:
        half = float(half_width[int(y), int(x)])
        run = np.arange(half + 1, half + gap_px + 2.5, 0.5)
        px = np.floor(x + np.cos(way + fan)[:, None] * run).astype(int)
        py = np.floor(y + np.sin(way + fan)[:, None] * run).astype(int)
        on = (px >= 0) & (py >= 0) & (px < width) & (py < height)
        hit = on & ink[py.clip(0, height - 1), px.clip(0, width - 1)]
        hit &= np.cumsum(~hit, axis=1) > 0  # it must leave its own ink first
        if not hit.any():
            loose.append((x, y))
            continue
        # straight on before sideways, near before far
        cost = np.where(hit.any(axis=1), hit.argmax(axis=1), 10_000) + np.abs(np.degrees(fan)) / 60
        ray = int(cost.argmin())
        step = int(hit[ray].argmax())
        end = (int(px[ray, step]), int(py[ray, step]))
        cv2.line(drawn, (int(x), int(y)), end, 1, max(2, round(half)))
        joined.append((x, y))
    return drawn.astype(bool), joined, loose


def _has_branch(line: np.ndarray) -> bool:
    """Whether a thin line forks inside its window: then its tip is only a spur of the skeleton."""
    around = cv2.filter2D(line.astype(np.uint8), -1, np.ones((3, 3), np.float32), borderType=cv2.BORDER_CONSTANT)
    return bool((line & (around > 4)).any())
