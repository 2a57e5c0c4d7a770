"""The rack as a drawing: boards and sheets of a work at one scale, the parts on them, and what lies on none.

Places are pixels of a drawing `WIDE` across; paths are millimetres of their board and stand in a group of its scale.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

import shapely

from ..layout.task import total_bounds
from ..outline.coverage import largest_circle
from ..outline.paths import path_of
from ..rack.boards import DEFECTS, Board
from ..rack.rack import Rack
from ..stock.laying import CROSSCUT_MM, gaps_of
from ..stock.leaves import serves
from ..work.on_boards import Lying, on_boards
from ..work.parts import Job, Part

WIDE, TALL = 870.0, 580.0
MARGIN, BETWEEN, LABEL = 14.0, 14.0, 22.0
CORNER = (182.0, 150.0)
"""Kept free for the picture of the work."""
LEAST_SCALE, MOST_SCALE = 0.32, 1.6
"""Pixels a millimetre. Where boards do not fit at the least, the drawing grows downwards."""
MOST_LOOSE = 14
FINE_MM = 0.3
STAYS_MM = 50.0
"""A shorter rest of a board is not called an off-cut."""
BEYOND_MM = 70.0
"""Drawn of a board beyond what lies on it, where the rest is broken off."""
LEAF_BEYOND_MM = 12.0
"""And beyond what lies on a leaf."""
WORTH = 0.75
"""A board is broken off where no more than this share of its length or width is needed."""
NUMBER_PX = 6.0
"""A part of a smaller radius carries no number."""


@dataclass(frozen=True)
class DrawnPart:
    """`key` with its copy, `piece` the key it stands for or 0; its number lies at (x, y) mm where there is room."""

    key: str
    piece: int
    name: str
    number: str
    path: str
    x_mm: float
    y_mm: float
    label_px: float
    nailed: bool = False
    lost: bool = False
    grain_deg: float = 0.0
    turned_deg: float = 0.0


@dataclass(frozen=True)
class DrawnFlaw:
    path: str
    words: str
    x_mm: float
    y_mm: float


@dataclass(frozen=True)
class Shown:
    """How much of a board is drawn, from its left upper corner: where nothing lies on the rest it is broken off. A leaf
    begins where its stretch does (`from_mm`)."""

    long_mm: float
    broad_mm: float
    broken_right: bool = False
    broken_below: bool = False
    from_mm: float = 0.0


@dataclass(frozen=True)
class DrawnBoard:
    """A board with its left upper corner at (x, y); where it is resawn what lies on it whole or on its first leaf, and
    every further leaf beside it. `leaf` counts from 1, 0 where it is in one."""

    board: Board
    x: float
    y: float
    scale: float
    path: str
    parts: tuple[DrawnPart, ...]
    flaws: tuple[DrawnFlaw, ...]
    spoken: tuple[tuple[str, str, float, float], ...]
    stays: tuple[float, float, float, float] | None
    share: float
    shown: Shown
    leaf: int = 0

    @property
    def wide(self) -> float:
        return (self.shown.long_mm - self.shown.from_mm) * self.scale

    @property
    def tall(self) -> float:
        return self.shown.broad_mm * self.scale


@dataclass(frozen=True)
class RackDrawing:
    wide: float
    tall: float
    scale: float
    boards: tuple[DrawnBoard, ...]
    loose: tuple[tuple[DrawnPart, float, float], ...]
    more_loose: int
    """How many more lie on no board."""
    ruler: tuple[float, float, float]
    """Where the little ruler lies, and how many mm it is long."""
    count: int = 0
    left: tuple[Board, ...] = field(default=())
    """Boards that this work has no use for."""


def rack_drawing(job: Job, only: frozenset[str] | None = None) -> RackDrawing:
    """Boards with parts, and those that parts without a place could still come from, by wood. `only`: keys of those
    that are shown where they lie on no board."""
    return job.once(("drawing", "rack", only), lambda: _drawn(job, only))


def _drawn(job: Job, only: frozenset[str] | None) -> RackDrawing:
    lying = on_boards(job)
    order = {code: i for i, code in enumerate(dict.fromkeys(part.material for part in _by_area(job)))}
    placed = {one.key for some in lying.values() for one in some}
    loose = [part for part in (*job.parts(), *job.spares) if part.material and part.key not in placed]
    if only is not None:
        loose = [part for part in loose if part.key in only]
    rack = job.composition.rack
    own = [board for board in rack.boards if board.name in lying or _would_serve(board, loose, rack)]
    own.sort(key=lambda board: (board.name not in lying, order.get(board.wood, 99), -board.length_mm, board.name))
    loose.sort(key=lambda part: -part.area_mm2)
    faces = [face for board in own for face in _faces(job, board, lying.get(board.name, []))]
    boxes = [(face.shown.long_mm - face.shown.from_mm, face.shown.broad_mm, True) for face in faces]
    boxes += [(*_sides(part), False) for part in loose[:MOST_LOOSE]]
    scale, places, low = _packed(boxes)
    boards = tuple(_board(job, face, scale, place) for face, place in zip(faces, places, strict=False))
    astray = tuple(
        (_loose(job, part, scale), x, y) for part, (x, y) in zip(loose[:MOST_LOOSE], places[len(faces) :], strict=True)
    )
    long_mm = 101.6 if job.composition.practice.unit == "in" else 100.0
    tall = max(TALL, low + MARGIN)
    left = tuple(board for board in job.composition.rack.boards if board not in own)
    ruler = (WIDE - MARGIN - long_mm * scale, tall - MARGIN - 26, long_mm)
    return RackDrawing(WIDE, tall, scale, boards, astray, max(0, len(loose) - MOST_LOOSE), ruler, len(placed), left)


def _would_serve(board: Board, loose: Iterable[Part], rack: Rack) -> bool:
    """Some part without a place could be sawn from it."""
    return any(serves(board, part.material, part.thickness_mm, rack) for part in loose)


def _by_area(job: Job) -> list[Part]:
    return sorted(job.of_one, key=lambda part: -part.area_mm2)


def _sides(part: Part) -> tuple[float, float]:
    x0, y0, x1, y1 = part.outline.bounds
    return x1 - x0, y1 - y0


Boxes = Sequence[tuple[float, float, bool]]


def _packed(boxes: Boxes) -> tuple[float, list[tuple[float, float]], float]:
    """The largest scale at which everything finds room, and where it lies."""
    longest = max((wide for wide, _, _ in boxes), default=1.0)
    most = min(MOST_SCALE, (WIDE - 2 * MARGIN) / longest)
    least = min(most, LEAST_SCALE)
    places, low = _at(boxes, most)
    if low <= TALL - MARGIN:
        return most, places, low
    high = most
    for _ in range(18):
        middle = (least + high) / 2
        if _at(boxes, middle)[1] <= TALL - MARGIN:
            least = middle
        else:
            high = middle
    places, low = _at(boxes, least)
    return least, places, low


ORDERS = (
    lambda box: (not box[2], -box[1], -box[0]),
    lambda box: (not box[2], -box[0] * box[1]),
    lambda box: (not box[2], -box[0], -box[1]),
)


def _at(boxes: Boxes, scale: float) -> tuple[list[tuple[float, float]], float]:
    """Where boxes lie that are put down in whichever order keeps them highest."""
    made = [
        _down(boxes, scale, sorted(range(len(boxes)), key=lambda i, by=by: (*by(boxes[i]), i)))  # type: ignore[misc]
        for by in ORDERS
    ]
    return min(made, key=lambda one: one[1])


def _down(boxes: Boxes, scale: float, order: Sequence[int]) -> tuple[list[tuple[float, float]], float]:
    """Each box as high up as it goes, then as far left; the picture's corner stays free."""
    sky = [(0.0, MARGIN + CORNER[0] + BETWEEN, MARGIN + CORNER[1]), (MARGIN + CORNER[0] + BETWEEN, WIDE, MARGIN - 4)]
    places: list[tuple[float, float]] = [(0.0, 0.0)] * len(boxes)
    low = 0.0
    for i in order:
        wide, tall, labelled = boxes[i]
        across = wide * scale + (BETWEEN if wide * scale + 2 * MARGIN + BETWEEN <= WIDE else 0)
        down = tall * scale + BETWEEN + (LABEL if labelled else 0)
        x, y = _spot(sky, across)
        sky = _raised(sky, x, across, y + down)
        places[i] = x, y + (LABEL if labelled else 0)
        low = max(low, y + down)
    return places, low


