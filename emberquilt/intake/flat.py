"""A coloured picture as if it had been painted by numbers: paper white, noise and soft edges gone, so that every pixel
has the colour of one area, and thin dark lines kept whole."""

import cv2
import numpy as np

from ..constants import MM_PER_INCH
from .labels import grown
from .raster_source import Picture, reduced
from .rendering import DPI, MARGIN_PX, Rendering, lab_of
from .seen import is_dark

SIDE = 2000
PAPER_LEAST, PAPER_UNEVEN = 0.1, 0.04
"""Paper is evened out where at least this share of the picture is paper, and its light differs by more than this."""
RIM_STEP = 6.0
"""Paper goes on where CIELAB lightness differs by less than this within three pixels of the small picture."""
DARKEST_PAPER = 60.0
"""Grey levels; paper in deeper shadow than this is not brightened more."""
BOX = np.ones((3, 3), np.uint8)
SQUARE_PX = 12
"""Side of the squares in which noise is measured, in pixels."""
LIGHT_SIDE = 320
"""Light is looked at in a picture of this size."""
TINTED = 14.0
"""Paper is never more coloured than this (chroma in CIELAB)."""
CLEAN, NOISY = 0.6, 5.0
"""Noise in grey levels that needs no smoothing, and the most that smoothing reckons with."""
LINE_PX, LINE_STEP = 11, 18.0
"""Lines that are wider have an area of their own colour; a dark line is at least so much darker than what is beside it
(CIELAB lightness)."""
FLAT_STEP = 9
"""Grey levels that neighbours differ by at most in an area of one colour."""


def flattened(picture: Picture, side: int = SIDE) -> Rendering:
    """As it would be drawn without soft edges, no larger than `side`."""
    height, width = picture.grey.shape
    small = picture.no_larger(side)
    shrink = small.grey.shape[1] / width
    rgb, paper = on_even_paper(small.in_colour)
    noise = noise_of(rgb)
    noise = min(noise, NOISY) if noise > CLEAN else 0.0
    soft = rgb
    if noise:
        for _ in range(2):
            soft = cv2.bilateralFilter(soft, 5, 8 + 4 * noise, 1.5)
    line = dark_lines(soft)
    areas = _areas(soft, line, FLAT_STEP + 2.5 * noise, 7 if noise else 3)
    if noise:
        areas = cv2.bilateralFilter(areas, 9, 6 + 2 * noise, 3)
    if line.any():
        areas[line] = cv2.erode(soft, np.ones((5, 5), np.uint8))[line]
    # paper goes round what touches the picture's edge, so that it is one
    edge = MARGIN_PX if paper else 0
    around = (edge, edge, edge, edge, cv2.BORDER_CONSTANT)
    areas, soft = (cv2.copyMakeBorder(rgb, *around, value=(255, 255, 255)) for rgb in (areas, soft))
    return Rendering(
        np.dstack([areas, np.full(areas.shape[:2], 255, np.uint8)]),
        -edge / shrink,
        -edge / shrink,
        1 / shrink,
        (float(width), float(height)),
        paper,
        unit_mm=MM_PER_INCH / DPI if picture.pixel_mm is None else picture.pixel_mm,
        noise=noise,
        soft=soft,
    )


