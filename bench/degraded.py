"""Line drawings as telephones, scanners, pencils and much use make them, by code; and how well what was read from them
agrees with the clean drawing. It shares nothing with the intake but the proposal it is given."""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from skimage.morphology import skeletonize

LEAST_WIDE_PX = 4.0
"""Regions narrower than this beside the ink are not asked for."""
ALIKE = 0.9


@dataclass(frozen=True)
class Degraded:
    """`picture` uint8 grey, or RGB; `back` (3, 3) takes shares of the page that is read to pixels of the clean
    drawing."""

    picture: np.ndarray
    back: np.ndarray


def straight(shape: tuple[int, ...]) -> np.ndarray:
    return np.diag([float(shape[1]), float(shape[0]), 1.0])


def soft_noise(shape: tuple[int, int], sigma: float, rng: np.random.Generator) -> np.ndarray:
    """Smooth random field of mean 0 and deviation 1."""
    shrink = max(1.0, sigma / 4)
    small = (int(shape[0] / shrink) + 2, int(shape[1] / shrink) + 2)
    field = cv2.GaussianBlur(rng.normal(0, 1, small).astype(np.float32), (0, 0), sigma / shrink)
    field /= field.std()
    return cv2.resize(field, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR)


def _grey(values: np.ndarray) -> np.ndarray:
    return np.clip(values, 0, 255).astype(np.uint8)


def _jpeg(grey: np.ndarray, quality: int) -> np.ndarray:
    _, data = cv2.imencode(".jpg", grey, [cv2.IMWRITE_JPEG_QUALITY, quality])
    return cv2.imdecode(data, cv2.IMREAD_UNCHANGED)


def screened(clean: np.ndarray, rng: np.random.Generator) -> Degraded:
    """JPEG at quality 60, after noise of 8 grey levels."""
    return Degraded(_jpeg(_grey(clean * 0.92 + 10 + rng.normal(0, 8, clean.shape)), 60), straight(clean.shape))


def lit_from_aside(clean: np.ndarray, rng: np.random.Generator) -> Degraded:
    """Half as bright at the far corner as at the near one, and a soft shadow."""
    y, x = np.indices(clean.shape, np.float32)
    fall = 1 - 0.5 * (x / clean.shape[1] + y / clean.shape[0]) / 2
    shadow = 1 - 0.18 / (1 + np.exp(-(x - 0.6 * clean.shape[1]) / (0.04 * clean.shape[1])))
    return Degraded(_grey(clean * fall * shadow * 0.95 + rng.normal(0, 2, clean.shape)), straight(clean.shape))


def turned(clean: np.ndarray, rng: np.random.Generator, degrees: float = 1.5) -> Degraded:
    """Laid on the scanner aslant."""
    height, width = clean.shape
    matrix = np.vstack([cv2.getRotationMatrix2D(((width - 1) / 2, (height - 1) / 2), degrees, 1.0), [0, 0, 1]])
    made = cv2.warpPerspective(clean, matrix, (width, height), flags=cv2.INTER_LINEAR, borderValue=255)
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    pixels = half @ np.linalg.inv(matrix) @ np.linalg.inv(half)
    return Degraded(_grey(made + rng.normal(0, 2, made.shape)), pixels @ straight(clean.shape))


def folded(clean: np.ndarray, rng: np.random.Generator) -> Degraded:
    """Folded once each way: each half lit otherwise, along each fold a ridge and its shadow."""
    height, width = clean.shape
    shade = np.ones(clean.shape, np.float32)
    for axis, place, step in ((1, 0.47 * width, 0.12), (0, 0.52 * height, 0.08)):
        far = np.indices(clean.shape, np.float32)[axis] - place - 3 * soft_noise(clean.shape, 60, rng)
        shade *= 1 - step / (1 + np.exp(np.clip(-far / 3, -50, 50)))
        wide = 0.0022 * max(width, height)
        shade *= 1 - 0.16 * np.exp(-((far / wide) ** 2)) + 0.05 * np.exp(-(((far + 2 * wide) / wide) ** 2))
    return Degraded(_grey(clean * shade * 0.97 + rng.normal(0, 3, clean.shape)), straight(clean.shape))


