"""Boards as they come, and layouts as they go, in plain values. See docs/formats.md."""

import json
import time
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import shapely

from ..errors import BadChoice
from ..layout.bound import strip_bound
from ..layout.effort import Effort
from ..layout.strip import strip_layout
from ..layout.task import Gaps, Laid
from ..plan import Plan
from ..rack.boards import Board, Defect
from ..rack.rack import Rack
from ..rack.woods import Shelf
from ..stock.buying import buying_of
from ..stock.laying import Laying, checked_gap, gaps_of, home_of, item_of
from ..work.composition import Placement
from ..work.copies import any_copy
from ..work.parts import Job, job_of

MOST_BOARDS = 400
MOST_POINTS = 20_000
MOST_MM = 100_000.0


def boards_from(data: bytes, shelf: Shelf) -> tuple[Board, ...]:
    """Boards as a list of `name`, `material`, `thickness_mm`, `rings`, `flaws`, `grain_deg`. Raises `BadChoice`."""
    try:
        told = json.loads(data)
    except ValueError:
        raise BadChoice("The file of boards is no JSON.") from None
    if not isinstance(told, list) or not told or len(told) > MOST_BOARDS:
        raise BadChoice(f"The file of boards must be a list of 1 to {MOST_BOARDS} boards.")
    boards = [_board(i, one, shelf) for i, one in enumerate(told, 1)]
    names = [board.name for board in boards]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise BadChoice(f"Two boards are called {twice}. Give each its own name.")
    return tuple(boards)


def _board(number: int, told: Any, shelf: Shelf) -> Board:
    if not isinstance(told, dict):
        raise BadChoice(f"Board {number} is no object with a name, a material and rings.")
    name = str(told.get("name") or f"board {number}")[:40]
    material = str(told.get("material") or "").strip()[:60]
    if not material:
        raise BadChoice(f"Board {name} is of no material.")
    code = shelf.code_of(material) or material
    rings = [_ring(name, ring) for ring in _listed(told.get("rings"))]
    if not rings:
        raise BadChoice(f"Board {name} has no outline.")
    region = shapely.Polygon(rings[0], rings[1:])
    if not region.is_valid or region.area < 1.0:
        raise BadChoice(f"The outline of board {name} crosses itself or encloses nothing.")
    x0, y0, x1, y1 = region.bounds
    thick = _number(name, told.get("thickness_mm"), "thickness")
    if thick <= 0:
        raise BadChoice(f"Board {name} has a thickness of {thick:g} mm.")
    flaws = [Defect("knot", _ring(name, ring)) for ring in _listed(told.get("flaws"))]
    holes = [Defect("gouge", tuple(ring)) for ring in rings[1:]]
    bad = next((f for f in flaws if not shapely.Polygon(f.ring).is_valid), None)
    if bad is not None:
        raise BadChoice(f"A flaw of board {name} crosses itself.")
    grain = _number(name, told.get("grain_deg", 0.0), "grain") % 360
    shifted = abs(x0) > 1e-9 or abs(y0) > 1e-9
    straight = not shifted and len(rings) == 1 and abs(region.area - (x1 - x0) * (y1 - y0)) < 1e-6
    outline = () if straight else tuple(rings[0])
    return Board(
        number, code, name, x1 - x0, y1 - y0, thick, grain, outline, (*flaws, *holes), offcut=bool(told.get("offcut"))
    )


def _listed(told: Any) -> list:
    return told if isinstance(told, list) else []


def _number(name: str, told: Any, what: str) -> float:
    if isinstance(told, bool) or not isinstance(told, int | float) or not -MOST_MM <= told <= MOST_MM:
        raise BadChoice(f"Board {name}: its {what} is no number.")
    return float(told)


def _ring(name: str, told: Any) -> tuple[tuple[float, float], ...]:
    try:
        ring = tuple((float(x), float(y)) for x, y in told)
    except (TypeError, ValueError):
        raise BadChoice(f"A ring of board {name} is no list of points.") from None
    if not 3 <= len(ring) <= MOST_POINTS or any(not -MOST_MM <= v <= MOST_MM for point in ring for v in point):
        raise BadChoice(f"A ring of board {name} must be 3 to {MOST_POINTS} points within {MOST_MM / 1000:g} m.")
    return ring


def with_boards(job: Job, boards: Sequence[Board]) -> Job:
    """The same work with these on its rack."""
    rack = Rack(job.composition.rack.shelf, tuple(boards), ())
    return job_of(replace(job.composition, rack=rack))


