"""What a picture without soft edges shows, as labelled regions: colours that touch where the eye sees an edge.

Ink is not wood. Thin dark shapes between things are lines: they get no label, and their neighbours share them along
their middle. Wide dark areas are pieces. Where both sides of a thin dark shape are one region it parts nothing: a broad
one is a piece laid in, a fine one a detail.
"""

import heapq
from dataclasses import dataclass

import cv2
import numpy as np
from skimage import morphology

from .ink import LEAST_BETWEEN, NO_INK, Ink, border_of, ink_in, inside_one, middle_of
from .labels import SPECK_PX, bridged_ink, grown, regrown
from .parts import alike_parts, linked_parts
from .rendering import MARGIN_PX, SEEN_ALPHA, lab_of, on_white

FATTEST_PX = 1.9
"""A region with no pixel so far from its border is no piece: about the kerf of a fine blade in a common size."""
LINK = 3
"""Neighbouring pixels whose channels differ by no more than this are of one region: the steps of a gradient."""
WEAK_DE = 4.0
"""Regions whose border is weaker than this in the mean (Euclidean in CIELAB) are one."""
SMALL_DE = 16.0
"""As weak may the border be of a region that may be noise."""
MOST_MERGED = 200_000
BROAD, LIGHTER = 0.02, 25.0
"""A dark region wider than this share of the picture, and by so much lighter (CIELAB) than the usual line, is paint."""
SLIVER, SLIVER_WIDE = 0.35, 0.15
"""A region is a sliver when it is less than this share of what it and its half of the lines beside it take up, and
nowhere wider than this share of a line."""
DARK = ((50.0, 15.0), (40.0, 30.0), (27.0, 48.0))
"""What is darker than the first of a pair (CIELAB lightness) and less coloured than the second (chroma) is dark."""


@dataclass(frozen=True)
class Regions:
    """`picture` int32, 0 ink and specks, 1..count regions; `painted` by label whether anything was painted there;
    `rgb` uint8 on white."""

    picture: np.ndarray
    count: int
    painted: np.ndarray
    colours: np.ndarray
    rgb: np.ndarray


def regions_of(rgba: np.ndarray, shapes: np.ndarray | None = None, link: int = LINK, noise_px: int = 0) -> Regions:
    """Connected areas without an edge inside. `rgba` uint8 without soft edges; `shapes` the same size, where other
    colours are other shapes: their borders count where the eye sees them. What is smaller than `noise_px` must stand
    out more."""
    rgba = np.where(rgba[..., 3:] > SEEN_ALPHA, rgba, 0)
    rgb = on_white(rgba)
    picture = _linked(rgba, shapes, link)
    picture, count = _renumbered(_merged(picture, rgba, lab_of(rgb), noise_px))
    flat = picture.ravel()
    many = np.maximum(np.bincount(flat, minlength=count + 1), 1)
    painted = np.bincount(flat, (rgba[..., 3] > SEEN_ALPHA).ravel(), count + 1) / many > 0.5
    colours = np.stack([np.bincount(flat, rgb[..., c].ravel(), count + 1) / many for c in range(3)], axis=1)
    return Regions(picture, count, painted, colours, rgb)


def _linked(rgba: np.ndarray, shapes: np.ndarray | None, link: int) -> np.ndarray:
    """Labels from 0 of pixels that are linked step by step."""
    across = _one_step(rgba[:, 1:], rgba[:, :-1], link)
    down = _one_step(rgba[1:], rgba[:-1], link)
    if shapes is not None:
        across &= (shapes[:, 1:] == shapes[:, :-1]).all(axis=2)
        down &= (shapes[1:] == shapes[:-1]).all(axis=2)
    return linked_parts(across, down)


def _one_step(a: np.ndarray, b: np.ndarray, link: int) -> np.ndarray:
    """Whether two pixels differ by no more than this in each channel."""
    apart = cv2.split(cv2.absdiff(np.ascontiguousarray(a), np.ascontiguousarray(b)))
    return cv2.max(cv2.max(apart[0], apart[1]), cv2.max(apart[2], apart[3])) <= link