def _spot(sky: list[tuple[float, float, float]], across: float) -> tuple[float, float]:
    best = None
    for begin, _, _ in sky:
        x = max(begin, MARGIN)
        if x + across > WIDE - MARGIN + BETWEEN + 0.01 and best is not None:
            continue
        y = max(top for left, right, top in sky if left < x + across - 0.01 and right > x + 0.01)
        if best is None or (y, x) < best:
            best = (y, x)
    assert best is not None
    return best[1], best[0]


def _raised(
    sky: list[tuple[float, float, float]], x: float, across: float, top: float
) -> list[tuple[float, float, float]]:
    made = []
    for left, right, was in sky:
        if right <= x or left >= x + across:
            made.append((left, right, was))
            continue
        if left < x:
            made.append((left, x, was))
        if right > x + across:
            made.append((x + across, right, was))
    made.append((x, x + across, top))
    return sorted(made)


@dataclass(frozen=True)
class _Face:
    """What is drawn of a board, or of one of its leaves."""

    board: Board
    leaf: int
    lying: list[Lying]
    shown: Shown
    reaching: list[Lying]
    """What lies on any leaf: what stays of the board begins after it."""


def _faces(job: Job, board: Board, lying: list[Lying]) -> list[_Face]:
    """The board, and beside it every leaf after its first, as far as parts lie on it."""
    leaves = sorted({one.place.leaf for one in lying} - {0})
    first = [one for one in lying if one.place.leaf <= 1]
    made = [_Face(board, 1 if leaves else 0, first, _shown(job, board, lying), lying)]
    for leaf in leaves:
        own = [one for one in lying if one.place.leaf == leaf]
        if leaf > 1:
            along = [one for one in lying if one.place.leaf]
            begin = max(0.0, min(one.outline.bounds[0] for one in along) - gaps_of(job.composition).edge_mm)
            until = min(board.length_mm, max(one.outline.bounds[2] for one in along) + LEAF_BEYOND_MM)
            shown = Shown(round(until, 1), board.width_mm, from_mm=round(begin, 1))
            made.append(_Face(board, leaf, own, shown, own))
    return made


