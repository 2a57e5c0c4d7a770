"""What no layout could beat: by area alone, with the gap that every part keeps."""

from collections.abc import Iterable

import shapely

from .task import Face, Gaps, Item

STEP_MM2 = 100.0


def _with_gap_mm2(outline: shapely.Geometry, gap_mm: float) -> float:
    """Area that a part takes for itself alone: half of every gap is its own."""
    return float(outline.buffer(gap_mm / 2).area)


def strip_bound(items: Iterable[Item], width_mm: float, gap_mm: float) -> float:
    """The density that no layout in a strip can exceed: grown by half the gap, parts lie in the strip grown as much."""
    own = list(items)
    area = sum(item.area_mm2 for item in own)
    if not own or width_mm <= 0:
        return 0.0
    grown = sum(_with_gap_mm2(item.outline, gap_mm) for item in own)
    least_mm = max(grown / (width_mm + gap_mm) - gap_mm, area / width_mm)
    return min(1.0, area / (width_mm * least_mm))


def boards_bound(items: Iterable[Item], faces: Iterable[Face], gaps: Gaps) -> float:
    """The share of begun boards that could end up in parts at most: all parts on the boards of least area whose rooms
    are large enough, by area alone. Where all boards together are too small, as much as they could hold."""
    own, some = list(items), list(faces)
    area = sum(item.area_mm2 for item in own)
    if not own or not some:
        return 0.0
    half = gaps.between_mm / 2
    grown = sum(_with_gap_mm2(item.outline, gaps.between_mm) for item in own)
    # parts keep `edge_mm` from the edge, so what they take for themselves reaches half a gap less that beyond it
    rooms = []
    for face in some:
        room = face.region.buffer(half - gaps.edge_mm)
        if not face.flaws.is_empty:
            room = room.difference(face.flaws.buffer(gaps.edge_mm - half))
        rooms.append((float(room.area), float(face.region.area)))
    if sum(room for room, _ in rooms) < grown:
        # what fits is less than all; grown parts cannot be denser than the rooms they lie in
        return min(1.0, sum(room for room, _ in rooms) / sum(board for _, board in rooms))
    return min(1.0, area / _least_area(rooms, grown))


def _least_area(rooms: list[tuple[float, float]], wanted: float) -> float:
    """Least area of boards whose rooms sum up to what is wanted: a knapsack in steps of a square centimetre, rooms
    rounded up, boards down."""
    best: dict[int, float] = {0: 0.0}
    need = int(wanted // STEP_MM2)
    for room, board in rooms:
        gain = int(room // STEP_MM2) + 1
        for had, cost in sorted(best.items(), reverse=True):
            got = min(need, had + gain)
            if cost + board < best.get(got, float("inf")):
                best[got] = cost + board
    return max(best.get(need, float("inf")), 1e-9)
