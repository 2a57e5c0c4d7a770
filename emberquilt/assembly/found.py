"""Which part is this? A photo of one part on a plain ground, its outline laid on those of all parts.

No scale is known, so outlines are compared at one size; a camera that is not held quite level shortens them one way,
which is taken out before the last comparison. What two outlines leave open their colours may tell.
"""

from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from scipy import ndimage
from scipy.spatial import cKDTree
from skimage.color import rgb2lab

from ..colour import lab_of
from ..errors import BadChoice
from ..intake.raster_source import Picture, read_picture
from ..work.parts import Job, Part
from .alike import points_of
from .shapes import POINTS, laid_on, mirrored, steps_along

SIDE_PX = 640
LEAST_DE = 9.0
"""What is no farther than this from the ground's colour is ground."""
LEAST_SHARE, MOST_SHARE = 0.002, 0.9
"""Of the photo that a part covers."""
FIRST = 16
"""So many are compared again with the camera's slant taken out."""
SQUEEZE_COST, SLOPE_COST, SIZE_COST = 0.16, 0.01, 0.01
"""A camera held ten degrees off level shortens a part by 1.5 % and makes its far end smaller; taking that out is as
unlikely as an outline that is off by 0.3 % of its size. Geometry; the 0.3 % an own choice."""
ROUNDS = 6
KEPT = 0.9
COLOUR_WEIGHT = 0.00035
"""A unit of CIEDE of colour counts as much as this share of the part's size: own choice."""
MANY = 5


@dataclass(frozen=True, slots=True)
class Match:
    """A part that a photo may show: how far its outline is off, as a share of the square root of its area; how it has
    to be turned to lie as in the picture of the work (degrees counter-clockwise as one looks); whether it lies on its
    face."""

    part: str
    off_share: float
    turn_deg: float
    over: bool


def found_in(job: Job, data: bytes) -> tuple[Match, ...]:
    """The five parts of one copy that a photo most likely shows, the best first. Raises `BadDrawing` for what is no
    picture, `BadChoice` where nothing stands out from its ground."""
    picture = read_picture(data)
    outline, lab = seen_in(picture)
    parts = [part for part in job.pieces.values() if part.outline.geom_type == "Polygon"]
    if not parts:
        raise BadChoice("There are no pieces to look among yet.")
    return _nearest(job, parts, outline, lab)