def _borders(label: np.ndarray, lab: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Pairs of labels that touch, the lower first; how long they do, in pixels; and the sum of the colour steps
    there."""
    keys, steps = [], []
    base = int(label.max()) + 1
    for a, b, x, y in (
        (label[:, :-1], label[:, 1:], lab[:, :-1], lab[:, 1:]),
        (label[:-1], label[1:], lab[:-1], lab[1:]),
    ):
        apart = a != b
        low, high = np.minimum(a[apart], b[apart]).astype(np.int64), np.maximum(a[apart], b[apart])
        keys.append(low * base + high)
        steps.append(np.linalg.norm(x[apart] - y[apart], axis=1))
    pairs, which = np.unique(np.concatenate(keys), return_inverse=True)
    which = which.ravel()
    length = np.bincount(which, minlength=len(pairs)).astype(float)
    return (
        np.stack([pairs // base, pairs % base], axis=1),
        length,
        np.bincount(which, np.concatenate(steps), len(pairs)),
    )


def _merged(label: np.ndarray, rgba: np.ndarray, lab: np.ndarray, noise_px: int) -> np.ndarray:
    """Regions parted by a weak border, made one, the weakest first; what is painted never with what is not."""
    pairs, length, step = _borders(label, lab)
    count = int(label.max()) + 1
    if len(pairs) == 0 or len(pairs) > MOST_MERGED:
        return label
    painted = np.zeros(count, bool)
    painted[label.ravel()] = (rgba[..., 3] > SEEN_ALPHA).ravel()
    area = np.bincount(label.ravel(), minlength=count).tolist()
    border: list[dict[int, list[float]]] = [{} for _ in range(count)]
    for (a, b), n, s in zip(pairs.tolist(), length.tolist(), step.tolist(), strict=True):
        if painted[a] == painted[b]:
            border[a][b] = border[b][a] = [n, s]

    def is_weak(a: int, b: int) -> bool:
        n, s = border[a][b]
        return s < (SMALL_DE if min(area[a], area[b]) < noise_px else WEAK_DE) * n

    waiting = [(s / n, a, b) for a in range(count) for b, (n, s) in border[a].items() if a < b and is_weak(a, b)]
    heapq.heapify(waiting)
    home = np.arange(count)
    while waiting:
        weight, a, b = heapq.heappop(waiting)
        values = border[a].get(b) if home[a] == a and home[b] == b else None
        if values is None or abs(values[1] / values[0] - weight) > 1e-9:
            continue
        if len(border[a]) < len(border[b]):
            a, b = b, a
        if min(area[a], area[b]) >= noise_px and not weight < WEAK_DE:
            continue  # it has grown since
        home[b] = a
        area[a] += area[b]
        for c in _taken_in(border, a, b):
            n, s = border[a][c]
            if is_weak(a, c):
                heapq.heappush(waiting, (s / n, min(a, c), max(a, c)))
    while (home[home] != home).any():
        home = home[home]
    return home[label].astype(np.int32)


def _taken_in(border: list[dict[int, list[float]]], a: int, b: int) -> list[int]:
    """Gives the borders of b to a; the regions whose border with a is now another one."""
    del border[a][b]
    beside = [c for c in border[b] if c != a]
    for c in beside:
        values = border[c].pop(b)
        own = border[a].setdefault(c, [0.0, 0.0])
        own[0] += values[0]
        own[1] += values[1]
        border[c][a] = own
    border[b] = {}
    return beside


def _renumbered(label: np.ndarray) -> tuple[np.ndarray, int]:
    """Labels 1..count in the order of the picture, what is smaller than a speck 0."""
    area = np.bincount(label.ravel())
    keep = np.flatnonzero(area >= SPECK_PX)
    lut = np.zeros(len(area), np.int32)
    lut[keep] = np.arange(1, len(keep) + 1)
    return lut[label], len(keep)


def dark_regions(regions: Regions) -> np.ndarray:
    """By label, whether a region is dark enough to be ink: not where it is broad, and lighter than most lines are."""
    colours = regions.colours[None].astype(np.uint8)
    dark = regions.painted & is_dark(colours)[0]
    dark[0] = False
    if dark.sum() < 2:
        return dark
    light = lab_of(colours)[0, :, 0]
    many = regions.count + 1
    rim = np.bincount(regions.picture[border_of(regions.picture) > 0], minlength=many)
    area = np.bincount(regions.picture.ravel(), minlength=many)
    order = np.flatnonzero(dark)[np.argsort(light[dark], kind="stable")]
    usual = light[order[np.searchsorted(np.cumsum(rim[order]), rim[order].sum() / 2)]]
    broad = 2 * area > BROAD * regions.picture.size**0.5 * np.maximum(rim, 1)
    return dark & ~(broad & (light > usual + LIGHTER))


def is_dark(rgb: np.ndarray) -> np.ndarray:
    """Whether colours, uint8 of shape (rows, columns, 3), are those of ink."""
    lab = lab_of(rgb)
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    return np.any([(lab[..., 0] < light) & (chroma < colour) for light, colour in DARK], axis=0)


@dataclass(frozen=True)
class Seen:
    """`picture` int32, 0 outside the work, 1..count pieces, ink shared among them; `colours` (mean, uint8 RGB) and
    `painted` by label from 0; `details` are lines that part nothing, each (n, 2) of x, y in pixels; `ink` what was
    line; `ends` are loose ends of lines, `bridged` those that were drawn on to another."""

    picture: np.ndarray
    count: int
    colours: np.ndarray
    painted: np.ndarray
    ink: Ink
    details: list[np.ndarray]
    ends: list[tuple[float, float]]
    bridged: list[tuple[float, float]]


def seen_in(
    regions: Regions, ground: np.ndarray, up_to: float | None, laid_in_px: float = 24.0, gap_px: float = 0.0
) -> Seen:
    """Pieces of what is seen. `ground` by label, what is no part of the work; `up_to` as in `ink_in`; `laid_in_px` from
    which width on a dark shape inside one region is a piece; ends of lines are drawn on to the next up to `gap_px`."""
    dark = dark_regions(regions)
    shown = ~ground[regions.picture]
    if not shown.any():
        return Seen(np.zeros_like(regions.picture), 0, regions.colours, regions.painted, NO_INK, [], [], [])
    across, down = (float(np.ptp(np.flatnonzero(shown.any(axis=i))) + 1) for i in (0, 1))
    side = (across * down) ** 0.5
    inked = dark[regions.picture]
    ink = ink_in(inked, up_to, side, middle_of(inked, 1_000_000, 1))
    if up_to is None and ink.up_to and not _encloses(regions, ink.mask, dark, ground):
        ink = Ink(np.zeros_like(ink.mask), 0.0, ink.usual)
    ends: list[tuple[float, float]] = []
    bridged: list[tuple[float, float]] = []
    if gap_px > 0 and ink.up_to:
        drawn, bridged, ends = bridged_ink(ink.mask, gap_px)
        ink = Ink(drawn, ink.up_to, ink.usual)
    body, home, shared = _parted(regions, ground, ink)
    details: list[np.ndarray] = []
    if ink.up_to:
        laid_in, details = inside_one(shared, len(home), ink.mask, morphology.skeletonize(ink.mask), laid_in_px)
        if laid_in.any():
            ink = Ink(ink.mask & ~laid_in, ink.up_to, ink.usual)
            body, home, shared = _parted(regions, ground, ink)
    picture, count, colours, painted = _counted(regions, body, shared, ~ground[home])
    return Seen(picture, count, colours, painted, ink, details, ends, bridged)


def ground_of(regions: Regions, paper: bool) -> np.ndarray:
    """By label, what lies outside the work along the picture's edge: nothing painted, or white where white is the
    page."""
    label = regions.picture
    lab = lab_of(regions.colours[None].astype(np.uint8))[0]
    empty = ~regions.painted | (paper & (lab[:, 0] > 97) & (np.hypot(lab[:, 1], lab[:, 2]) < 4))
    ground = np.zeros(regions.count + 1, bool)
    # the page may end a few pixels inside the picture
    for n in (0, min(MARGIN_PX + 2, min(label.shape) - 1)):
        rim = np.unique(np.concatenate([label[n], label[-1 - n], label[:, n], label[:, -1 - n]]))
        ground[rim] |= empty[rim] & (paper | (n == 0))
    ground[0] = False
    return ground


def _encloses(regions: Regions, ink: np.ndarray, dark: np.ndarray, ground: np.ndarray) -> bool:
    """Whether there is more between the dark shapes than they take up: then they are lines between things."""
    area = np.bincount(regions.picture.ravel(), minlength=regions.count + 1)
    area[0] = 0
    between = area[~dark & ~ground].sum()
    return bool(between >= LEAST_BETWEEN * ink.sum())


def _parted(regions: Regions, ground: np.ndarray, ink: Ink) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Bodies, each body's region, and bodies with the ink shared among them; without the slivers that shadows leave
    along thick lines, which would be made of little but ink."""
    body, home, fat = _bodies(regions, ink.mask)
    shared = _shared(body, ground[home])
    area, whole = (np.bincount(label.ravel(), minlength=len(home) + 1)[: len(home)] for label in (body, shared))
    sliver = (area < SLIVER * whole) & (fat < SLIVER_WIDE * ink.up_to / 2)
    sliver[0] = False
    if not sliver.any():
        return body, home, shared
    number = np.where(sliver, 0, np.cumsum(~sliver) - 1).astype(np.int32)
    body, home = number[body], home[~sliver]
    return body, home, _shared(body, ground[home])


def _bodies(regions: Regions, ink: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """What is left of each region without the ink, in connected bodies from 1; each body's region; and its greatest
    distance to its border, in pixels. Specks are 0."""
    bare = np.where(ink, 0, regions.picture)
    body, count = alike_parts(bare)
    area = np.bincount(body.ravel(), minlength=count + 1)
    # what is nowhere wider than this is no piece
    half = cv2.distanceTransform((border_of(body) == 0).astype(np.uint8), cv2.DIST_L2, 3)
    fat = np.zeros(count + 1, np.float32)
    np.maximum.at(fat, body.ravel(), half.ravel())
    keep = np.flatnonzero((area >= SPECK_PX) & (fat >= FATTEST_PX))
    keep = keep[keep > 0]
    lut = np.zeros(count + 1, np.int32)
    lut[keep] = np.arange(1, len(keep) + 1)
    home = np.zeros(count + 1, np.int64)
    home[body.ravel()] = bare.ravel()
    return lut[body], np.r_[0, home[keep]], np.r_[np.float32(0), fat[keep]]


def _shared(body: np.ndarray, ground: np.ndarray) -> np.ndarray:
    """Ink and specks given to the nearest body; all that is ground is one label, the last."""
    lut = np.arange(len(ground), dtype=np.int32)
    lut[ground] = len(ground)
    return regrown(grown(lut[body]), len(np.unique(lut[1:])))


def _counted(regions: Regions, body: np.ndarray, shared: np.ndarray, kept: np.ndarray) -> tuple:
    """Pieces 1..count in the order of the picture, how many, their colours, and whether they are painted."""
    many = len(kept)
    pieces = np.flatnonzero(kept)
    pieces = pieces[pieces > 0]
    lut = np.zeros(many + 1, np.int32)
    lut[pieces] = np.arange(1, len(pieces) + 1)
    flat = body.ravel()
    area = np.maximum(np.bincount(flat, minlength=many), 1)
    mean = np.stack([np.bincount(flat, regions.rgb[..., c].ravel(), many) / area for c in range(3)], axis=1)
    home = np.zeros(many, np.int64)
    home[flat] = regions.picture.ravel()
    order = np.r_[0, pieces]
    return lut[shared], len(pieces), mean[order], regions.painted[home][order]


def coloured_share(regions: Regions, ground: np.ndarray) -> float:
    """The share of what is not ground that is neither dark nor paper."""
    lab = lab_of(regions.colours[None].astype(np.uint8))[0]
    plain = (lab[:, 0] > 96) & (np.hypot(lab[:, 1], lab[:, 2]) < 5)
    area = np.bincount(regions.picture.ravel(), minlength=regions.count + 1)
    tinted = regions.painted & ~ground & ~dark_regions(regions) & ~plain
    tinted[0] = False
    return float(area[tinted].sum() / max(area[~ground].sum(), 1))
