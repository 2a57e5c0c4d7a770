"""Where on a board a piece would look best: every place that is free, by how light, how figured, how centred it is."""

from dataclasses import dataclass

import numpy as np
import shapely
from scipy import fft, ndimage
from shapely import affinity

from ..errors import BadChoice
from ..rack.boards import Board, turn_deg
from ..rack.photo import mask_of

WISHES = {
    "lightest": "the lightest",
    "darkest": "the darkest",
    "figured": "the most figured",
    "plain": "the plainest",
    "centred": "arches centred",
}
CELL_MM = 1.5
"""Boards are searched on a grid of this size, coarser where they are large."""
MOST_CELLS = 500_000
APART_SHARE = 0.6
"""Further places lie at least this share of the piece's size away."""
CLEARANCE_MM = 1.0


@dataclass(frozen=True, slots=True)
class Place:
    """Where the piece's fattest spot lies on the board (mm), and how well that suits, in the unit of the wish."""

    x_mm: float
    y_mm: float
    score: float


def places(
    outline: shapely.Polygon,
    about: tuple[float, float],
    grain_deg: float,
    board: Board,
    lightness: np.ndarray,
    px_per_mm: float,
    taken: list[shapely.Polygon],
    wish: str = "figured",
    most: int = 5,
) -> list[Place]:
    """The best places for a piece, best first. `lightness` is CIELAB L of the board's face, `px_per_mm` its resolution;
    `taken` are pieces that lie on it already. Raises `BadChoice` where the piece fits nowhere."""
    if wish not in WISHES:
        raise BadChoice(f"“{wish}” is nothing to look for on a board.")
    cell = max(CELL_MM, float(np.sqrt(board.length_mm * board.width_mm / MOST_CELLS)))
    rows, columns = max(3, int(board.width_mm / cell)), max(3, int(board.length_mm / cell))
    light = _resampled(lightness, px_per_mm, rows, columns, cell)
    free = shapely.difference(board.clear, shapely.union_all(np.array([t.buffer(CLEARANCE_MM) for t in taken])))
    # what is blocked is painted, its border cells with it, so that a cell counts as free only where all of it is
    face = shapely.box(0, 0, columns * cell, rows * cell)
    closed = mask_of(shapely.difference(face, free), rows, columns, 1 / cell) > 0
    turned = affinity.translate(
        affinity.rotate(outline, -turn_deg(board, grain_deg), origin=about), -about[0], -about[1]
    )
    kernel, left, top = _kernel(turned, cell)
    blocked = _under(closed.astype(np.float32), kernel) if _fits(kernel, rows, columns) else None
    if blocked is None or not (blocked < 0.5).any():
        raise BadChoice(
            f"This piece fits nowhere on board {board.name}: it is too large, or defects and "
            f"other pieces are in its way."
        )
    score = np.where(blocked < 0.5, _score(light, kernel, wish, cell), -np.inf)
    found: list[Place] = []
    keep = max(kernel.shape) * APART_SHARE
    across, down = np.meshgrid(np.arange(score.shape[1]), np.arange(score.shape[0]))
    while len(found) < most and np.isfinite(score.max()):
        j, i = np.unravel_index(int(np.argmax(score)), score.shape)
        found.append(Place(round((i - left) * cell, 2), round((j - top) * cell, 2), round(float(score[j, i]), 2)))
        score[np.hypot(across - i, down - j) < keep] = -np.inf
    return found


def _fits(kernel: np.ndarray, rows: int, columns: int) -> bool:
    return kernel.shape[0] <= rows and kernel.shape[1] <= columns


def _resampled(lightness: np.ndarray, px_per_mm: float, rows: int, columns: int, cell: float) -> np.ndarray:
    zoom = ndimage.uniform_filter(lightness.astype(np.float32), max(1, round(cell * px_per_mm)))
    y = np.clip(((np.arange(rows) + 0.5) * cell * px_per_mm).astype(int), 0, lightness.shape[0] - 1)
    x = np.clip(((np.arange(columns) + 0.5) * cell * px_per_mm).astype(int), 0, lightness.shape[1] - 1)
    return zoom[np.ix_(y, x)]


def _kernel(shape: shapely.Polygon, cell: float) -> tuple[np.ndarray, float, float]:
    """Cells that a piece touches, with where its middle (0, 0) lies among them; half a cell more all round."""
    grown = shape.buffer(0.71 * cell)
    x0, y0, x1, y1 = grown.bounds
    columns, rows = int(np.ceil((x1 - x0) / cell)) + 1, int(np.ceil((y1 - y0) / cell)) + 1
    mask = mask_of(affinity.translate(grown, -x0, -y0), rows, columns, 1 / cell)
    return (mask > 0).astype(np.float32), x0 / cell, y0 / cell


def _under(field: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """The weighted sum of a field under a small mask, at every position where the mask fits; by the Fourier transform.

    Not scipy.signal, which takes most of a second to import.
    """
    shape = [fft.next_fast_len(n, real=True) for n in field.shape]
    product = fft.rfft2(field, shape) * np.conj(fft.rfft2(weight, shape))
    rows, columns = (n - m + 1 for n, m in zip(field.shape, weight.shape, strict=True))
    return fft.irfft2(product, shape)[:rows, :columns]


def _score(light: np.ndarray, kernel: np.ndarray, wish: str, cell: float) -> np.ndarray:
    """How well each position suits: mean lightness (or the dark of it), its spread, or how alike both sides arch."""
    count = kernel.sum()

    def mean(field: np.ndarray, weight: np.ndarray = kernel) -> np.ndarray:
        return _under(field, weight) / count

    if wish in ("lightest", "darkest"):
        return mean(light) * (1 if wish == "lightest" else -1)
    if wish in ("figured", "plain"):
        spread = np.sqrt(np.maximum(mean(light * light) - mean(light) ** 2, 0))
        return spread if wish == "figured" else -spread
    # arches lean one way above their middle and the other way below it
    smooth = ndimage.gaussian_filter(light, 3.0 / cell)
    gy, gx = np.gradient(smooth)
    lean = gx * gy
    size = np.maximum(
        np.sqrt(ndimage.gaussian_filter(gx * gx, 6 / cell) * ndimage.gaussian_filter(gy * gy, 6 / cell)), 1e-3
    )
    side = np.sign(np.arange(kernel.shape[0]) - (kernel.shape[0] - 1) / 2)[:, None] * kernel
    return np.abs(mean(lean / size, side))
