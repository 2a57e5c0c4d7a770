"""Line art to a label picture: every pixel gets the number of the paper region it belongs to."""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from skimage import measure

from ..errors import BadDrawing
from ..outline.ends import meetings
from .ink import LEAST_BETWEEN, Ink, Middle, halved, ink_in, inside_one, middle_of
from .parts import alike_parts, mask_parts, taken
from .proposal import Progress, no_progress

SPECK_PX = 12
"""Paper regions smaller than this are scanning noise."""
MOST_REGIONS = 15_000
TWO_TONES, MOST_DARK = 0.93, 0.9
"""Shares: of its variance that lies between dark and light in a picture of two tones, and of dark in one that can be
read."""
LEAST_CONTRAST = 40
STOUT = 0.015
"""Dark shapes of which most are wider than this share of the drawing's size can be silhouettes."""
MOST_DOTS = 50_000
"""A picture whose ink lies in more dots and strokes than this is grain."""
TINT = 24
"""Paper whose colour channels differ by this much is coloured in, not yellowed."""
SPECKS_PER_REGION = 5
"""A picture with more specks than this for each region is grain or a printer's screen, not lines."""
GAP_MM, GAP_SHARE = 1.2, 0.004
"""Gaps up to this at finished size, or this share of the drawing's longer side, are bridged unless said otherwise (own
prototype's figures); half the width of the lines comes on top."""
FAN_DEG = 50.0
LIGHT_SIDE, LIGHT_SHARE = 480, 0.06


@dataclass(frozen=True)
class Labels:
    """`picture` int32, 0 = outside the work, 1..count regions. `ends` are loose line ends, `bridged` those that were
    joined to another line, (x, y) in pixels; `ink_px` the usual width of a line, `up_to_px` the width up to which dark
    shapes were taken for lines; from label `dark_from` on the regions are those of `broad`, what is dark but no line;
    `details` are lines that part nothing, each (n, 2) of x, y."""

    picture: np.ndarray
    count: int
    specks: int
    ends: list[tuple[float, float]]
    bridged: list[tuple[float, float]]
    ink_px: float
    up_to_px: float
    dark_from: int
    broad: np.ndarray
    details: list[np.ndarray]


