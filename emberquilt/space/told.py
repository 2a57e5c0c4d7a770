"""What is said of a body in slices, for pages and lists."""

from functools import lru_cache

from ..solid.mesh import unpacked
from ..solid.slices import Way, ways_of
from ..work.in_space import Body
from ..work.parts import Job
from .slices import to_height, true_thickness


def ways_at(job: Job, body: Body) -> tuple[Way, ...]:
    """Every way to slice a body out of its stock, the best first; none where the body itself is not kept."""
    text = job.composition.decisions.meshes.meshes.get(body.layer)
    if not text:
        return ()
    return _ways(text, body.height_mm, true_thickness(job.thickness_mm, body))


@lru_cache(maxsize=32)
def _ways(text: str, height_mm: float, thickness_mm: float) -> tuple[Way, ...]:
    return tuple(ways_of(to_height(unpacked(text), height_mm), thickness_mm))
