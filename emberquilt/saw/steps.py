"""At the saw: one step a blade, and later what was traced from the fitted pieces."""

from collections.abc import Iterator

from ..work.copies import in_copies, of_copy
from ..work.parts import Job
from ..work.register import steps
from ..work.steps import Gathered, Step
from .blades import INSIDE
from .cuts import Chapter, Cut, SawPlan
from .setup import CAUTION as SETUP_CAUTION
from .setup import setup_cards

SAW_VERBS = ("saw", INSIDE)
"""Of steps that are done part by part at the saw."""
CAUTION = "Eye protection, dust mask, fingers beside the blade; unplug to change it."
MINUTES_TO_SET_UP = 10.0
"""To square the blade, tension it and see to light, air and switch: common practice, no source."""
MINUTES_AT_THE_SAW = 5.0
"""To take the saw up again: cover off, light and air, a look at the blade; once for what stands together. Common
practice, no source."""
MINUTES_TO_TRACE = 15.0
"""To trace a backer from the laid pieces and ease its edge: common practice, no source."""


@steps(at=20)
def saw(job: Job, plan, gathered: Gathered) -> None:
    """Chapter by chapter: part by part, all copies of one before the next."""
    before: tuple[str, ...] = ()
    if any(not chapter.late for chapter in plan.saw.chapters):
        before = gathered.add(_set_up(job, plan.saw), before)
    for chapter in plan.saw.chapters:
        if not chapter.late:
            for step in _chapter(plan.saw, chapter):
                before = gathered.add(step, before)


def _set_up(job: Job, plan: SawPlan) -> Step:
    return Step(
        "set-up",
        "saw",
        "set up",
        "Set the saw up",
        MINUTES_TO_SET_UP,
        place="saw",
        caution=SETUP_CAUTION,
        lines=tuple(f"{card.title}: {card.words}" for card in setup_cards(job, plan)),
    )


def _chapter(plan: SawPlan, chapter: Chapter) -> Iterator[Step]:
    """One blade: the openings of parts whose outline wants another one, then all that it saws whole or round."""
    own = [cut for cut in plan.cuts if cut.chapter == chapter.number]
    for verb, cuts in ((INSIDE, [c for c in own if c.what == INSIDE]), ("saw", [c for c in own if c.what != INSIDE])):
        if cuts:
            yield _step(plan, chapter, verb, cuts)


def _step(plan: SawPlan, chapter: Chapter, verb: str, cuts: list[Cut]) -> Step:
    parts: list[str] = []
    shares: list[float] = []
    together: list[int] = []
    for cut in cuts:
        for run in range(1, cut.runs + 1):
            freed = [key for number in plan.run_copies(cut, run) for key in of_copy(cut.parts, number)]
            parts += freed
            shares += [run_minutes(cut, run) / len(freed)] * len(freed)
            together.append(len(freed))
    blade = chapter.blade.name
    inside = verb == INSIDE
    profile = max((plan.blanks[cut.blank].profile for cut in cuts), default=0)
    return Step(
        f"saw-{chapter.number}" + ("-inside" if inside else ""),
        "saw",
        verb,
        _label(profile, inside, blade),
        sum(cut.minutes for cut in cuts),
        tuple(parts),
        each=True,
        shares=tuple(shares),
        together=tuple(together),
        place="saw",
        setup="saw",
        setup_minutes=MINUTES_AT_THE_SAW,
        tools=(blade,),
        caution=CAUTION,
        lines=TAPED if profile == 2 else (),
        why=_why(profile, inside),
    )


TAPED = (
    "Push everything back into the block, waste too, as it was; tape it tightly all round, over both ends",
    "Check with a square that nothing stands out, and put a fresh blade in",
)
"""Before the second face of a block is sawn: common practice, no source."""


def _label(profile: int, inside: bool, blade: str) -> str:
    if profile:
        face = "second" if profile == 2 else "first"
        return f"{'Tape the block together and saw' if profile == 2 else 'Saw'} its {face} face with {blade}"
    return f"Saw openings with {blade}" if inside else f"Saw with {blade}"


def _why(profile: int, inside: bool) -> str:
    if profile:
        return "a fresh blade for each face: a dull one wanders in wood that thick"
    return "inside before outside" if inside else "one blade after another: each is mounted once"


def run_minutes(cut: Cut, run: int) -> float:
    """Minutes of one run of a cut, with the shop's correction."""
    return cut.first_minutes if run == 1 else cut.again_minutes


@steps(at=40)
def traced(job: Job, plan, gathered: Gathered) -> None:
    """Backer, shims, spacers and base, once the pieces are fitted."""
    by_role: dict[str, list[Cut]] = {}
    for cut in plan.saw.cuts:
        if plan.saw.blanks[cut.blank].late:
            by_role.setdefault(job.by_key[cut.part].role, []).append(cut)
    fitted = gathered.last(in_copies(map(str, plan.saw.pieces), job.copies))
    for role, cuts in by_role.items():
        parts = in_copies((cut.part for cut in cuts), job.copies)
        minutes = sum(cut.minutes for cut in cuts)
        count = len(parts)
        if role == "shim":
            label, minutes = f"Cut {count} shim{'' if count == 1 else 's'}", minutes + 1.0 * count
        elif role == "spacer":
            label = f"Cut {count + len(job.spares)} spacers, a spare among them"
        elif role == "base":
            label, minutes = "Saw the base and ease its edges", minutes + MINUTES_TO_TRACE
        else:
            label = "Trace and saw the backer, ease its edge" if count == 1 else f"Trace and saw {count} backers"
            minutes += MINUTES_TO_TRACE * count
        why = (
            "traced from the pieces as they lie, not from the drawing"
            if role == "backer"
            else "to the heights as fitted"
        )
        station = "assembly" if role in ("backer", "base") else "relief"
        base = minutes - sum(cut.minutes * (1 - 1 / cut.pace) for cut in cuts)
        pace = minutes / base if base else 1.0
        step = Step(role, station, role, label, minutes, parts, place="saw", caution=CAUTION, why=why, pace=pace)
        gathered.add(step, fitted)
