"""How the Relief station shows parts that stand: their slots as they are sawn, and what goes into each."""

from ..outline.paths import path_of
from ..work.parts import Job
from ..work.readings import Read, by_number, open_ones, worn
from ..work.register import reading
from ..work.scene import Mark
from ..work.view import View
from .joints_judged import tab_marks, tab_names


@reading("relief", "joints", of="apart")
def joints(job: Job, _plan, view: View) -> Read:
    """Slots by the thickness of what goes in; in each the number of that part."""
    dress = worn(job, view, "pale", by_number) | open_ones(job, view)
    shown = {p.key for p in view.pieces(job.composition)}
    marks = [Mark("slot", path=path_of(area), piece=key) for key, area in tab_marks(job) if key in shown]
    marks += [Mark("slot-name", x, y, text=name, piece=key) for key, x, y, name in tab_names(job) if key in shown]
    return dress, tuple(marks)
