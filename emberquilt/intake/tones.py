"""A photo to tones: every pixel gets the number of the region of one tone that it belongs to.

Median blur, k-means in CIELAB on a sample, a majority vote among near pixels, and regions that are too small to saw go
into the neighbour of the nearest colour.
"""

import heapq
from dataclasses import dataclass

import cv2
import numpy as np
from skimage import measure

from ..errors import BadDrawing
from .parts import alike_parts
from .proposal import Progress, no_progress
from .widths import Wide, middles_of, widened

MOST_SIDE = 2400
"""A photo is reduced to this many pixels along its longer side: more than a saw can follow."""
SAMPLE = 20_000
SAME_DE = 4.0
"""Tones of a place that gets more of them, closer than this to a common one, are that one (Euclidean in CIELAB)."""
MOST_REGIONS = 12_000
RETONED = 8
ROOM = 1.04
"""Borders lose so much of a region's width when they are smoothed."""
SPOT_DE, SPOT_ROUND, SPOT_SHARE, MOST_SPOTS = 30.0, 0.45, 0.25, 12
"""A small area that differs so much from where it went (Euclidean in CIELAB), fills so much of the circle round it and
is at least this share as wide as asked is one that the eye looks for."""


@dataclass(frozen=True)
class ToneLabels:
    """`picture` int32 1..count; `colours` ``#rrggbb`` by label; `tones` in all; `merged` where small regions went."""

    picture: np.ndarray
    count: int
    colours: dict[int, str]
    tones: int
    merged: list[tuple[float, float]]
    spots: list[tuple[float, float, float]]
    """Small areas that stood out and are lost: x, y and about their width, in pixels."""


