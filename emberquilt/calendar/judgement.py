"""Whether dates can be given at all."""

from ..errors import BadChoice
from ..findings import Finding
from ..work.parts import Job
from ..work.register import judgement
from .schedule import check_hours


@judgement("calendar", plan="todo")
def calendar_findings(job: Job, todo) -> list[Finding]:
    """Hours that cannot hold the job. `todo`: the steps that are left, and the first moment of work."""
    steps, start = todo
    try:
        check_hours(steps, job.composition.practice.hours, start)
    except BadChoice as problem:
        return [Finding("no-dates", "calendar", str(problem), "Every task needs a window that holds it.")]
    return []
