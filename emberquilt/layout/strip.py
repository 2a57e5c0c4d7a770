"""Everything into a strip of one width, as short as may be."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely

from .cells import Stamps
from .effort import Effort
from .first import first_layout
from .one_face import OneFace, Shortening, coarse_stamps
from .task import Face, Gaps, Item, Layout

FINE_MM = 1.0
STRIP = "strip"


@dataclass(frozen=True)
class Strip:
    """`width_mm` is that of the strip, `length_mm` how much of it is used."""

    layout: Layout
    width_mm: float
    length_mm: float

    @property
    def density(self) -> float:
        """Share of the strip's used length that ends up in parts."""
        return self.layout.area_mm2 / (self.width_mm * self.length_mm) if self.length_mm else 0.0


def strip_layout(items: Sequence[Item], width_mm: float, gap_mm: float, effort: Effort, seed: int = 0) -> Strip:
    """The parts in a strip of that width from x = 0 on, up to its edges, `gap_mm` between them. What is wider than the
    strip stays unplaced."""
    area = sum(item.area_mm2 for item in items)
    longest = max((float(np.hypot(*np.ptp(shapely.get_coordinates(i.outline), axis=0))) for i in items), default=1.0)
    long_mm = 4 * area / width_mm + 2 * longest + (longest + gap_mm) * 0.1 * len(items)
    room = shapely.box(0, 0, long_mm, width_mm)
    face, gaps = Face(STRIP, room), Gaps(gap_mm, 0.0)
    begun = first_layout(items, [face], gaps, Stamps(FINE_MM, gap_mm))
    if not begun.laid:
        return Strip(begun, width_mm, 0.0)
    search = Shortening(OneFace.of(face, gaps, coarse_stamps(gaps, items)), begun.laid, np.random.default_rng(seed))
    if not effort.done:
        search.settle(effort)
    while not effort.done:
        search.attempt(effort)
    return Strip(replace(begun, laid=search.best), width_mm, search.reach_mm)