def _board(job: Job, face: _Face, scale: float, place: tuple[float, float]) -> DrawnBoard:
    board, lying, shown = face.board, face.lying, face.shown
    spoken = []
    for one in job.composition.rack.spoken_on.get(board.name, ()) if face.leaf < 2 else ():
        spot = one.outlines.representative_point()
        spoken.append((one.work, _path(one.outlines.buffer(2.0)), float(spot.x), float(spot.y)))
    area = board.area_mm2
    share = sum(one.part.area_mm2 for one in lying) / area if area else 0.0
    region = board.region
    if face.leaf > 1:
        region = region.intersection(shapely.box(shown.from_mm, -1, shown.long_mm, shown.broad_mm + 1))
        share = sum(one.part.area_mm2 for one in lying) / region.area if region.area else 0.0
    rings = [(d, shapely.Polygon(d.ring)) for d in board.defects]
    flaws = tuple(
        DrawnFlaw(_path(ring), DEFECTS[d.kind].split()[-1], *_below(ring))
        for d, ring in rings
        if shown.from_mm < ring.bounds[2] and d.ring[0][0] < shown.long_mm and d.ring[0][1] < shown.broad_mm
    )
    return DrawnBoard(
        board,
        *place,
        scale,
        _path(region),
        tuple(_part(one, scale) for one in lying),
        flaws,
        tuple(spoken),
        _stays(job, board, face.reaching) if face.leaf < 2 else None,
        share,
        shown,
        face.leaf,
    )


