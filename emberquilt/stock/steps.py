"""Boards milled before patterns go on them: one step for all that is done with one setting of a machine."""

from dataclasses import replace

from ..practice import Practice
from ..rack.woods import Shelf
from ..work.copies import in_copies
from ..work.parts import Job
from ..work.register import steps
from ..work.steps import Gathered, Step
from .milling import WORDS, Mill, sizes_told
from .need import Need

WHY = {
    "crosscut": "what is not needed stays as thick as it is",
    "rip": "to the width that the planer takes, or to strips for a panel",
    "joint": "straight and square: for the band saw's fence, or for a glue line that holds",
    "panel": "wider than any board; it must be dry before it is flattened",
    "flatten": "strips never come out of the clamps quite even",
    "resaw": "thin stock out of thick: half the length is enough",
    "plane": "all that comes to one thickness is planed at one setting",
    "carrier": "short or thin stock is torn to pieces in a planer by itself",
    "hand": "no machine here takes it",
    "section": "short enough for the throat and the hand",
}
CAUTIONS = {
    "crosscut": "Eye and ear protection; a stop must never trap the piece that falls off.",
    "rip": "Push stick, riving knife, stand beside the line of the board; eye and ear protection.",
    "joint": "Push blocks; nothing shorter than 300 mm over a jointer.",
    "panel": "Cauls across, so that nothing slides or bows; let it be until the glue bears work.",
    "flatten": "Scrape off the glue first: it ruins knives. Ear protection, stand beside the planer.",
    "resaw": "Guides down to the board, push stick for the end, fingers beside the blade.",
    "plane": "Nothing shorter than 300 mm or thinner than 3 mm without a carrier board; stand beside it, wear ear "
    "protection, never look into it.",
    "carrier": "Fix the stock to its carrier so that it cannot lift; light passes only; ear protection.",
    "hand": "Clamp the board; dust mask and extraction when sanding.",
    "section": "Do not cut fretted stock on a powered crosscut saw: sections come before the fretwork.",
}
CAUTION = "Follow what the machine's makers and your local rules say."


MINUTES_TO_BUY = 20.0
"""To measure, order and fetch: common practice, no source."""


@steps(at=1)
def buy(job: Job, plan, gathered: Gathered) -> None:
    """What the rack is short of is ordered first: it takes its days to come. A shop that keeps no rack is not told."""
    if not job.composition.rack.boards:
        return
    short = [need for need in plan.needs if need.short_mm2 > 0 and need.parts]
    if not short:
        return
    practice, shelf = job.composition.practice, job.composition.rack.shelf
    names = list(dict.fromkeys(shelf[n.material].name if n.material in shelf else n.material for n in short))
    told = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
    gathered.add(
        Step(
            "buy",
            "stock",
            "buy",
            f"Order {told}",
            MINUTES_TO_BUY,
            in_copies(dict.fromkeys(key for need in short for key in need.parts), job.copies),
            practice.buy_days * 1440.0,
            place="desk",
            lines=tuple(_short(need, practice, shelf) for need in short),
            why="what is not there holds up all that comes of it",
        )
    )


def _short(need: Need, practice: Practice, shelf: Shelf) -> str:
    name = shelf[need.material].name if need.material in shelf else need.material.replace("_", " ")
    return (
        f"{name}, {practice.say(need.thickness_mm)} thick: {practice.say_area(need.short_mm2)} more than the rack has"
    )


@steps(at=5)
def mill(job: Job, plan, gathered: Gathered) -> None:
    """Machine by machine, all boards at one setting one after the other."""
    before: tuple[str, ...] = ()
    for setting, mills in plan.milling.settings.items():
        # a board whose parts are sawn needs no milling any more: each part bears its share
        shares: dict[str, float] = {}
        for one in mills:
            for key in one.parts:
                shares[key] = shares.get(key, 0.0) + one.minutes / len(one.parts)
        step = _step(job, setting, mills, plan.milling.minutes_at(setting))
        wait = plan.glue.glue.work_minutes if setting[0] == "panel" else 0.0
        step = replace(step, parts=tuple(shares), shares=tuple(shares.values()), wait_minutes=wait)
        before = gathered.add(step, before)


def _step(job: Job, setting: tuple[str, float], mills: tuple[Mill, ...], minutes: float) -> Step:
    practice, (how, thick_mm) = job.composition.practice, setting
    boards = list(dict.fromkeys(one.board for one in mills))
    named = ", ".join(boards[:4]) + (f" and {len(boards) - 4} more" if len(boards) > 4 else "")
    to = f" to {practice.say(thick_mm)}" if thick_mm else ""
    return Step(
        f"mill-{how}" + (f"-{thick_mm:g}" if thick_mm else ""),
        "stock",
        "mill",
        f"{WORDS[how]}{to}: {named}",
        minutes,
        place="mill",
        caution=f"{CAUTIONS[how]} {CAUTION}",
        why=WHY[how],
        lines=tuple(line for one in mills for line in _lines(one, practice)),
    )


def _lines(one: Mill, practice: Practice) -> list[str]:
    lines = [f"{one.label}. {sizes_told(one, practice.short)} {practice.unit}"]
    return [*lines, f"{one.instead}."] if one.instead else lines
