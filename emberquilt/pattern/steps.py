"""The paper: patterns printed, cut out and pasted."""

from ..work.copies import in_copies
from ..work.parts import Job
from ..work.register import steps
from ..work.steps import Gathered, Step

MINUTES_TO_PRINT, MINUTES_TO_PASTE = 15.0, 0.8
"""To print and tape; to cut out and paste one: common practice, no source."""


@steps(at=10)
def paste(job: Job, plan, gathered: Gathered) -> None:
    """One pattern for each blank and run, whatever comes out of it."""
    runs: dict[int, int] = {}
    parts: dict[int, list[str]] = {}
    for cut in plan.saw.cuts:
        if not plan.saw.blanks[cut.blank].late:
            runs[cut.blank] = cut.runs
            parts.setdefault(cut.blank, []).extend(cut.frees)
    if not runs:
        return
    keys: list[str] = []
    shares: list[float] = []
    for blank, own in parts.items():
        every = in_copies(own, job.copies)
        keys += every
        shares += [MINUTES_TO_PASTE * runs[blank] / len(every)] * len(every)
    count = sum(runs.values())
    gathered.add(
        Step(
            "paste",
            "pattern",
            "paste",
            f"Print, cut out and paste {count} pattern{'' if count == 1 else 's'}",
            MINUTES_TO_PRINT + sum(shares),
            tuple(keys),
            wait_minutes=5.0,
            shares=tuple(shares),
            place="table",
            tools=("printer", "scissors", "spray adhesive"),
            caution="Spray adhesive: ventilate, no flame.",
            why="the saw follows the paper",
        )
    )
