"""What a shop's practice says of people, clamps and places, as the calendar wants it."""

from collections.abc import Iterable

from ..hours import days_off
from ..practice import ONE, Practice
from .means import OUTDOORS, Means, Person, Place

HELD = {
    "spring clamps": "spring_clamps",
    "screw clamps": "screw_clamps",
    "cauls": "cauls",
    "weights": "weights",
    "sand bags": "sand_bags",
}
"""What is held while glue sets, and the practice that says how many there are."""
LEAST_OUTDOORS_C = 10.0
"""What is sprayed does not dry below: common practice, no source; the can knows better."""


def held_words(held: Iterable[tuple[str, int]]) -> str:
    """What a step holds, in words: ``6 spring clamps, 1 sand bag``."""
    return ", ".join(f"{count} {thing.removesuffix('s') if count == 1 else thing}" for thing, count in held)


def means_of(practice: Practice) -> Means:
    off = days_off(practice.off)
    pause = (practice.pause_after, practice.pause_minutes)
    people = {ONE: practice.hours} | practice.helpers
    outdoors = Place(True, LEAST_OUTDOORS_C, practice.latitude_deg, practice.outdoor_low_c, practice.outdoor_high_c)
    return Means(
        tuple(Person(name, week, off, pause) for name, week in people.items()),
        {thing: getattr(practice, name) for thing, name in HELD.items()},
        {OUTDOORS: outdoors},
    )
