"""What went wrong more than once in this shop, and where it could again."""

from collections import Counter
from collections.abc import Iterable

from ..work.lesson import Lesson
from ..work.pace import thickness_band
from .happened import BROKE, DONE, Happened

OFTEN = 2
"""Once is chance: own choice."""
SHARE = 0.1
"""And of at least so many of those that were made of it: own choice."""
OF_THE_WOOD = ("along", "across", "chip", "crumbled")
"""Ways to break that lie in the wood and how thick it is; others lie in what was done."""


def lessons_from(events: Iterable[Happened]) -> tuple[Lesson, ...]:
    """What broke at least `OFTEN`, most often first. A band counts what was done to it, broken or not."""
    broke: dict[tuple[str, str, str], Counter[str]] = {}
    done: Counter[tuple[str, str, str]] = Counter()
    for event in events:
        wood, thickness = event.made_of.get("wood"), event.made_of.get("thickness_mm")
        if not wood or not thickness:
            continue
        key = (str(wood), thickness_band(float(thickness)), event.verb)
        if event.what == DONE:
            done[key] += 1
        elif event.what == BROKE and event.why in OF_THE_WOOD:
            broke.setdefault(key, Counter())[event.why] += 1
    found = []
    for key, hows in broke.items():
        times = hows.total()
        if times >= OFTEN and times >= SHARE * (done[key] + times):
            found.append(Lesson(*key, times, done[key] + times, hows.most_common(1)[0][0]))
    return tuple(sorted(found, key=lambda lesson: (-lesson.times, lesson.wood, lesson.band)))
