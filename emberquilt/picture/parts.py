"""What stands in the picture of the result: every outline with its height, its edge, and where its wood is taken
from."""

import math
from dataclasses import dataclass

import shapely

from ..constants import MM_PER_INCH
from ..rack.boards import to_board
from ..rack.seen import Look
from ..work import parts as stock
from ..work.composition import Composition, Layer, Piece
from ..work.decisions import Slope
from ..work.lowered import kind_of_bit
from ..work.parts import Job, job_of, mitred
from ..work.pools import resin_of
from ..work.shaped import USUAL_EDGE_MM, edge_of

EDGE_OF_HEIGHT, EDGE_OF_WIDTH = 0.9, 1.8
"""The radius is at most this share of the height, and of area over perimeter."""
SQUARE_MM = 0.15
FRAME_STANDS_MM = 4.0
MOST_TINT = 0.05
"""A piece is by so much lighter or darker than its kind at most."""
PLATE_MM = (400.0, 200.0)
"""Size of the figure that pieces without a place on a board are taken from."""


@dataclass(frozen=True, slots=True)
class Hollow:
    """A field of a board, `deep_mm` below its face. What a bit that is not flat leaves at its walls: `steep` how much a
    V-bit's wall rises for each mm nearer to them, `round_mm` the radius of a ball nose."""

    deep_mm: float
    steep: float = 0.0
    round_mm: float = 0.0


@dataclass(frozen=True)
class Part:
    """One thing to draw. `top_mm` above the backer; `edge_mm` the radius of its rounding; `to_figure` takes a point of
    the picture to the wood's figure or to the board (2 x 3, row by row, mm); `tint` makes it a little lighter or
    darker than its kind; `slope` what is carved off its top."""

    outline: shapely.Polygon
    look: Look
    grain_deg: float
    top_mm: float
    edge_mm: float
    to_figure: tuple[float, ...]
    tint: float = 0.0
    board: str = ""
    slope: Slope | None = None
    hollow: Hollow | None = None


@dataclass(frozen=True)
class Frame:
    """A frame round the picture: its wood and width."""

    wood: str
    width_mm: float = MM_PER_INCH


def parts_of(composition: Composition, frame: Frame | None = None) -> list[Part]:
    """Back to front, all layers, each part as high as it really lies above what the rearmost lies on."""
    job = job_of(composition)
    parts = [_part(p, layer, job) for layer in composition.layers for p in layer.without_openings.pieces]
    parts += [part for one in resin_of(job) for part in _poured(job, one)]
    if frame is not None:
        parts += _framed(composition, frame, max((p.top_mm for p in parts), default=0.0) + FRAME_STANDS_MM)
    return parts


def _poured(job: Job, resin: stock.Part) -> list[Part]:
    """A pool shows its colour, as a painted piece does."""
    top_mm = max(resin.top_mm - job.ground_mm, SQUARE_MM)
    look, unmoved = ("", f"paint {resin.material}", ""), (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)
    bodies = [body for body in shapely.get_parts(resin.outline).tolist() if body.geom_type == "Polygon"]
    return [Part(body, look, 0.0, top_mm, SQUARE_MM / 2, unmoved) for body in bodies]


def _part(p: Piece, layer: Layer, job: Job) -> Part:
    composition, outline, top_mm = job.composition, layer.coverage.by_key[p.key], job.lifted_mm(p)
    code, coat, board = composition.look_of(p)
    edge = shown_edge_mm(job, p)
    grain, slope = p.grain_deg or 0.0, composition.decisions.relief.slopes.get(p.key)
    spot = layer.coverage.spots[p.key]
    about = (spot.x_mm, spot.y_mm)
    if layer.kind == "routed":
        return _field(p, layer, job, top_mm)
    place = composition.placed(p.key)
    laid_on = composition.rack.by_name.get(place.board) if place else None
    if place is not None and laid_on is not None and place.point is not None:
        moved = to_board(about, laid_on, place.along_deg(grain), *place.point)
        to_face = tuple(moved.ravel().tolist())
        return Part(outline, (code, coat, board), grain, top_mm, edge, to_face, board=place.board, slope=slope)
    along, across, light = _chance(p.key)
    moved_to = somewhere(about, grain, along * PLATE_MM[0], (0.2 + 0.6 * across) * PLATE_MM[1])
    return Part(outline, (code, coat, ""), grain, top_mm, edge, moved_to, MOST_TINT * (2 * light - 1), slope=slope)


