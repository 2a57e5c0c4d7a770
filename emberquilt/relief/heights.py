"""What stands how high, the shims and spacers under it, and what the whole comes to: depth, weight, hanger, frame."""

from collections import Counter
from dataclasses import dataclass

from ..lazy import lazy
from ..work.parts import ROOM_MM, Job
from .frame import FramePlan, frame_of
from .hanging import Hanging, hanging_of
from .mass import Mass, hung, mass_of
from .support import Support, supports_of


@dataclass(frozen=True)
class Relief:
    """Of one copy, all layers; each figure is worked out when it is first asked for. Tops are above what the rearmost
    layer lies on, `depth_mm` from the very back; all in mm, areas in mm2."""

    job: Job

    @lazy
    def _tops(self) -> list[float]:
        return [self.job.lifted_mm(p) for p in self.job.composition.made] or [0.0]

    @property
    def lowest_mm(self) -> float:
        return min(self._tops)

    @property
    def highest_mm(self) -> float:
        return max(self._tops)

    @property
    def depth_mm(self) -> float:
        return self.job.depth_mm

    @property
    def frame_takes_mm(self) -> float:
        """How deep a frame's rabbet must be for all of it, with room for points behind."""
        return self.depth_mm + ROOM_MM

    @lazy
    def thicknesses(self) -> tuple[tuple[float, int], ...]:
        """Stock thicknesses that were decided, and how many pieces are of each."""
        job = self.job
        decided = Counter(
            round(job.standing.pair[p.key].stock_mm, 6) for p in job.composition.made if not undecided(job, p.key)
        )
        return tuple(sorted(decided.items()))

    @lazy
    def shims(self) -> tuple[tuple[float, int, float], ...]:
        """Thickness of shims, how many there are of it, and their area."""
        shims = self.job.shims
        count = Counter(shim.thickness_mm for shim in shims)
        area = {mm: sum(shim.area_mm2 for shim in shims if shim.thickness_mm == mm) for mm in count}
        return tuple((mm, n, area[mm]) for mm, n in sorted(count.items()))

    @lazy
    def undecided(self) -> int:
        return sum(1 for p in self.job.composition.made if undecided(self.job, p.key))

    @lazy
    def mass(self) -> Mass:
        """Of all that hangs."""
        return mass_of(self.job, hung(self.job))

    @property
    def weight_kg(self) -> float:
        return self.mass.weight_kg

    @lazy
    def hanging(self) -> Hanging:
        return hanging_of(self.job)

    @lazy
    def supports(self) -> tuple[Support, ...]:
        return tuple(supports_of(self.job))

    @lazy
    def frame(self) -> FramePlan | None:
        """What the frame that was decided must take, and its sides; none where there is no frame."""
        rails = self.job.composition.decisions.relief.rails
        if rails is None:
            return None
        composition = self.job.composition
        return frame_of(
            composition.width_mm,
            composition.height_mm,
            rails.width_mm,
            rails.thickness_mm,
            self.depth_mm,
            rails.rabbet_mm,
            rails.sides,
            self.job.filler_strips,
            rails.built == "groove",
        )


def undecided(job: Job, key: int) -> bool:
    """Neither the piece nor its layer says how thick it is, nor does what was said of depth; the usual stock is
    reckoned with."""
    if job.composition.home[key].key in job.standing.asked:
        return False
    return job.composition.by_key[key].thickness_mm is None and not job.composition.home[key].thickness_mm
