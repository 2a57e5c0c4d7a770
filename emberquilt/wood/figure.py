"""A drawn grain for each wood: a tile that repeats without a seam, its mean colour equal to the finished swatch.

Grain runs along the tile's x axis. All noise is made in the frequency domain, so it is periodic by itself.
"""

import numpy as np
from skimage.color import lab2rgb, rgb2lab

from ..colour import lab_of
from .woods import Wood

TILE_PX = 512
TILE_MM = 128.0
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


def figure_of(wood: Wood) -> dict[str, float]:
    """The drawn grain's parameters: amounts 0..1, widths in mm."""
    given = (item.split("=") for item in wood.figure.split())
    return DEFAULTS | {name: float(value) for name, value in given}


def tile(wood: Wood, size_px: int = TILE_PX, size_mm: float = TILE_MM) -> np.ndarray:
    """uint8 sRGB, shape (size_px, size_px, 3). The same wood always gives the same tile."""
    rng = np.random.default_rng(int.from_bytes(wood.code.encode()[:7], "big"))
    figure = figure_of(wood)
    per_mm = size_px / size_mm

    def noise(along_mm: float, across_mm: float) -> np.ndarray:
        return _noise(rng, size_px, along_mm * per_mm, across_mm * per_mm)

    rows = np.arange(size_px)[:, None] / size_px
    columns = np.arange(size_px)[None, :] / size_px
    rings = round(size_mm / figure["ring_mm"])
    phase = rings * rows + 1.1 * noise(50, 24) + 0.35 * noise(18, 8)
    part = phase % 1
    soft = 0.5 - 0.5 * np.cos(2 * np.pi * part)
    abrupt = np.clip((part - 0.35) / 0.5, 0, 1) * np.clip((1 - part) / 0.08, 0, 1)
    ring = (1 - figure["sharp"]) * soft + figure["sharp"] * abrupt - 0.45
    tone = 14 * figure["ring"] * ring * (1 + 0.4 * noise(60, 12))
    tone += 5 * figure["fibre"] * (0.7 * noise(14, 0.35) + 0.6 * noise(40, 1.0))
    tone += 5 * figure["streak"] * (noise(120, 11) + 0.5 * noise(70, 4))
    if figure["pore"]:
        strokes = np.clip(noise(figure["pore_mm"] * 0.6, 0.32) - 1.15, 0, 1.2)
        early = 1 - figure["porous"] * np.clip(part * 2.2 - 0.4, 0, 1)
        tone += 15 * figure["pore"] * strokes * early
    tone += 4 * figure["ribbon"] * np.sin(2 * np.pi * (round(size_mm / 9) * rows + 0.4 * noise(60, 10)))
    if figure["ray"]:
        tone -= 6 * figure["ray"] * np.clip(noise(2.2, 0.5) - 1.5, 0, 1)
    if figure["curl"]:
        tone += 5 * figure["curl"] * np.sin(2 * np.pi * (round(size_mm / 7) * columns + 0.9 * noise(30, 20)))
    if figure["spalt"]:
        zones = noise(26, 14)
        tone += 34 * figure["spalt"] * np.exp(-((zones / 0.05) ** 2)) + 5 * figure["spalt"] * (zones > 0)
    return _coloured(wood, tone)


def _noise(rng: np.random.Generator, size: int, along_px: float, across_px: float) -> np.ndarray:
    """Periodic Gaussian noise of unit spread; its features are about that long and wide."""
    frequency = np.fft.fftfreq(size)
    keep = np.exp(-2 * (np.pi * frequency[None, :] * along_px / 2) ** 2)
    keep = keep * np.exp(-2 * (np.pi * frequency[:, None] * across_px / 2) ** 2)
    field = np.fft.ifft2(np.fft.fft2(rng.standard_normal((size, size))) * keep).real
    return field / max(float(field.std()), 1e-9)


def _coloured(wood: Wood, darker: np.ndarray) -> np.ndarray:
    """Lightness follows the tone, redder and fuller where darker; the mean is brought to the swatch."""
    lightness, a, b = lab_of(wood.finished)
    depth = np.tanh((darker - darker.mean()) / 30) * 30 * min(1.0, 0.35 + lightness / 75)
    lab = np.stack([lightness - depth, a + 0.12 * depth, b + 0.06 * depth], axis=-1)
    for _ in range(3):
        rgb = np.clip(lab2rgb(lab), 0, 1)
        linear = np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)
        seen = linear.mean(axis=(0, 1))
        mean = np.where(seen <= 0.0031308, seen * 12.92, 1.055 * seen ** (1 / 2.4) - 0.055)
        lab += np.array([lightness, a, b]) - rgb2lab(mean[None, None])[0, 0]
    return np.round(np.clip(lab2rgb(lab), 0, 1) * 255).astype(np.uint8)