def on_a_desk(clean: np.ndarray, rng: np.random.Generator) -> Degraded:
    """A telephone's photo of the sheet on a bench of brown wood, from aside; what is read is the sheet."""
    height, width = clean.shape
    wide, high = round(1.25 * width), round(1.25 * height)
    grain = soft_noise((high, wide), 9, rng) * 6 + soft_noise((high, wide), 90, rng) * 9
    desk = np.array([150, 108, 70], np.float32) + grain[..., None]
    at = np.array([[0.12, 0.10], [0.93, 0.06], [0.97, 0.95], [0.05, 0.90]]) * [wide, high]
    sheet = np.array([[0, 0], [width, 0], [width, height], [0, height]], float)
    matrix = cv2.getPerspectiveTransform((sheet - 0.5).astype(np.float32), (at - 0.5).astype(np.float32))
    over = cv2.warpPerspective(clean, matrix, (wide, high), flags=cv2.INTER_AREA)
    mask = cv2.warpPerspective(np.full(clean.shape, 1, np.float32), matrix, (wide, high))
    seen = desk * (1 - mask[..., None]) + (over * 0.93)[..., None] * mask[..., None]
    y, x = np.indices((high, wide), np.float32)
    seen *= (1 - 0.2 * (x / wide) - 0.1 * (y / high))[..., None]
    return Degraded(_jpeg(_grey(seen + rng.normal(0, 3, seen.shape)), 85), straight(clean.shape))


def pencilled(clean: np.ndarray, rng: np.random.Generator) -> Degraded:
    """The same lines in pencil on grained paper: width and pressure wander, a third of the way they are faint."""
    ink = clean < 128
    middle = skeletonize(ink)
    away = cv2.distanceTransform((~middle).astype(np.uint8), cv2.DIST_L2, 5)
    usual = 2 * float(np.median(cv2.distanceTransform(ink.astype(np.uint8), cv2.DIST_L2, 5)[middle]))
    wide = usual * np.clip(0.75 + 0.25 * soft_noise(clean.shape, 12, rng), 0.35, 1.3)
    press = np.clip(0.48 + 0.2 * soft_noise(clean.shape, 16, rng), 0.16, 0.95)
    grain = cv2.GaussianBlur(rng.normal(0, 1, clean.shape).astype(np.float32), (0, 0), 0.7)
    drawn = np.clip(wide / 2 + 0.5 - away, 0, 1) * press * np.clip(0.85 + 0.8 * grain, 0.1, 1.2)
    paper = 238 + 5 * soft_noise(clean.shape, 40, rng)
    return Degraded(_grey(paper * (1 - 0.75 * drawn) + rng.normal(0, 3, clean.shape)), straight(clean.shape))


def gapped(clean: np.ndarray, rng: np.random.Generator, gap_px: float, every_px: float = 260.0) -> Degraded:
    """Gaps of a width cut straight across the lines, far enough apart for each to be judged by itself."""
    return Degraded(_cut(clean, rng, gap_px, every_px)[0], straight(clean.shape))


