"""Outlines compared whatever way round they lie: which parts look alike, which fit their place turned, and which part
an outline is of.

An outline is taken as points at even steps along it, as complex numbers from its centre of area. Two are laid on each
other at the turn and the first point at which their correlation is greatest (Fourier transform); what is left between
their points, on average, tells how far they are from each other.
"""

from dataclasses import dataclass

import numpy as np
import shapely

POINTS = 256
TURNS_FROM_DEG = 20.0
"""A smaller turn is not another way round."""


def steps_along(outline: shapely.Polygon) -> np.ndarray:
    """`POINTS` points at even steps along the outer border, counter-clockwise as y goes down, from the centre of area;
    complex, in mm."""
    ring = outline.exterior if outline.exterior.is_ccw else shapely.reverse(outline.exterior)
    at = np.arange(POINTS) * (ring.length / POINTS)
    xy = shapely.get_coordinates(shapely.line_interpolate_point(ring, at))
    centre = outline.centroid
    return (xy[:, 0] - centre.x) + 1j * (xy[:, 1] - centre.y)


@dataclass(frozen=True)
class Laid:
    """How rows of one set of outlines lie on those of another, pair by pair: how far apart on average (mm), at which
    turn (degrees, counter-clockwise as y goes down)."""

    off_mm: np.ndarray
    turn_deg: np.ndarray


def laid_on(one: np.ndarray, other: np.ndarray) -> Laid:
    """Each row of points on the same row of another table, both of n by `POINTS`."""
    correlation = np.fft.ifft(np.fft.fft(one, axis=1) * np.conj(np.fft.fft(other, axis=1)), axis=1)
    best = np.abs(correlation).argmax(axis=1)
    peak = correlation[np.arange(len(one)), best]
    square = (np.abs(one) ** 2).sum(axis=1) + (np.abs(other) ** 2).sum(axis=1) - 2 * np.abs(peak)
    return Laid(np.sqrt(np.maximum(square, 0.0) / POINTS), np.degrees(np.angle(peak)))


def mirrored(points: np.ndarray) -> np.ndarray:
    """The same outlines seen from behind, gone along the same way round."""
    return -np.conj(points[..., ::-1])


def turned(points: np.ndarray) -> list[list[tuple[float, float]]]:
    """For each row the turns (degrees from `TURNS_FROM_DEG` up to 180) at which it comes nearest to lying on itself,
    with how far off it then is (mm)."""
    spectrum = np.fft.fft(points, axis=1)
    correlation = np.fft.ifft(spectrum * np.conj(spectrum), axis=1)
    size = np.abs(correlation)
    peaks = (size >= np.roll(size, 1, axis=1)) & (size >= np.roll(size, -1, axis=1))
    angle = np.degrees(np.angle(correlation))
    own = (np.abs(points) ** 2).sum(axis=1)
    off = np.sqrt(np.maximum(2 * own[:, None] - 2 * size, 0.0) / POINTS)
    found: list[list[tuple[float, float]]] = []
    for row in range(len(points)):
        at = np.flatnonzero(peaks[row] & (np.abs(angle[row]) >= TURNS_FROM_DEG))
        found.append([(abs(float(angle[row, i])), float(off[row, i])) for i in at])
    return found
