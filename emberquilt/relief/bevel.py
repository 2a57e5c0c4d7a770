"""Pieces sawn with the table tilted, so that they rise or sink in their surroundings and jam like a cork."""

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import shapely

from ..errors import BadChoice
from ..rack.blades import choose_blade
from ..work.parts import Job, Part
from ..work.standing import host_of

MOST_TILT_DEG = 20.0
"""Beyond this nobody saws a bevel to lift a piece: own choice."""
USUAL_DEG = (1.0, 4.0)
"""2 to 3 degrees are usual, one more and one less are met: common practice, no source."""
LEAST_HELD = 0.4
"""A piece keeps at least this share of its thickness within its surroundings: own choice."""
WAYS = {
    # (table's lower side, proud): with the left side down a counter-clockwise cut widens the piece below
    ("left", True): "counter-clockwise",
    ("left", False): "clockwise",
    ("right", True): "clockwise",
    ("right", False): "counter-clockwise",
}


def rise_of(tilt_deg: float, kerf_mm: float) -> float:
    """How far a freed piece slides before it jams: kerf over the sine of the tilt, the kerf measured square to the
    blade. Geometry. Raises `BadChoice` for a tilt of nothing."""
    if not 0 < tilt_deg < 90:
        raise BadChoice("A bevel needs a tilt of more than 0 and less than 90 degrees.")
    return kerf_mm / math.sin(math.radians(tilt_deg))


def tilt_for(rise_mm: float, kerf_mm: float) -> float:
    """The tilt (degrees) with which a piece rises, or sinks, by so much. Raises `BadChoice` for less than the kerf."""
    if not abs(rise_mm) > kerf_mm:
        raise BadChoice(f"With a kerf of {kerf_mm:.2f} mm a piece slides by more than that, at whatever tilt.")
    return math.degrees(math.asin(kerf_mm / abs(rise_mm)))


def inlay_tilt(thickness_mm: float, kerf_mm: float) -> float:
    """The tilt (degrees) at which a piece of a second sheet sawn with the first comes flush: it slides by the sheet's
    thickness."""
    return tilt_for(thickness_mm, kerf_mm)


@dataclass(frozen=True, slots=True)
class BevelCut:
    """How a piece is sawn: `rise_mm` above its surroundings (below where it is less than zero), tilt, the way round as
    seen from above with the table's `down` side low; `clashes` neighbours that would not close on it."""

    piece: int
    host: int
    rise_mm: float
    tilt_deg: float
    kerf_mm: float
    down: str
    way: str
    held_mm: float
    clashes: tuple[int, ...]


def kerf_mm(job: Job, host: int) -> float:
    """Of the blade that this practice takes for what a bevelled piece is sawn out of."""
    wood = job.composition.rack.shelf.get(job.material[host])
    return choose_blade(job.composition.practice, job.thickness_mm[host], wood.hardness_lbf if wood else 0.0).kerf_mm


def bevels_of(job: Job) -> dict[int, BevelCut]:
    """Of every piece that is to be cut so, by its key."""
    return job.once("bevels", lambda: _bevels(job))


def _bevels(job: Job) -> dict[int, BevelCut]:
    composition = job.composition
    found = {}
    for key, rise in composition.decisions.relief.bevels.items():
        host = host_of(composition, key)
        if host is None:
            continue
        thick, kerf = job.thickness_mm[host], kerf_mm(job, host)
        tilt = tilt_for(rise, kerf) if abs(rise) > kerf else MOST_TILT_DEG
        down = composition.practice.table_down
        found[key] = BevelCut(
            key,
            host,
            rise,
            tilt,
            kerf,
            down,
            WAYS[down, rise > 0],
            thick - abs(rise),
            _clashes(job, key, host),
        )
    return found


def out_of(job: Job) -> dict[int, int]:
    """Bevelled pieces that come out of the very wood that they jam in, and the piece that it is: they need no board of
    their own."""
    return job.once("out of", lambda: _out_of(job))


def _out_of(job: Job) -> dict[int, int]:
    return {key: cut.host for key, cut in bevels_of(job).items() if job.material[key] == job.material[cut.host]}


def stock_outline(job: Job, part: Part) -> shapely.Geometry:
    """What a part takes of its board: with it whatever is sawn out of it afterwards, so that nothing else is laid
    there."""
    inside = [key for key, host in out_of(job).items() if host == part.id.piece]
    if not inside or not part.id.in_any_copy.isdecimal():
        return part.outline
    return shapely.union_all(np.array([part.outline, *(job.pieces[key].outline for key in inside)], object))


def of_boards(job: Job, parts: Iterable[Part]) -> list[Part]:
    """Of these parts those that are cut out of boards and sheets themselves."""
    inside = out_of(job)
    return [part for part in parts if not (part.id.in_any_copy.isdecimal() and part.id.piece in inside)]


def _clashes(job: Job, key: int, host: int) -> tuple[int, ...]:
    """Neighbours round it besides the one it is sawn out of: their edge is square where its own slopes, so a wedge
    stays open. What lies within it is sawn out of it afterwards."""
    coverage = job.composition.home[key].without_openings.coverage
    border = shapely.get_exterior_ring(coverage.by_key[key])
    beside = coverage.neighbours.get(key, {})
    return tuple(
        sorted(o for o, seam in beside.items() if o != host and shapely.intersection(seam.line, border).length > 0.1)
    )