def _cut(clean, rng, gap_px: float, every_px: float) -> tuple[np.ndarray, int]:
    ink = clean < 128
    middle = skeletonize(ink)
    half = cv2.distanceTransform(ink.astype(np.uint8), cv2.DIST_L2, 5)
    around = cv2.filter2D(middle.astype(np.uint8), -1, np.ones((3, 3), np.float32))
    forks = cv2.dilate((middle & (around > 3)).astype(np.uint8), np.ones((3, 3), np.uint8))
    from_fork = cv2.distanceTransform(1 - forks, cv2.DIST_L2, 5)
    there = np.argwhere(middle & (from_fork > 4 * half + 2 * gap_px + 6) & (half < 8))
    made = clean.copy()
    places: list[np.ndarray] = []
    for row, column in rng.permutation(there).tolist():
        at = np.array([column, row], float)
        if any(np.hypot(*(at - p)) < every_px for p in places):
            continue
        near = there[(np.abs(there - [row, column]) <= 6).all(axis=1)][:, ::-1] - at
        if len(near) < 8:
            continue
        way = np.linalg.svd(near - near.mean(axis=0))[2][0]
        side = np.array([-way[1], way[0]])
        reach = 2 * half[row, column] + 3
        corners = [at + s * way * gap_px / 2 + t * side * reach for s, t in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
        cv2.fillConvexPoly(made, np.round(np.array(corners) * 16).astype(np.int32), 255, cv2.LINE_AA, 4)
        places.append(at)
    return made, len(places)


KINDS: dict[str, Callable[[np.ndarray, np.random.Generator], Degraded]] = {
    "JPEG 60 with noise": screened,
    "uneven light": lit_from_aside,
    "turned 1.5 degrees": turned,
    "folded": folded,
    "on a desk": on_a_desk,
    "pencil": pencilled,
}


@dataclass(frozen=True)
class Agreement:
    """Regions asked for, found with an overlap over 0.9, and pieces that are none of the regions."""

    regions: int
    found: int
    false: int
    pieces: int


def regions_of(clean: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """What the lines of the clean drawing enclose, by a flood fill of its paper, 0 on ink and outside; and which of the
    regions are asked for."""
    ink = (clean < 128).astype(np.uint8)
    count, paper, stats, _ = cv2.connectedComponentsWithStats(1 - ink, connectivity=4)
    half = cv2.distanceTransform(1 - ink, cv2.DIST_L2, 5)
    width = np.zeros(count, np.float32)
    np.maximum.at(width, paper.ravel(), 2 * half.ravel())
    asked = width >= LEAST_WIDE_PX
    outer = np.unique(np.concatenate([paper[0], paper[-1], paper[:, 0], paper[:, -1]]))
    outer = outer[(outer > 0) & (stats[outer, cv2.CC_STAT_AREA] > 0.02 * clean.size)]
    if len(outer) == 1:
        paper[paper == outer[0]] = 0
        asked[outer] = False
    asked[0] = False
    return paper, asked


def agreement(clean: np.ndarray, degraded: Degraded, proposal) -> Agreement:
    real, asked = regions_of(clean)
    x, y, width, height = proposal.source_box_mm
    label = np.zeros(clean.shape, np.int32)
    for key, outline in proposal.coverage.by_key.items():
        rings = []
        for ring in (outline.exterior, *outline.interiors):
            shares = (shapely.get_coordinates(ring) - [x, y]) / [width, height]
            at = np.c_[shares, np.ones(len(shares))] @ degraded.back.T
            rings.append(np.round((at[:, :2] / at[:, 2:] - 0.5) * 16).astype(np.int32))
        cv2.fillPoly(label, rings, int(key), cv2.LINE_8, 4)
    base = int(label.max()) + 1
    whole = np.bincount(label.ravel(), minlength=base)
    label[clean < 128] = 0
    pairs, both = np.unique(real.astype(np.int64) * base + label, return_counts=True)
    a, b = pairs // base, pairs % base
    real_area, own_area = np.bincount(real.ravel(), minlength=len(asked)), np.bincount(label.ravel(), minlength=base)
    overlap = both / (real_area[a] + own_area[b] - both)
    fits = (a > 0) & (b > 0) & (overlap > ALIKE)
    found = np.zeros(len(asked), bool)
    found[a[fits]] = True
    # a piece is false that has not even half of any one region, nor lies with most of itself in one not asked for
    best = np.zeros(base)
    np.maximum.at(best, b[a > 0], overlap[a > 0])
    true = best >= 0.5
    small = (a > 0) & ~asked[a] & (both > 0.5 * own_area[b])
    true[b[small]] = True
    # what is mostly ink is a dark piece, of which the paper says nothing
    false = int((~true[1:] & (own_area[1:] > 0.5 * whole[1:])).sum())
    return Agreement(int(asked.sum()), int((found & asked).sum()), false, len(proposal.coverage))
