"""Lines on a picture that part nothing: burnt in, painted, or sawn without freeing anything."""

from dataclasses import dataclass, replace

import numpy as np
import shapely

Affine = tuple[float, float, float, float, float, float]
"""(a, b, c, d, e, f): x' = a x + b y + c, y' = d x + e y + f."""
MOST_DETAILS = 2000
LEAST_DETAIL_MM = 1.0
"""What is shorter, on the whole or on one piece, is no line: own choice."""
HOWS = {
    "burnt": "burnt in",
    "painted": "painted",
    "sawn": "a saw cut that frees nothing",
    "vein": "a saw cut softened with sandpaper",
    "textured": "a texture cut or pressed along it",
}


@dataclass(frozen=True, slots=True)
class Detail:
    """A line in mm and how it is made, one of `HOWS`."""

    line: tuple[tuple[float, float], ...]
    how: str = "burnt"

    @property
    def geometry(self) -> shapely.LineString:
        return shapely.LineString(self.line)

    def moved(self, move: Affine) -> "Detail":
        return replace(self, line=moved_line(self.line, move))


def detail_of(line, how: str = "burnt") -> Detail:
    """Of points in mm, shape (n, 2)."""
    return Detail(tuple((round(float(x), 2), round(float(y), 2)) for x, y in line), how)


def moved_line(line, move: Affine) -> tuple[tuple[float, float], ...]:
    """Points after a move, to hundredths of a mm."""
    xy = np.array(line)
    made = np.c_[xy @ np.array(move[:2]) + move[2], xy @ np.array(move[3:5]) + move[5]].round(2).tolist()
    return tuple((x, y) for x, y in made)


def nearest(details: tuple[Detail, ...], at, reach_mm: float) -> int | None:
    """Which detail lies nearest to a place, within reach."""
    if not details:
        return None
    far = shapely.distance(np.array([d.geometry for d in details]), shapely.Point(at))
    best = int(far.argmin())
    return best if far[best] <= reach_mm else None