def layout_json(
    plan: Plan,
    boards: Sequence[Board] | None = None,
    seconds: float = 0.0,
    seed: int = 0,
    spacing_mm: float | None = None,
    resaw: bool = False,
    buy: bool = False,
) -> dict[str, Any]:
    """Parts on boards, as `emberquilt layout` prints it. `resaw`: thick boards are sawn into leaves for thin parts;
    `buy`: what found no place on boards as they are sold."""
    begun = time.monotonic()
    job = plan.job if boards is None else with_boards(plan.job, boards)
    gaps = gaps_of(job.composition)
    if spacing_mm is not None:
        gaps = Gaps(checked_gap(spacing_mm), min(gaps.edge_mm, spacing_mm))
    laying = Laying(job, gaps, resaw=resaw, spares=False)
    made = laying.laid(Effort(seconds), seed)
    return {
        "boards": [_board_told(board) for board in job.composition.rack.boards],
        "placements": [_placed(one, *home_of(one.face)) for one in made.laid],
        "unplaced": [{"part": one.part, "why": f"{one.why} {one.would}"} for one in made.homeless],
        "density": made.density,
        "bound": made.bound,
        "spacing_mm": laying.gaps.between_mm,
        "edge_mm": laying.gaps.edge_mm,
        "seconds": round(time.monotonic() - begun, 3),
    } | ({"buy": _bought(job, made.placements)} if buy else {})


def _bought(job: Job, placements: Mapping[str, Placement]) -> list[dict[str, Any]]:
    laid = job_of(replace(job.composition, placements=dict(placements)))
    return [
        {
            "material": one.material,
            "count": one.count,
            "length_mm": one.length_mm,
            "width_mm": one.width_mm,
            "thickness_mm": round(one.thickness_mm, 4),
            "quarters": one.quarters,
            "leaves": one.leaves,
            "board_feet": None if one.sheet else round(one.nominal_feet, 6),
            "actual_board_feet": None if one.sheet else round(one.actual_feet, 6),
            "parts": list(one.parts),
        }
        for one in buying_of(laid).purchases
    ]


def strip_json(
    plan: Plan, height_mm: float, spacing_mm: float | None = None, seconds: float = 0.0, seed: int = 0
) -> dict[str, Any]:
    """All parts, whatever they are of, in one endless strip."""
    begun = time.monotonic()
    job = plan.job
    gap = checked_gap(gaps_of(job.composition).between_mm if spacing_mm is None else spacing_mm)
    if not 0 < height_mm <= MOST_MM:
        raise BadChoice(f"A strip is more than 0 and at most {MOST_MM / 1000:g} m high.")
    items = []
    for part in job.parts():
        items.append(replace(item_of(job, part), cluster=""))
    strip = strip_layout(items, height_mm, gap, Effort(seconds), seed)
    return {
        "boards": [
            {
                "name": "strip",
                "material": "",
                "thickness_mm": 0.0,
                "rings": [[[0.0, 0.0], [strip.length_mm, 0.0], [strip.length_mm, height_mm], [0.0, height_mm]]],
                "flaws": [],
                "grain_deg": 0.0,
            }
        ],
        "placements": [_placed(one, one.face) for one in strip.layout.laid],
        "unplaced": [
            {"part": item.key, "why": f"It is wider than the strip of {height_mm:g} mm in every turn it may have."}
            for item in strip.layout.unplaced
        ],
        "length_mm": strip.length_mm,
        "density": strip.density,
        "bound": strip_bound(items, height_mm, gap),
        "spacing_mm": gap,
        "edge_mm": 0.0,
        "seconds": round(time.monotonic() - begun, 3),
    }


def _board_told(board: Board) -> dict[str, Any]:
    return {
        "name": board.name,
        "material": board.wood,
        "thickness_mm": board.thickness_mm,
        "rings": [_points(board.region.exterior)],
        "flaws": [[list(point) for point in defect.ring] for defect in board.defects],
        "grain_deg": board.grain_deg,
        "offcut": board.offcut,
    }


def _placed(one: Laid, board: str, leaf: int = 0) -> dict[str, Any]:
    bodies = shapely.get_parts(one.outline)
    return {
        "part": one.item.key,
        "board": board,
        "leaf": leaf,
        "rings": [_points(ring) for body in bodies for ring in (body.exterior, *body.interiors)],
        "turn_deg": round(one.turn_deg % 360, 6),
        "copy": int(one.item.key.partition("/")[2] or 1),
        "of": any_copy(one.item.key),
    }


def _points(ring: shapely.LinearRing) -> list[list[float]]:
    return shapely.get_coordinates(ring)[:-1].round(4).tolist()
