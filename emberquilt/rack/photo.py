"""From a photo of a board to its face in true size: straightened or cut out, scaled, white balanced, and its colour.

Places in the photo are shares of its width and height, as one marks them on any screen.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from skimage.color import rgb2lab

from ..colour import Lab, difference, linear_of, srgb_of
from ..errors import BadChoice, BadDrawing
from ..intake.raster_source import read_picture
from .boards import Ring

MOST_PX_PER_MM = 4.0
MOST_FACE_PX = 6_000_000
LONGEST_MM = 6000.0
REFERENCES = {"white": 0.88, "grey": 0.18}
"""Reflectance of plain white paper, and of a photographer's grey card: common practice, no source."""
PATCH_SHARE = 0.02
Share = tuple[float, float]


@dataclass(frozen=True)
class Marks:
    """What a person marked. `corners`: four, from the upper left clockwise, of a rectangular board that stands askew.
    `outline`: round an off-cut. `points` and `apart_mm`: two places and their distance. `patch`: a place on a white or
    grey reference (`reference`)."""

    corners: tuple[Share, ...] = ()
    outline: tuple[Share, ...] = ()
    points: tuple[Share, ...] = ()
    apart_mm: float = 0.0
    patch: Share | None = None
    reference: str = "white"


@dataclass(frozen=True)
class Face:
    """A board's face: uint8 (rows, columns, 3) of its box, `px_per_mm`, its size, and its outline where it is no
    rectangle."""

    rgb: np.ndarray
    px_per_mm: float
    length_mm: float
    width_mm: float
    outline: Ring


def face_of(data: bytes, marks: Marks, length_mm: float = 0.0, width_mm: float = 0.0) -> Face:
    """The face of a board from its photo. Its scale comes from two points, or else from the board's own length or
    width.

    Raises `BadDrawing` for what is no picture and `BadChoice` where no scale is given or marks make no sense.
    """
    picture = read_picture(data)
    rgb = picture.rgb if picture.rgb is not None else cv2.cvtColor(picture.grey, cv2.COLOR_GRAY2RGB)
    if marks.patch is not None:
        rgb = white_balanced(rgb, marks.patch, marks.reference)
    high, wide = rgb.shape[:2]
    if marks.corners:
        return _straightened(rgb, _pixels(marks.corners, wide, high, 4), length_mm, width_mm)
    outline = _pixels(marks.outline, wide, high, 3) if marks.outline else None
    shape = shapely.Polygon(outline) if outline is not None else shapely.box(0, 0, wide, high)
    if not shape.is_valid or shape.area < 100:
        raise BadChoice("The line round the board crosses itself or encloses nothing. Draw it again.")
    px_per_mm = _scale(marks, shape, wide, high, length_mm, width_mm)
    return _cut_out(rgb, shape, px_per_mm, outline is not None)


def _pixels(shares: Sequence[Share], wide: int, high: int, least: int) -> np.ndarray:
    points = np.array(shares, float).reshape(-1, 2)
    if len(points) < least or not np.isfinite(points).all() or not ((points > -0.5) & (points < 1.5)).all():
        raise BadChoice("The places that were marked on the photo could not be read. Mark them again.")
    return points * [wide, high]


def _scale(marks: Marks, shape: shapely.Polygon, wide: int, high: int, length_mm: float, width_mm: float) -> float:
    """Pixels for a millimetre."""
    left, top, right, bottom = shape.bounds
    if marks.points:
        (x0, y0), (x1, y1) = _pixels(marks.points, wide, high, 2)[:2]
        apart = math.hypot(x1 - x0, y1 - y0)
        if apart < 5 or not 1 <= marks.apart_mm <= LONGEST_MM:
            raise BadChoice("Mark two places that lie well apart, and type their distance.")
        return apart / marks.apart_mm
    if width_mm > 0:
        return (bottom - top) / width_mm
    if length_mm > 0:
        return (right - left) / length_mm
    raise BadChoice("Nothing tells how large this board is. Type its width, or mark two points and their distance.")


def _kept(px_per_mm: float, length_mm: float, width_mm: float) -> float:
    """The resolution in which a face is kept."""
    if not (10 <= length_mm <= LONGEST_MM and 5 <= width_mm <= LONGEST_MM):
        raise BadChoice(f"By this scale the board is {length_mm:.0f} by {width_mm:.0f} mm: that cannot be right.")
    return min(px_per_mm, MOST_PX_PER_MM, math.sqrt(MOST_FACE_PX / (length_mm * width_mm)))