def noise_of(rgb: np.ndarray) -> float:
    """About the deviation of the noise on flat areas, in grey levels: of the calmer part of the picture's small squares
    that are neither quite white nor quite black, what is left when their slope is taken out."""
    grey = cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY).astype(np.float32)
    rest = grey - cv2.GaussianBlur(grey, (0, 0), SQUARE_PX / 3)
    size = (max(1, grey.shape[1] // SQUARE_PX), max(1, grey.shape[0] // SQUARE_PX))
    power = cv2.resize(rest * rest, size, interpolation=cv2.INTER_AREA)
    lit = cv2.resize(grey, size, interpolation=cv2.INTER_AREA)
    inner = (lit < 252) & (lit > 4)
    return float(np.percentile(power[inner] if inner.mean() >= 0.05 else power, 10)) ** 0.5


def on_even_paper(rgb: np.ndarray) -> tuple[np.ndarray, bool]:
    """The picture with its paper white, where there is paper round it; and whether there is."""
    height, width = rgb.shape[:2]
    small, _ = reduced(rgb, LIGHT_SIDE)
    lab = lab_of(small)
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    ring = np.zeros(small.shape[:2], bool)
    ring[:3], ring[-3:], ring[:, :3], ring[:, -3:] = True, True, True, True
    pale = (chroma < TINTED) & (lab[..., 0] > 45)
    bright = np.percentile(lab[..., 0][ring], 60)
    paper = pale & (lab[..., 0] > bright - 30)
    if paper[ring].mean() < 0.6 or paper.mean() < PAPER_LEAST or bright < 60:
        return rgb, False
    # what lies round the figure, without a step: pale areas inside it are no paper
    calm = paper & (cv2.dilate(lab[..., 0], BOX) - cv2.erode(lab[..., 0], BOX) < RIM_STEP)
    _, part = cv2.connectedComponents(calm.astype(np.uint8), connectivity=4)
    rim = np.bincount(part[ring & calm])
    paper = (part > 0) & (part == rim[1:].argmax() + 1) if rim[1:].any() else paper
    places = _bent(small.shape)
    fit = np.linalg.lstsq(places[paper], small[paper].astype(np.float32), rcond=None)[0]
    for _ in range(4):
        off = np.abs(small - places @ fit).max(axis=2)
        kept = paper & (off < 3 * max(1.0, float(np.median(off[paper]))))
        if kept.sum() < 0.3 * paper.sum():
            break
        fit = np.linalg.lstsq(places[kept], small[kept].astype(np.float32), rcond=None)[0]
    light = places @ fit
    if np.ptp(light[paper].mean(axis=1)) < PAPER_UNEVEN * 255:
        light[:] = np.median(small[paper], axis=0)
    whole = cv2.resize(light.astype(np.float32), (width, height), interpolation=cv2.INTER_LINEAR)
    return np.clip(rgb * (255.0 / np.maximum(whole, DARKEST_PAPER)) + 0.5, 0, 255).astype(np.uint8), True


def _bent(shape: tuple[int, ...]) -> np.ndarray:
    """What a surface that bends once each way is made of, at each place."""
    y, x = np.indices(shape[:2], np.float32)
    x, y = x / shape[1] - 0.5, y / shape[0] - 0.5
    return np.stack([np.ones_like(x), x, y, x * y, x * x, y * y], axis=-1)


def dark_lines(rgb: np.ndarray) -> np.ndarray:
    """Where thin dark lines are, as wide as they look: to half of the step from what is beside them. They are darker
    than both sides; where two colours meet, what lies between may be dark, but not darker than either."""
    light = lab_of(rgb)[..., 0]
    beside = cv2.morphologyEx(light, cv2.MORPH_CLOSE, np.ones((LINE_PX, LINE_PX), np.uint8))
    core = is_dark(rgb) & (beside - light > LINE_STEP)
    least = cv2.erode(light, np.ones((5, 5), np.uint8))
    near = cv2.dilate(core.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    return near & (light < (least + beside) / 2) & (beside - light > LINE_STEP / 2)


def _areas(rgb: np.ndarray, line: np.ndarray, step: float, halo_px: int) -> np.ndarray:
    """Every pixel that lies on a soft edge, or in a line, in the colour of the nearest that does not. Packed pictures
    carry colours a little across lines: `halo_px` is how wide a box round each of its pixels a line spoils."""
    near = cv2.dilate(line.astype(np.uint8), np.ones((halo_px, halo_px), np.uint8)) > 0
    low, high = rgb.copy(), rgb.copy()
    low[near], high[near] = 255, 0
    box = np.ones((3, 3), np.uint8)
    rough = np.subtract(cv2.dilate(high, box).astype(np.int16), cv2.erode(low, box)).max(axis=2)
    unknown = near | (rough > step)
    if unknown.all():
        return rgb.copy()
    place = np.arange(1, unknown.size + 1, dtype=np.int32).reshape(unknown.shape)
    return rgb.reshape(-1, 3)[grown(np.where(unknown, 0, place)) - 1]
