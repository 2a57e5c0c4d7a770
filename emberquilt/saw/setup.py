"""What is done before the first cut: the saw set up, checked and made safe. Common practice, no source."""

from dataclasses import dataclass

from ..rack.blades import HARD_LBF
from ..work.parts import Job
from .cuts import SawPlan
from .kerf import gape_mm

BLADE_LONG_MM = 127.0
"""Blades are 5 in long."""
DEFLECTION_MM = 3.175
"""A finger moves a blade at its right tension by at most this: 1/8 in."""


@dataclass(frozen=True, slots=True)
class Card:
    """One thing to set or to check; `key` names its small drawing."""

    key: str
    title: str
    words: str


def setup_cards(job: Job, plan: SawPlan) -> tuple[Card, ...]:
    """What this work asks of the saw, in the order in which it is done."""
    practice = job.composition.practice
    say = practice.say
    early = [cut for cut in plan.cuts if cut.piece]
    thick = max((plan.blanks[cut.blank].thickness_mm for cut in early), default=practice.stock_mm)
    off = practice.square_deg
    gape = f"; off by {off:g}°, joints gape {say(gape_mm(thick, off))}" if off else ""
    cards = [
        Card(
            "square",
            "Square the blade",
            f"Saw a kerf into a block of {say(thick)}, turn the block round to the back of the blade: the kerf must "
            f"fall on the blade. What it is off is twice the error{gape}.",
        ),
        Card("oil", "Wipe the oil off", "Both ends of a new blade: it slips out of its clamps otherwise."),
        Card(
            "tension",
            "Set the tension",
            f"A finger moves a blade of {say(BLADE_LONG_MM)} aside by at most {say(DEFLECTION_MM)}; plucked, it rings.",
        ),
        Card("speed", "Set the speed", _speed(job, early)),
        Card(
            "light",
            "Light, air, foot switch",
            "Light from the side onto the line, the blower on it, dust drawn off at the source; the foot switch within "
            "reach. Eye and hearing protection, a dust mask, nothing loose at the wrists.",
        ),
    ]
    if any(cut.holes for cut in early):
        cards.append(
            Card("burrs", "Sand the burrs off", "After drilling, the back with 120 grit: a burr makes the work rock.")
        )
    if small := _small(job, early):
        cards.append(
            Card(
                "clearance",
                "Close the throat plate",
                f"{small} {'part is' if small == 1 else 'parts are'} small: a sheet of hardboard on the table with the "
                "hole that the blade makes itself, so that nothing falls through or tips.",
            )
        )
    if plan.tilts:
        cards.append(
            Card(
                "tilt",
                "Tilt by a trial cut",
                "Tilt the table, saw a small disc out of scrap of the same thickness, push it: it must jam where it is "
                "meant to. The scale on the saw is only a beginning.",
            )
        )
    return tuple(cards)


CAUTION = (
    "Nobody saws without having been shown how. Hands beside the blade, never in its line; unplug for every change; "
    "never leave it running. What the maker's instructions and local rules say goes before this page."
)


def _speed(job: Job, cuts) -> str:
    shelf = job.composition.rack.shelf
    codes = dict.fromkeys(job.by_key[cut.part].material for cut in cuts)
    dense = [shelf.name(code).lower() for code in codes if code in shelf and shelf[code].hardness_lbf >= HARD_LBF]
    if not dense:
        return "Middling; slower for tiny detail: the fewer strokes a minute, the longer the eye has."
    named = ", ".join(dense[:3]) + (f" and {len(dense) - 3} more" if len(dense) > 3 else "")
    return f"Fast for dense wood, 75 to 90 % of what the saw does: {named}. Slower for tiny detail."


def _small(job: Job, cuts) -> int:
    limit = job.composition.practice.hold_mm
    home = job.composition.home
    return sum(2 * home[cut.piece].coverage.spots[cut.piece].radius_mm < 2 * limit for cut in cuts)
