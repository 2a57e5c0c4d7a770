"""Numbers in reading order: rows from the top, left to right in each."""

from .coverage import Coverage


def reading_order(coverage: Coverage) -> list[int]:
    """Piece keys in reading order.

    A piece belongs to the row of the topmost piece not yet numbered when its fattest spot lies no lower than
    half a row (half the median diameter of the fattest spots) below that piece's.
    """
    if not len(coverage):
        return []
    spots = coverage.spots
    diameters = sorted(2 * spot.radius_mm for spot in spots.values())
    row_mm = max(diameters[len(diameters) // 2], 1e-6)
    waiting = sorted(spots, key=lambda key: (spots[key].y_mm, spots[key].x_mm))
    order: list[int] = []
    row: list[int] = []
    for key in waiting:
        if row and spots[key].y_mm > spots[row[0]].y_mm + row_mm / 2:
            order += sorted(row, key=lambda k: spots[k].x_mm)
            row = []
        row.append(key)
    return order + sorted(row, key=lambda k: spots[k].x_mm)
