"""Decisions that an edit had to let go: said at the station they were about, until somebody has seen it."""

from ..findings import STATIONS, Finding
from .parts import Job
from .register import judgement


def _lost_at(station: str):
    def judge(job: Job, _plan=None) -> list[Finding]:
        return [
            Finding(
                "decision-gone",
                station,
                lost.words,
                "A decision about what is no longer there is not kept.",
                part=lost.mark,
            )
            for lost in job.composition.decisions.whole.lost
            if lost.station == station
        ]

    return judge


for _station in STATIONS:
    judgement(_station)(_lost_at(_station))
