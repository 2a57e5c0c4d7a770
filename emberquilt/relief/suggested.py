"""Orders of depth that a drawing suggests: closed outlines inside others, names of parts, lines that end at others,
and layers that lie over several pieces."""

from collections import Counter, defaultdict
from dataclasses import dataclass

import networkx as nx
import numpy as np
import shapely

from ..keys import keys_in, runs
from ..outline.coverage import Coverage
from ..work.composition import Layer
from ..work.decisions import Order
from ..work.overlaps import overlap_of
from ..work.parts import Job
from ..work.standing import graph_of

RANKS: tuple[str, ...] = (
    "background sky sea ocean lake pond river canal water ground field meadow wall night air board panel",
    "far hill hills mountain mountains shore bank beach grass cloud clouds path road wave waves",
    "fin fins tail tails stem stems leaf leaves shadow handle spout",
    "",
    "head face hand hands flower blossom lid rim door window windows top",
    "eye eyes nose mouth pupil pupils button buttons knob star light",
)
"""Words in the names of parts from the back to the front; other names stand at the fourth place. Own choice."""
UNNAMED = 3
STRAIGHT_DEG = 25.0
"""Two lines that meet go on as one where they turn by less than this: own choice."""
ALONG_MM = 4.0
"""How far from a junction a line's direction is felt for: own choice."""
CARRIES = 0.1
"""What is lain on by less of itself, and by less of what lies on it, carries nothing: own choice."""
ROCKS_MM = 0.3
"""What lies on pieces that differ by more rocks: own choice."""
LEAST_ENDS = 2
"""Lines that end at a border, and none the other way, before it is taken for one in front. Own choice."""


@dataclass(frozen=True, slots=True)
class Suggestion:
    """An order and why it is likely."""

    order: Order
    why: str


def suggested_orders(job: Job) -> list[Suggestion]:
    """What was neither said, nor turned down, and neither follows from what was said nor contradicts it. Kept with the
    job."""
    kept = job.__dict__.get("_suggested")
    if kept is None:
        kept = job.__dict__["_suggested"] = _suggested(job)
    return kept


def _suggested(job: Job) -> list[Suggestion]:
    relief = job.composition.decisions.relief
    known = {frozenset((one.front, one.behind)) for one in (*relief.orders, *relief.refused)}
    graph = graph_of(job.composition)
    below: dict[int, set[int]] = {}

    def reaches(front: str, behind: str) -> bool:
        """Whether each of the first is said to stand in front of each of the second, by whatever way."""
        for key in keys_in(front):
            if key not in below:
                below[key] = nx.descendants(graph, key) if key in graph else set()
            if not below[key].issuperset(keys_in(behind)):
                return False
        return True

    offered: dict[frozenset[str], Suggestion] = {}
    for place, layer in enumerate(job.composition.layers):
        if not layer.fitted:
            continue
        for one in (*_lain_on(job, place), *_by_name(layer), *_inside(layer), *_ending(layer)):
            about = frozenset((one.order.front, one.order.behind))
            if about in known or about in offered or _only(one.order.front) in relief.bevels:
                continue
            if reaches(one.order.front, one.order.behind) or reaches(one.order.behind, one.order.front):
                continue
            offered[about] = one
    return list(offered.values())


def _lain_on(job: Job, place: int) -> list[Suggestion]:
    """Pieces of one layer that are not equally high although one in front lies across them: it would rock."""
    layer = job.composition.layers[place]
    coverage, number = layer.without_openings.coverage, job.composition.by_key
    found = []
    for front in job.composition.layers[place + 1 :]:
        upper = front.without_openings.coverage
        over = overlap_of(upper, coverage, place)
        carried: dict[int, list[int]] = defaultdict(list)
        for i, j, area in zip(over.upper.tolist(), over.lower.tolist(), over.area_mm2.tolist(), strict=True):
            if area > CARRIES * coverage.area_mm2[coverage.keys[j]] or area > CARRIES * upper.area_mm2[upper.keys[i]]:
                carried[upper.keys[i]].append(coverage.keys[j])
        for key, below in carried.items():
            tops = [job.standing.top_mm(other) for other in below]
            if max(tops) - min(tops) > ROCKS_MM:
                first, *others = sorted(below, key=lambda other: -job.standing.top_mm(other))
                why = f"{number[key].number} lies across them and would rock"
                found.append(Suggestion(Order(str(first), runs(others), level=True), why))
    return found