def _field(p: Piece, layer: Layer, job: Job, top_mm: float) -> Part:
    """A field of a board: its figure goes on through all of them, and its floor is as its bit leaves it."""
    composition, outline = job.composition, layer.coverage.by_key[p.key]
    fields, practice = composition.decisions.fields, composition.practice
    board = next(one for one in job.boards if one.id.layer == layer.key)
    along, across, _ = _chance(layer.key)
    x0, y0, x1, y1 = board.outline.bounds
    middle = ((x0 + x1) / 2, (y0 + y1) / 2)
    laid = somewhere(middle, board.grain_deg, along * PLATE_MM[0], (0.2 + 0.6 * across) * PLATE_MM[1])
    deep, kind = (
        fields.depths.get(p.key, 0.0),
        kind_of_bit(fields.bits.get(p.key, ""), 2 * layer.coverage.spots[p.key].radius_mm),
    )
    hollow = Hollow(deep)
    if deep and kind == "v":
        hollow = Hollow(deep, steep=1 / math.tan(math.radians(practice.v_deg) / 2))
    elif deep and kind == "ball":
        hollow = Hollow(deep, round_mm=practice.ball_mm / 2)
    return Part(outline, composition.look_of(p), board.grain_deg, top_mm, SQUARE_MM, laid, hollow=hollow)


def shown_edge_mm(job: Job, p: Piece) -> float:
    """The radius of a piece's rounding, as far as its height and width allow it."""
    layer = job.composition.home[p.key]
    around = layer.coverage.by_key[p.key].length
    # a square edge is still broken by a stroke of sandpaper
    usual = max(_usual_edge(p, layer, job), SQUARE_MM)
    widest = max(0.3, EDGE_OF_WIDTH * layer.coverage.area_mm2[p.key] / around)
    return min(usual, EDGE_OF_HEIGHT * job.lifted_mm(p), widest)


def _usual_edge(p: Piece, layer: Layer, job: Job) -> float:
    """As its steps allow where heights were decided; before that as such works usually are rounded."""
    mosaic = layer.fitted and not job.composition.decisions.pattern.lettered
    if mosaic and layer.key not in job.standing.asked and p.key not in job.composition.decisions.relief.edges:
        return USUAL_EDGE_MM
    return edge_of(job, p.key)[0]


def _chance(key: int) -> tuple[float, float, float]:
    """Three numbers 0 to 1 that look random and are always the same for a key: steps of a plastic lattice (R3
    sequence)."""
    return (0.5 + 0.8191725 * key) % 1, (0.5 + 0.6710436 * key) % 1, (0.5 + 0.5497005 * key) % 1


Six = tuple[float, float, float, float, float, float]


def somewhere(about: tuple[float, float], grain_deg: float, x_mm: float, y_mm: float) -> Six:
    """The move that lays a piece on a figure, row by row: its grain along x, `about` at (x, y)."""
    turn_rad = math.radians(grain_deg)
    cosine, sine = math.cos(turn_rad), math.sin(turn_rad)
    return (
        cosine,
        -sine,
        x_mm - cosine * about[0] + sine * about[1],
        sine,
        cosine,
        y_mm - sine * about[0] - cosine * about[1],
    )


def _framed(composition: Composition, frame: Frame, top_mm: float) -> list[Part]:
    """Four mitred lengths, each with its grain along it."""
    made = []
    for i, outline in enumerate(mitred(composition.width_mm, composition.height_mm, frame.width_mm)):
        grain = 0.0 if i % 2 == 0 else 90.0
        laid = somewhere(outline.centroid.coords[0], grain, 70.0 * i, 60.0 + 25 * i)
        made.append(Part(outline, (frame.wood, "", ""), grain, top_mm, USUAL_EDGE_MM, laid))
    return made
