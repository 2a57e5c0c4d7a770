"""Whether dates can be given at all, and whether they are good enough."""

from ..errors import BadChoice
from ..findings import Finding, Fix
from ..work.parts import Job
from ..work.register import judgement
from .placing import Impossible
from .schedule import Schedule, check_hours
from .shop import means_of


@judgement("calendar", plan="todo")
def calendar_findings(job: Job, todo) -> list[Finding]:
    """Hours that cannot hold the job. `todo`: the steps that are left, the first moment of work, and what is wished."""
    steps, start, wishes = todo
    try:
        check_hours(steps, means_of(job.composition.practice), start, wishes.pins)
    except BadChoice as problem:
        return [Finding("no-dates", "calendar", str(problem), "Every task needs a window that holds it.")]
    return []


@judgement("calendar", plan="wished_dates")
def wishes(job: Job, dated: tuple[Schedule, tuple[Impossible, ...]] | None) -> list[Finding]:
    """Pins that cannot be kept, a day that is missed. `dated`: the plan and those pins; nothing where nothing is
    wished."""
    if dated is None:
        return []
    dates, refused = dated
    return [_unkept(one) for one in refused] + _late(job, dates)


def _unkept(pin: Impossible) -> Finding:
    return Finding(
        "unkept-pin",
        "calendar",
        str(pin),
        "It is planned where it can be, as if it were not pinned.",
        fix=Fix("Unpin it", "unpin", {"step": pin.task}),
        part=pin.task,
    )


def _late(job: Job, dates: Schedule) -> list[Finding]:
    decided = job.composition.decisions.calendar
    moment = dates.due
    if moment is None or dates.finish is None:
        return []
    what = f" for {decided.occasion}" if decided.occasion else ""
    if dates.finish <= moment:
        return []
    bound = dates.bound
    days = max(1, (dates.finish.date() - moment.date()).days + (1 if dates.finish > moment else 0))
    no_plan = (
        f" No plan with these hours can end before {bound:%a %d %b}." if bound is not None and bound > moment else ""
    )
    return [
        Finding(
            "late",
            "calendar",
            f"It ends {dates.finish:%a %d %b %H:%M}; it is to be ready by {moment:%a %d %b}{what}: {days} "
            f"day{'' if days == 1 else 's'} late.{no_plan}",
            "More hours, a second pair of hands or a glue that sets sooner bring it forward.",
        )
    ]
