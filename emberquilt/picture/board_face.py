"""The face of a board as it will look finished: from its photo, or drawn where there is none."""

from collections.abc import Callable
from functools import lru_cache

import cv2
import numpy as np

from ..colour import Lab, lab_of, linear_of, rgb_from, srgb_of
from ..rack.boards import Board
from ..rack.woods import Shelf, Wood
from .figure import colours, counts_of, darkness

Photos = Callable[[Board], tuple[np.ndarray, float] | None]
"""Gives the photo of a board, uint8 (rows, columns, 3) of its box, and its pixels per mm; None where it has none."""


def board_face(
    board: Board, shelf: Shelf, lab: Lab, photos: Photos | None, px_per_mm: float
) -> tuple[np.ndarray, float]:
    """uint8 (rows, columns, 3) of the board's box with the mean colour `lab`, and its pixels per mm."""
    photo = photos(board) if photos is not None and board.photo else None
    if photo is None:
        return _drawn(board, shelf.wood(board.wood), lab, px_per_mm), px_per_mm
    return _toned(photo[0], board.lab or lab, lab), photo[1]


@lru_cache(maxsize=8)
def _drawn(board: Board, wood: Wood, lab: Lab, px_per_mm: float) -> np.ndarray:
    dark = darkness(wood, board.length_mm, board.width_mm, px_per_mm, seed=100 + board.key)
    face = colours(lab, counts_of(dark))[dark]
    for defect in board.defects:
        ring = np.round(np.array(defect.ring) * px_per_mm * 16).astype(np.int32)
        shade = {"sap": 1.18, "stain": 0.75}.get(defect.kind, 0.45)
        mask = np.zeros(dark.shape, np.uint8)
        cv2.fillPoly(mask, [ring], 255, shift=4)
        face[mask > 0] = np.clip(face[mask > 0] * shade, 0, 255).astype(np.uint8)
    return face


def _toned(photo: np.ndarray, own: Lab, lab: Lab) -> np.ndarray:
    """The photo of bare wood brought to the finished colour: each channel's light is scaled so that means agree."""
    want, have = linear_of(rgb_from(lab) * 255), np.maximum(linear_of(rgb_from(own) * 255), 1e-4)
    table = np.round(srgb_of(linear_of(np.arange(256))[:, None] * (want / have)) * 255).astype(np.uint8)
    return np.stack([cv2.LUT(photo[..., c], np.ascontiguousarray(table[:, c])) for c in range(3)], axis=-1)


def drawn_photo(board: Board, shelf: Shelf, px_per_mm: float = 3.0) -> np.ndarray:
    """The bare face of a board without a photo, as it is shown on the shelf."""
    wood = shelf.wood(board.wood)
    return _drawn(board, wood, lab_of(wood.raw), px_per_mm)
