"""Photos of one part on a plain ground, made by code that shares nothing with what finds it: turned, seen slantwise,
lit from one side, with noise."""

import math

import cv2
import numpy as np
import shapely


def photo_of(
    outline: shapely.Polygon, rgb, seed: int, slant_deg: float = 10.0, over: bool = False, size: float = 1.0
) -> bytes:
    """A JPEG of 900 by 700 of a part lying somewhere on paper, its colour streaked, as a pinhole camera sees it that is
    `slant_deg` off level in some direction; `over`: lying on its face; `size`: so many times as large. Of no colour:
    nothing lies there."""
    rng = np.random.default_rng(seed)
    wide, high = 900, 700
    turn, lean, toward = rng.uniform(0, 2 * math.pi), math.radians(slant_deg), rng.uniform(0, 2 * math.pi)
    long = math.hypot(*(np.ptp(outline.exterior.coords, axis=0))) / size
    centre = np.array(outline.centroid.coords[0])

    def seen(ring) -> np.ndarray:
        xy = (np.asarray(ring.coords) - centre) / long
        if over:
            xy = xy * [-1, 1]
        c, s = math.cos(turn), math.sin(turn)
        x, y = xy[:, 0] * c - xy[:, 1] * s, xy[:, 0] * s + xy[:, 1] * c
        # the sheet leans away along `toward`; the camera is three lengths above it
        along = x * math.cos(toward) + y * math.sin(toward)
        aside = -x * math.sin(toward) + y * math.cos(toward)
        far = 3.0 + along * math.sin(lean)
        u, v = along * math.cos(lean) / far, aside / far
        px = u * math.cos(toward) - v * math.sin(toward)
        py = u * math.sin(toward) + v * math.cos(toward)
        return np.c_[px, py] * 3.0 * 0.6 * high + [wide / 2 + shift[0], high / 2 + shift[1]]

    shift = rng.uniform(-60, 60, 2)
    ground = np.array([rng.uniform(205, 245)] * 3) + rng.uniform(-8, 8, 3)
    picture = np.ones((high, wide, 3)) * ground
    mask = np.zeros((high, wide), np.uint8)
    for n, ring in enumerate((outline.exterior, *outline.interiors)):
        cv2.fillPoly(mask, [np.round(seen(ring) * 16).astype(np.int32)], 0 if n else 255, cv2.LINE_AA, 4)
    streaks = 8 * np.sin(np.arange(wide) / rng.uniform(4, 14))[None, :, None]
    body = np.ones_like(picture) * np.asarray(rgb or (0, 0, 0), float) + streaks
    share = mask[..., None] / 255.0 if rgb else 0.0
    picture = picture * (1 - share) + body * share
    ys, xs = np.mgrid[0:high, 0:wide]
    way = rng.uniform(0, 2 * math.pi)
    light = 1 - 0.22 * ((xs / wide - 0.5) * math.cos(way) + (ys / high - 0.5) * math.sin(way))
    picture = picture * light[..., None] + rng.normal(0, 5, picture.shape)
    return cv2.imencode(".jpg", np.clip(picture, 0, 255).astype(np.uint8)[..., ::-1])[1].tobytes()
