"""A figure cut from its ground: a rectangle round it, strokes for what is in and what is out, its thin ends kept as
wide as asked; as a silhouette, or in tones."""

from dataclasses import replace

import cv2
import numpy as np
import shapely
from skimage import measure, morphology

from ..errors import BadDrawing
from ..outline import arcs
from . import raster_source, tones
from .finish import Intake, finish
from .from_photo import SMALLEST_PHOTO_MM
from .knobs import Point
from .labels import grown
from .parts import alike_parts
from .proposal import Proposal, ReadAs

CUT_SIDE = 560
"""Figure and ground are told apart in a picture of this size."""
ROUNDS = 6
BAND = 3
"""So many pixels of that picture to both sides of the figure's edge are looked at again."""
EDGE = 0.03
"""Without a rectangle the figure lies so far inside the picture, in parts of it."""
STROKE = 0.012
"""Width of a stroke in parts of the picture's longer side."""
NO_FIGURE = (
    "No figure stands out here. Draw the rectangle close round it, and mark with strokes what is in and what is out."
)
LEAST_SHARE = 0.002
"""Spots of less than this share of the picture are no part of a figure; holes in it, of an eighth of that, are none."""
END_LONG = 0.75
"""A thin place longer than this share of the smallest width is an end to keep, not the tip of a corner."""


def from_figure(picture: raster_source.Picture, work: Intake, words: str = "") -> Proposal:
    """One piece for the figure, or its tones; what is round it is left out unless kept. Raises `BadDrawing`."""
    knobs = work.knobs
    full = picture.in_colour
    rgb, shrink = raster_source.reduced(full, tones.MOST_SIDE)
    work.progress(0.1, "telling the figure from its ground")
    figure = figure_in(rgb, knobs.box, knobs.inside, knobs.beyond)
    rows, columns = np.flatnonzero(figure.any(axis=1)), np.flatnonzero(figure.any(axis=0))
    box = (float(np.ptp(columns) + 1), float(np.ptp(rows) + 1))
    whole = knobs.outside == "keep"
    if whole:
        box = (float(rgb.shape[1]), float(rgb.shape[0]))
    unit_mm = None if picture.pixel_mm is None else picture.pixel_mm / shrink
    page = (float(rgb.shape[1]), float(rgb.shape[0]))
    pixel_mm = work.size.mm_per_unit(box, page, unit_mm)
    smallest_mm = knobs.smallest_mm or SMALLEST_PHOTO_MM
    figure, kept = with_wide_ends(figure, smallest_mm / pixel_mm)
    work.progress(0.4, "parting it")
    label, count, colours = (
        _in_tones(rgb, figure, work, smallest_mm / pixel_mm) if knobs.figure == "tones" else _alone(rgb, figure)
    )
    if whole:
        label, count, colours = _with_ground(rgb, label, count, colours)
    work.progress(0.65, "following the borders")
    outlines, _ = arcs.outlines_of(label, count, rounds=2 + 2 * knobs.smooth)
    left, top, right, bottom = shapely.total_bounds(np.array(outlines))
    pixel_mm = work.size.mm_per_unit((right - left, bottom - top), page, unit_mm)
    placed = list(shapely.transform(np.array(outlines), lambda xy: (xy - [left, top]) * pixel_mm))
    source = (-left * pixel_mm, -top * pixel_mm, page[0] * pixel_mm, page[1] * pixel_mm)
    traces = [("widened", (x - left) * pixel_mm, (y - top) * pixel_mm) for x, y in kept]
    why = "the figure in the rectangle" if knobs.box else "what stands out in the middle"
    if knobs.inside or knobs.beyond:
        count = len(knobs.inside) + len(knobs.beyond)
        why += f" and by {count} stroke{'' if count == 1 else 's'}"
    work = replace(work, knobs=replace(knobs, smallest_mm=smallest_mm if knobs.figure == "tones" else 0.0))
    title = words or ("figure in tones" if knobs.figure == "tones" else "silhouette of a figure")
    return finish(placed, title, source, [], work, (), colours, traces, read_as=ReadAs("figure", why))