def tone_labels(
    rgb: np.ndarray,
    tones: int,
    by: str,
    smallest_px: float,
    smooth: int,
    more=(),
    more_tones: int = 8,
    progress: Progress = no_progress,
) -> ToneLabels:
    """Regions of a picture, uint8 RGB, (rows, columns, 3). `smallest_px` is the diameter of the smallest piece."""
    blur = 2 * (smooth // 2) + 1
    soft = cv2.medianBlur(rgb, blur) if blur > 1 else rgb
    lab = cv2.cvtColor(soft.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    progress(0.25, "choosing the tones")
    tone, centres = _toned(lab, None, tones, by)
    for box in more:
        tone, centres = _finer(lab, tone, centres, box, more_tones, by)
    if len(np.unique(tone)) < 2:
        raise BadDrawing("This picture has one tone only: there is nothing to part.")
    progress(0.4, "smoothing the tones")
    tone = _voted(tone, len(centres), 0.6 + 0.6 * smooth)
    progress(0.5, "joining what is too small to saw")
    label, count = alike_parts(tone, None)
    own = np.zeros(count + 1, np.int32)
    own[label.ravel()] = tone.ravel()
    first = label
    label, merged, many = _without_small(label, count, own, centres, max(smallest_px, 2.0))
    if many > MOST_REGIONS:
        raise BadDrawing(f"This photo falls into {many:,} pieces. Take fewer tones, or make the smallest piece larger.")
    kept = np.unique(label)
    lut = np.zeros(count + 1, np.int32)
    lut[kept] = np.arange(1, len(kept) + 1)
    label = lut[label]
    progress(0.55, "widening what is too thin to saw")
    of_tone = np.r_[0, own[kept]]
    wide = widened(label, smallest_px * ROOM, centres[of_tone])
    merged += wide.lost
    spots = _spots(first, own, wide, of_tone, centres, smallest_px)
    tone = _retoned(lab, wide, of_tone[wide.home], by)[wide.label]
    label, count = alike_parts(tone, None)
    own = np.zeros(count + 1, np.int32)
    own[label.ravel()] = tone.ravel()
    middle = _tone_colours(lab, tone, len(centres))
    colours = {i: middle[own[i]] for i in range(1, count + 1)}
    return ToneLabels(label, count, colours, len(set(colours.values())), merged, spots)


def _toned(lab: np.ndarray, mask: np.ndarray | None, tones: int, by: str) -> tuple[np.ndarray, np.ndarray]:
    """The tone of each pixel by nearest centre, and the centres in CIELAB; fixed seed, so repeatable."""
    values = lab.reshape(-1, 3) if mask is None else lab[mask]
    if by == "lightness":
        values = values * np.array([1, 0, 0], np.float32)
    rng = np.random.default_rng(1)
    sample = values[rng.choice(len(values), min(SAMPLE, len(values)), replace=False)]
    tones = min(tones, len(np.unique(sample.round(1), axis=0)))
    cv2.setRNGSeed(1)
    criteria = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 40, 0.2)
    _, _, centres = cv2.kmeans(sample, tones, np.empty(0, np.int32), criteria, 4, cv2.KMEANS_PP_CENTERS)
    centres = centres[np.argsort(centres[:, 0])]
    return _nearest(lab, centres, by), centres


def _nearest(lab: np.ndarray, centres: np.ndarray, by: str) -> np.ndarray:
    best = np.full(lab.shape[:2], np.inf, np.float32)
    tone = np.zeros(lab.shape[:2], np.int32)
    for i, centre in enumerate(centres):
        far = np.abs(lab[..., 0] - centre[0]) if by == "lightness" else ((lab - centre) ** 2).sum(axis=2)
        near = far < best
        tone[near], best[near] = i, far[near]
    return tone


def _finer(lab, tone, centres, box, tones: int, by: str):
    """More tones inside the ellipse of a box; those that are nearly a common tone are that tone, so no edge shows."""
    height, width = tone.shape
    left, top, right, bottom = box
    mask = np.zeros(tone.shape, np.uint8)
    middle = (round((left + right) / 2 * width), round((top + bottom) / 2 * height))
    axes = (max(1, round((right - left) / 2 * width)), max(1, round((bottom - top) / 2 * height)))
    cv2.ellipse(mask, middle, axes, 0, 0, 360, 1, -1)
    inside = mask.astype(bool)
    if inside.sum() < 100:
        return tone, centres
    _, own = _toned(lab, inside, tones, by)
    far = np.linalg.norm(own[:, None] - centres[None], axis=2)
    # each common tone stands for the one of the finer tones that is nearest to it
    pool = [*centres[np.unique(far.argmin(axis=1)[far.min(axis=1) < SAME_DE])], *own[far.min(axis=1) >= SAME_DE]]
    every = np.vstack([centres, own[far.min(axis=1) >= SAME_DE]])
    index = np.array([int(np.flatnonzero((every == c).all(axis=1))[0]) for c in pool])
    made = tone.copy()
    made[inside] = index[_nearest(lab, np.array(pool), by)[inside]]
    return made, every


def _voted(tone: np.ndarray, tones: int, sigma: float) -> np.ndarray:
    """Each pixel takes the tone that most of its surroundings have."""
    best = np.full(tone.shape, -1, np.float32)
    vote = tone.copy()
    for i in range(tones):
        share = cv2.GaussianBlur((tone == i).astype(np.float32), (0, 0), sigma)
        more = share > best
        vote[more], best[more] = i, share[more]
    return vote


def _without_small(label: np.ndarray, count: int, own: np.ndarray, centres: np.ndarray, smallest_px: float):
    """Small regions into a neighbour, smallest first: the nearest colour, of those the longest border."""
    area = np.bincount(label.ravel(), minlength=count + 1).astype(float)
    border: list[dict[int, float]] = [{} for _ in range(count + 1)]
    for a, b in ((label[:, :-1], label[:, 1:]), (label[:-1], label[1:])):
        apart = a != b
        pairs, length = np.unique(np.stack([a[apart], b[apart]], axis=1), axis=0, return_counts=True)
        for (i, j), n in zip(pairs.tolist(), length.tolist(), strict=True):
            border[i][j] = border[i].get(j, 0) + n
            border[j][i] = border[j].get(i, 0) + n
    least = np.pi / 4 * smallest_px**2
    waiting = [(area[i], i) for i in range(1, count + 1) if area[i] < least]
    heapq.heapify(waiting)
    home = np.arange(count + 1)
    taken: list[int] = []
    while waiting:
        size, i = heapq.heappop(waiting)
        if home[i] != i or size != area[i] or not border[i]:
            continue
        far = {j: float(np.linalg.norm(centres[own[i]] - centres[own[j]])) for j in border[i]}
        into = min(border[i], key=lambda j: (far[j], -border[i][j], j))
        home[i] = into
        taken.append(i)
        area[into] += area[i]
        for j, n in border[i].items():
            border[j].pop(i, None)
            if j != into:
                border[into][j] = border[into].get(j, 0) + n
                border[j][into] = border[j].get(into, 0) + n
        border[i] = {}
        if area[into] < least:
            heapq.heappush(waiting, (area[into], into))
    for i in reversed(taken):
        home[i] = home[home[i]]
    # regions taken late may point at ones taken earlier: follow to the end
    while (home[home] != home).any():
        home = home[home]
    return home[label].astype(np.int32), middles_of(label, taken), count - len(taken)


def _spots(first, own, wide: Wide, of_tone, centres, smallest_px: float) -> list[tuple[float, float, float]]:
    """Small compact areas that contrast with all round them and went into it: eyes, mouths, catch-lights."""
    now = of_tone[wide.home][wide.label]
    found = []
    for region in measure.regionprops(first):
        across = region.equivalent_diameter_area
        if not SPOT_SHARE * smallest_px <= across <= 1.6 * smallest_px:
            continue
        longest = max(region.bbox[2] - region.bbox[0], region.bbox[3] - region.bbox[1])
        if (across / longest) ** 2 < SPOT_ROUND:
            continue
        rows, columns = region.coords.T
        there = np.bincount(now[rows, columns]).argmax()
        apart = float(np.linalg.norm(centres[own[region.label]] - centres[there]))
        if apart >= SPOT_DE:
            found.append((apart * across, (float(columns.mean()) + 0.5, float(rows.mean()) + 0.5, float(across))))
    return [spot for _, spot in sorted(found, reverse=True)[:MOST_SPOTS]]


def _retoned(lab: np.ndarray, wide: Wide, tone: np.ndarray, by: str) -> np.ndarray:
    """The tone of each region, by label from 0, that is nearest to the middle colour of what is now in it: what is
    narrow went in with what is round it, and the tones with it."""
    middle = np.vstack([np.zeros((1, 3), np.float32), _middles(lab, wide.label - 1, wide.count)])
    if by == "lightness":
        middle = middle[:, :1]
    area = np.bincount(wide.label.ravel(), minlength=wide.count + 1).astype(float)
    for _ in range(RETONED):
        tones = np.unique(tone[1:])
        centres = np.stack([np.average(middle[tone == t], axis=0, weights=area[tone == t]) for t in tones])
        nearest = np.linalg.norm(middle[:, None] - centres[None], axis=2).argmin(axis=1)
        if (tones[nearest][1:] == tone[1:]).all():
            break
        tone = np.r_[tone[:1], tones[nearest][1:]]
    return tone


def _middles(lab: np.ndarray, label: np.ndarray, count: int) -> np.ndarray:
    """The median of each channel by label from 0, float32 (count, 3); 0 where nothing is."""
    flat = label.ravel()
    order = np.argsort(flat, kind="stable")
    begins = np.searchsorted(flat[order], np.arange(count + 1))
    parts = [lab.reshape(-1, 3)[order[a:b]] for a, b in zip(begins[:-1], begins[1:], strict=True)]
    return np.stack([np.median(part, axis=0) if len(part) else np.zeros(3) for part in parts]).astype(np.float32)


def _tone_colours(lab: np.ndarray, tone: np.ndarray, tones: int) -> list[str]:
    """``#rrggbb`` of each tone: the median of what lies in its pieces, which is nearer to most of it than the mean is
    (the middle of each channel in CIELAB); black for a tone of which no piece is left."""
    rgb = cv2.cvtColor(_middles(lab, tone, tones)[None], cv2.COLOR_LAB2RGB)[0].clip(0, 1) * 255
    return ["#" + "".join(f"{round(v):02x}" for v in row) for row in rgb.tolist()]