def ink_of(grey: np.ndarray, darkness: int = 0, even: np.ndarray | None = None) -> np.ndarray:
    """Where the picture is inked: Otsu's threshold after uneven light is taken out (`even`, where it has been);
    `darkness` -10..10 takes less or more for ink. Raises `BadDrawing` for what is blank or mostly dark."""
    low, high = int(grey.min()), int(grey.max())
    if high - low < LEAST_CONTRAST:
        raise BadDrawing("This picture is blank: no dark line stands out from its paper.")
    even = evenly_lit(grey) if even is None else even
    level, _ = cv2.threshold(even, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    ink = even <= np.clip(level + 6 * darkness, 1, 254)
    share = float(ink.mean())
    if share > 0.6 and (share > MOST_DARK or not two_toned(even)):
        raise BadDrawing(
            f"{share:.0%} of this picture is dark: it is no line drawing. Bring dark lines on "
            f"light paper, or read it as a photo."
        )
    if not ink.any():
        raise BadDrawing("No line is dark enough at this setting. Turn the ink darkness up.")
    return ink


def two_toned(even: np.ndarray) -> bool:
    """Whether dark and light explain nearly all there is in an evenly lit picture: the share of the variance that lies
    between the two (Otsu, A threshold selection method from gray-level histograms, 1979)."""
    count = cv2.calcHist([cv2.medianBlur(even, 3)], [0], None, [256], [0, 256]).ravel().astype(float)
    level = np.arange(256)
    share = np.cumsum(count) / count.sum()
    mean = np.cumsum(count * level) / count.sum()
    total = float((count * level**2).sum() / count.sum() - mean[-1] ** 2)
    with np.errstate(divide="ignore", invalid="ignore"):
        between = (mean[-1] * share - mean) ** 2 / (share * (1 - share))
    return float(np.nanmax(np.where(np.isfinite(between), between, 0))) > TWO_TONES * max(total, 1.0)


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


def label_regions(
    ink: np.ndarray,
    outside: str = "auto",
    gap_px: float = 6.0,
    up_to: float | None = None,
    laid_in_px: float = 24.0,
    progress: Progress = no_progress,
) -> Labels:
    """Dark shapes up to a width in pixels (None finds it from the drawing) are lines: their gaps are closed, and each
    of their pixels is given to the nearest region. Broader ones are regions like those of paper, and so is what is dark
    inside one region from `laid_in_px` on. What is outside is decided."""
    _refuse_grain(ink)
    progress(0.1, "telling lines from areas")
    middle = middle_of(ink)
    line = ink_in(ink, up_to, _side_of(ink), middle)
    progress(0.3, "bridging gaps in the lines")
    tips = [tip for tip in _tips(middle) if line.mask[int(tip[1]), int(tip[0])]]
    inked, bridged, ends = (
        bridge(ink, tips, middle.half, gap_px) if gap_px > 0 else (ink, [], [tip[:2] for tip in tips])
    )
    progress(0.6, "telling the regions apart")
    count, paper, area = mask_parts(~inked, 4)
    middle = replace(middle, half=np.empty((0, 0), np.float32))  # large, and needed no more
    keep = area >= SPECK_PX
    keep[0] = False
    specks = int((~keep[1:]).sum())
    _refuse_many(int(keep.sum()), specks)
    outer = outside_regions(paper, inked, count, outside)
    stout = line.mask is not ink or ((keep & ~outer).any() and line.usual > STOUT * _side_of(ink))
    if up_to is None and stout and line.up_to and area[keep & ~outer].sum() < LEAST_BETWEEN * line.mask.sum():
        line = Ink(np.zeros_like(ink), 0.0, line.usual)  # silhouettes: there is too little between them
    # the outside keeps a label of its own while ink is shared out, so that it takes half of the outer line
    inner = np.flatnonzero(keep & ~outer)
    lut = np.zeros(count, np.int32)
    lut[inner] = np.arange(2, len(inner) + 2)
    lut[outer] = 1
    seeds = taken(lut, paper)
    del paper
    broad = ink & ~line.mask
    shared, many = _shared(seeds, len(inner), broad)
    details: list[np.ndarray] = []
    if line.up_to:
        laid_in, details = _laid_in(shared, inked & ~broad, inked & ~ink, middle, laid_in_px)
        if laid_in.any():
            broad |= laid_in
            shared, many = _shared(seeds, len(inner), broad)
    if not many:
        raise BadDrawing("No closed region was found in this drawing. Its lines must enclose the pieces.")
    shared -= 1
    np.maximum(shared, 0, out=shared)
    return Labels(shared, many, specks, ends, bridged, line.usual, line.up_to, len(inner) + 1, broad, details)


def _shared(seeds: np.ndarray, papers: int, broad: np.ndarray) -> tuple[np.ndarray, int]:
    """Lines given to the nearest region, 1 being the outside; and how many regions there are beside it."""
    if not broad.any():
        return regrown(grown(seeds), papers + bool((seeds == 1).any())), papers
    count, dark = cv2.connectedComponents(broad.astype(np.uint8), connectivity=8, ltype=cv2.CV_32S)
    seeds = np.where(broad, dark + papers + 1, seeds)
    many = papers + count - 1
    return regrown(grown(seeds), many + bool((seeds == 1).any())), many


def _laid_in(
    shared: np.ndarray, line: np.ndarray, bridges: np.ndarray, middle: Middle, laid_in_px: float
) -> tuple[np.ndarray, list[np.ndarray]]:
    """As `ink.inside_one`, of large pictures by half; bridges are thin enough to be their own middle."""
    if middle.shrink == 1:
        return inside_one(shared, 1, line, line & (middle.skeleton | bridges), laid_in_px)
    small = halved(line)
    rows, columns = small.shape
    skeleton = small & (middle.skeleton | halved(bridges))
    found, lines = inside_one(shared[::2, ::2][:rows, :columns], 1, small, skeleton, laid_in_px / 2)
    if not found.any():
        return np.zeros_like(line), [2 * xy for xy in lines]
    large = cv2.resize(found.astype(np.uint8), (line.shape[1], line.shape[0]), interpolation=cv2.INTER_NEAREST) > 0
    return line & large, [2 * xy for xy in lines]


def _side_of(ink: np.ndarray) -> float:
    """The size of what is drawn: the root of its width times its height."""
    across, down = (float(np.ptp(np.flatnonzero(ink.any(axis=i)))) + 1 for i in (0, 1))
    return (across * down) ** 0.5


def _refuse_grain(ink: np.ndarray) -> None:
    """Regions and loose dots are counted before anything is made of them."""
    dots = cv2.connectedComponents(ink.astype(np.uint8), connectivity=8, ltype=cv2.CV_32S)[0] - 1
    if dots > MOST_DOTS:
        raise BadDrawing(
            f"This picture falls into {dots:,} dots and strokes: it looks like grain or a screened print. "
            "Bring dark lines on light paper, or read it as a photo."
        )
    areas = mask_parts(~ink, 4)[2][1:]
    _refuse_many(int((areas >= SPECK_PX).sum()), int((areas < SPECK_PX).sum()))


def _refuse_many(regions: int, specks: int) -> None:
    if regions > MOST_REGIONS or specks > 200 + SPECKS_PER_REGION * regions:
        raise BadDrawing(
            f"This picture falls into {regions + specks:,} regions: it looks like a photo or a screened print. "
            "Bring dark lines on light paper."
        )


def _tips(middle: Middle) -> list[tuple[float, float, float]]:
    """Loose ends of the lines: x, y, and the way they were going."""
    shrink, skeleton = middle.shrink, middle.skeleton
    half = middle.half[::shrink, ::shrink][: skeleton.shape[0], : skeleton.shape[1]] / shrink
    return [(x * shrink, y * shrink, way) for x, y, way in loose_ends(skeleton, half)]


def bridged_ink(ink: np.ndarray, gap_px: float) -> tuple:
    """As `bridge`, from the ink alone."""
    middle = middle_of(ink)
    return bridge(ink, _tips(middle), middle.half, gap_px)


def region_colours(labels: Labels, picture: np.ndarray) -> dict[int, str]:
    """Mean colour of each region that is coloured in or dark, ``#rrggbb`` by label. `picture` is uint8 RGB.

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
        if count[label] and (label >= labels.dark_from or np.ptp(mean[label]) >= TINT)
    }


def outside_regions(label: np.ndarray, ink: np.ndarray, count: int, outside: str) -> np.ndarray:
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
    return taken(lut, nearest)


def regrown(label: np.ndarray, count: int) -> np.ndarray:
    """Growing can leave pixels cut off from their region (the distance is approximate): give them away again."""
    for _ in range(4):
        parts, many = alike_parts(label, None)
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
    """Draw each loose end on to the point where it meets others, else to the nearest ink ahead of it, within 50 degrees
    and the gap beside half its own width: the ink with its bridges, the ends that were joined and those that were not.
    """
    height, width = ink.shape
    drawn = ink.astype(np.uint8)
    joined, loose = [], []
    fan = np.radians(np.linspace(-FAN_DEG, FAN_DEG, 21))
    at = np.array([tip[:2] for tip in tips]).reshape(-1, 2)
    halves = half_width[at[:, 1].astype(int), at[:, 0].astype(int)]
    angle = np.array([tip[2] for tip in tips])
    met = meetings(at, np.c_[np.cos(angle), np.sin(angle)], halves + gap_px + 1.5)
    for members, (px, py) in met:
        for i in members:
            end = (round(float(px)), round(float(py)))
            cv2.line(drawn, (int(at[i, 0]), int(at[i, 1])), end, 1, max(2, round(float(halves[i]))))
            joined.append((float(at[i, 0]), float(at[i, 1])))
    meeting = {i for members, _ in met for i in members}
    for i, (x, y, way) in enumerate(tips):
        if i in meeting:
            continue
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
