"""Light on a field of heights: rounded edges, shadows, and how bright each spot is seen beside flat, well lit wood.

All fields are float32 arrays of the picture's pixels; heights in mm. A flat spot that nothing shades has brightness 1.
"""

from dataclasses import dataclass

import cv2
import numpy as np

SUN, SKY = 0.95, 0.40
"""Light from the lamp and from all round."""
PENUMBRA = 0.38
"""How fast a shadow's border widens: the lamp is not a point."""
SOFTEST = 0.9
"""And it widens by at most this share of what the lamp's rays rise by."""
CONTACT = ((1.2, 0.10), (3.0, 0.055), (8.0, 0.020))
"""Width (mm) and strength of the darkness where a low place is close to a high one."""
GLOSS = {"raw": (0.0, 8), "satin": (0.06, 8), "gloss": (0.22, 18)}
"""Strength of the highlight and how narrow it is."""


@dataclass(frozen=True)
class Lamp:
    """Where the light comes from, as one looks at the picture: degrees counter-clockwise from the right, and how
    high."""

    from_deg: float = 135.0
    elevation_deg: float = 40.0

    @property
    def towards(self) -> tuple[float, float, float]:
        """Unit vector to the lamp: x to the right, y downwards as rows run, z to the eye."""
        around, up = np.radians(self.from_deg), np.radians(self.elevation_deg)
        return float(np.cos(around) * np.cos(up)), float(-np.sin(around) * np.cos(up)), float(np.sin(up))


def distances(labels: np.ndarray, px_per_mm: float) -> np.ndarray:
    """Distance (mm) of each pixel's centre from the nearest border between two labels."""
    border = np.full(labels.shape, 255, np.uint8)
    across, down = labels[:, 1:] != labels[:, :-1], labels[1:] != labels[:-1]
    for view, differs in ((border[:, 1:], across), (border[:, :-1], across), (border[1:], down), (border[:-1], down)):
        view[differs] = 0
    # where there is no border at all, OpenCV answers with the greatest float there is
    pixels = np.minimum(cv2.distanceTransform(border, cv2.DIST_L2, cv2.DIST_MASK_5), np.float32(1e6))
    return (pixels + np.float32(0.5)) / np.float32(px_per_mm)


def slopes(distance: np.ndarray, within: np.ndarray, soft_px: float) -> tuple[np.ndarray, np.ndarray]:
    """Outward x and y of the surface's normal on a rounding: `within` is how far into it (0 flat, 1 at the border),
    below zero where the surface rises towards the border."""
    soft = cv2.GaussianBlur(distance, (0, 0), soft_px)
    gx, gy = cv2.Sobel(soft, cv2.CV_32F, 1, 0, ksize=3), cv2.Sobel(soft, cv2.CV_32F, 0, 1, ksize=3)
    length = cv2.magnitude(gx, gy)
    length[length < 1e-6] = 1.0
    lean = -np.clip(within, -0.97, 0.97) / length
    return gx * lean, gy * lean


def shadows(height: np.ndarray, px_per_mm: float, lamp: Lamp) -> np.ndarray:
    """How much of the lamp each spot sees, 0 to 1, by walking towards it over the heights."""
    lx, ly, lz = lamp.towards
    flat = float(np.hypot(lx, ly))
    rise = lz / flat
    # a lamp that stands lower than its own softness would shade a level field
    soft = min(PENUMBRA, SOFTEST * rise)
    lx, ly = lx / flat, ly / flat
    top, low = float(height.max()), float(height.min())
    rows, columns = height.shape
    seen = np.ones_like(height)
    step = 1.0
    while True:
        mm = step / px_per_mm
        dx, dy = round(lx * step), round(ly * step)
        if mm * (rise - soft) > top - low or abs(dx) >= columns or abs(dy) >= rows:
            break
        here = (slice(max(0, -dy), rows - max(0, dy)), slice(max(0, -dx), columns - max(0, dx)))
        there = (slice(max(0, dy), rows - max(0, -dy)), slice(max(0, dx), columns - max(0, -dx)))
        share = 0.5 / (mm * soft)
        clear = cv2.addWeighted(height[here], share, height[there], -share, 0.5 + 0.5 * rise / soft)
        seen[here] = cv2.min(seen[here], clear)
        step += 1.0 if step < 6 else step * 0.18
    seen = np.clip(seen, 0, 1)
    return seen * seen * (3 - 2 * seen)


def closeness(height: np.ndarray, px_per_mm: float) -> np.ndarray:
    """How much light from all round reaches each spot, 0 to 1: less where something higher stands close by."""
    open_sky = np.ones_like(height)
    rows, columns = height.shape
    small = cv2.resize(height, (max(1, columns // 2), max(1, rows // 2)), interpolation=cv2.INTER_AREA)
    for wide_mm, strength in CONTACT:
        spread = cv2.GaussianBlur(small, (0, 0), max(0.3, wide_mm * px_per_mm / 2))
        above = np.maximum(cv2.resize(spread, (columns, rows), interpolation=cv2.INTER_LINEAR) - height, 0)
        open_sky /= 1 + strength * above
    return open_sky


def brightness(normal, seen: np.ndarray, open_sky: np.ndarray, sheen: np.ndarray, lamp: Lamp) -> np.ndarray:
    """Light that comes back, beside flat wood in full light. `normal`: x, y, z; `sheen`: how the grain catches the
    lamp."""
    nx, ny, nz = normal
    lx, ly, lz = lamp.towards
    facing = np.maximum(nx * lx + ny * ly + nz * lz, 0)
    light = SUN * facing * seen * sheen + SKY * open_sky * (0.75 + 0.25 * nz - 0.10 * ny)
    return light / (SUN * lz + SKY)


def highlight(normal, seen: np.ndarray, lamp: Lamp, gloss: str) -> np.ndarray | None:
    """Light that the finish mirrors, 0..255, to be added; None on raw wood."""
    strength, narrow = GLOSS[gloss]
    if not strength:
        return None
    lx, ly, lz = lamp.towards
    long = float(np.sqrt(lx * lx + ly * ly + (lz + 1) ** 2))
    hx, hy, hz = lx / long, ly / long, (lz + 1) / long
    nx, ny, nz = normal
    towards = cv2.pow(np.maximum(nx * hx + ny * hy + nz * hz, 0), narrow)
    return 255 * strength * np.maximum(towards - hz**narrow, 0) * seen


def sheen_of(grain_deg: float, lamp: Lamp, strength: float, flash: bool) -> float:
    """How much lighter flat wood looks for the way its grain runs: brightest across the lamp, and where the fibres of
    an interlocked or curly wood lean towards it. Kajiya and Kay's fibre, evened so that the mean over all ways is
    1."""
    around = np.radians(grain_deg - lamp.from_deg)
    across = np.sin(around) ** 2 - 0.5
    leaning = np.cos(around) if flash else 0.0
    return float(1 + strength * (0.09 * across + 0.06 * leaning))