def _straightened(rgb: np.ndarray, corners: np.ndarray, length_mm: float, width_mm: float) -> Face:
    if not shapely.Polygon(corners).is_valid or shapely.Polygon(corners).area < 100:
        raise BadChoice("Mark the four corners of the board one after another, all round.")
    along = (np.hypot(*(corners[1] - corners[0])) + np.hypot(*(corners[2] - corners[3]))) / 2
    across = (np.hypot(*(corners[3] - corners[0])) + np.hypot(*(corners[2] - corners[1]))) / 2
    if length_mm <= 0 and width_mm <= 0:
        raise BadChoice("Nothing tells how large this board is. Type its length or its width.")
    length_mm = length_mm or width_mm * along / across
    width_mm = width_mm or length_mm * across / along
    fine = _kept(along / length_mm, length_mm, width_mm)
    size = max(1, round(length_mm * fine)), max(1, round(width_mm * fine))
    goal = np.array([[0, 0], [size[0], 0], [size[0], size[1]], [0, size[1]]], np.float32)
    move = cv2.getPerspectiveTransform(corners.astype(np.float32), goal)
    flat = cv2.warpPerspective(rgb, move, size, flags=cv2.INTER_AREA)
    return Face(flat, fine, round(length_mm, 2), round(width_mm, 2), ())


def _cut_out(rgb: np.ndarray, shape: shapely.Polygon, px_per_mm: float, irregular: bool) -> Face:
    left, top, right, bottom = shape.bounds
    length_mm, width_mm = (right - left) / px_per_mm, (bottom - top) / px_per_mm
    fine = _kept(px_per_mm, length_mm, width_mm)
    move = np.array([[fine / px_per_mm, 0, -left * fine / px_per_mm], [0, fine / px_per_mm, -top * fine / px_per_mm]])
    size = max(1, round(length_mm * fine)), max(1, round(width_mm * fine))
    flat = cv2.warpAffine(rgb, move, size, flags=cv2.INTER_AREA, borderMode=cv2.BORDER_REPLICATE)
    ring: Ring = ()
    if irregular:
        simple = shapely.simplify(shape, 0.3 * px_per_mm)
        points = (shapely.get_coordinates(simple.exterior)[:-1] - [left, top]) / px_per_mm
        ring = tuple((round(x, 2), round(y, 2)) for x, y in points.tolist())
    return Face(flat, fine, round(length_mm, 2), round(width_mm, 2), ring)


def white_balanced(rgb: np.ndarray, patch: Share, reference: str) -> np.ndarray:
    """The photo in such light that the patch is as bright in all three colours as its reference reflects."""
    if reference not in REFERENCES:
        raise BadChoice(f"“{reference}” is no reference: white or grey.")
    high, wide = rgb.shape[:2]
    x, y = _pixels([patch], wide, high, 1)[0]
    reach = max(2, int(PATCH_SHARE * min(high, wide) / 2))
    x, y = int(np.clip(x, reach, wide - reach - 1)), int(np.clip(y, reach, high - reach - 1))
    seen = np.median(linear_of(rgb[y - reach : y + reach + 1, x - reach : x + reach + 1].reshape(-1, 3)), axis=0)
    if seen.min() < 0.01:
        raise BadChoice("The place of the white or grey reference is almost black. Mark it again.")
    gain = REFERENCES[reference] / seen
    if gain.max() / gain.min() > 6 or gain.max() > 20:
        raise BadChoice("No lamp is that coloured: this place is not the white or grey reference. Mark it again.")
    table = np.round(srgb_of(linear_of(np.arange(256))[:, None] * gain) * 255).astype(np.uint8)
    return np.stack([cv2.LUT(rgb[..., c], np.ascontiguousarray(table[:, c])) for c in range(3)], axis=-1)


MOST_SAMPLES = 40_000


def colour_of(rgb: np.ndarray, px_per_mm: float, clear: shapely.Geometry) -> tuple[Lab, float]:
    """Robust mean of a face in CIELAB and its spread: the median, then the mean of the half that lies nearest to it;
    the spread is the median CIEDE2000 from that mean. Only what is `clear` (mm) counts."""
    mask = mask_of(clear, rgb.shape[0], rgb.shape[1], px_per_mm)
    pixels = rgb[mask > 0]
    if len(pixels) < 50:
        raise BadDrawing("So little of this board is free of defects that its colour cannot be told.")
    lab = rgb2lab(pixels[:: max(1, len(pixels) // MOST_SAMPLES)][None] / 255.0)[0]
    near = np.linalg.norm(lab - np.median(lab, axis=0), axis=1)
    mean = lab[near <= np.median(near)].mean(axis=0)
    spread = float(np.median(difference(lab, mean)))
    return (round(float(mean[0]), 2), round(float(mean[1]), 2), round(float(mean[2]), 2)), round(spread, 2)


def mask_of(region: shapely.Geometry, rows: int, columns: int, px_per_mm: float) -> np.ndarray:
    """uint8 (rows, columns), 255 where the centre of a pixel lies in the region (mm)."""
    mask = np.zeros((rows, columns), np.uint8)
    for part in shapely.get_parts(region):
        if part.geom_type != "Polygon" or part.is_empty:
            continue
        rings = [
            np.round(shapely.get_coordinates(ring) * (16 * px_per_mm) - 8).astype(np.int32)
            for ring in (part.exterior, *part.interiors)
        ]
        cv2.fillPoly(mask, rings, 255, shift=4)
    return mask