def _shown(job: Job, board: Board, lying: list[Lying]) -> Shown:
    """All of a board, or no more than its parts, its flaws and what is spoken for reach, and some beyond."""
    whole = Shown(board.length_mm, board.width_mm)
    if not lying:
        return whole
    outlines = [one.outline for one in lying]
    outlines += [one.outlines for one in job.composition.rack.spoken_on.get(board.name, ())]
    _, _, right, below = total_bounds(outlines)
    long, broad = right + BEYOND_MM, below + BEYOND_MM
    short, narrow = long < WORTH * board.length_mm, broad < WORTH * board.width_mm
    return Shown(
        round(long, 1) if short else board.length_mm, round(broad, 1) if narrow else board.width_mm, short, narrow
    )


def _below(shape: shapely.Polygon) -> tuple[float, float]:
    x0, _, x1, y1 = shape.bounds
    return (x0 + x1) / 2, y1


def _part(one: Lying, scale: float) -> DrawnPart:
    spot = _spot_of(one.outline)
    part = one.part
    piece = part.id.piece if part.id.in_any_copy.isdecimal() else 0
    number = str(part.number) if part.number else ""
    label = _label_px(spot[2] * scale, number)
    name = part.name + (f", copy {one.key.partition('/')[2]}" if "/" in one.key else "")
    return DrawnPart(
        one.key,
        piece,
        name,
        number,
        _path(one.outline),
        spot[0],
        spot[1],
        label,
        one.place.nailed,
        grain_deg=part.grain_deg,
        turned_deg=one.place.turned_deg,
    )


def _label_px(radius_px: float, number: str) -> float:
    """Height of a part's number, none where it would not be read."""
    if not number or radius_px < NUMBER_PX * (0.8 + 0.2 * len(number)):
        return 0.0
    return float(min(24.0, max(12.5, 1.1 * radius_px)))


def _spot_of(outline: shapely.Geometry) -> tuple[float, float, float]:
    body = max(shapely.get_parts(outline).tolist(), key=lambda one: one.area)
    spot = largest_circle(body.simplify(FINE_MM))
    return spot.x_mm, spot.y_mm, spot.radius_mm


def _loose(job: Job, part: Part, scale: float) -> DrawnPart:
    x0, y0, _, _ = part.outline.bounds
    outline = shapely.transform(part.outline, lambda points: points - (x0, y0))
    spot = _spot_of(outline)
    piece = part.id.piece if part.id.in_any_copy.isdecimal() else 0
    number = str(part.number) if part.number else ""
    return DrawnPart(
        part.key,
        piece,
        part.name,
        number,
        _path(outline),
        spot[0],
        spot[1],
        _label_px(spot[2] * scale, number),
        lost=True,
    )


def _stays(job: Job, board: Board, lying: Iterable[Lying]) -> tuple[float, float, float, float] | None:
    """What is left of a board beyond its parts, as x, y, width and height in mm."""
    some = list(lying)
    if not some:
        return None
    _, y0, x1, y1 = board.region.bounds
    edge = gaps_of(job.composition).edge_mm
    begin = max(one.outline.bounds[2] for one in some) + edge + CROSSCUT_MM
    spoken = [one.outlines.bounds[2] for one in job.composition.rack.spoken_on.get(board.name, ())]
    begin = max([begin, *spoken])
    if x1 - begin < STAYS_MM:
        return None
    return begin, y0, x1 - begin, y1 - y0


def _path(shape: shapely.Geometry) -> str:
    simple = shapely.simplify(shape, FINE_MM)
    return "".join(path_of(body) for body in shapely.get_parts(simple) if body.geom_type == "Polygon")