def figure_in(rgb: np.ndarray, box: tuple[float, float, float, float] | None, inside, beyond) -> np.ndarray:
    """Where the figure is, bool, by colours learnt from the rectangle's inside and outside and from strokes (Rother,
    Kolmogorov, Blake, GrabCut, 2004). All marks are shares of the picture. Raises `BadDrawing`."""
    small, _ = raster_source.reduced(rgb, CUT_SIDE)
    height, width = small.shape[:2]
    left, top, right, bottom = box or (EDGE, EDGE, 1 - EDGE, 1 - EDGE)
    mask = np.full((height, width), cv2.GC_BGD, np.uint8)
    x0, x1 = (int(np.clip(v, 0, 1) * width) for v in (left, right))
    y0, y1 = (int(np.clip(v, 0, 1) * height) for v in (top, bottom))
    mask[y0:y1, x0:x1] = cv2.GC_PR_FGD
    if (mask == cv2.GC_PR_FGD).all():
        mask[:1], mask[-1:], mask[:, :1], mask[:, -1:] = (cv2.GC_BGD,) * 4
    wide = max(2, round(STROKE * max(height, width)))
    for lines, value in ((inside, cv2.GC_FGD), (beyond, cv2.GC_BGD)):
        for line in lines:
            _stroke(mask, line, value, wide)
    if (mask == cv2.GC_BGD).all() or not (mask == cv2.GC_BGD).any():
        raise BadDrawing(NO_FIGURE)
    cv2.setRNGSeed(1)
    ground, front = np.zeros((1, 65)), np.zeros((1, 65))
    try:
        cv2.grabCut(np.ascontiguousarray(small), mask, [0, 0, 1, 1], ground, front, ROUNDS, cv2.GC_INIT_WITH_MASK)
    except cv2.error:
        raise BadDrawing(NO_FIGURE) from None
    found = np.isin(mask, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.float32)
    large = cv2.resize(found, (rgb.shape[1], rgb.shape[0]), interpolation=cv2.INTER_LINEAR)
    scale = rgb.shape[1] / width
    figure = _on_edge(rgb, cv2.GaussianBlur(large, (0, 0), max(0.8, scale)) > 0.5, round(BAND * scale) + 1)
    least = int(LEAST_SHARE * figure.size)
    figure = morphology.remove_small_objects(figure, max_size=least)
    figure = ~morphology.remove_small_objects(~figure, max_size=least // 8)
    if not figure.any():
        raise BadDrawing(NO_FIGURE)
    return figure


def _on_edge(rgb: np.ndarray, figure: np.ndarray, band: int) -> np.ndarray:
    """The figure with its edge where the colour turns from what is within to what is without: what was told apart in a
    small picture is off by what its pixels mix."""
    box = np.ones((2 * band + 1, 2 * band + 1), np.uint8)
    whole = figure.astype(np.uint8)
    within, without = cv2.erode(whole, box), 1 - cv2.dilate(whole, box)
    reach = (8 * band + 1, 8 * band + 1)
    far, known = [], np.ones(figure.shape, bool)
    for sure in (within, without):
        weight = cv2.blur(sure.astype(np.float32), reach)
        known &= weight > 1e-3
        mean = cv2.blur(rgb.astype(np.float32) * sure[..., None], reach) / np.maximum(weight, 1e-3)[..., None]
        far.append(((rgb - mean) ** 2).sum(axis=2))
    turned = (within == 0) & (without == 0) & known
    nearer = cv2.GaussianBlur((far[0] < far[1]).astype(np.float32), (0, 0), 1.0) > 0.5
    return np.where(turned, nearer, figure)


def _stroke(mask: np.ndarray, line: tuple[Point, ...], value: int, wide: int) -> None:
    height, width = mask.shape
    points = np.round(np.array(line) * [width, height]).astype(np.int32)
    cv2.polylines(mask, [points], False, int(value), wide)


def with_wide_ends(figure: np.ndarray, smallest_px: float) -> tuple[np.ndarray, list[tuple[float, float]]]:
    """The figure with its thin ends as wide as the smallest width, and where they were widened, x and y."""
    across = max(1, round(smallest_px)) | 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (across, across))
    framed = cv2.copyMakeBorder(figure.astype(np.uint8), across, across, across, across, cv2.BORDER_CONSTANT, value=0)
    thick = cv2.morphologyEx(framed, cv2.MORPH_OPEN, disc)[across:-across, across:-across] > 0
    # only thin ends are asked for: thinning what is wide to its middle takes longest
    inner = cv2.distanceTransform(thick.astype(np.uint8), cv2.DIST_L2, 3) > across
    middle = morphology.skeletonize(figure & ~inner) & ~thick
    part, count = measure.label(middle, connectivity=2, return_num=True)
    long = np.bincount(part.ravel(), minlength=count + 1) >= END_LONG * smallest_px
    long[0] = False
    ends = long[part]
    if not ends.any():
        return figure, []
    wide = cv2.dilate(ends.astype(np.uint8), disc) > 0
    places = [
        (float(c) + 0.5, float(r) + 0.5)
        for r, c in (x.coords[len(x.coords) // 2] for x in measure.regionprops(np.where(ends, part, 0)))
    ]
    return figure | wide, places


def _alone(rgb: np.ndarray, figure: np.ndarray) -> tuple[np.ndarray, int, list[str]]:
    count, label = cv2.connectedComponents(figure.astype(np.uint8), connectivity=4, ltype=cv2.CV_32S)
    return label, count - 1, _means(rgb, label, count - 1)


def _in_tones(rgb: np.ndarray, figure: np.ndarray, work: Intake, smallest_px: float):
    """The tones of the figure alone: what is round it has its mean colour, so that no tone is spent on it."""
    calm = rgb.copy()
    calm[~figure] = rgb[figure].mean(axis=0).astype(np.uint8)
    knobs = work.knobs
    found = tones.tone_labels(calm, knobs.tones, knobs.by or "lightness", smallest_px, knobs.smooth)
    label, count = alike_parts(np.where(figure, found.picture, 0))
    own = np.zeros(count + 1, np.int64)
    own[label.ravel()] = found.picture.ravel()
    # what the figure's edge cuts off a region is too small to saw: it goes to the piece beside it
    area = np.bincount(label.ravel(), minlength=count + 1)
    small = area < np.pi / 4 * smallest_px**2
    small[0] = False
    if small.any() and not small[1:].all():
        seeds = np.where(small[label], 0, label).astype(np.int32)
        seeds[~figure] = count + 1
        label = grown(seeds)
        label[label == count + 1] = 0
        label[figure & (label == 0)] = 0
        label, count = alike_parts(label)
    return label, count, _means(rgb, label, count)


def _with_ground(rgb, label, count: int, colours: list[str]):
    many, ground = cv2.connectedComponents((label == 0).astype(np.uint8), connectivity=4, ltype=cv2.CV_32S)
    whole = np.where(label > 0, label, ground + count).astype(np.int32)
    return whole, count + many - 1, [*colours, *_means(rgb, ground, many - 1)]


def _means(rgb: np.ndarray, label: np.ndarray, count: int) -> list[str]:
    area = np.maximum(np.bincount(label.ravel(), minlength=count + 1), 1)
    mean = [np.bincount(label.ravel(), rgb[..., c].ravel(), count + 1) / area for c in range(3)]
    return ["#" + "".join(f"{round(channel[i]):02x}" for channel in mean) for i in range(1, count + 1)]
