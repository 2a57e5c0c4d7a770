"""The drawn figure of a wood, where no photo of a board shows it: how dark each spot is, and the colour of each
darkness.

A figure is a field of darkness 0..255 and a table of 256 colours, so that a stain or a board's own colour costs only a
new table. Grain runs along the x axis. Rings are those of a flat-sawn board, a plane cut through a leaning cone:
r = sqrt((.62 v)^2 + z^2) with v across and z falling along the board, so that arches stand in its middle.
"""

from functools import lru_cache

import cv2
import numpy as np
from skimage.color import rgb2lab

from ..colour import Lab, linear_of, rgb_from, srgb_of
from ..rack.woods import Wood

DEFAULTS = {
    "ring_mm": 5.0,
    "ring": 0.3,
    "sharp": 0.3,
    "fibre": 0.3,
    "streak": 0.2,
    "pore": 0.0,
    "pore_mm": 6.0,
    "porous": 0.0,
    "ribbon": 0.0,
    "ray": 0.0,
    "curl": 0.0,
    "spalt": 0.0,
}
LEVELS = 256
MIDDLE, SPAN = 110, 96.0
"""Darkness of the swatch itself, and how much darker (in CIELAB lightness) the table's end is."""
ALONG_PER_RING = 0.085
"""How fast a flat-sawn face leaves the heart, per mm along it."""


def figure_of(wood: Wood) -> dict[str, float]:
    """The drawn grain's parameters: amounts 0..1, widths in mm."""
    given = (item.split("=") for item in wood.figure.split())
    return DEFAULTS | {name: float(value) for name, value in given if name in DEFAULTS}


@lru_cache(maxsize=48)
def darkness(wood: Wood, length_mm: float, width_mm: float, px_per_mm: float, seed: int = 0, flat: bool = True):
    """uint8 (rows, columns): the figure of a board of this wood. Quarter-sawn where not `flat`; then it repeats
    without a seam.

    The same wood, size and seed always give the same figure.
    """
    rows, columns = max(8, round(width_mm * px_per_mm)), max(8, round(length_mm * px_per_mm))
    rng = np.random.default_rng([seed, int.from_bytes(wood.code.encode()[:7], "big")])
    figure = figure_of(wood)

    def noise(along_mm: float, across_mm: float) -> np.ndarray:
        return _noise(rng, rows, columns, along_mm * px_per_mm, across_mm * px_per_mm)

    v = ((np.arange(rows, dtype=np.float32)[:, None] + 0.5) / rows - 0.5) * width_mm
    u = (np.arange(columns, dtype=np.float32)[None, :] + 0.5) / columns * length_mm
    bend = 1.5 * noise(120, 50) + 0.2 * noise(30, 18)
    if flat:
        tip = rng.uniform(0.3, 0.7) * length_mm
        z = ALONG_PER_RING * (u - tip) + 0.8 * noise(110, 120)
        heart = rng.uniform(-0.16, 0.16) * width_mm
        phase = np.sqrt((0.62 * (v - heart + bend)) ** 2 + z**2 + 0.5) / figure["ring_mm"]
    else:
        rings = max(1, round(width_mm / figure["ring_mm"]))
        phase = rings * (v / width_mm + 0.5) + bend / figure["ring_mm"]
    phase = phase + 0.1 * noise(22, 8)
    tone = _tone(figure, phase, noise, rng, v, u, length_mm, width_mm)
    spread = np.tanh((tone - tone.mean()) / 30) * 30
    return np.clip(MIDDLE + spread * (LEVELS - MIDDLE) / SPAN * 2.2, 0, LEVELS - 1).astype(np.uint8)


