"""Everything that is done at the saw, one after another: drilling, blades, tilts, woods, tape and cuts, each with the
rule that puts it there."""

from collections import Counter
from dataclasses import dataclass

from ..work.parts import Job
from .cuts import Cut, SawPlan
from .holes import bit_words
from .network import OUTSIDE

RETAPE_SHARE = 0.5
"""When so much of a pack's edge is sawn away it is taped again: own choice."""


@dataclass(frozen=True, slots=True)
class Action:
    """One thing to do: `kind` is drill, mount, fresh, tilt, wood, tape or saw; `cut` the order of the cut it is, or
    comes before."""

    kind: str
    words: str
    why: str
    cut: int
    part: str = ""


def sequence_of(job: Job, plan: SawPlan) -> tuple[Action, ...]:
    """All of it, in order."""
    shelf = job.composition.rack.shelf
    actions: list[Action] = []
    tape = _tape(plan)
    last: Cut | None = None
    for cut in plan.cuts:
        blank = plan.blanks[cut.blank]
        changed = last is None or last.blade != cut.blade
        if changed:
            actions += _drilling(plan, cut)
            fresh = "a fresh " if cut.fresh else ""
            actions.append(Action("mount", f"Mount {fresh}{cut.blade.name}", _why_blade(plan, cut), cut.order))
        elif cut.fresh:
            actions.append(
                Action(
                    "fresh", f"Take a fresh {cut.blade.name}", "the one before has sawn what a blade lasts", cut.order
                )
            )
        tilt = last.tilt_deg if last else 0.0
        if round(cut.tilt_deg, 2) != round(tilt, 2):
            words = f"Tilt the table by {cut.tilt_deg:.1f}°" if cut.tilt_deg else "Set the table square, and check it"
            actions.append(Action("tilt", words, "all that wants this tilt is sawn one after another", cut.order))
        if blank.material in shelf and (last is None or plan.blanks[last.blank].material != blank.material):
            wood = shelf.name(blank.material).lower()
            actions.append(Action("wood", f"Fetch {wood}", "one wood after another", cut.order))
        part = job.by_key[cut.part]
        name = f"piece {part.name}" if part.number else part.name
        what = {"inside": ", its openings", "outline": ", its outline"}.get(cut.what, "")
        actions.append(Action("saw", f"{name}{what}", cut.reason, cut.order, cut.part))
        if cut.order in tape:
            words = "Tape the pack round its edge again"
            actions.append(Action("tape", words, "half of the edge that held the tape is sawn away", cut.order))
        last = cut
    return tuple(actions)


def _why_blade(plan: SawPlan, cut: Cut) -> str:
    if plan.blanks[cut.blank].late:
        return "what is traced waits for the fitted pieces"
    return f"all that {cut.blade.name} saws, one after another: {cut.why_blade}"


def _drilling(plan: SawPlan, first: Cut) -> list[Action]:
    """The holes of all cuts of a chapter, before its blade is mounted, largest bit first."""
    bits: Counter[tuple[float, float]] = Counter()
    for cut in plan.cuts:
        if cut.chapter == first.chapter:
            bits.update((hole.bit_mm, round(hole.tilt_deg, 1)) for hole in cut.holes if hole.bit_mm)
    told = []
    for (bit, tilt), count in sorted(bits.items(), reverse=True):
        tilted = f", tilted {tilt:g}°" if tilt else ""
        words = f"Drill {count} hole{'' if count == 1 else 's'} of {bit_words(bit)}{tilted}, sand the burrs off"
        told.append(Action("drill", words, "the inside is sawn before the outside", first.order))
    return told


def _tape(plan: SawPlan) -> set[int]:
    """After which cuts a pack is taped again."""
    found: set[int] = set()
    for at, (net, _) in plan.nets.items():
        if plan.blanks[at].stack < 2:
            continue
        whole = sum(line.drawn_mm for line in net.lines if OUTSIDE in (line.left, line.right))
        gone = 0.0
        for cut in plan.of_blank(at):
            gone += sum(net.lines[n].drawn_mm for n in cut.lines if OUTSIDE in (net.lines[n].left, net.lines[n].right))
            if gone > RETAPE_SHARE * whole and cut is not plan.of_blank(at)[-1]:
                found.add(cut.order)
                break
    return found
