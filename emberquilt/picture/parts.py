"""What stands in the picture of the result: every outline with its height, its edge, and where its wood is taken from."""

import math
from dataclasses import dataclass

import shapely

from ..constants import MM_PER_INCH
from ..rack.boards import to_board
from ..rack.seen import Look
from ..work.composition import Composition, Layer, Piece

EDGE_MM = 3.0
"""Radius of the rounded edge, where height and width allow it. Common practice, no source."""
EDGE_OF_HEIGHT, EDGE_OF_WIDTH = 0.9, 1.8
"""The radius is at most this share of the height, and of area over perimeter."""
SHEET_EDGE_MM = 0.5
"""Edges of sheets are only eased."""
FRAME_STANDS_MM = 4.0
MOST_TINT = 0.05
"""A piece is by so much lighter or darker than its kind at most."""
PLATE_MM = (400.0, 200.0)
"""Size of the figure that pieces without a place on a board are taken from."""


@dataclass(frozen=True)
class Part:
    """One thing to draw. `top_mm` above the backer; `edge_mm` the radius of its rounding; `to_figure` takes a point of the
    picture to the wood's figure or to the board (2 x 3, row by row, mm); `tint` makes it a little lighter or darker than its kind."""

    outline: shapely.Polygon
    look: Look
    grain_deg: float
    top_mm: float
    edge_mm: float
    to_figure: tuple[float, ...]
    tint: float = 0.0
    board: str = ""


@dataclass(frozen=True)
class Frame:
    """A frame round the picture: its wood and width."""

    wood: str
    width_mm: float = MM_PER_INCH


def parts_of(composition: Composition, frame: Frame | None = None) -> list[Part]:
    """Back to front, all layers."""
    parts: list[Part] = []
    floor = 0.0
    for layer in composition.layers:
        solid = layer.solid
        tops = [_top(p, layer, composition) for p in solid.pieces]
        for p, top in zip(solid.pieces, tops, strict=True):
            parts.append(_part(p, solid, floor + top, composition))
        if layer is not composition.layers[-1]:
            floor += max(tops, default=0.0)
    if frame is not None:
        parts += _framed(composition, frame, max((p.top_mm for p in parts), default=0.0) + FRAME_STANDS_MM)
    return parts


def _top(piece: Piece, layer: Layer, composition: Composition) -> float:
    return (piece.thickness_mm or layer.thickness_mm or composition.practice.stock_mm) + piece.shim_mm


def _part(p: Piece, layer: Layer, top_mm: float, composition: Composition) -> Part:
    outline = layer.coverage.by_key[p.key]
    code, coat, board = composition.seen.look(p)
    usual = SHEET_EDGE_MM if layer.kind in ("sheet", "backer", "spacer") else EDGE_MM
    edge = min(
        usual, EDGE_OF_HEIGHT * top_mm, max(0.3, EDGE_OF_WIDTH * layer.coverage.area_mm2[p.key] / outline.length)
    )
    grain = p.grain_deg or 0.0
    spot = layer.coverage.spots[p.key]
    about = (spot.x_mm, spot.y_mm)
    laid_on = composition.rack.by_name.get(p.board)
    if laid_on is not None and p.board_x_mm is not None and p.board_y_mm is not None:
        moved = to_board(about, laid_on, grain, p.board_x_mm, p.board_y_mm)
        return Part(outline, (code, coat, board), grain, top_mm, edge, tuple(moved.ravel().tolist()), board=p.board)
    along, across, light = _chance(p.key)
    moved_to = somewhere(about, grain, along * PLATE_MM[0], (0.2 + 0.6 * across) * PLATE_MM[1])
    return Part(outline, (code, coat, ""), grain, top_mm, edge, moved_to, tint=MOST_TINT * (2 * light - 1))


def _chance(key: int) -> tuple[float, float, float]:
    """Three numbers 0 to 1 that look random and are always the same for a key: steps of a plastic lattice (R3 sequence)."""
    return (0.5 + 0.8191725 * key) % 1, (0.5 + 0.6710436 * key) % 1, (0.5 + 0.5497005 * key) % 1


Six = tuple[float, float, float, float, float, float]


def somewhere(about: tuple[float, float], grain_deg: float, x_mm: float, y_mm: float) -> Six:
    """The move that lays a piece on a figure, row by row: its grain along x, `about` at (x, y)."""
    turn_rad = math.radians(grain_deg)
    cosine, sine = math.cos(turn_rad), math.sin(turn_rad)
    return (
        cosine, -sine, x_mm - cosine * about[0] + sine * about[1],
        sine, cosine, y_mm - sine * about[0] - cosine * about[1],
    )  # fmt: skip


def _framed(composition: Composition, frame: Frame, top_mm: float) -> list[Part]:
    """Four mitred lengths, each with its grain along it."""
    w, h, b = composition.width_mm, composition.height_mm, frame.width_mm
    outer, inner = [(-b, -b), (w + b, -b), (w + b, h + b), (-b, h + b)], [(0, 0), (w, 0), (w, h), (0, h)]
    made = []
    for i in range(4):
        j = (i + 1) % 4
        outline = shapely.Polygon([outer[i], outer[j], inner[j], inner[i]])
        grain = 0.0 if i % 2 == 0 else 90.0
        about = outline.centroid.coords[0]
        made.append(
            Part(
                outline, (frame.wood, "", ""), grain, top_mm, EDGE_MM, somewhere(about, grain, 70.0 * i, 60.0 + 25 * i)
            )
        )
    return made