def seen_in(picture: Picture) -> tuple[shapely.Polygon, np.ndarray]:
    """Outline (pixels) and mean colour (CIELAB, against the ground's as white) of what lies on the ground."""
    rgb = picture.rgb if picture.rgb is not None else np.repeat(picture.grey[..., None], 3, axis=2)
    scale = SIDE_PX / max(rgb.shape[:2])
    if scale < 1:
        rgb = cv2.resize(rgb, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    smooth = cv2.medianBlur(np.ascontiguousarray(rgb), 5)
    lab = rgb2lab(smooth)
    off = np.linalg.norm(lab - _ground(lab), axis=2)
    level = np.clip(off * 4, 0, 255).astype(np.uint8)
    split = max(cv2.threshold(level, 0, 255, cv2.THRESH_OTSU)[0] / 4, LEAST_DE)
    mask = ndimage.binary_fill_holes(ndimage.binary_opening(off > split, iterations=1))
    bodies, count = ndimage.label(mask)
    sizes = np.bincount(bodies.ravel(), minlength=count + 1)[1:]
    share = sizes.max() / mask.size if count else 0.0
    if not LEAST_SHARE <= share <= MOST_SHARE:
        raise BadChoice(
            "No part stands out from its ground in this photo. Lay one part on plain paper, all of it in the picture, "
            "in even light."
        )
    body = bodies == int(sizes.argmax()) + 1
    if body[0].any() or body[-1].any() or body[:, 0].any() or body[:, -1].any():
        raise BadChoice("The part runs out of the photo. Step back until there is ground all round it.")
    contours, _ = cv2.findContours(body.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    ring = max(contours, key=len)[:, 0].astype(float)
    if len(ring) < 30:
        raise BadChoice("What lies in this photo is too small to be told. Go nearer.")
    # the edge of pixels is a staircase: a running mean over it takes the stairs out
    ring = ndimage.uniform_filter1d(ring, 5, axis=0, mode="wrap")
    outline = shapely.make_valid(shapely.Polygon(ring))
    outline = max(shapely.get_parts(outline).tolist(), key=lambda part: part.area)
    return outline, np.median(lab[body], axis=0)


def _ground(lab: np.ndarray) -> np.ndarray:
    """The ground's colour at every place: a slope fitted to the photo's rim, as light falls off."""
    high, wide = lab.shape[:2]
    rim = max(2, min(high, wide) // 40)
    edge = np.ones((high, wide), bool)
    edge[rim:-rim, rim:-rim] = False
    y, x = np.nonzero(edge)
    table = np.c_[np.ones(len(x)), x / wide - 0.5, y / high - 0.5]
    seen = lab[edge]
    keep = np.ones(len(x), bool)
    for _ in range(3):
        fitted, *_ = np.linalg.lstsq(table[keep], seen[keep], rcond=None)
        off = np.linalg.norm(seen - table @ fitted, axis=1)
        keep = off <= max(2.5 * float(np.median(off)), 1.0)
    ys, xs = np.mgrid[0:high, 0:wide]
    return np.stack([np.ones_like(xs, float), xs / wide - 0.5, ys / high - 0.5], axis=-1) @ fitted


def _nearest(job: Job, parts: list[Part], outline: shapely.Polygon, lab: np.ndarray) -> tuple[Match, ...]:
    areas = np.array([part.outline.area for part in parts])
    known = points_of(job, parts) / np.sqrt(areas)[:, None]
    shown = steps_along(outline) / np.sqrt(outline.area)
    ways = [np.broadcast_to(shown, known.shape), np.broadcast_to(mirrored(shown), known.shape)]
    rough = np.array([laid_on(known, way).off_mm for way in ways])
    first = np.argsort(rough.min(axis=0), kind="stable")[:FIRST]
    rows = []
    for over, way in enumerate(ways):
        for i in first.tolist():
            off, turn = _slant(known[i], way[i])
            rows.append((off, i, turn, bool(over)))
    colour = _colours(job, [parts[i] for i in first.tolist()], lab)
    told = dict(zip(first.tolist(), colour, strict=True))
    best: dict[int, tuple[float, Match]] = {}
    for off, i, turn, over in rows:
        rank = off + COLOUR_WEIGHT * told[i]
        if i not in best or rank < best[i][0]:
            best[i] = rank, Match(parts[i].key, round(off, 4), round(-turn % 360, 1), over)
    return tuple(match for _, match in sorted(best.values(), key=lambda one: one[0])[:MANY])


def _slant(one: np.ndarray, other: np.ndarray) -> tuple[float, float]:
    """What is shown is first laid on what is known by their steps; then each of its points is drawn to the nearest line
    of the other, while it is turned, stretched and put in perspective a little. The farther it had to be stretched, the
    less likely it is. The worst tenth is left out: tips are blunt in a photo."""
    spectrum = np.fft.ifft(np.fft.fft(one) * np.conj(np.fft.fft(other)))
    peak = spectrum[int(np.abs(spectrum).argmax())]
    moved = other * peak / max(abs(peak), 1e-12)
    dense = np.interp(np.arange(0, POINTS, 0.25), np.arange(POINTS + 1), np.append(one, one[0]))
    ahead = np.roll(dense, -1) - np.roll(dense, 1)
    normal = 1j * ahead / np.maximum(np.abs(ahead), 1e-12)
    tree = cKDTree(np.c_[dense.real, dense.imag])
    had = np.zeros(8)
    # both are of one size already: without a pull on it everything could shrink onto one line
    pull = np.diag([SIZE_COST, 0, 0, 0, SQUEEZE_COST, SQUEEZE_COST, SLOPE_COST, SLOPE_COST])
    for _ in range(ROUNDS):
        near = tree.query(np.c_[moved.real, moved.imag])[1]
        miss = ((dense[near] - moved) * np.conj(normal[near])).real
        keep = np.abs(miss) <= np.quantile(np.abs(miss), KEPT)
        pulled, n = _pulled(moved[keep]), normal[near][keep]
        table = (pulled * np.conj(n)[:, None]).real / np.sqrt(len(n))
        wanted = table.T @ (miss[keep] / np.sqrt(len(n))) - pull @ had
        move = np.linalg.solve(table.T @ table + pull + np.eye(len(had)) * 1e-9, wanted)
        had += move
        moved = moved + _pulled(moved) @ move
    near = tree.query(np.c_[moved.real, moved.imag])[1]
    miss = np.abs(((dense[near] - moved) * np.conj(normal[near])).real)
    off = float(np.sqrt(np.mean(np.sort(miss)[: int(KEPT * len(miss))] ** 2)))
    return float(np.sqrt(off**2 + had @ pull @ had)), float(np.degrees(np.angle(peak)) + np.degrees(had[1]))


def _pulled(points: np.ndarray) -> np.ndarray:
    """Where a unit of each of eight moves takes points, a column a move: larger, turned, aside two ways, stretched
    along the axes and along their diagonals, in perspective two ways."""
    x, y, one = points.real, points.imag, np.ones(len(points))
    return np.stack([points, 1j * points, one, 1j * one, x - 1j * y, y + 1j * x, x * points, y * points], axis=1)


def _colours(job: Job, parts: list[Part], lab: np.ndarray) -> list[float]:
    """How far the photo's colour is from each part's, bare; nothing where a part has no colour."""
    shelf = job.composition.rack.shelf
    found = []
    for part in parts:
        wood = shelf.get(part.material)
        found.append(float(np.linalg.norm(np.array(lab_of(wood.raw)) - lab)) if wood else 0.0)
    least = min(found, default=0.0)
    return [value - least for value in found]
