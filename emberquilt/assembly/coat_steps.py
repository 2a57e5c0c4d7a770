"""Coats as steps: what goes on before glue-up because it is out of reach later, and what goes on over all."""

from collections.abc import Iterable
from dataclasses import replace

from ..hours import longest_minutes
from ..practice import Practice
from ..work.copies import in_copies, repeated_minutes
from ..work.parts import Job
from ..work.register import steps
from ..work.steps import Gathered, Step
from .finishing import BEFORE, WITH_THEM, Coating, coatings_of
from .supplies import Finish, finish_of

MINUTES_TO_SET_OUT = 5.0
"""To set out for coats, and to clean up: once for those that stand together. Common practice, no source."""
MINUTES_TO_COAT, MINUTES_A_PART = 5.0, 0.25
"""To mix, load and clean for one coat of a finish, and for each part: common practice, no source."""
MINUTES_A_BACK = 5.0
MINUTES_TO_COLOUR, MINUTES_A_COLOURED_PART = 2.0, 1.0
"""The same for a colour."""
MINUTES_TO_MASK = 2.0
"""For each part that is masked where glue goes: common practice, no source."""
BARE = "Keep what will be glued bare: mask it."


@steps(at=60)
def colour(job: Job, plan, gathered: Gathered) -> None:
    """What must be painted, dyed or finished before it is out of reach; the back of the backer; all of it, where the
    practice finishes before glue-up."""
    sawn = plan.saw.made(job)
    put_on(job, gathered, sawn, BEFORE, ())
    practice = job.composition.practice
    if job.grounds and sawn and any(step.key == "backer" for step in gathered.steps):
        finish = finish_of(practice.finish, practice)
        backs = in_copies((part.key for part in job.grounds), job.copies)
        gathered.add(
            Step(
                "backer-finish",
                "assembly",
                "coat",
                f"{finish.name} on the back of the backer" + ("s" if len(backs) > 1 else ""),
                repeated_minutes(practice, MINUTES_A_BACK, job.copies),
                backs,
                finish.handle_minutes,
                place=place_of(finish, practice),
                setup="finish",
                setup_minutes=MINUTES_TO_SET_OUT,
                caution=finish.caution,
                lines=("Ease its edge and colour it dark first, so that it does not show from the side",),
                why="it dries while the pieces are shaped",
            )
        )


def put_on(job: Job, gathered: Gathered, sawn: set[str], when: str, before: tuple[str, ...]) -> tuple[str, ...]:
    """The steps of all coats that go on then. Those after glue-up follow on each other; gives what comes next has to
    wait for."""
    for coating in coatings_of(job):
        keys = [key for key in coating.parts if key in sawn]
        if coating.when == when and keys:
            last = _coats(job, gathered, coating, keys, before)
            before = last if when != BEFORE else before
    return before


def _coats(job: Job, gathered: Gathered, coating: Coating, keys: list[str], before: tuple[str, ...]) -> tuple[str, ...]:
    """One kind of coat, coat by coat."""
    practice, supply = job.composition.practice, coating.supply
    parts = in_copies(keys, job.copies)
    own = "coat" in coating.key.split("-")
    setup, each = (MINUTES_TO_COAT, MINUTES_A_PART) if own else (MINUTES_TO_COLOUR, MINUTES_A_COLOURED_PART)
    minutes = setup + each * len(keys)
    # over all it needs no name of its own
    named = "" if coating.key == "coat" else f"{_named(job, keys)}"
    last: tuple[str, ...] = before
    in_one_go = coating.coats * minutes + (coating.coats - 1) * supply.recoat_minutes + MINUTES_TO_SET_OUT
    # some recoat soon or not until the next day: where no hours hold all coats, a day lies between them anyway
    soon = supply.soon_minutes > 0 and in_one_go <= longest_minutes(practice.hours)
    for number, key in enumerate(coating.step_keys(), 1):
        masks = MINUTES_TO_MASK * len(coating.masked) if number == 1 else 0.0
        count = f", coat {number} of {coating.coats}" if coating.coats > 1 or own else ""
        step = Step(
            key,
            "assembly",
            "coat",
            _label(coating, named, count, own),
            repeated_minutes(practice, minutes + masks, job.copies, setup),
            parts,
            supply.handle_minutes if number == coating.coats else supply.recoat_minutes,
            place=place_of(supply, practice),
            setup="finish",
            setup_minutes=MINUTES_TO_SET_OUT,
            within=tuple((key, supply.soon_minutes) for key in last) if number > 1 and soon else (),
            caution=" ".join(filter(None, (_caution(job, coating), WITH_THEM.get(practice.used, "")))),
            lines=tuple(_lines(job, coating, number)),
            why=coating.why,
        )
        last = gathered.add(step if number == 1 else replace(step, after=last), before if number == 1 else ())
    return last


def place_of(supply: Finish, practice: Practice) -> str:
    """Where it goes on."""
    return "outdoors" if supply.how == "spray" and practice.spray_at == "outdoors" else "finish"


def _label(coating: Coating, named: str, count: str, own: bool) -> str:
    if not named:
        return f"{coating.name}{count}"
    if own:
        return f"{coating.name}{count} on {named}"
    verb, _, colour_words = coating.name.partition(" ")
    return f"{verb} {named} {colour_words}".strip() + count


def _caution(job: Job, coating: Coating) -> str:
    glue_comes = coating.when == BEFORE and not coating.masked
    return f"{coating.supply.caution} {BARE}".strip() if glue_comes else coating.supply.caution


def _lines(job: Job, coating: Coating, number: int) -> Iterable[str]:
    say = job.composition.practice.say_area
    if number == 1:
        yield f"{coating.ml * job.copies:.0f} ml for {say(coating.area_mm2 * job.copies)}" + (
            f", {coating.coats} coats" if coating.coats > 1 else ""
        )
        if coating.masked:
            names = _named(job, coating.masked)
            yield f"Mask {say(coating.masked_mm2)} of {names} first, where glue goes: tape or paper to the line"
        yield from coating.lines
        if len(coating.parts) > 1:
            yield f"{len(coating.parts) * job.copies} parts to lay out on points or hang from hooks while they dry"
    elif coating.supply.grit:
        yield f"{coating.supply.grit} grit first, lightly, dust off"


def _named(job: Job, keys: Iterable[str]) -> str:
    names = [job.by_key[key].name for key in keys]
    return " and ".join(names) if len(names) <= 2 else f"{len(names)} parts"
