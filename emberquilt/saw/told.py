"""The way of the blade in words, stroke by stroke."""

from collections.abc import Callable, Sequence

from ..findings import name_pieces
from ..work.parts import Job
from .cuts import Cut
from .turning import CORNERS
from .way import Stroke

Words = Callable[[float], str]


def stroke_words(job: Job, cut: Cut, stroke: Stroke) -> str:
    """One sentence: where the stroke goes, what is done at its end, and what comes free."""
    say = job.composition.practice.say
    long = say(stroke.length_mm)
    if stroke.kind == "in":
        begin = "From the pilot hole" if _from_hole(cut, stroke) else "From the board's edge"
        told = f"{begin} to the line, {long}"
    elif stroke.kind == "waste":
        told = f"Round through the waste, {long}"
    elif stroke.kind == "accent":
        return f"Into the line that frees nothing, {long}; back out as you came."
    else:
        told = f"Along the line, {long}"
    end = CORNERS.get(stroke.corner, "") if stroke.corner not in ("", "flow") else ""
    sentence = told + (f"; {end}" if end else "")
    if stroke.waste:
        sentence += ". The waste drops out"
    if stroke.frees:
        names = _named(job, stroke.frees)
        sentence += f". {names} {'are' if len(stroke.frees) > 1 else 'is'} free"
    return sentence + "."


def _from_hole(cut: Cut, stroke: Stroke) -> bool:
    x, y = stroke.path[0].tolist()
    return any(abs(hole.x_mm - x) < 0.01 and abs(hole.y_mm - y) < 0.01 for hole in cut.holes)


def _named(job: Job, keys: Sequence[str]) -> str:
    """The parts by their names, numbers together."""
    numbers = [part.number for key in keys if (part := job.by_key[key]).number]
    others = [part.name for key in keys if not (part := job.by_key[key]).number]
    told = ([name_pieces(sorted(numbers), 4)] if numbers else []) + others
    words = " and ".join(told)
    return words[:1].upper() + words[1:]


def corners_told(cut: Cut) -> str:
    """What a cut's corners ask for: “2 loops, 3 pivots”."""
    names = {
        "pivot": ("pivot", "pivots"),
        "spin": ("turn in the kerf", "turns in the kerf"),
        "loop": ("loop", "loops"),
        "back": ("corner from both sides", "corners from both sides"),
        "edge": ("cut to the edge", "cuts to the edge"),
    }
    told = []
    for kind, (one, many) in names.items():
        count = sum(stroke.corner == kind for stroke in cut.strokes)
        if count:
            told.append(f"{count} {one if count == 1 else many}")
    return ", ".join(told)