def _only(run: str) -> int | None:
    """The piece of a run that names one."""
    return int(run) if run.isdecimal() else None


def _inside(layer: Layer) -> list[Suggestion]:
    """Pieces that lie wholly inside one other, as an eye in a head."""
    coverage = layer.without_openings.coverage
    number = layer.by_key
    found = []
    for key, beside in coverage.neighbours.items():
        if len(beside) != 1:
            continue
        ((other, seam),) = beside.items()
        ring = shapely.get_exterior_ring(coverage.by_key[key])
        if seam.length_mm < ring.length - 0.1 or (
            len(coverage.neighbours[other]) < 2 and not coverage.by_key[other].interiors
        ):
            continue
        if not coverage.by_key[other].interiors or coverage.area_mm2[key] > coverage.area_mm2[other]:
            continue
        why = f"{number[key].number} lies inside {number[other].number}"
        found.append(Suggestion(Order(str(key), str(other)), why))
    return found


def rank_of(part: str) -> int:
    """How far in front a part of this name usually stands; the last word of the name that is known counts."""
    for word in reversed(part.lower().replace(",", " ").split()):
        for rank, words in enumerate(RANKS):
            if word in words.split():
                return rank
    return UNNAMED


def _by_name(layer: Layer) -> list[Suggestion]:
    """Parts that touch, one over the other by their names."""
    coverage, piece = layer.without_openings.coverage, layer.by_key
    keys: dict[str, list[int]] = defaultdict(list)
    for key in coverage.keys:
        if piece[key].part:
            keys[piece[key].part].append(key)
    touching = {
        tuple(sorted((piece[s.a].part, piece[s.b].part)))
        for s in coverage.seams
        if piece[s.a].part and piece[s.b].part and piece[s.a].part != piece[s.b].part
    }
    found = []
    for one, other in sorted(touching):
        if rank_of(one) == rank_of(other):
            continue
        front, behind = (one, other) if rank_of(one) > rank_of(other) else (other, one)
        why = f"{front} usually stands in front of {behind}"
        found.append(Suggestion(Order(runs(keys[front]), runs(keys[behind])), why))
    return found


def _ending(layer: Layer) -> list[Suggestion]:
    """Where lines end at a border that runs on, its piece hides where they go: it stands in front of both beside the
    line."""
    coverage, piece = layer.without_openings.coverage, layer.by_key
    votes = coverage.once("ends-at", lambda: _votes(coverage))
    found = []
    for (front, behind), count in sorted(votes.items()):
        if count < LEAST_ENDS or votes.get((behind, front)):
            continue
        if piece[front].part and piece[front].part == piece[behind].part:
            continue
        why = f"{count} lines end at {piece[front].number}, beside {piece[behind].number}"
        found.append(Suggestion(Order(str(front), str(behind)), why))
    return found


def _votes(coverage: Coverage) -> Counter[tuple[int, int]]:
    """How often the first of two pieces lies beside a line that runs on where one beside the second ends."""
    ends: dict[tuple[float, float], list[tuple[int, int, np.ndarray]]] = defaultdict(list)
    for seam in coverage.seams:
        for line in shapely.get_parts(seam.line).tolist():
            xy = shapely.get_coordinates(line)
            if len(xy) < 2 or (xy[0] == xy[-1]).all():
                continue
            far = min(ALONG_MM, line.length / 2)
            for at, point in ((xy[0], line.interpolate(far)), (xy[-1], line.interpolate(-far))):
                along = np.array([point.x, point.y]) - at
                place = (round(float(at[0]), 2), round(float(at[1]), 2))
                ends[place].append((seam.a, seam.b, along / max(float(np.hypot(*along)), 1e-9)))
    votes: Counter[tuple[int, int]] = Counter()
    least = float(np.cos(np.radians(180 - STRAIGHT_DEG)))
    for meeting in ends.values():
        if len(meeting) != 3:
            continue
        turns = [(float(meeting[i][2] @ meeting[j][2]), i, j) for i, j in ((0, 1), (0, 2), (1, 2))]
        straight, i, j = min(turns)
        if straight > least:
            continue
        front = {*meeting[i][:2]} & {*meeting[j][:2]}
        if len(front) == 1:
            first = front.pop()
            votes.update((first, behind) for behind in {*meeting[3 - i - j][:2]} - {first})
    return votes