def _tone(figure, phase, noise, rng, v, u, length_mm: float, width_mm: float) -> np.ndarray:
    """Darkness in CIELAB lightness round no mean in particular: rings, fibre, streaks, pores, and what is rare."""
    part = phase % 1
    # each ring grew as its own summer was
    summers = (0.6 + 0.4 * rng.random(4096).astype(np.float32))[(phase.astype(np.int32)) % 4096]
    soft = 0.5 - 0.5 * np.cos(2 * np.pi * part)
    abrupt = np.clip((part - 0.35) / 0.5, 0, 1) * np.clip((1 - part) / 0.08, 0, 1)
    ring = summers * ((1 - figure["sharp"]) * soft + figure["sharp"] * abrupt)
    tone = 15 * figure["ring"] * ring * (1 + 0.35 * noise(60, 12))
    tone += 5 * figure["fibre"] * (0.7 * noise(16, 0.4) + 0.6 * noise(44, 1.1))
    tone += 5 * figure["streak"] * (noise(170, 11) + 0.5 * noise(90, 4))
    if figure["pore"]:
        strokes = np.clip(noise(figure["pore_mm"] * 0.7, 0.36) - 1.0, 0, 1.2)
        early = 1 - figure["porous"] * np.clip(part * 2.2 - 0.4, 0, 1)
        tone += 17 * figure["pore"] * strokes * early
    if figure["ribbon"]:
        tone += 4 * figure["ribbon"] * np.sin(2 * np.pi * (round(width_mm / 9) * (v / width_mm) + 0.4 * noise(90, 10)))
    if figure["ray"]:
        tone -= 7 * figure["ray"] * np.clip(noise(3.0, 0.7) - 1.2, 0, 1)
    if figure["curl"]:
        waves = round(length_mm / 7) * (u / length_mm) + 0.9 * noise(34, 20) + 0.25 * noise(9, 9)
        tone += 5 * figure["curl"] * np.sin(2 * np.pi * waves) * (0.75 + 0.25 * noise(40, 30))
    if figure["spalt"]:
        zones = noise(46, 24) + 0.45 * noise(19, 11) + 0.16 * noise(6, 4)
        tone += 36 * figure["spalt"] * np.exp(-((zones / 0.045) ** 2)) + 6 * figure["spalt"] * (zones > 0)
        tone += 20 * figure["spalt"] * np.exp(-(((zones - 0.7) / 0.03) ** 2))
    return tone


def _noise(rng: np.random.Generator, rows: int, columns: int, along_px: float, across_px: float) -> np.ndarray:
    """Periodic float32 noise of unit spread; its features are about that long and wide."""
    high = int(np.clip(round(rows / max(across_px, 1e-6)), 2, rows))
    wide = int(np.clip(round(columns / max(along_px, 1e-6)), 2, columns))
    pad = 3
    grid = np.pad(rng.standard_normal((high, wide)).astype(np.float32), pad, mode="wrap")
    size = (round((wide + 2 * pad) * columns / wide), round((high + 2 * pad) * rows / high))
    whole = cv2.resize(grid, size, interpolation=cv2.INTER_CUBIC)
    left, top = round(pad * columns / wide), round(pad * rows / high)
    field = whole[top : top + rows, left : left + columns]
    return field / max(float(field.std()), 1e-9)


@lru_cache(maxsize=512)
def colours(lab: Lab, counts: tuple[int, ...] | None = None) -> np.ndarray:
    """uint8 (256, 3): the colour of each darkness, redder and fuller where darker; the figure's mean is `lab`.

    `counts` tells how often each darkness occurs in the figure.
    """
    lightness = lab[0]
    depth = (np.arange(LEVELS) - MIDDLE) * SPAN / (LEVELS - MIDDLE) / 2.2 * min(1.0, 0.35 + lightness / 75)
    weight = np.ones(LEVELS) if counts is None else np.array(counts, float)
    weight = weight / weight.sum()
    table = np.stack([lightness - depth, lab[1] + 0.12 * depth, lab[2] + 0.06 * depth], axis=-1)
    for _ in range(4):
        linear = linear_of(rgb_from(table) * 255)
        mean = srgb_of((linear * weight[:, None]).sum(axis=0))
        table = table + np.array(lab) - rgb2lab(mean[None, None])[0, 0]
    return np.round(rgb_from(table) * 255).astype(np.uint8)


def counts_of(dark: np.ndarray) -> tuple[int, ...]:
    """How often each darkness occurs in a figure."""
    return tuple(cv2.calcHist([dark], [0], None, [LEVELS], [0, LEVELS]).ravel().astype(int).tolist())


@lru_cache(maxsize=160)
def figure_counts(wood: Wood, length_mm: float, width_mm: float, px_per_mm: float, seed: int = 0) -> tuple[int, ...]:
    """How often each darkness occurs in that figure."""
    return counts_of(darkness(wood, length_mm, width_mm, px_per_mm, seed))


TILE_PX, TILE_MM = 512, 128.0


def tile(wood: Wood, lab: Lab, size_px: int = TILE_PX, size_mm: float = TILE_MM) -> np.ndarray:
    """uint8 sRGB (size, size, 3) that repeats without a seam: what the panel and the swatches show."""
    dark = darkness(wood, size_mm, size_mm, size_px / size_mm, flat=False)
    return colours(lab, counts_of(dark))[dark]
