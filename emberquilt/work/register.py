"""What rooms offer: verbs, readings, judgements and steps, entered by each room itself when it is imported.

`emberquilt.rooms` imports every room there is; nothing else has to be told of a new one.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from .change import Edit
from .view import Target

Values = dict[str, Any]


@dataclass(frozen=True)
class Verb:
    """`do` takes what is acted on and what was typed. `on`: ``pieces`` where pieces that are made of something must be
    chosen (openings among them are left out), ``any`` otherwise."""

    name: str
    do: Callable[[Target, Values], Edit]
    on: str


@dataclass(frozen=True)
class Reading:
    """How a station reads the panel: `read(job, plan of that room, view)` gives what pieces wear and marks over
    them."""

    name: str
    read: Callable[[Any, Any, Any], tuple[dict, tuple]]
    plan: str
    of: str = ""
    """Of works that lie ``flat``, of those whose parts stand (``apart``), or of all."""


@dataclass(frozen=True)
class Judgement:
    """`judge(job, plan of that room)` gives the findings of a station."""

    judge: Callable[[Any, Any], list]
    plan: str


VERBS: dict[str, Verb] = {}
READINGS: dict[str, dict[str, Reading]] = {}
JUDGEMENTS: dict[str, list[Judgement]] = {}
STEPS: list[tuple[int, Callable[[Any, Any, Any], None]]] = []
"""What adds steps to those gathered so far, with its place in the order of the work."""


def verb(name: str, on: str = "any"):
    """Enter a verb under a name."""

    def enter(do: Callable[[Target, Values], Edit]):
        if name in VERBS:
            raise ValueError(f"two rooms call a verb {name}")
        VERBS[name] = Verb(name, do, on)
        return do

    return enter


def reading(station: str, name: str, plan: str = "", of: str = ""):
    """Enter a reading of a station; the first one entered is shown first. `plan`: the room whose plan it reads; `of`:
    works that lie ``flat`` or whose parts stand (``apart``)."""

    def enter(read):
        READINGS.setdefault(station, {})[name] = Reading(name, read, plan, of)
        return read

    return enter


def judgement(station: str, plan: str = ""):
    """Enter what finds fault for a station."""

    def enter(judge):
        JUDGEMENTS.setdefault(station, []).append(Judgement(judge, plan))
        return judge

    return enter


def steps(at: int):
    """Enter what tells steps: `tell(job, plan, gathered)`. `at` is its place in the order of the work: mill 5, paste
    10, saw 20, fit 30, cut what was traced 40, shape 50, colour 60, glue 70, trim 80, finish 90."""

    def enter(tell):
        STEPS.append((at, tell))
        return tell

    return enter
