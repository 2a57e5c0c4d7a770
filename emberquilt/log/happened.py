"""What the bench wrote down, as the log reckons with it."""

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..saw.steps import SAW_VERBS
from .rates import Logged

DONE, BROKE, MENDED, NOTE, BLADE, PAPER = "done", "broke", "mended", "note", "blade", "paper"


@dataclass(frozen=True, slots=True)
class Happened:
    """One entry: `step` is a verb where it was done part by part, else the key of the step. Minutes as the clock had
    them, `estimate` before any correction; `made_of` what it was done on (see `bench.cards.made_of`)."""

    what: str
    step: str
    part: str
    at: dt.datetime
    minutes: float | None = None
    estimate: float | None = None
    why: str = ""
    who: str = ""
    text: str = ""
    sawn_seconds: float | None = None
    made_of: Mapping[str, Any] = field(default_factory=dict)
    work: str = ""
    """The name of the work it belongs to."""

    @property
    def verb(self) -> str:
        return "saw" if self.step in SAW_VERBS else str(self.made_of.get("verb", self.step))

    @property
    def timed(self) -> bool:
        return self.what == DONE and bool(self.minutes) and bool(self.estimate)

    @property
    def logged(self) -> Logged:
        return Logged(self.verb, self.minutes or 0.0, self.estimate or 0.0, self.made_of, self.who)
